"""Scenarios: validated data and their files; no arithmetic of motion."""
