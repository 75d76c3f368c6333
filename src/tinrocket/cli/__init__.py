"""The command line: one file per command, without computation of its own."""
