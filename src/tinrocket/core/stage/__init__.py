"""Who enters and leaves, and when a round is over."""
