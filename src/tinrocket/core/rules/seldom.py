"""The rules that few programs need and that take long to compile, behind one function.

The loop calls it by its address, and it is compiled when a program first needs it.
"""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core import opcodes as op
from tinrocket.core.jit import outlined
from tinrocket.core.rules import closed
from tinrocket.core.rules.closed import move_closed
from tinrocket.core.rules.dash import dash
from tinrocket.core.rules.fire import fire
from tinrocket.core.rules.follow import chase, toward
from tinrocket.core.rules.hop import hop
from tinrocket.core.rules.steering import aim, turn
from tinrocket.core.rules.thrust import push

Floats = NDArray[np.float64]
Moved = tuple[float, float, float, float, float, float, float]
Seldom = Callable[..., Moved]
"""As `seldom`."""

OPCODES = frozenset(
    {
        *(op.CRUISE, op.STRIDE, op.AIM, op.CHASE, op.CHASE_FORCE),
        *(op.TORQUE, op.ROTATE, op.DRAG_SPIN, op.LIMIT_SPIN, op.AIM_ALONG),
        *(op.DASH, op.HOP, op.FIRE),
        *(op.GATHER_TURN, op.GATHER_THRUST, op.GATHER_FORCE, op.GATHER_DRAG, op.MOVE_CLOSED),
    }
)


@outlined
def seldom(
    opcode: int,
    numbers: Floats,
    n: int,
    memory: Floats,
    m: int,
    state: Floats,
    before: Floats,
    craft: int,
    x: float,
    y: float,
    vx: float,
    vy: float,
    heading: float,
    action: float,
    input_x: float,
    input_y: float,
    now: float,
    count: float,
    dt: float,
) -> Moved:
    """Place, velocity and heading after one of these rules, and how much began and failed.

    Parameters
    ----------
    numbers, n
        All numbers of the program, and where those of the rule begin.
    memory, m
        All memory, and the first cell of the rule; or the target's number, counted from 1.
    state, before, craft
        The states as stored, of which a hop changes height and whether walls are below, and
        places as the step began; shots are added to both.
    action, input_x, input_y
        The rule's three inputs; a dash takes them by these names.
    now, count, dt
        When the step begins [s], how many steps came before it, and how long it is [s].
    """
    began, missed = 0.0, 0.0
    if opcode == op.DASH:
        x, y, vx, vy, begins = dash(
            *(numbers, n, memory, m, x, y, vx, vy, heading),
            *(action, input_x, input_y, now, count, dt),
        )
        began = 1.0 if begins else 0.0
    elif opcode == op.HOP:
        height = state[craft, at.HEIGHT]
        height, over, begins = hop(numbers, n, memory, m, height, action, now, count, dt)
        began = 1.0 if begins else 0.0
        state[craft, at.HEIGHT], state[craft, at.ALOFT] = height, over
    elif opcode == op.FIRE:
        began, missed = fire(
            *(numbers, n, memory, m, state, before, craft, x, y, vx, vy, heading),
            *(action, now, count),
        )
    elif opcode == op.STRIDE:
        x += action * numbers[n] * math.cos(heading)
        y += action * numbers[n] * math.sin(heading)
    elif opcode == op.CRUISE:
        vx, vy = 0.0, 0.0
        if m == 0 or state[m - 1, at.ALIVE] != 0.0:
            vx, vy = numbers[n] * math.cos(heading), numbers[n] * math.sin(heading)
    elif opcode in (op.AIM, op.CHASE, op.CHASE_FORCE):
        there, dx, dy = True, action - x, input_x - y
        if m != 0:
            there = state[m - 1, at.ALIVE] != 0.0
            dx, dy = state[m - 1, at.X] - x, state[m - 1, at.Y] - y
        if opcode == op.AIM and there:
            heading = aim(heading, dx, dy, numbers[n])
        elif opcode == op.CHASE_FORCE and there:
            gain_x, gain_y = toward(dx, dy, numbers[n])
            vx, vy = vx + gain_x, vy + gain_y
        elif opcode == op.CHASE:
            vx, vy = 0.0, 0.0
            if there:
                vx, vy = chase(dx, dy, numbers[n], numbers[n + 1], numbers[n + 2], numbers[n + 3])
    elif opcode == op.AIM_ALONG:
        heading = aim(heading, action, input_x, numbers[n])
    elif opcode == op.TORQUE:
        state[craft, at.SPIN] = turn(state[craft, at.SPIN], action, input_x, numbers[n])
    elif opcode == op.ROTATE:
        heading += state[craft, at.SPIN] * numbers[n]
    elif opcode == op.DRAG_SPIN:
        state[craft, at.SPIN] *= numbers[n]
    elif opcode == op.LIMIT_SPIN:
        state[craft, at.SPIN] = min(max(state[craft, at.SPIN], -numbers[n]), numbers[n])
    elif opcode == op.GATHER_TURN:
        memory[m + closed.OMEGA] = turn(memory[m + closed.OMEGA], action, input_x, numbers[n])
    elif opcode == op.GATHER_THRUST:
        memory[m + closed.PUSH] += push(action, input_x, numbers[n], numbers[n + 1])
    elif opcode == op.GATHER_FORCE:
        memory[m + closed.FORCE_X] += action * numbers[n]
        memory[m + closed.FORCE_Y] += input_x * numbers[n + 1]
    elif opcode == op.GATHER_DRAG:
        memory[m + closed.RESIST] += numbers[n]
    else:
        omega, thrust, resist = (
            memory[m + closed.OMEGA],
            memory[m + closed.PUSH],
            memory[m + closed.RESIST],
        )
        force_x, force_y = memory[m + closed.FORCE_X], memory[m + closed.FORCE_Y]
        x, y, vx, vy, heading = move_closed(
            x, y, vx, vy, heading, omega, thrust, resist, force_x, force_y, numbers[n]
        )
        for cell in range(closed.GATHERED):
            memory[m + cell] = 0.0
    if began == 0.0:  # what is told is that none found room
        began, missed = -missed, 0.0
    return x, y, vx, vy, heading, began, missed


def make_seldom(sources: int) -> Seldom:
    """Return it, not compiled; `sources` is a fingerprint of the files it is made of."""

    def call_seldom(
        opcode: int,
        numbers: Floats,
        n: int,
        memory: Floats,
        m: int,
        state: Floats,
        before: Floats,
        craft: int,
        x: float,
        y: float,
        vx: float,
        vy: float,
        heading: float,
        action: float,
        input_x: float,
        input_y: float,
        now: float,
        count: float,
        dt: float,
    ) -> Moved:
        _ = sources
        return seldom(
            opcode,
            numbers,
            n,
            memory,
            m,
            state,
            before,
            craft,
            x,
            y,
            vx,
            vy,
            heading,
            action,
            input_x,
            input_y,
            now,
            count,
            dt,
        )

    return call_seldom
