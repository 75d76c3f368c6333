"""What a flight yields: trajectories, their files, and looking within frames."""
