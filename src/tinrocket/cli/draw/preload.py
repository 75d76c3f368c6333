"""Modules that the fork server of the drawing processes loads first.

It keeps no pipe open: a reader of the command's output would otherwise wait until the server
has finished its preload, long after the command has ended.  And it
does not look for cycles in what it loads, none of which is ever let go.
"""

import gc
import os

gc.disable()
_nowhere = os.open(os.devnull, os.O_WRONLY)
for _output in (1, 2):
    os.dup2(_nowhere, _output)
os.close(_nowhere)
