"""What moves, each formula once, as kernels: rules, inputs, edges, contacts and the stage."""
