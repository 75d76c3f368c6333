"""The types of what compiled functions take and return."""

import numba

from tinrocket.core.calls import Calls
from tinrocket.core.contacts.meetings import Meetings
from tinrocket.core.custom import SIGNATURE
from tinrocket.core.program import Program
from tinrocket.core.scratch import Scratch
from tinrocket.core.stage.staging import Staging

ROW, TABLE, CUBE = numba.float64[::1], numba.float64[:, ::1], numba.float64[:, :, ::1]
OTHERS = {"numbers": ROW, "memory": ROW, "start": TABLE, "walls": CUBE, "carrier": numba.int64[::1]}
PROGRAM = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [OTHERS.get(name, numba.uint32[::1]) for name in Program._fields], Program
)

PAIRS = {"pairs": numba.int64[:, ::1], "first": numba.int64[::1]}
TABLES = {"numbers": TABLE, "kicks": TABLE, "corners": TABLE, "places": TABLE}
TABLES |= {"apart": TABLE}
MEETINGS = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [(PAIRS | TABLES).get(name, ROW) for name in Meetings._fields], Meetings
)
MOVED = numba.types.UniTuple(numba.float64, 7)  # type: ignore[no-untyped-call]
SELDOM = MOVED(
    *(numba.uint32, ROW, numba.uint32, ROW, numba.uint32, TABLE, TABLE, numba.int64),
    *[numba.float64] * 11,
)
"""How the loop calls the rules that few programs need."""

SCRATCH_TABLES = ("bounds", "before", "starts", "lines", "paths", "shape", "wall")
SCRATCH = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [TABLE if name in SCRATCH_TABLES else ROW for name in Scratch._fields], Scratch
)
MEETING = numba.int64(
    *(MEETINGS, SCRATCH, TABLE, TABLE),
    *(numba.int64, numba.int64, numba.float64, numba.float64),
)
"""How the loop calls the contact phase."""

STAGING = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [
        {"resets": numba.int64[::1], "chances": CUBE, "rounds": ROW}.get(name, TABLE)
        for name in Staging._fields
    ],
    Staging,
)
ON_STAGE = numba.int64(
    *(STAGING, SCRATCH, TABLE, TABLE),
    *(numba.int64, numba.int64, numba.float64, numba.float64, numba.float64),
)
"""How the loop calls the stage."""

CALLED = (SIGNATURE, SELDOM, MEETING, ON_STAGE)
FUNCTIONS = [numba.types.FunctionType(one) for one in CALLED]
CALLS = numba.types.NamedTuple(FUNCTIONS, Calls)  # type: ignore[no-untyped-call]
FOUR = numba.types.UniTuple(numba.int64, 4)  # type: ignore[no-untyped-call]
ONE = FOUR(PROGRAM, ROW, CALLS, MEETINGS, STAGING, SCRATCH, ROW, TABLE, TABLE, TABLE, CUBE, TABLE)
"""How the loop is called."""
MANY = numba.void(
    *(numba.types.FunctionType(ONE), PROGRAM, TABLE, CALLS, MEETINGS, STAGING, SCRATCH),
    *(ROW, TABLE, TABLE, CUBE, numba.int64[:, ::1]),
)
"""How a batch is called."""
