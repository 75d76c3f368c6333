"""The loop over steps, in which all motion of the library happens.

One craft's state is held in local scalars while its rules run, because scalars stay in
registers and an array does not.  The branches on the opcode stand here rather than in
a function of their own, because an array handed to a function costs two reference
counts: in this loop more than the arithmetic.
"""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core import opcodes as op
from tinrocket.core.coefficients import coefficient
from tinrocket.core.custom import CRAFT, Custom
from tinrocket.core.edges import meet_walls
from tinrocket.core.events import note, note_side
from tinrocket.core.layout import ALIVE, FLEW, SOON, VX, VY, WALL_AT, WALL_KIND, X, Y
from tinrocket.core.program import Program
from tinrocket.core.rules.closed import move_closed
from tinrocket.core.rules.dash import dash
from tinrocket.core.rules.drive import brake, drive
from tinrocket.core.rules.flap import fall, flap
from tinrocket.core.rules.follow import chase, follow, toward
from tinrocket.core.rules.hop import hop
from tinrocket.core.rules.limit import limit_axes, limit_speed
from tinrocket.core.rules.move import move_euler, move_half
from tinrocket.core.rules.snap import snap
from tinrocket.core.rules.steering import aim, turn
from tinrocket.core.rules.thrust import push

Floats = NDArray[np.float64]

NEXT = np.uint64(1)  # Numba makes a float of an unsigned and a signed integer

Fly = Callable[
    [Program, Floats, Custom, Floats, Floats, Floats, Floats, Floats, Floats],
    tuple[int, int, int, int],
]


