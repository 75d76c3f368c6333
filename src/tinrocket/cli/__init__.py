"""The command line: a thin skin, one file per command."""
