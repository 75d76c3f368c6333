"""A game's own update function: flown as it is, its statements recognised, its text patched."""