def make_loop(sources: int) -> Fly:
    """Return the loop, not compiled; `sources` is a fingerprint of the files it is made of."""

    def fly_steps(
        program: Program,
        numbers: Floats,
        custom: Custom,
        dts: Floats,
        moments: Floats,
        inputs: Floats,
        state: Floats,
        record: Floats,
        events: Floats,
    ) -> tuple[int, int, int, int]:
        """Fly every craft through every step: rules in order, then edges.

        Parameters
        ----------
        program, numbers
            What to fly; the numbers stand beside it because variants differ in them.
        custom
            Calls the user's rules.
        dts, moments
            Shape (S,): the length of each step, and when it begins in the game's time [s].
        inputs
            Shape (S, A): what the rules listen to in each step.
        state
            Shape (C, STATE_WIDTH): the state before the first step; on return after the
            last, or as the failing step began.
        record
            Shape (columns, C, S + 1) to be filled from index 1 on, with ALWAYS_RECORDED or
            MOST_RECORDED columns; or with no craft, to keep nothing.
        events
            Shape (room, EVENT_WIDTH); events past the room are counted, not kept.

        Returns
        -------
        events, craft, step, instruction
            How many events there were; FLEW, the number of steps and 0, or the indices of
            the craft whose state stopped being finite, of the step in which it did, and of
            the instruction at which that was seen.
        """
        opcodes, slots, links, first = program.opcodes, program.slots, program.links, program.first
        numbers_at, slots_at, links_at = program.numbers_at, program.slots_at, program.links_at
        timed, kinds, walls, carrier = program.timed, program.kinds, program.walls, program.carrier
        _ = sources  # part of the key under which Numba keeps the compiled loop
        used = 0
        keep, keep_all = record.shape[1] > 0, record.shape[0] > at.ALWAYS_RECORDED
        coef, memory = numbers.copy(), program.memory.copy()
        # columns of their own, because a look-up in a table costs a multiplication
        left, right = walls[:, at.X_LOW, WALL_AT].copy(), walls[:, at.X_HIGH, WALL_AT].copy()
        low, high = walls[:, at.Y_LOW, WALL_AT].copy(), walls[:, at.Y_HIGH, WALL_AT].copy()
        written, values = np.zeros(1, CRAFT), np.zeros(coef.size + slots.size)
        prepared_for = -1.0
        faced, face_x, face_y = 0.0, 1.0, 0.0  # the unit vector of the last heading asked for
        for step in range(dts.size):
            dt, now = dts[step], moments[step]
            if dt != prepared_for:
                for index in range(timed.size):
                    coef[timed[index]] = coefficient(kinds[index], numbers[timed[index]], dt)
                prepared_for = dt
            for craft in range(state.shape[0]):
                if state[craft, ALIVE] == 0.0:
                    continue
                # until they are stored again below, the array holds the values of the start
                x, y = state[craft, X], state[craft, Y]
                vx, vy = state[craft, VX], state[craft, VY]
                heading, spin = state[craft, at.HEADING], state[craft, at.SPIN]
                height, over, aloft, began = state[craft, at.HEIGHT], 0.0, 0.0, False
                omega = thrust = resist = force_x = force_y = 0.0
                rule, past = np.uint64(first[craft]), np.uint64(first[craft + 1])
                while rule < past:
                    # the table's rows are long enough for what is asked for here
                    opcode, n, link = opcodes[rule], numbers_at[rule], links_at[rule]
                    slot = slots_at[rule]
                    in_a, in_b = inputs[step, slots[slot]], inputs[step, slots[slot + 1]]
                    a, b, c = coef[n], coef[n + 1], coef[n + 2]
                    if opcode == op.TURN:
                        heading = turn(heading, in_a, in_b, a)
                    elif opcode == op.THRUST:
                        gained = push(in_a, in_b, a, b)
                        if gained != 0.0:
                            if heading != faced:
                                faced = heading
                                face_x, face_y = math.cos(heading), math.sin(heading)
                            vx += gained * face_x
                            vy += gained * face_y
                    elif opcode == op.DRAG:
                        vx *= a
                        vy *= a
                    elif opcode == op.LIMIT_SPEED:
                        vx, vy = limit_speed(vx, vy, a)
                    elif opcode == op.LIMIT_AXES:
                        vx, vy = limit_axes(vx, vy, a, b)
                    elif opcode == op.SNAP:
                        vx, vy = snap(vx, vy, a)
                    elif opcode == op.MOVE_EULER:
                        x, y = move_euler(x, y, vx, vy, a)
                    elif opcode == op.MOVE_HALF:
                        x, y = move_half(x, y, vx, vy, state[craft, VX], state[craft, VY], a)
                    elif opcode == op.FORCE:
                        vx += in_a * a
                        vy += in_b * b
                    elif opcode == op.BRAKE_X:
                        vx = brake(vx, in_a, a)
                    elif opcode == op.BRAKE_Y:
                        vy = brake(vy, in_a, a)
                    elif opcode == op.DRIVE_X:
                        vx = drive(vx, in_a, a, b, c)
                    elif opcode == op.DRIVE_Y:
                        vy = drive(vy, in_a, a, b, c)
                    elif opcode == op.FALL:
                        vy = fall(vy, a, b, c, coef[n + 3], in_a, coef[n + 4])
                    elif opcode == op.FLAP:
                        cell = links[link]
                        moment = float(step) if coef[n + 5] != 0.0 else now
                        if in_a != 0.0 and memory[cell] <= moment + SOON:
                            memory[cell] = moment + coef[n + 4]
                            vy = flap(vy, a, b, c, coef[n + 3])
                            began = True
                    elif opcode in (op.CRUISE, op.STRIDE):
                        if heading != faced:
                            faced = heading
                            face_x, face_y = math.cos(heading), math.sin(heading)
                        if opcode == op.STRIDE:
                            x += in_a * a * face_x
                            y += in_a * a * face_y
                        elif links[link] == 0 or state[links[link] - 1, ALIVE] != 0.0:
                            vx, vy = a * face_x, a * face_y
                        else:
                            vx, vy = 0.0, 0.0
                    elif opcode in (op.AIM, op.FOLLOW, op.CHASE, op.CHASE_FORCE):
                        there, dx, dy = True, in_a - x, in_b - y
                        if links[link] != 0:
                            target = links[link] - 1
                            there = state[target, ALIVE] != 0.0
                            dx, dy = state[target, X] - x, state[target, Y] - y
                        if opcode == op.CHASE:
                            vx, vy = chase(dx, dy, a, b, c, coef[n + 3]) if there else (0.0, 0.0)
                        elif there:
                            if opcode == op.AIM:
                                heading = aim(heading, dx, dy, a)
                            elif opcode == op.CHASE_FORCE:
                                gain_x, gain_y = toward(dx, dy, a)
                                vx += gain_x
                                vy += gain_y
                            else:
                                on_x, on_y, per = c, coef[n + 3], coef[n + 4]
                                way_x, way_y = follow(dx * on_x, dy * on_y, a, b)
                                x += way_x
                                y += way_y
                                vx = way_x * per if on_x != 0.0 else vx
                                vy = way_y * per if on_y != 0.0 else vy
                    elif opcode == op.AIM_ALONG:
                        heading = aim(heading, in_a, in_b, a)
                    elif opcode == op.TORQUE:
                        spin = turn(spin, in_a, in_b, a)
                    elif opcode == op.ROTATE:
                        heading += spin * a
                    elif opcode == op.DRAG_SPIN:
                        spin *= a
                    elif opcode == op.LIMIT_SPIN:
                        spin = min(max(spin, -a), a)
                    elif opcode == op.DASH:
                        cell, count, in_c = links[link], float(step), inputs[step, slots[slot + 2]]
                        x, y, vx, vy, began = dash(
                            coef,
                            n,
                            memory,
                            cell,
                            x,
                            y,
                            vx,
                            vy,
                            heading,
                            in_a,
                            in_b,
                            in_c,
                            now,
                            count,
                            dt,
                        )
                    elif opcode == op.HOP:
                        cell, count = links[link], float(step)
                        height, over, began = hop(
                            coef, n, memory, cell, height, in_a, now, count, dt
                        )
                        aloft = max(aloft, over)
                    elif opcode == op.TIMER:
                        if in_a != 0.0:
                            memory[links[link]] = a + (float(step) if b != 0.0 else now)
                    elif opcode == op.GATE:
                        if in_a == 0.0:
                            rule += np.uint64(links[link])
                    elif opcode == op.GATE_TIMER:
                        moment = float(step) if a != 0.0 else now
                        if (memory[links[link + 1]] > moment + SOON) != (b != 0.0):
                            rule += np.uint64(links[link])
                    elif opcode == op.GATHER_TURN:
                        omega = turn(omega, in_a, in_b, a)
                    elif opcode == op.GATHER_THRUST:
                        thrust += push(in_a, in_b, a, b)
                    elif opcode == op.GATHER_FORCE:
                        force_x += in_a * a
                        force_y += in_b * b
                    elif opcode == op.GATHER_DRAG:
                        resist += a
                    elif opcode == op.MOVE_CLOSED:
                        x, y, vx, vy, heading = move_closed(
                            x, y, vx, vy, heading, omega, thrust, resist, force_x, force_y, a
                        )
                    elif opcode == op.CUSTOM:
                        body = written[0]
                        body["x"], body["y"], body["heading"] = x, y, heading
                        body["vx"], body["vy"], body["spin"] = vx, vy, spin
                        for index in range(links[link]):
                            values[index] = inputs[step, slots[slot + index]]
                        for index in range(links[link + 1]):
                            values[links[link] + index] = coef[n + 2 + index]
                        custom(int(a), written, b, values)
                        x, y, heading = body["x"], body["y"], body["heading"]
                        vx, vy, spin = body["vx"], body["vy"], body["spin"]
                    elif opcode == op.CHECK and not math.isfinite(x + y + vx + vy + heading + spin):
                        return used, craft, step, int(rule)
                    if began:
                        what, began = at.FIRST_RULE + int(rule), False
                        used = note(events, used, step, craft, what, 0.0, 1.0, x, y, vx, vy)
                    rule += NEXT
                # an infinity or a NaN among them makes the sum one
                if not math.isfinite(vx + vy + heading + spin):
                    return used, craft, step, int(past)

                touch_x = touch_y = shift_x = shift_y = 0.0
                if carrier[craft] >= 0:
                    shift_x, shift_y = state[carrier[craft], X], state[carrier[craft], Y]
                x_low, x_high = left[craft] + shift_x, right[craft] + shift_x
                y_low, y_high = low[craft] + shift_y, high[craft] + shift_y
                if not (x_low <= x < x_high and y_low <= y < y_high):
                    if not math.isfinite(x + y):
                        return used, craft, step, int(past)
                    x1, y1, vx1, vy1 = x, y, vx, vy
                    x, vx, laps_x, touch_x, hits_left, hits_right = meet_walls(
                        x,
                        vx,
                        state[craft, at.TOUCH_X],
                        x_low,
                        x_high,
                        aloft,
                        walls[craft, at.X_LOW, WALL_KIND],
                        walls[craft, at.X_HIGH, WALL_KIND],
                        walls[craft, at.X_LOW, at.WALL_RESTITUTION],
                        walls[craft, at.X_HIGH, at.WALL_RESTITUTION],
                    )
                    y, vy, laps_y, touch_y, hits_low, hits_high = meet_walls(
                        y,
                        vy,
                        state[craft, at.TOUCH_Y],
                        y_low,
                        y_high,
                        aloft,
                        walls[craft, at.Y_LOW, WALL_KIND],
                        walls[craft, at.Y_HIGH, WALL_KIND],
                        walls[craft, at.Y_LOW, at.WALL_RESTITUTION],
                        walls[craft, at.Y_HIGH, at.WALL_RESTITUTION],
                    )
                    state[craft, at.LAPS_X] += laps_x
                    state[craft, at.LAPS_Y] += laps_y
                    for side, wall, hits in (
                        (at.X_LOW, x_low, hits_left),
                        (at.X_HIGH, x_high, hits_right),
                        (at.Y_LOW, y_low, hits_low),
                        (at.Y_HIGH, y_high, hits_high),
                    ):
                        if hits > 0.0:
                            x0, y0 = state[craft, X], state[craft, Y]
                            used = note_side(
                                events,
                                used,
                                step,
                                craft,
                                side,
                                hits,
                                wall,
                                x0,
                                y0,
                                x1,
                                y1,
                                vx1,
                                vy1,
                            )
                            if walls[craft, side, WALL_KIND] == at.REMOVE:
                                state[craft, ALIVE] = 0.0

                state[craft, X], state[craft, Y] = x, y
                state[craft, VX], state[craft, VY] = vx, vy
                state[craft, at.HEADING], state[craft, at.SPIN] = heading, spin
                state[craft, at.HEIGHT] = height
                state[craft, at.TOUCH_X], state[craft, at.TOUCH_Y] = touch_x, touch_y
            if keep:
                for craft in range(state.shape[0]):
                    for column in range(at.ALWAYS_RECORDED):
                        record[column, craft, step + 1] = state[craft, column]
                    if keep_all:
                        for column in range(at.ALWAYS_RECORDED, at.MOST_RECORDED):
                            record[column, craft, step + 1] = state[craft, column]
        return used, FLEW, dts.size, 0

    return fly_steps
