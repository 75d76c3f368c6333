"""A scenario's structure as a plan: a layout of memory, and one composed step function."""
