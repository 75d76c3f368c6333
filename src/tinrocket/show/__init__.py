"""Pictures and printed tables."""
