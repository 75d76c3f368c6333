"""Filling the contact tables from a scenario."""

import math
from collections.abc import Sequence
from itertools import product

import numpy as np
from numpy.typing import NDArray

from tinrocket.kernel.records import Floats as Floats64
from tinrocket.motion.binding import Context
from tinrocket.motion.contacts import tables as contacts
from tinrocket.motion.contacts.impact import NEVER
from tinrocket.plan.condition_table import ENDS
from tinrocket.plan.entries import gated
from tinrocket.plan.memory import Layout, Place
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.contact import Contact, Outcome
from tinrocket.scenario.outlines import Outline, hit_outlines, outlines
from tinrocket.scenario.scenario import Scenario

Floats = NDArray[np.float64]

RESPONSES = {
    "count": contacts.PASS,
    "bounce": contacts.BOUNCE,
    "block": contacts.BLOCK,
    "stop": contacts.STOP,
    "remove": contacts.REMOVE,
    "split": contacts.SPLIT,
}
DETECTIONS = {
    "overlap": contacts.OVERLAP,
    "swept": contacts.SWEPT,
    "sight": contacts.SIGHT,
}
CLOSE = 1e-6
"""What boxes around bodies are larger, so that rounding hides no contact [px]."""


def body_names(scenario: Scenario) -> tuple[str, ...]:
    """Return the names of all bodies: the craft, the view, and the pieces of obstacles."""
    view = ["view"] if scenario.view else []
    pieces = [piece[0] for obstacle in scenario.obstacle for piece in obstacle.pieces]
    return (*(craft.name for craft in scenario.all_craft), *view, *pieces)


def contact_tables(
    scenario: Scenario,
    context: Context,
    layout: Layout,
    *,
    pushed: bool,
    touching: Sequence[tuple[int, str]],
) -> Place:
    """Return which bodies may meet, what they look like, and what then happens.

    `pushed` says whether any that may lie on something is pushed, and `touching` what craft may be
    in contact with by which names, as conditions ask for it.
    """
    whole = layout.reserve(contacts.Contacts, state=True)
    crafts = len(scenario.all_craft) + (scenario.view is not None)
    whole.write(segments=layout.reserve(contacts.Segment, crafts, state=True), quiet_x=-1.0)
    if not scenario.contact:
        whole.write(paths=layout.reserve(contacts.Path, crafts, state=True))
        return whole
    bodies = _Bodies(scenario, context.heading.up)
    table, pairs = _pairs(scenario, bodies, layout)
    places = np.array(bodies.places, dtype=np.float64).reshape(-1, 2)
    segments = layout.reserve(contacts.Segment, crafts + len(places), state=True)
    paths = layout.reserve(contacts.Path, crafts + len(places), state=True)
    if len(places):
        still = slice(crafts, None)
        for index, kind in ((0, "x"), (1, "y")):
            padded = np.concatenate([np.zeros(crafts), places[:, index]])
            segments.write_rows(**{f"{kind}0": padded, f"{kind}1": padded})
        there = np.zeros(crafts + len(places), dtype=np.int32)
        there[still] = 1
        paths.write_rows(there=there, side_at=np.full(there.size, NEVER))
        for axis, kind in enumerate(("x", "y")):
            still_at = np.concatenate([np.zeros(crafts), places[:, axis]])
            paths.write_rows(**{kind: still_at, f"home_{kind}": still_at})
    corners = max(len(one.corners) for one in bodies.parts)
    first_of, of_body = _by_body(pairs[:, :2], crafts + len(places))
    whole.write(
        pairs=table,
        pair_count=len(pairs),
        status=layout.reserve(contacts.Status, len(pairs), state=True),
        holds=layout.reserve(contacts.Hold, len(pairs), state=True),
        near=layout.reserve(contacts.Near, len(pairs), state=True),
        tree=layout.indices(np.zeros(2 * len(pairs) + 2), state=True),
        first_of=layout.indices(first_of),
        of_body=layout.indices(of_body),
        contacts=_contacts(scenario, context, layout),
        hits=layout.indices(np.zeros(len(outcomes_of(scenario))), state=True),
        parts=bodies.part_table(layout),
        corners=_points(layout, np.concatenate([one.corners for one in bodies.parts])),
        paths=paths,
        segments=segments,
        pushed=int(pushed),
        shape=layout.reserve(contacts.Point, corners),
        wall=layout.reserve(contacts.Point, corners),
        way=layout.reserve(contacts.Way),
        barred=layout.reserve(Floats64, crafts * len(gated(scenario)), state=True),
        **_touches(touching, pairs, bodies, layout),
    )
    return whole


