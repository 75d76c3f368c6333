"""The loop over steps, in which all motion of the library happens.

One craft's state is held in local scalars while its rules run, because scalars stay in
registers and an array does not.  The branches on the opcode stand here rather than in
functions of their own, which would get the arrays handed on: in this loop that costs
more than the arithmetic.
"""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core import opcodes as op
from tinrocket.core.borrow import borrow
from tinrocket.core.calls import Calls
from tinrocket.core.coefficients import renew
from tinrocket.core.contacts.meetings import Meetings
from tinrocket.core.contacts.near import anything_near, still_quiet
from tinrocket.core.edges import carry, meet_sides
from tinrocket.core.events import note
from tinrocket.core.layout import (
    ALIVE,
    COUNT,
    FLEW,
    NOW,
    RENEWED,
    SOON,
    SPIN,
    VX,
    VY,
    X,
    Y,
)
from tinrocket.core.program import Program
from tinrocket.core.rules.drive import brake, drive
from tinrocket.core.rules.flap import fall, flap
from tinrocket.core.rules.follow import follow
from tinrocket.core.rules.limit import limit_axes, limit_speed
from tinrocket.core.rules.move import move_euler, move_half
from tinrocket.core.rules.snap import snap
from tinrocket.core.rules.steering import turn
from tinrocket.core.rules.thrust import push
from tinrocket.core.scratch import Scratch, fill, take
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]

# Words of an instruction.  Numba makes a float of an unsigned and a signed integer.
SECOND, THIRD, FOURTH, WORDS = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)


Fly = Callable[..., tuple[int, int, int, int]]
"""As `fly_steps`."""


