"""From a scenario to the arrays the core flies; the one place that knows both.

In the core, lengths are in px, times in s, and angles in rad, counted so that a craft
with heading h points along (cos h, sin h) in the arena's own axes.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import hands, layout
from tinrocket.core import opcodes as op
from tinrocket.core.contacts.meetings import Meetings
from tinrocket.core.custom import Written
from tinrocket.core.lower.angles import Heading
from tinrocket.core.lower.contacts import lower_contacts
from tinrocket.core.lower.craft import lower_craft, lower_start, lower_walls
from tinrocket.core.lower.instructions import Instruction, Pace, Timed, Workshop
from tinrocket.core.lower.rules import eased
from tinrocket.core.program import Program
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.scenario import Scenario

Number = TypeVar("Number", np.float64, np.uint32)


@dataclass(frozen=True, slots=True, eq=False)
class Lowered:
    """A scenario in the core's terms.

    Attributes
    ----------
    program
        What the core flies; a view is its last craft.
    meetings, bodies
        Which bodies may meet, and the names of all of them.
    columns
        What the rules listen to, in the order of the inputs.
    written
        The user's rules that it calls, by number.
    owners
        For each instruction the craft and the rule that it comes from, if from any.
    whole_state
        Whether height and life of a craft can change, so that they are worth recording.
    """

    program: Program
    meetings: Meetings
    bodies: tuple[str, ...]
    columns: tuple[hands.Column, ...]
    written: tuple[Written, ...]
    owners: tuple[tuple[int, MotionRule | None], ...]
    whole_state: bool

    @property
    def ends(self) -> list[int]:
        """The last instruction of each rule."""
        rules = [rule for _craft, rule in self.owners]
        return [index for index, rule in enumerate(rules[:-1]) if rules[index + 1] is not rule]


def lower(scenario: Scenario) -> Lowered:
    """Return the scenario's craft, arena and view as arrays."""
    scenario = scenario.per_second()
    heading = Heading.of(scenario.arena)
    craft = {one.name: index for index, one in enumerate(scenario.craft)}
    shop = Workshop(heading, scenario.tuned_at, scenario.sticks, craft)
    owned: list[tuple[int, MotionRule | None, Instruction]] = []
    if any(one.within == "view" for one in scenario.craft):
        owned.append((0, None, Instruction(op.CARRY)))
    cells = 0
    for index, one in enumerate(scenario.craft):
        own = lower_craft(one, scenario.timing, shop, cells)
        owned += _framed(index, own, len(owned), remembers=bool(scenario.contact))
        cells += sum(instruction.memory for _rule, instruction in own)
    start = [lower_start(one.start, heading) for one in scenario.craft]
    walls, carrier = [], []
    for one in scenario.craft:
        middle, carried = (0.0, 0.0), -1
        if one.within == "view" and scenario.view is not None:
            middle, carried = (scenario.view.width / 2, scenario.view.height / 2), len(craft)
        walls.append(lower_walls(scenario.arena_of(one), one.radius, middle))
        carrier.append(carried)
    if scenario.view is not None:
        follow, place, sides = _view(scenario, shop)
        owned += _framed(len(craft), [(None, follow)], len(owned))
        start.append(place)
        walls.append(sides)
        carrier.append(-1)
    last = [op.MEET] if scenario.contact else []
    owned += [(0, None, Instruction(code)) for code in (*last, op.RECORD, op.END)]
    instructions = [instruction for _craft, _rule, instruction in owned]
    program = assemble(instructions, np.zeros(cells), np.array(start), np.array(walls), carrier)
    meetings, bodies = lower_contacts(scenario)
    return Lowered(
        program=program,
        meetings=meetings,
        bodies=bodies,
        columns=tuple(shop.columns),
        written=tuple(shop.written),
        owners=tuple((index, rule) for index, rule, _instruction in owned),
        whole_state=op.HOP in program.code[::4]
        or any(contact.response == "remove" for contact in scenario.contact)
        or bool((program.walls[:, :, layout.WALL_KIND] == layout.REMOVE).any()),
    )


