"""Where bodies meet, when, and what comes of it."""
