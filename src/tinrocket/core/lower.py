"""From a scenario to the arrays the core flies; the one place that knows both.

In the core, lengths are in px, times in s, and angles in rad, counted so that a craft
with heading h points along (cos h, sin h) in the arena's own axes.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import singledispatch
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout, pacing, sampling
from tinrocket.core.program import Program
from tinrocket.scenario import rules
from tinrocket.scenario.arena import AXES, Arena
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario

Floats = NDArray[np.float64]
Number = TypeVar("Number", np.float64, np.uint64)

TIMINGS = {"frame": layout.FRAME, "scaled": layout.SCALED, "exact": layout.EXACT}
EDGES = {"open": layout.OPEN, "wrap": layout.WRAP, "clamp": layout.CLAMP, "bounce": layout.BOUNCE}


@dataclass(frozen=True, slots=True)
class Heading:
    """How the arena counts angles: core = `zero` + `sign` * surface."""

    zero: float
    sign: float
    clockwise: float
    """1 if a clockwise turn on the screen makes the core's angle grow, else -1."""

    @classmethod
    def of(cls, arena: Arena) -> "Heading":
        """Return the arena's way of counting."""
        down = arena.y_axis == "down"
        clockwise = 1.0 if down else -1.0
        quarters = {"right": 0.0, "down": 1.0, "left": 2.0, "up": 3.0}  # clockwise from right
        zero = clockwise * quarters[arena.angles.zero] * math.pi / 2
        sign = clockwise if arena.angles.positive == "clockwise" else -clockwise
        return cls(zero, sign, clockwise)

    def to_core(self, degrees: float) -> float:
        """Convert from the arena's degrees to rad."""
        return self.zero + self.sign * math.radians(degrees)

    def to_degrees(self, radians: Floats) -> Floats:
        """Convert from rad to the arena's degrees."""
        turned = radians - self.zero
        turned *= math.degrees(self.sign)
        return turned


@dataclass(frozen=True, slots=True)
class Lowered:
    """One rule in the core's terms: which arithmetic, with which numbers."""

    opcode: int
    row: tuple[float, ...] = ()


@singledispatch
def lower_rule(rule: rules.MotionRule, heading: Heading, tuned_at: float) -> Lowered:
    """Return a rule in the core's terms; its numbers are per second."""
    raise NotImplementedError(f"no arithmetic for the rule {type(rule).__name__}")


@lower_rule.register
def _(rule: rules.Turn, heading: Heading, tuned_at: float) -> Lowered:
    return Lowered(layout.TURN, (heading.clockwise * math.radians(rule.rate),))


@lower_rule.register
def _(rule: rules.Thrust, heading: Heading, tuned_at: float) -> Lowered:
    return Lowered(layout.THRUST, (rule.accel, rule.reverse or 0.0))


@lower_rule.register
def _(rule: rules.Drag, heading: Heading, tuned_at: float) -> Lowered:
    if rule.keep is not None:
        return Lowered(layout.DRAG, (-math.log(rule.keep) * (rule.at or tuned_at),))
    if rule.half_life is not None:
        return Lowered(layout.DRAG, (math.log(2.0) / rule.half_life,))
    return Lowered(layout.DRAG, (rule.rate or 0.0,))


@lower_rule.register
def _(rule: rules.Limit, heading: Heading, tuned_at: float) -> Lowered:
    if rule.speed is not None:
        return Lowered(layout.LIMIT_SPEED, (rule.speed,))
    tops = (math.inf if top is None else top for top in (rule.x, rule.y))
    return Lowered(layout.LIMIT_AXES, tuple(tops))


@lower_rule.register
def _(rule: rules.Snap, heading: Heading, tuned_at: float) -> Lowered:
    return Lowered(layout.SNAP, (rule.below,))


@lower_rule.register
def _(rule: rules.Move, heading: Heading, tuned_at: float) -> Lowered:
    return Lowered(layout.MOVE_HALF if rule.method == "half" else layout.MOVE_EULER)


