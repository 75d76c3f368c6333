"""A craft in the core's terms: its rules with their gates, its start and its walls."""

import math
from collections.abc import Iterator
from dataclasses import replace

from tinrocket.core import hands, layout
from tinrocket.core import opcodes as op
from tinrocket.core.lower.angles import Heading
from tinrocket.core.lower.instructions import Instruction, Pace, Timed, Value, Workshop, span
from tinrocket.core.lower.rules import lower_rule
from tinrocket.core.rules import closed
from tinrocket.scenario.arena import AXES, Arena, Edge
from tinrocket.scenario.craft import Craft, Start
from tinrocket.scenario.numbers import Timing
from tinrocket.scenario.rules import Dash, Hop, MotionRule, Timer

Owned = tuple[MotionRule, Instruction]
"""An instruction and the rule that it comes from."""

GATHERED = {
    op.TURN: op.GATHER_TURN,
    op.THRUST: op.GATHER_THRUST,
    op.FORCE: op.GATHER_FORCE,
    op.DRAG: op.GATHER_DRAG,
    op.MOVE_EULER: op.MOVE_CLOSED,
    op.MOVE_HALF: op.MOVE_CLOSED,
}
"""What an instruction becomes in the closed form of a whole craft."""

EDGES = {
    "open": layout.OPEN,
    "wrap": layout.WRAP,
    "clamp": layout.CLAMP,
    "bounce": layout.BOUNCE,
    "remove": layout.REMOVE,
}


def lower_craft(
    craft: Craft, timing: Timing, shop: Workshop, first_cell: int
) -> tuple[list[Owned], int]:
    """Return a craft's rules as instructions, and the first cell of memory that is free.

    Instructions with memory know their cells, counted from `first_cell`.
    """
    shop.pointing = shop.heading.sign * math.radians(craft.art_offset)
    lowered: list[tuple[MotionRule, list[Instruction]]] = []
    cells: dict[str, tuple[int, float]] = {}
    cell = first_cell + (closed.GATHERED if craft.stepping == "closed_form" else 0)
    for written in craft.rules:
        rule: MotionRule = written
        pace = Pace(rule.timing or craft.timing or timing, shop.tuned_at)
        if craft.stepping == "closed_form":
            pace = replace(pace, timing="exact")
        own = []
        for instruction in lower_rule(rule, shop, pace):
            placed = instruction
            if craft.stepping == "closed_form":
                placed = _gathered(placed, first_cell)
            if placed.memory:
                placed = replace(placed, links=(cell, *placed.links))
                if isinstance(rule, Dash | Hop | Timer):
                    cells[rule.label] = cell, span(rule.duration)[1]
                cell += placed.memory
            own.append(placed)
        lowered.append((rule, own))
    locks = [rule.label for rule in craft.rules if isinstance(rule, Dash) and not rule.steering]
    owned: list[Owned] = []
    for rule, own in lowered:
        gates = list(_gates(rule, locks, cells, shop))
        for passed, gate in enumerate(gates):
            skipped = len(gates) - passed - 1 + len(own)
            owned.append((rule, replace(gate, links=(skipped, *gate.links))))
        owned += [(rule, instruction) for instruction in own]
    return owned, cell


def _gathered(instruction: Instruction, cell: int) -> Instruction:
    if instruction.opcode not in GATHERED:
        return instruction
    if instruction.opcode in (op.MOVE_EULER, op.MOVE_HALF):
        return replace(instruction, opcode=op.MOVE_CLOSED, links=(cell,))
    rates: tuple[Value, ...] = tuple(
        number.number if isinstance(number, Timed) else number for number in instruction.numbers
    )
    opcode = GATHERED[instruction.opcode]
    return replace(instruction, opcode=opcode, numbers=rates, links=(cell,))


def _gates(
    rule: MotionRule, locks: list[str], cells: dict[str, tuple[int, float]], shop: Workshop
) -> Iterator[Instruction]:
    """Yield what must let a rule pass; how many instructions to skip is added by the caller."""
    if rule.on is not None:
        yield Instruction(op.GATE, slots=(shop.action(rule.on, rule),))
    if isinstance(rule.during, tuple):
        yield Instruction(op.GATE, slots=(shop.column(hands.Window(*rule.during)),))
    elif rule.during is not None:
        cell, counted = cells[rule.during]
        yield Instruction(op.GATE_TIMER, (counted, 1.0), links=(cell,))
    for name in ([rule.unless] if rule.unless else []) + (locks if rule.steers else []):
        cell, counted = cells[name]
        yield Instruction(op.GATE_TIMER, (counted, 0.0), links=(cell,))


def lower_start(start: Start, heading: Heading, *, there: bool) -> list[float]:
    """Return the state before the first step."""
    state = [0.0] * layout.STATE_WIDTH
    state[layout.X], state[layout.Y] = start.x, start.y
    state[layout.VX], state[layout.VY] = start.vx, start.vy
    state[layout.HEADING] = heading.to_core(start.heading)
    state[layout.SPIN] = heading.to_core(start.spin) - heading.zero
    state[layout.ALIVE] = float(there)
    return state


def lower_walls(
    arena: Arena, radius: float, middle: tuple[float, float] = (0.0, 0.0)
) -> list[tuple[float, float, float]]:
    """Return kind, place and restitution of each side, counted from the `middle`."""
    walls: list[tuple[float, float, float]] = []
    for axis, zero in zip(AXES, middle, strict=True):
        for side, place in zip(arena.sides(axis), arena.bounds(axis, radius), strict=True):
            edge: Edge = getattr(arena.edges, side)
            kind = layout.HOLD if edge.keeps_speed else EDGES[edge.kind]
            restitution = 1.0 if edge.restitution is None else edge.restitution
            walls.append((kind, place - zero, restitution))
    return walls
