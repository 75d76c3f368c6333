"""A strict subset of Python: checked, printed as WebAssembly, compiled, cached and called.

A kernel is a small function in the subset.  It runs as plain Python and, printed, as machine
code, with the same bits.  Nothing in here knows what a craft is.
"""