def _touches(
    wanted: Sequence[tuple[int, str]], pairs: NDArray[np.int64], bodies: "_Bodies", layout: Layout
) -> dict[str, Place]:
    """Return for each craft and name that is wanted the pairs in which the two may touch."""
    table, groups = layout.reserve(contacts.Touch, len(wanted)), list[int]()
    firsts = np.flatnonzero(pairs[:, 2] == np.arange(len(pairs)))
    ones, others = pairs[firsts, 0], pairs[firsts, 1]
    for row, (craft, target) in enumerate(wanted):
        named = np.array([target in names for names in bodies.called])
        met = ((ones == craft) & named[others]) | ((others == craft) & named[ones])
        first = len(groups)
        groups += firsts[met].tolist()
        table.write(row, first=first, past=len(groups))
    return {"touches": table, "touch_groups": layout.indices(groups)}


class _Bodies:
    """All bodies with their parts, and by what names contacts find them."""

    def __init__(self, scenario: Scenario, up: float) -> None:
        pieces = [(piece, obstacle) for obstacle in scenario.obstacle for piece in obstacle.pieces]
        view = [[Outline(((0.0, 0.0),), 0.0, False)]] if scenario.view else []
        bodies = [hit_outlines(craft, up) for craft in scenario.all_craft] + view
        self.crafts = len(bodies)
        bodies += [outlines(obstacle.shape, up) for _piece, obstacle in pieces]
        self.parts = [part for body in bodies for part in body]
        self.first = np.concatenate([[0], np.cumsum([len(body) for body in bodies])]).tolist()
        self.places = [piece[1:] for piece, _of in pieces]
        self.masses = [_mass(one.mass) for one in scenario.all_craft] + [math.inf for _ in view]
        self.called = scenario.called_bodies

    def meeting(self, scenario: Scenario) -> list[tuple[int, int, int, bool]]:
        """Return one, other and contact of all that may meet, and whether each responds to both.

        Two that push at each other, named both ways round, are one pair: as those of a group
        that meets itself.
        """
        found: list[tuple[int, int, int, bool]] = []
        known: dict[tuple[int, int], int] = {}
        for index, contact in enumerate(scenario.contact):
            first, second = contact.between
            ones = [n for n in range(self.crafts) if first in self.called[n]]
            others = [n for n, names in enumerate(self.called) if second in names]
            solid = contact.response in ("bounce", "block")
            for one, other in product(ones, others):
                back = known.get((other, one)) if solid else None
                if back is not None:
                    found[back] = (*found[back][:3], True)
                elif other != one:
                    if solid:
                        known.setdefault((one, other), len(found))
                    found.append((one, other, index, False))
        return found

    def gives(self, one: int, other: int, mutual: bool) -> tuple[float, float]:
        """Return 1 / mass of the two of a pair, 0 for what no hit of the other moves.

        Without a mass of its own, who responds weighs 1, and who is only met is not moved.
        """
        first, second = self.masses[one] or 1.0, math.inf
        if other < self.crafts:
            second = self.masses[other] or (1.0 if mutual else math.inf)
        return 1.0 / first, 1.0 / second

    def parts_of(self, body: int) -> range:
        """Return the indices of a body's parts."""
        return range(self.first[body], self.first[body + 1])

    def part_table(self, layout: Layout) -> Place:
        table = layout.reserve(contacts.Part, len(self.parts))
        past = np.cumsum([len(one.corners) for one in self.parts])
        table.write_rows(
            first=np.concatenate([[0], past[:-1]]),
            past=past,
            radius=[one.radius for one in self.parts],
            reach=[one.reach for one in self.parts],
            turns=[one.turns for one in self.parts],
        )
        return table


def _mass(given: float | str | None) -> float | None:
    return math.inf if isinstance(given, str) else given


def _pairs(scenario: Scenario, bodies: _Bodies, layout: Layout) -> tuple[Place, NDArray[np.int64]]:
    """Return the table of all pairs of parts that may meet, and one and other of each."""
    rows: list[tuple[int, ...]] = []
    gives: list[tuple[float, float]] = []
    for one, other, index, mutual in bodies.meeting(scenario):
        parts = list(product(bodies.parts_of(one), bodies.parts_of(other)))
        group, alone = len(rows), int(len(parts) == 1)
        rows += [(one, other, index, *both, group, alone) for both in parts]
        gives += [bodies.gives(one, other, mutual)] * len(parts)
    pairs = np.array(rows, dtype=np.int64).reshape(-1, 7)
    extents = np.array([part.extent for part in bodies.parts])
    # who looks for something to hit may do so from afar
    close = np.array([np.inf if one.detection == "sight" else CLOSE for one in scenario.contact])
    apart = extents[pairs[:, 3]] + extents[pairs[:, 4]] + close[pairs[:, 2]][:, None]
    table = layout.reserve(contacts.Pair, len(pairs))
    if len(pairs):
        names = ("one", "other", "contact", "part_one", "part_other", "group", "alone")
        table.write_rows(**dict(zip(names, pairs.T, strict=True)))
        give = np.array(gives)
        table.write_rows(give_one=give[:, 0], give_other=give[:, 1])
        table.write_rows(apart_x=apart[:, 0], apart_y=apart[:, 1])
    return table, pairs[:, [0, 1, 5]]


