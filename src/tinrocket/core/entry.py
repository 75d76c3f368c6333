"""The compiled functions that Python calls: one flight, a batch of them, and contacts."""

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import opcodes as op
from tinrocket.core.absent import Absent
from tinrocket.core.calls import Calls
from tinrocket.core.contacts.meetings import Meet, Meetings
from tinrocket.core.contacts.phase import make_meet, meet
from tinrocket.core.custom import Custom, Written, compiled, interpreted
from tinrocket.core.jit import announcing, entry_point, fingerprint, plain, straight
from tinrocket.core.loop import Fly, make_loop
from tinrocket.core.program import Program
from tinrocket.core.rules.seldom import OPCODES, Seldom, make_seldom, seldom
from tinrocket.core.scratch import Scratch, begin
from tinrocket.core.signatures import MANY, MEETING, ON_STAGE, ONE, SELDOM
from tinrocket.core.stage.phase import conduct, make_conduct
from tinrocket.core.stage.staging import Conduct, Staging

Floats = NDArray[np.float64]
Endings = NDArray[np.int64]
FlyBatch = Callable[..., None]
"""As `_fly_batch`."""

COMPILING = "compiling the loop for this machine, once; this takes about ten seconds"
COMPILING_SELDOM = "compiling the rarer rules for this machine, once; this takes some seconds"
COMPILING_STAGE = "compiling spawners and rounds for this machine, once; this takes some seconds"
COMPILING_CONTACTS = "compiling contacts for this machine, once; this takes some seconds"

NOBODY_MEETS = Absent(MEETING)
NONE_SELDOM, EMPTY = Absent(SELDOM), Absent(ON_STAGE)


@lru_cache(maxsize=1)
def interpreted_loop() -> Fly:
    """Return the loop as plain Python, for rules of the user's that cannot be compiled."""
    return plain(make_loop(0))


@lru_cache(maxsize=1)
def compiled_loop() -> Fly:
    """Return the loop, compiled or loaded from disk when it is first asked for."""
    with announcing(COMPILING):
        return entry_point(ONE)(make_loop(fingerprint()))


@lru_cache(maxsize=1)
def straight_loop() -> Fly:
    """Return a way to call the compiled loop that is quick for short flights too."""
    return straight(compiled_loop())


@lru_cache(maxsize=1)
def compiled_meet() -> Meet:
    """Return the contact phase, compiled or loaded from disk when it is first asked for."""
    with announcing(COMPILING_CONTACTS):
        return entry_point(MEETING)(make_meet(fingerprint()))


@lru_cache(maxsize=1)
def compiled_seldom() -> Seldom:
    """Return the rules that few programs need, compiled or loaded when first asked for."""
    with announcing(COMPILING_SELDOM):
        return entry_point(SELDOM)(make_seldom(fingerprint()))


@lru_cache(maxsize=1)
def compiled_conduct() -> Conduct:
    """Return the stage, compiled or loaded from disk when it is first asked for."""
    with announcing(COMPILING_STAGE):
        return entry_point(ON_STAGE)(make_conduct(fingerprint()))


def compiled_calls(program: Program, meetings: Meetings, custom: Custom) -> Calls:
    """Return what the loop calls for a program, with the user's rules compiled."""
    opcodes = set(program.code[::4].tolist())
    return Calls(
        custom=custom,
        seldom=compiled_seldom() if opcodes & OPCODES else NONE_SELDOM,
        meet=compiled_meet() if meetings.pairs.size else NOBODY_MEETS,
        conduct=compiled_conduct() if op.STAGE in opcodes else EMPTY,
    )


def ways(program: Program, meetings: Meetings, written: tuple[Written, ...]) -> tuple[Fly, Calls]:
    """Return the loop and what it calls: compiled, or all of it as plain Python."""
    custom = compiled(written)
    if custom is not None:
        return straight_loop(), compiled_calls(program, meetings, custom)
    return interpreted_loop(), Calls(
        interpreted(written), plain(seldom), plain(meet), plain(conduct)
    )


@lru_cache(maxsize=1)
def compiled_batch() -> FlyBatch:
    """Return a function that flies variants with the loop that it is given.

    They differ in numbers (V, K) and states (V, C, STATE_WIDTH); `endings` (V, 4) takes
    what the loop returns for each.
    """
    return straight(entry_point(MANY)(_fly_batch))


def _fly_batch(
    fly: Fly,
    program: Program,
    numbers: Floats,
    calls: Calls,
    meetings: Meetings,
    staging: Staging,
    scratch: Scratch,
    dts: Floats,
    moments: Floats,
    inputs: Floats,
    states: Floats,
    endings: Endings,
) -> None:
    nothing, no_events = np.empty((0, 0, 0)), np.empty((0, 0))
    for variant in range(states.shape[0]):
        begin(scratch, states[variant])
        used, craft, step, instruction = fly(
            program,
            numbers[variant],
            calls,
            meetings,
            staging,
            scratch,
            dts,
            moments,
            inputs,
            states[variant],
            nothing,
            no_events,
        )
        endings[variant, 0] = used
        endings[variant, 1] = craft
        endings[variant, 2] = step
        endings[variant, 3] = instruction
