"""From a scenario to the arrays the core flies; the one place that knows both.

In the core, lengths are in px, times in s, and angles in rad, counted so that a craft
with heading h points along (cos h, sin h) in the arena's own axes.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import hands, layout
from tinrocket.core import opcodes as op
from tinrocket.core.contacts.meetings import Meetings
from tinrocket.core.custom import Written
from tinrocket.core.lower.angles import Heading
from tinrocket.core.lower.contacts import lower_contacts
from tinrocket.core.lower.craft import lower_craft, lower_start, lower_walls
from tinrocket.core.lower.instructions import Instruction, Pace, Timed, Value, Workshop
from tinrocket.core.lower.rules import eased
from tinrocket.core.lower.stage import lower_stage
from tinrocket.core.program import Program
from tinrocket.core.stage.staging import EMPTY_STAGE, Staging
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.scenario import Scenario


@dataclass(frozen=True, slots=True, eq=False)
class Lowered:
    """A scenario in the core's terms.

    Attributes
    ----------
    program
        What the core flies; a view is its last craft.
    meetings, bodies
        Which bodies may meet, and the names of all of them.
    staging
        What happens on the stage.
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
    staging: Staging
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
    craft = {one.name: index for index, one in enumerate(scenario.fleet)}
    pools = {one.name: (craft[one.members[0].name], one.pool) for one in scenario.craft if one.pool}
    shop = Workshop(heading, scenario.tuned_at, scenario.sticks, craft, pools)
    owned: list[tuple[int, MotionRule | None, Instruction]] = []
    if any(one.within == "view" for one in scenario.fleet):
        owned.append((0, None, Instruction(op.CARRY)))
    cells = 0
    for index, one in enumerate(scenario.fleet):
        own, cells = lower_craft(one, scenario.timing, shop, cells)
        owned += _framed(index, own, len(owned))
    start = [lower_start(one.start, heading, there=one.pool is None) for one in scenario.fleet]
    walls, carrier = [], []
    for one in scenario.fleet:
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
    staging = lower_stage(scenario, shop)
    staged = staging is not EMPTY_STAGE
    last = [*([op.MEET] if scenario.contact else []), *([op.STAGE] if staged else [])]
    owned += [(0, None, Instruction(code)) for code in (*last, op.RECORD, op.END)]
    instructions = [instruction for _craft, _rule, instruction in owned]
    program = assemble(instructions, np.zeros(cells), np.array(start), np.array(walls), carrier)
    meetings, bodies = lower_contacts(scenario, pools)
    return Lowered(
        program=program,
        meetings=meetings,
        staging=staging,
        bodies=bodies,
        columns=tuple(shop.columns),
        written=tuple(shop.written),
        owners=tuple((index, rule) for index, rule, _instruction in owned),
        whole_state=op.HOP in program.code[::4]
        or any(contact.response in ("remove", "split") for contact in scenario.contact)
        or any(one.pool or one.lifetime for one in scenario.craft)
        or scenario.rounds is not None
        or bool((program.walls[:, :, layout.WALL_KIND] == layout.REMOVE).any()),
    )


def _framed(
    craft: int,
    own: Sequence[tuple[MotionRule | None, Instruction]],
    begins: int,
) -> list[tuple[int, MotionRule | None, Instruction]]:
    """Return a craft's instructions between those that load it, bound it and store it."""
    after = begins + len(own) + 3
    first = [Instruction(op.LOAD, links=(craft, 4 * after))]
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
    code: list[int] = []
    values: list[Value] = []
    slots: list[int] = []
    links: list[int] = []
    for one in flat:
        code += (one.opcode, len(values), len(slots), len(links))
        values += one.numbers
        values += [0.0] * (op.LEAST_NUMBERS - len(one.numbers))
        slots += one.slots
        slots += [layout.ZEROS] * (op.LEAST_SLOTS - len(one.slots))
        links += one.links
        links += [0] * (op.LEAST_LINKS - len(one.links))
    words = np.array(code, dtype=np.uint32)
    words[3::4] += len(slots)  # links stand behind the slots
    timed = [(index, one.kind) for index, one in enumerate(values) if isinstance(one, Timed)]
    plain = [one.number if isinstance(one, Timed) else one for one in values]
    indices = np.array(timed, dtype=np.uint32).reshape(-1, 2)
    return Program(
        code=words,
        operands=np.array(slots + links, dtype=np.uint32),
        numbers=np.array(plain, dtype=np.float64),
        timed=indices[:, 0].copy(),
        kinds=indices[:, 1].copy(),
        memory=memory,
        start=start,
        walls=walls,
        carrier=np.array(carrier, dtype=np.int64),
    )


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
    followed = scenario.fleet[shop.craft[view.follow]].start
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
