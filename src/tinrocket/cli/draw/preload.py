"""What the server of those who draw loads first.

It keeps nothing open that others wait for: who reads the output of a command would else read on
until the server has loaded all it was told to, long after the command itself has ended.  And it
does not look for cycles in what it loads, none of which is ever let go.
"""

import gc
import os

gc.disable()
_nowhere = os.open(os.devnull, os.O_WRONLY)
for _output in (1, 2):
    os.dup2(_nowhere, _output)
os.close(_nowhere)
