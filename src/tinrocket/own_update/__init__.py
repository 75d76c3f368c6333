"""A game's own update function: flown unchanged, its statements recognised, its text patched."""
