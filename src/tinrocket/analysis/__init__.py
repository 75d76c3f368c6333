"""What a flight means: trajectories, drift between them, and the events that differ."""
