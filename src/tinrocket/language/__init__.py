"""A strict subset of Python: checked, printed as WebAssembly, compiled, cached and called.

A kernel is a small function in the subset.  It runs as plain Python and, printed, as machine
code, with the same bits.  This package is independent of craft and scenarios.
"""
