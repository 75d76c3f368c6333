"""Causes of drift: the lines of an update that make runs differ, and what to write instead."""
