"""How it moves: arrays in, arrays out, with no interface code."""
