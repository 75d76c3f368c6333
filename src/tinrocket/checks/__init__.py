"""Checks of motion: mistakes that are easily made and noticed late, found before play."""
