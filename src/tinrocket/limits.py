"""Size limits: larger inputs are refused before memory is allocated for them.

All of them are raised together by the environment variable ``TINROCKET_LIMITS``, a factor: 4 on a
machine that has four times the memory of a common one.
"""

import os

VARIABLE = "TINROCKET_LIMITS"

FRAMES = 20_000_000
"""Frames, or steps, times craft of one recording: some 3 GB."""

SIDE_BY_SIDE = 5_000_000
"""Frames times craft of all runs of a comparison, or rows of a trace: about a gigabyte."""

CRAFT = 100_000
"""Craft of a scenario, members of pools and grids included."""

PAIRS, PAIRS_OF_ONE = 32_768, 16
"""Pairs of bodies that are close to each other at one moment, and further ones for each craft."""

PIECES = 1_000_000
"""Pieces of all obstacles of a scenario."""


def most(limit: int) -> int:
    """Return a limit on this machine."""
    try:
        factor = float(os.environ.get(VARIABLE, "1"))
    except ValueError:
        factor = 1.0
    return int(limit * factor) if 0.0 < factor < 1e6 else limit


def how_to_raise() -> str:
    """Return the end of a sentence that says how a limit is raised."""
    return f"with more memory, set {VARIABLE} to a factor, such as 4"