def make_loop(sources: int) -> Fly:
    """Return the loop, not compiled; `sources` is a fingerprint of the files it is made of."""

    def fly_steps(
        program: Program,
        numbers: Floats,
        calls: Calls,
        meetings: Meetings,
        staging: Staging,
        scratch: Scratch,
        dts: Floats,
        moments: Floats,
        inputs: Floats,
        state: Floats,
        record: Floats,
        events: Floats,
    ) -> tuple[int, int, int, int]:
        """Fly every craft through every step: rules in order, edges, and then contacts.

        Parameters
        ----------
        program, numbers
            What to fly; the numbers stand beside it because variants differ in them.
        calls
            What is called by its address.
        meetings, staging
            Which bodies may meet, and what happens on the stage.
        scratch
            Memory to work in.
        dts
            Shape (S,): the length of each step [s].
        moments
            Shape (3, S): when it begins, its number, and whether it is of a new length; see
            `layout`.
        inputs
            Shape (S, A): what the rules listen to in each step.
        state
            Shape (C, STATE_WIDTH): the state before the first step; on return after the
            last, or where the flight broke off.
        record
            Shape (columns, C, S + 1) to be filled from index 1 on, with ALWAYS_RECORDED or
            MOST_RECORDED columns; left alone by a program that does not record.
        events
            Shape (room, EVENT_WIDTH); events past the room are counted, not kept.

        Returns
        -------
        events, craft, step, instruction
            How many events there were; FLEW, the number of steps and 0, or the indices of
            the craft whose state stopped being finite, of the step in which it did, and of
            the instruction at which that was seen.
        """
        program, numbers, meetings = borrow(program), borrow(numbers), borrow(meetings)
        staging, scratch, record = borrow(staging), borrow(scratch), borrow(record)
        dts, moments, inputs = borrow(dts), borrow(moments), borrow(inputs)
        state, events = borrow(state), borrow(events)
        code, operands = program.code, program.operands
        timed, kinds, walls, carrier = program.timed, program.kinds, program.walls, program.carrier
        _ = sources  # part of the key under which Numba keeps the compiled loop
        used = 0
        coef, memory, bounds = scratch.coef, scratch.memory, scratch.bounds
        values, before = scratch.values, scratch.before
        take(coef, numbers)
        take(memory, program.memory)
        fill(scratch.bodies, 1.0)
        fill(scratch.counts, 0.0)
        fill(scratch.touching, 0.0)
        fill(scratch.seen, 0.0)
        fill(scratch.ledger, 0.0)
        scratch.quiet[0] = -1.0
        faced, face_x, face_y = 0.0, 1.0, 0.0  # the unit vector of the last heading asked for
        craft = 0  # whose state is in the locals; of a bare program, which has one craft, always
        x, y, vx, vy = state[craft, X], state[craft, Y], state[craft, VX], state[craft, VY]
        # what began and what found no room are whole numbers: floats would take two registers
        heading, began, missed = state[craft, at.HEADING], 0, 0
        arrived, stores = False, False
        for step in range(dts.size):
            if moments[RENEWED, step] != 0.0:
                renew(coef, numbers, timed, kinds, dts[step])
            pc = np.uint64(0)
            while True:
                opcode, n, slot = code[pc], code[pc + SECOND], code[pc + THIRD]
                if opcode == op.EDGES:
                    arrived = True
                elif opcode == op.EDGES_STORE:
                    arrived = stores = True
                    pc += WORDS
                elif opcode == op.MOVE_EDGES:
                    x, y = move_euler(x, y, vx, vy, coef[n])
                    arrived = True
                    pc += WORDS
                elif opcode == op.MOVE_EDGES_STORE:
                    x, y = move_euler(x, y, vx, vy, coef[n])
                    arrived = stores = True
                    pc += WORDS + WORDS
                elif opcode == op.FORCE_FORCE:
                    vx += inputs[step, operands[slot]] * coef[n]
                    vy += inputs[step, operands[slot + 1]] * coef[n + 1]
                    vx += inputs[step, operands[slot + 3]] * coef[n + 3]
                    vy += inputs[step, operands[slot + 4]] * coef[n + 4]
                    pc += WORDS
                elif opcode == op.DRAG_LIMIT:
                    a = coef[n]
                    vx, vy = limit_speed(vx * a, vy * a, coef[n + 3])
                    pc += WORDS
                elif opcode == op.TURN_THRUST:
                    in_a, in_b = inputs[step, operands[slot]], inputs[step, operands[slot + 1]]
                    heading = turn(heading, in_a, in_b, coef[n])
                    in_a, in_b = inputs[step, operands[slot + 3]], inputs[step, operands[slot + 4]]
                    pc += WORDS
                    gained = push(in_a, in_b, coef[n + 3], coef[n + 4])
                    if gained != 0.0:
                        if heading != faced:
                            faced = heading
                            face_x, face_y = math.cos(heading), math.sin(heading)
                        vx += gained * face_x
                        vy += gained * face_y
                elif opcode == op.MEET:
                    lines = scratch.lines
                    pairs, apart, touching = meetings.pairs, meetings.apart, scratch.touching
                    if not still_quiet(scratch.quiet, lines, state) and anything_near(
                        pairs, apart, touching, lines, scratch.quiet, before, state
                    ):
                        now, dt = moments[NOW, step], dts[step]
                        used = calls.meet(meetings, scratch, state, events, used, step, now, dt)
                elif opcode == op.STAGE:
                    scratch.quiet[0] = -1.0  # it may put a craft anywhere
                    now, count, dt = moments[NOW, step], moments[COUNT, step], dts[step]
                    used = calls.conduct(
                        staging, scratch, state, events, used, step, now, count, dt
                    )
                elif opcode == op.RECORD:
                    for body in range(state.shape[0]):
                        for column in range(at.ALWAYS_RECORDED):
                            record[column, body, step + 1] = state[body, column]
                        for column in range(at.ALWAYS_RECORDED, record.shape[0]):
                            record[column, body, step + 1] = state[body, column]
                elif opcode == op.RECORD_ONE:
                    state[0, X], state[0, Y] = x, y  # where the next step begins, for events
                    record[X, 0, step + 1], record[Y, 0, step + 1] = x, y
                    record[VX, 0, step + 1], record[VY, 0, step + 1] = vx, vy
                    record[at.HEADING, 0, step + 1] = heading
                    for column in range(at.LAPS_X, record.shape[0]):
                        record[column, 0, step + 1] = state[0, column]
                elif opcode == op.END:
                    break
                elif opcode == op.STORE:
                    state[craft, X], state[craft, Y] = x, y
                    state[craft, VX], state[craft, VY] = vx, vy
                    state[craft, at.HEADING] = heading
                elif opcode == op.TURN:
                    in_a, in_b = inputs[step, operands[slot]], inputs[step, operands[slot + 1]]
                    a = coef[n]
                    heading = turn(heading, in_a, in_b, a)
                elif opcode == op.THRUST:
                    in_a, in_b = inputs[step, operands[slot]], inputs[step, operands[slot + 1]]
                    a, b = coef[n], coef[n + 1]
                    gained = push(in_a, in_b, a, b)
                    if gained != 0.0:
                        if heading != faced:
                            faced = heading
                            face_x, face_y = math.cos(heading), math.sin(heading)
                        vx += gained * face_x
                        vy += gained * face_y
                elif opcode == op.DRAG:
                    a = coef[n]
                    vx *= a
                    vy *= a
                elif opcode == op.LIMIT_SPEED:
                    a = coef[n]
                    vx, vy = limit_speed(vx, vy, a)
                elif opcode == op.LIMIT_AXES:
                    a, b = coef[n], coef[n + 1]
                    vx, vy = limit_axes(vx, vy, a, b)
                elif opcode == op.SNAP:
                    a = coef[n]
                    vx, vy = snap(vx, vy, a)
                elif opcode == op.MOVE_EULER:
                    a = coef[n]
                    x, y = move_euler(x, y, vx, vy, a)
                elif opcode == op.MOVE_HALF:
                    a = coef[n]
                    x, y = move_half(x, y, vx, vy, state[craft, VX], state[craft, VY], a)
                elif opcode == op.FORCE:
                    in_a, in_b = inputs[step, operands[slot]], inputs[step, operands[slot + 1]]
                    a, b = coef[n], coef[n + 1]
                    vx += in_a * a
                    vy += in_b * b
                elif opcode == op.FALL:
                    in_a = inputs[step, operands[slot]]
                    a, b, c = coef[n], coef[n + 1], coef[n + 2]
                    vy = fall(vy, a, b, c, coef[n + 3], in_a, coef[n + 4])
                elif opcode == op.FLAP:
                    if inputs[step, operands[slot]] != 0.0:
                        cell = operands[code[pc + FOURTH]]
                        moment = moments[COUNT if coef[n + 5] != 0.0 else NOW, step]
                        if memory[cell] <= moment:
                            memory[cell] = moment + coef[n + 4] - SOON
                            vy = flap(vy, coef[n], coef[n + 1], coef[n + 2], coef[n + 3])
                            began = 1
                elif opcode == op.CARRY:
                    carry(bounds, walls, carrier, state)
                elif opcode in op.FOLLOW_OR_LOADS:
                    if opcode != op.FOLLOW:
                        link = code[pc + FOURTH]
                        craft = operands[link]
                        if state[craft, ALIVE] <= 0.0:
                            pc = np.uint64(operands[link + 1])
                            continue
                        # until stored again, the array holds the values of the step's start
                        x, y = state[craft, X], state[craft, Y]
                        vx, vy = state[craft, VX], state[craft, VY]
                        heading = state[craft, at.HEADING]
                        before[craft, 0], before[craft, 1] = x, y
                        if opcode != op.LOAD:
                            pc += WORDS
                            n, slot = code[pc + SECOND], code[pc + THIRD]
                    if opcode == op.LOAD_MOVE:
                        x, y = move_euler(x, y, vx, vy, coef[n])
                    elif opcode != op.LOAD:
                        target = operands[code[pc + FOURTH]]
                        in_a = inputs[step, operands[slot]]
                        in_b = inputs[step, operands[slot + 1]]
                        there = True
                        if target != 0:
                            target -= 1
                            in_a, in_b = state[target, X], state[target, Y]
                            there = state[target, ALIVE] != 0.0
                        if there:
                            a, b, c = coef[n], coef[n + 1], coef[n + 2]
                            on_y, per = coef[n + 3], coef[n + 4]
                            dx, dy = in_a - x, in_b - y
                            x, y, vx, vy = follow(x, y, vx, vy, dx, dy, a, b, c, on_y, per)
                    if opcode >= op.LOAD_MOVE:
                        pc += WORDS + WORDS
                        arrived = stores = True
                else:
                    # what is rarer looks all of its tables up at once: less to compile
                    in_a, in_b = inputs[step, operands[slot]], inputs[step, operands[slot + 1]]
                    a, b, c = coef[n], coef[n + 1], coef[n + 2]
                    link = code[pc + FOURTH]
                    first = operands[link]
                    now, count, dt = moments[NOW, step], moments[COUNT, step], dts[step]
                    if opcode == op.BRAKE_X:
                        vx = brake(vx, in_a, a)
                    elif opcode == op.BRAKE_Y:
                        vy = brake(vy, in_a, a)
                    elif opcode == op.DRIVE_X:
                        vx = drive(vx, in_a, a, b, c)
                    elif opcode == op.DRIVE_Y:
                        vy = drive(vy, in_a, a, b, c)
                    elif opcode == op.TIMER:
                        if in_a != 0.0:
                            memory[first] = a + (count if b != 0.0 else now) - SOON
                    elif opcode == op.GATE:
                        if in_a == 0.0:
                            pc += np.uint64(first) * WORDS
                    elif opcode == op.GATE_TIMER:
                        if (memory[operands[link + 1]] > (count if a != 0.0 else now)) != (
                            b != 0.0
                        ):
                            pc += np.uint64(first) * WORDS
                    elif opcode == op.CUSTOM:
                        values[0], values[1], values[2], values[3] = x, y, vx, vy
                        values[4], values[5] = heading, state[craft, SPIN]
                        for index in range(first):
                            values[6 + index] = inputs[step, operands[slot + index]]
                        for index in range(operands[link + 1]):
                            values[6 + first + index] = coef[n + 2 + index]
                        calls.custom(int(a), b, values)
                        x, y, vx, vy = values[0], values[1], values[2], values[3]
                        heading, state[craft, SPIN] = values[4], values[5]
                    elif opcode == op.CHECK:
                        whole = x + y + vx + vy + heading + state[craft, SPIN]
                        if not math.isfinite(whole):
                            return used, craft, step, int(pc // WORDS)
                    else:
                        in_c = inputs[step, operands[slot + 2]]
                        x, y, vx, vy, heading, fired, refused = calls.seldom(
                            opcode,
                            coef,
                            n,
                            memory,
                            first,
                            state,
                            before,
                            craft,
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
                        began, missed = int(fired), int(refused)
                if arrived:
                    arrived = False
                    inside = (
                        bounds[craft, at.X_LOW] <= x < bounds[craft, at.X_HIGH]
                        and bounds[craft, at.Y_LOW] <= y < bounds[craft, at.Y_HIGH]
                    )
                    # an infinity or a NaN among them makes the sum one; a place inside is neither
                    if not math.isfinite(vx + vy + heading + (0.0 if inside else x + y)):
                        return used, craft, step, int(pc // WORDS)
                    if not inside:
                        x, y, vx, vy, used = meet_sides(
                            walls, bounds, before, state, events, used, step, craft, x, y, vx, vy
                        )
                    if stores:
                        stores = False
                        state[craft, X], state[craft, Y] = x, y
                        state[craft, VX], state[craft, VY] = vx, vy
                        state[craft, at.HEADING] = heading
                while began != 0:
                    scratch.quiet[0] = -1.0  # a shot may have been put somewhere
                    what = at.FIRST_RULE + int(pc // WORDS)
                    used = note(events, used, step, craft, what, 0.0, float(began), x, y, vx, vy)
                    began, missed = -missed, 0
                pc += WORDS
        if code[0] not in op.LOADS and code[0] != op.CARRY:  # a bare program
            state[0, X], state[0, Y], state[0, VX], state[0, VY] = x, y, vx, vy
            state[0, at.HEADING] = heading
        return used, FLEW, dts.size, 0

    return fly_steps