def lower(scenario: Scenario) -> Program:
    """Return the scenario's craft and arena as arrays."""
    scenario = scenario.per_second()
    heading = Heading.of(scenario.arena)
    column = {action: index for index, action in enumerate(scenario.actions, start=1)}
    owners = [(craft, rule) for craft in scenario.craft for rule in craft.rules]
    lowered = [lower_rule(rule, heading, scenario.tuned_at) for _craft, rule in owners]
    return Program(
        opcodes=np.array([one.opcode for one in lowered], dtype=np.uint64),
        timings=np.array(
            [TIMINGS[rule.timing or craft.timing] for craft, rule in owners], dtype=np.uint64
        ),
        rows=_table([one.row for one in lowered], layout.ROW_WIDTH, np.float64),
        slots=_table(
            [[column[action] for action in rule.actions] for _craft, rule in owners],
            layout.SLOT_WIDTH,
            np.uint64,
        ),
        first_rules=np.cumsum(
            [0, *(len(craft.rules) for craft in scenario.craft)], dtype=np.uint64
        ),
        start=np.array([_start(craft, heading) for craft in scenario.craft]),
        walls=np.array([_walls(scenario.arena, craft) for craft in scenario.craft]),
        tuned_dt=1.0 / scenario.tuned_at,
    )


def _table(rows: Sequence[Sequence[float]], width: int, kind: type[Number]) -> NDArray[Number]:
    table: NDArray[Number] = np.zeros((len(rows), width), dtype=kind)
    for index, row in enumerate(rows):
        table[index, : len(row)] = row
    return table


def _start(craft: Craft, heading: Heading) -> list[float]:
    start = craft.start
    state = [0.0] * layout.STATE_WIDTH
    state[layout.X], state[layout.Y] = start.x, start.y
    state[layout.VX], state[layout.VY] = start.vx, start.vy
    state[layout.HEADING] = heading.to_core(start.heading)
    return state


def _walls(arena: Arena, craft: Craft) -> list[tuple[float, float, float]]:
    walls: list[tuple[float, float, float]] = []
    for axis in AXES:
        for side, place in zip(arena.sides(axis), arena.bounds(axis, craft.radius), strict=True):
            edge = getattr(arena.edges, side)
            restitution = 1.0 if edge.restitution is None else edge.restitution
            walls.append((EDGES[edge.kind], place, restitution))
    return walls


def lower_clock(clock: Clock, tuned_at: float, duration: float) -> pacing.Pacing:
    """Return the frames of a run of at least `duration` s."""
    rate = clock.rate or tuned_at
    if clock.frame_times is not None:
        frames = pacing.captured(clock.frame_times, duration)
    elif clock.jitter or clock.hitches:
        hitches = [(hitch.at, hitch.length) for hitch in clock.hitches]
        frames = pacing.made_up(rate, duration, clock.jitter, clock.seed, hitches)
    else:
        frames = pacing.steady(rate, duration)
    if clock.max_dt is None:
        return frames
    return pacing.Pacing(frames.times, np.minimum(frames.steps, clock.max_dt))


def lower_tape(scenario: Scenario, begins: Floats) -> tuple[Floats, list[tuple[float, str]]]:
    """Sample the tape at the start of each frame.

    Returns
    -------
    inputs, lost
        Shape (N, 1 + actions): a column of zeros, then one for each of
        ``scenario.actions``.  Time [s] and action of each tap that no frame saw.
    """
    tape, actions = scenario.tape, scenario.actions
    inputs = np.zeros((begins.size, 1 + len(actions)))
    lost: list[tuple[float, str]] = []
    for column, action in enumerate(actions, start=1):
        if action in tape.values:
            inputs[:, column] = sampling.sample_values(begins, tape.values[action])
        else:
            inputs[:, column], missed = sampling.sample_presses(
                begins, tape.presses(action), buffered=tape.sampling == "buffered"
            )
            lost.extend((t, action) for t in missed)
    return inputs, sorted(lost)
