"""Logs that a game printed: read as trajectories, and compared with each other or a scenario."""
