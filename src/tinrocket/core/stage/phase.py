"""The end of a step: who leaves, who enters, and whether the round or the game is over."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.borrow import borrow
from tinrocket.core.jit import outlined
from tinrocket.core.layout import SOON
from tinrocket.core.scratch import Scratch
from tinrocket.core.stage.life import leave_and_return
from tinrocket.core.stage.march import march
from tinrocket.core.stage.referee import note_game, referee, resume
from tinrocket.core.stage.send import send
from tinrocket.core.stage.staging import Conduct, Staging

Floats = NDArray[np.float64]


@outlined
def conduct(
    staging: Staging,
    scratch: Scratch,
    state: Floats,
    events: Floats,
    used: int,
    step: int,
    now: float,
    count: float,
    dt: float,
) -> int:
    """Work out what happens on the stage by the end of a step; return how many events there are.

    In this order: who leaves or returns, who is sent, who marches, and whether a life is
    lost, the round is over, or the game.  In a pause nothing of it happens, and no time
    passes for it.

    Parameters
    ----------
    now, count, dt
        When the step begins [s], how many steps came before it, and how long it is [s].
    """
    staging, scratch = borrow(staging), borrow(scratch)
    state, events = borrow(state), borrow(events)
    ledger = scratch.ledger
    if ledger[at.IS_OVER] != 0.0:
        return used
    if ledger[at.PAUSE_ENDS] != 0.0:
        if now + dt >= ledger[at.PAUSE_ENDS] - SOON:
            resume(staging, scratch, state, now + dt, count + 1.0)
            used = note_game(events, used, step, at.ROUND, -1, 1.0)
        return used
    used = leave_and_return(staging, scratch, state, events, used, step, now, count, dt)
    used = send(staging, scratch, state, events, used, step, now, count, dt)
    used = march(staging, scratch, state, events, used, step, now, count, dt)
    return referee(staging, scratch, state, events, used, step, now, count, dt)


def make_conduct(sources: int) -> Conduct:
    """Return the phase, not compiled; `sources` is a fingerprint of the files it is made of."""

    def conduct_all(
        staging: Staging,
        scratch: Scratch,
        state: Floats,
        events: Floats,
        used: int,
        step: int,
        now: float,
        count: float,
        dt: float,
    ) -> int:
        _ = sources  # part of the key under which Numba keeps the compiled phase
        return conduct(staging, scratch, state, events, used, step, now, count, dt)

    return conduct_all
