"""The loop over frames, in which all motion of the library happens.

One craft's state is held in local scalars while its rules run, because scalars stay in
registers and an array does not.  The branches on the opcode stand here rather than in
a function of their own, because an array handed to a function costs two reference
counts: in this loop more than the arithmetic.
"""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.edges import meet_walls
from tinrocket.core.events import note_side
from tinrocket.core.jit import inlined
from tinrocket.core.layout import (
    DRAG,
    FLEW,
    HEADING,
    LAPS_X,
    LAPS_Y,
    LIMIT_AXES,
    LIMIT_SPEED,
    MOVE_EULER,
    MOVE_HALF,
    RECORD_WIDTH,
    SNAP,
    THRUST,
    TOUCH_X,
    TOUCH_Y,
    TURN,
    VX,
    VY,
    WALL_AT,
    WALL_KIND,
    WALL_RESTITUTION,
    X_HIGH,
    X_LOW,
    Y_HIGH,
    Y_LOW,
    X,
    Y,
)
from tinrocket.core.prepare import prepare
from tinrocket.core.program import Program
from tinrocket.core.rules.limit import limit_axes, limit_speed
from tinrocket.core.rules.move import move_euler, move_half
from tinrocket.core.rules.snap import snap
from tinrocket.core.rules.thrust import push
from tinrocket.core.rules.turn import turn

Floats = NDArray[np.float64]


