"""Causes of drift: which line of an update makes it differ, and what to write instead."""