def _framed(
    craft: int,
    own: Sequence[tuple[MotionRule | None, Instruction]],
    begins: int,
    *,
    remembers: bool = False,
) -> list[tuple[int, MotionRule | None, Instruction]]:
    """Return a craft's instructions between those that load it, bound it and store it."""
    remember = [Instruction(op.REMEMBER)] if remembers else []
    after = begins + len(own) + len(remember) + 3
    first = [Instruction(op.LOAD, links=(craft, 4 * after)), *remember]
    last = [Instruction(op.EDGES), Instruction(op.STORE)]
    framed = [*((None, one) for one in first), *own, *((None, one) for one in last)]
    return [(craft, rule, instruction) for rule, instruction in framed]


def assemble(
    flat: Sequence[Instruction],
    memory: NDArray[np.float64],
    start: NDArray[np.float64],
    walls: NDArray[np.float64],
    carrier: Sequence[int],
) -> Program:
    """Return instructions as the tables of a program."""
    numbers = [_padded(one.numbers, op.LEAST_NUMBERS) for one in flat]
    slots = [_padded(one.slots, op.LEAST_SLOTS) for one in flat]
    links = [_padded(one.links, op.LEAST_LINKS) for one in flat]
    begins = [_begins(rows) for rows in (numbers, slots, links)]
    begins[2] += sum(len(row) for row in slots)  # links stand behind the slots
    opcodes = [one.opcode for one in flat]
    values = [value for row in numbers for value in row]
    timed = [index for index, value in enumerate(values) if isinstance(value, Timed)]
    return Program(
        code=np.stack([_indices(opcodes), *begins], axis=1).ravel(),
        operands=_indices([operand for row in (*slots, *links) for operand in row]),
        numbers=np.array(
            [value.number if isinstance(value, Timed) else value for value in values],
            dtype=np.float64,
        ),
        timed=_indices(timed),
        kinds=_indices([values[index].kind for index in timed]),  # type: ignore[union-attr]
        memory=memory,
        start=start,
        walls=walls,
        carrier=np.array(carrier, dtype=np.int64),
    )


Item = TypeVar("Item")


def _padded(row: Sequence[Item], least: int) -> list[Item]:
    return [*row, *([0] * (least - len(row)))]  # type: ignore[list-item]  # 0 is of every kind


def _indices(values: Sequence[int]) -> NDArray[np.uint32]:
    return np.array(values, dtype=np.uint32)


def _begins(rows: Sequence[Sequence[object]]) -> NDArray[np.uint32]:
    return _indices(np.cumsum([0, *(len(row) for row in rows)])[:-1].tolist())


def _view(
    scenario: Scenario, shop: Workshop
) -> tuple[Instruction, list[float], list[tuple[float, float, float]]]:
    """Return a view's one instruction, its start and its walls: a craft that follows."""
    view, arena = scenario.view, scenario.arena
    assert view is not None
    pace = Pace(view.timing or scenario.timing, scenario.tuned_at)
    on = float(view.axis != "y"), float(view.axis != "x")
    slots, link = shop.target(view.follow)
    numbers = (eased(view, pace), np.inf, *on, pace.per_step())
    followed = scenario.craft[shop.craft[view.follow]].start
    sizes = ((followed.x, view.width, arena.width), (followed.y, view.height, arena.height))
    state = [0.0] * layout.STATE_WIDTH
    walls: list[tuple[float, float, float]] = []
    state[layout.ALIVE] = 1.0
    for axis, (begin, seen, whole) in enumerate(sizes):
        low, high = seen / 2, whole - seen / 2
        place = begin if on[axis] else whole / 2
        kind = layout.OPEN
        if view.within == "arena":
            place, kind = min(max(place, low), high), layout.CLAMP
        state[(layout.X, layout.Y)[axis]] = place
        walls += [(kind, low, 1.0), (kind, high, 1.0)]
    return Instruction(op.FOLLOW, numbers, slots, link), state, walls
