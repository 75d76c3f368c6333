"""Trajectories: frames and events of a flight, their files, and traces."""