def _by_body(pairs: NDArray[np.int64], bodies: int) -> tuple[NDArray[np.int64], ...]:
    """Return where the pairs of each body begin in a list of pairs by body, and that list."""
    numbers = np.repeat(np.arange(len(pairs)), 2)
    order = np.argsort(pairs.ravel(), kind="stable")
    counts = np.bincount(pairs.ravel(), minlength=bodies)
    return np.concatenate([[0], np.cumsum(counts)]), numbers[order]


def _points(layout: Layout, places: Floats) -> Place:
    table = layout.reserve(contacts.Point, len(places))
    table.cells[: 2 * len(places)] = places.ravel()
    return table


def _contacts(scenario: Scenario, context: Context, layout: Layout) -> Place:
    """Return the table of contacts, and behind them what else comes of each."""
    rows = len(scenario.contact)
    table = layout.reserve(contacts.Contact, len(outcomes_of(scenario)))
    waiting, crafts = gated(scenario), len(scenario.all_craft) + (scenario.view is not None)
    for index, one in enumerate(scenario.contact):
        picks = 1 if len(one.adds_x) == len(one.adds_y) == 1 else contacts.CHANCES
        table.write(
            index,
            detection=DETECTIONS[one.detection or scenario.detection],
            push_out=int(one.push_out is not False),
            push_side=_side_of(scenario, one.push_out),
            restitution=one.restitution,
            largest_angle=math.radians(one.largest_angle) if one.angle == "by_offset" else 0.0,
            velocity_transfer=one.velocity_transfer,
            random_angle=math.radians(one.random_angle),
            speed_factor=one.speed_factor,
            max_speed=math.inf if one.max_speed is None else one.max_speed,
            hard_hit_speed=math.inf if one.hard_hit_speed is None else one.hard_hit_speed,
            pierces=int(one.pierces),
            adds_count=picks,
            adds_x=layout.row(np.random.default_rng(one.seed).choice(one.adds_x, picks)),
            adds_y=layout.row(np.random.default_rng([one.seed, 1]).choice(one.adds_y, picks)),
            effects_above=0.0 if one.effects_above is None else one.effects_above,
            effects_below=math.inf if one.effects_below is None else one.effects_below,
            gate=waiting.index(index) * crafts if index in waiting else -1,
            holds=int(one.squeeze == "hold"),
        )
        row = index
        for number, outcome in enumerate(one.outcomes):
            last = number == len(one.then)
            table.write(row, next=-1 if last else rows, **_outcome(scenario, outcome, context))
            table.write(row, chances=layout.row(_random_turns(outcome)))
            if not last:
                row, rows = rows, rows + 1
    return table


def outcomes_of(scenario: Scenario) -> list[Outcome]:
    """Return all contacts, and then what else comes of each."""
    return [*scenario.contact, *(more for one in scenario.contact for more in one.then)]


def _outcome(scenario: Scenario, one: Outcome, context: Context) -> dict[str, float]:
    pool, size = context.pools[one.into] if one.into else (0, 0)
    removes = one.response in ("remove", "split")
    return {
        "response": RESPONSES[one.response],
        "removes_one": int(removes and one.gone in ("first", "both")),
        "removes_other": int(removes and one.gone in ("second", "both")),
        "side": scenario.sides.index(one.scores) if one.scores else -1,
        "points": float(one.points),
        "pool": pool,
        "pool_size": size,
        "pieces": one.pieces,
        "spread": math.radians(one.spread),
        "piece_speed": one.piece_speed,
        "piece_velocity": -1.0 if one.piece_velocity is None else one.piece_velocity,
        "random_pieces": int(one.directions == "random"),
        "ends": ENDS[one.ends],
    }


def _side_of(scenario: Scenario, push_out: bool | str) -> int:
    """Return the side on which the first is put: 0 to 3, 4 and 5 for an axis, -1 for none."""
    if isinstance(push_out, bool):
        return -1
    if push_out in AXES:
        return 4 + AXES.index(push_out)
    sides = [side for axis in AXES for side in scenario.arena.sides(axis)]
    return sides.index(push_out)  # type: ignore[arg-type]  # it is none of the axes


def _random_turns(one: Outcome) -> Floats:
    kicks = isinstance(one, Contact) and one.random_angle != 0.0
    if not kicks and one.directions != "random":
        return np.zeros(1)
    return np.random.default_rng(one.seed).uniform(-1.0, 1.0, contacts.CHANCES)
