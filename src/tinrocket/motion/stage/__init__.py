"""What happens beside the craft's own rules: who enters and leaves, marches, rounds and scores."""
