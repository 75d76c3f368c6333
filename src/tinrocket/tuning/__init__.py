"""Finding numbers: many variants of one scenario, flown at once."""