@inlined
def fly_frames(
    program: Program,
    rows: Floats,
    dts: Floats,
    inputs: Floats,
    state: Floats,
    record: Floats,
    events: Floats,
) -> tuple[int, int, int]:
    """Fly every craft through every frame: rules in order, then edges.

    Parameters
    ----------
    program, rows
        What to fly; the rows stand beside it because variants differ in them.
    dts
        Shape (N,): the length of each frame [s].
    inputs
        Shape (N, A): the value of each action as sampled at the start of each frame.
    state
        Shape (C, STATE_WIDTH): the state before the first frame; on return after the
        last, or as the failing frame began.
    record
        Shape (RECORD_WIDTH, C, N + 1) to be filled from index 1 on, or with no craft to
        keep nothing.
    events
        Shape (room, EVENT_WIDTH); events past the room are counted, not kept.

    Returns
    -------
    events, craft, frame
        How many events there were; FLEW and the number of frames, or the index of the
        craft whose state stopped being finite and of the frame in which it did.
    """
    opcodes, timings, slots = program.opcodes, program.timings, program.slots
    first_rules, walls, tuned_dt = program.first_rules, program.walls, program.tuned_dt
    used = 0
    keep = record.shape[1] > 0
    # columns of their own, because a look-up in a table costs a multiplication
    coef_a, coef_b = np.empty(opcodes.size), np.empty(opcodes.size)
    slot_a, slot_b = slots[:, 0].copy(), slots[:, 1].copy()
    left, right = walls[:, X_LOW, WALL_AT].copy(), walls[:, X_HIGH, WALL_AT].copy()
    low, high = walls[:, Y_LOW, WALL_AT].copy(), walls[:, Y_HIGH, WALL_AT].copy()
    prepared_for = -1.0
    faced, face_x, face_y = 0.0, 1.0, 0.0  # the unit vector of the last heading asked for
    for frame in range(dts.size):
        dt = dts[frame]
        if dt != prepared_for:
            for rule in range(opcodes.size):
                coef_a[rule], coef_b[rule] = prepare(
                    opcodes[rule], timings[rule], rows[rule, 0], rows[rule, 1], dt, tuned_dt
                )
            prepared_for = dt
        for craft in range(state.shape[0]):
            # until they are stored again below, the array holds the values of the frame's start
            x = state[craft, X]
            y = state[craft, Y]
            vx = state[craft, VX]
            vy = state[craft, VY]
            heading = state[craft, HEADING]
            for rule in range(first_rules[craft], first_rules[craft + 1]):
                opcode = opcodes[rule]
                if opcode == TURN:
                    steer_left = inputs[frame, slot_a[rule]]
                    steer_right = inputs[frame, slot_b[rule]]
                    heading = turn(heading, steer_left, steer_right, coef_a[rule])
                elif opcode == THRUST:
                    forward = inputs[frame, slot_a[rule]]
                    backward = inputs[frame, slot_b[rule]]
                    gained = push(forward, backward, coef_a[rule], coef_b[rule])
                    if gained != 0.0:
                        if heading != faced:
                            faced, face_x, face_y = heading, math.cos(heading), math.sin(heading)
                        vx += gained * face_x
                        vy += gained * face_y
                elif opcode == DRAG:
                    vx *= coef_a[rule]
                    vy *= coef_a[rule]
                elif opcode == LIMIT_SPEED:
                    vx, vy = limit_speed(vx, vy, coef_a[rule])
                elif opcode == LIMIT_AXES:
                    vx, vy = limit_axes(vx, vy, coef_a[rule], coef_b[rule])
                elif opcode == SNAP:
                    vx, vy = snap(vx, vy, coef_a[rule])
                elif opcode == MOVE_EULER:
                    x, y = move_euler(x, y, vx, vy, coef_a[rule])
                elif opcode == MOVE_HALF:
                    x, y = move_half(x, y, vx, vy, state[craft, VX], state[craft, VY], coef_a[rule])
            # an infinity or a NaN among them makes the sum one; a place inside the arena is finite
            if not math.isfinite(vx + vy + heading):
                return used, craft, frame

            touch_x = touch_y = 0.0
            x_low, x_high, y_low, y_high = left[craft], right[craft], low[craft], high[craft]
            if not (x_low <= x < x_high and y_low <= y < y_high):
                if not math.isfinite(x + y):
                    return used, craft, frame
                x1, y1, vx1, vy1 = x, y, vx, vy
                x, vx, laps_x, touch_x, hits_left, hits_right = meet_walls(
                    x,
                    vx,
                    state[craft, TOUCH_X],
                    x_low,
                    x_high,
                    walls[craft, X_LOW, WALL_KIND],
                    walls[craft, X_HIGH, WALL_KIND],
                    walls[craft, X_LOW, WALL_RESTITUTION],
                    walls[craft, X_HIGH, WALL_RESTITUTION],
                )
                y, vy, laps_y, touch_y, hits_low, hits_high = meet_walls(
                    y,
                    vy,
                    state[craft, TOUCH_Y],
                    y_low,
                    y_high,
                    walls[craft, Y_LOW, WALL_KIND],
                    walls[craft, Y_HIGH, WALL_KIND],
                    walls[craft, Y_LOW, WALL_RESTITUTION],
                    walls[craft, Y_HIGH, WALL_RESTITUTION],
                )
                state[craft, LAPS_X] += laps_x
                state[craft, LAPS_Y] += laps_y
                for side, wall, hits in (
                    (X_LOW, x_low, hits_left),
                    (X_HIGH, x_high, hits_right),
                    (Y_LOW, y_low, hits_low),
                    (Y_HIGH, y_high, hits_high),
                ):
                    if hits > 0.0:
                        used = note_side(
                            events,
                            used,
                            frame,
                            craft,
                            side,
                            hits,
                            wall,
                            state[craft, X],
                            state[craft, Y],
                            x1,
                            y1,
                            vx1,
                            vy1,
                        )

            state[craft, X] = x
            state[craft, Y] = y
            state[craft, VX] = vx
            state[craft, VY] = vy
            state[craft, HEADING] = heading
            state[craft, TOUCH_X] = touch_x
            state[craft, TOUCH_Y] = touch_y
            if keep:
                for column in range(RECORD_WIDTH):
                    record[column, craft, frame + 1] = state[craft, column]
    return used, FLEW, dts.size
