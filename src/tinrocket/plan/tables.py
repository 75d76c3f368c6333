"""Filling the tables of contacts and of the stage from a scenario."""

import math
from collections.abc import Sequence
from itertools import product

import numpy as np
from numpy.typing import NDArray

from tinrocket.kernel import records
from tinrocket.motion.binding import Context, span
from tinrocket.motion.contacts import tables as contacts
from tinrocket.motion.stage import tables as stage
from tinrocket.plan.memory import Layout, Place
from tinrocket.scenario.contact import Contact
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.outlines import Outline, hit_outlines, outlines
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.stage import March, Rounds, Spawner

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
RAMPS = {"time": stage.BY_TIME, "score": stage.BY_SCORE, "gone": stage.BY_GONE}
CLOSE = 1e-6
"""What boxes around bodies are larger, so that rounding hides no contact [px]."""


def body_names(scenario: Scenario) -> tuple[str, ...]:
    """Return the names of all bodies: the craft, the view, and the pieces of obstacles."""
    view = ["view"] if scenario.view else []
    pieces = [piece[0] for obstacle in scenario.obstacle for piece in obstacle.pieces]
    return (*(craft.name for craft in scenario.fleet), *view, *pieces)


def contact_tables(scenario: Scenario, context: Context, layout: Layout) -> Place:
    """Return which bodies may meet, what they look like, and what then happens."""
    whole = layout.reserve(contacts.Contacts, state=True)
    crafts = len(scenario.fleet) + (scenario.view is not None)
    whole.write(segments=layout.reserve(contacts.Segment, crafts, state=True), quiet_x=-1.0)
    if not scenario.contact:
        return whole
    bodies = _Bodies(scenario, context.heading.up)
    pairs = bodies.pairs(scenario)
    rows = np.array(pairs, dtype=np.int64).reshape(-1, 6)
    extents = np.array([one.extent for one in bodies.parts])
    # who looks for something to hit may do so from afar
    close = np.array([np.inf if one.find == "sight" else CLOSE for one in scenario.contact])
    apart = extents[rows[:, 3]] + extents[rows[:, 4]] + close[rows[:, 2]][:, None]
    table = layout.reserve(contacts.Pair, len(pairs))
    if pairs:
        names = ("one", "other", "contact", "part_one", "part_other", "group")
        table.write_rows(**dict(zip(names, rows.T, strict=True)))
        table.write_rows(apart_x=apart[:, 0], apart_y=apart[:, 1])
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
        paths.write_rows(there=there)
    corners = max(len(one.corners) for one in bodies.parts)
    whole.write(
        pairs=table,
        pair_count=len(pairs),
        status=layout.reserve(contacts.Status, len(pairs), state=True),
        near=layout.indices(np.zeros(len(pairs))),
        contacts=_contacts(scenario, context, layout),
        hits=layout.indices(np.zeros(len(scenario.contact)), state=True),
        parts=bodies.part_table(layout),
        corners=_points(layout, np.concatenate([one.corners for one in bodies.parts])),
        paths=paths,
        segments=segments,
        places=_points(layout, places),
        place_count=len(places),
        shape=layout.reserve(contacts.Point, corners),
        wall=layout.reserve(contacts.Point, corners),
    )
    return whole


class _Bodies:
    """All bodies with their parts, and by what names contacts find them."""

    def __init__(self, scenario: Scenario, up: float) -> None:
        pieces = [(piece, obstacle) for obstacle in scenario.obstacle for piece in obstacle.pieces]
        view = [[Outline(((0.0, 0.0),), 0.0, False)]] if scenario.view else []
        bodies = [hit_outlines(craft, up) for craft in scenario.fleet] + view
        self.crafts = len(bodies)
        bodies += [outlines(obstacle.shape, up) for _piece, obstacle in pieces]
        self.parts = [part for body in bodies for part in body]
        self.first = np.concatenate([[0], np.cumsum([len(body) for body in bodies])]).tolist()
        self.places = [piece[1:] for piece, _of in pieces]
        self.called: list[set[str]] = [{one.name, *one.groups} for one in scenario.fleet]
        self.called += [set() for _ in view]
        self.called += [{one[0], of.name, *of.groups} for one, of in pieces]

    def pairs(self, scenario: Scenario) -> list[tuple[int, ...]]:
        """Return one, other, contact, both parts and group of every pair of parts."""
        pairs: list[tuple[int, ...]] = []
        for index, contact in enumerate(scenario.contact):
            first, second = contact.between
            ones = [n for n in range(self.crafts) if first in self.called[n]]
            others = [n for n, names in enumerate(self.called) if second in names]
            for one, other in product(ones, others):
                if other != one:
                    both = product(self._parts_of(one), self._parts_of(other))
                    group = len(pairs)
                    pairs += [(one, other, index, *parts, group) for parts in both]
        return pairs

    def _parts_of(self, body: int) -> range:
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


def _points(layout: Layout, places: Floats) -> Place:
    table = layout.reserve(contacts.Point, len(places))
    table.cells[: 2 * len(places)] = places.ravel()
    return table


def _contacts(scenario: Scenario, context: Context, layout: Layout) -> Place:
    table = layout.reserve(contacts.Contact, len(scenario.contact))
    for index, one in enumerate(scenario.contact):
        pool, size = context.pools[one.into] if one.into else (0, 0)
        table.write(
            index,
            response=RESPONSES[one.response],
            detection=DETECTIONS[one.find or scenario.find],
            push_out=int(one.push_out),
            restitution=one.restitution,
            largest_angle=math.radians(one.largest_angle) if one.angle == "by_place" else 0.0,
            velocity_transfer=one.bat_share,
            random_angle=math.radians(one.kick),
            speed_factor=one.faster,
            max_speed=math.inf if one.top is None else one.top,
            hard_hit_speed=math.inf if one.hard_above is None else one.hard_above,
            removes_one=int(one.gone in ("first", "both")),
            removes_other=int(one.gone in ("second", "both")),
            side=scenario.sides.index(one.scores) if one.scores else -1,
            points=float(one.points),
            pool=pool,
            pool_size=size,
            pieces=one.pieces,
            spread=math.radians(one.fan),
            piece_speed=one.piece_speed,
            chances=layout.row(_random_turns(one)),
        )
    return table


def _random_turns(contact: Contact) -> Floats:
    if contact.kick == 0.0:
        return np.zeros(1)
    return np.random.default_rng(contact.seed).uniform(-1.0, 1.0, contacts.CHANCES)


def has_stage(scenario: Scenario) -> bool:
    """Whether anything happens on the stage."""
    leaves = any(craft.lifetime or craft.respawn for craft in scenario.craft)
    staged = scenario.spawner or scenario.march or scenario.rounds or scenario.sides
    return bool(leaves or staged)


def stage_tables(scenario: Scenario, context: Context, layout: Layout) -> Place:
    """Return what happens on the stage, and the state of the game."""
    whole = layout.reserve(stage.Stage, state=True)
    if not has_stage(scenario):
        return whole
    called = [(craft.name, *craft.groups) for craft in scenario.fleet]
    spawners = layout.reserve(stage.Spawner, len(scenario.spawner), state=True)
    parts: list[tuple[float, ...]] = []
    clear: list[int] = []
    for index, one in enumerate(scenario.spawner):
        first_part, first_clear = len(parts), len(clear)
        offsets = one.offsets or [(0.0, 0.0)] * len(one.spawns)
        parts += [
            (*context.pools[pool], *offset)
            for pool, offset in zip(one.spawns, offsets, strict=True)
        ]
        clear += _named(one.clear_of, called)
        spawners.write(
            index,
            interval=_interval(one, context, layout),
            low_x=one.x[0],
            high_x=one.x[1],
            low_y=one.y[0],
            high_y=one.y[1],
            clearance=one.clearance,
            puts_ahead=int((one.timing or scenario.timing) == "exact"),
            chances=layout.row(
                np.random.default_rng(one.seed).uniform(0.0, 1.0, (stage.CHANCES, 2))
            ),
            first_part=first_part,
            past_part=len(parts),
            first_clear=first_clear,
            past_clear=len(clear),
        )
    marches = layout.reserve(stage.March, len(scenario.march), state=True)
    marchers: list[int] = []
    for index, march in enumerate(scenario.march):
        first = len(marchers)
        marchers += _named([march.moves], called)
        marches.write(
            index,
            interval=_interval(march, context, layout),
            step=march.step,
            down=-context.heading.up * march.down,
            least_x=march.between[0],
            most_x=march.between[1],
            first_marcher=first,
            past_marcher=len(marchers),
        )
    whole.write(
        lives=_lives(scenario, context, layout),
        life_count=len(scenario.fleet),
        spawners=spawners,
        spawner_count=len(scenario.spawner),
        parts=_parts(parts, layout),
        clear=layout.indices(clear),
        marches=marches,
        march_count=len(scenario.march),
        marchers=layout.indices(marchers),
        scores=layout.reserve(records.Floats, len(scenario.sides), state=True),
        sides=len(scenario.sides),
    )
    _write_rounds(whole, scenario, context, called, layout)
    return whole


def _named(wanted: Sequence[str], called: Sequence[Sequence[str]]) -> list[int]:
    """Return the indices of the craft that go by one of some names."""
    return [index for index, names in enumerate(called) if not set(wanted).isdisjoint(names)]


def _parts(parts: Sequence[tuple[float, ...]], layout: Layout) -> Place:
    table = layout.reserve(stage.SpawnerPart, len(parts))
    for index, (pool, size, x, y) in enumerate(parts):
        table.write(index, pool=int(pool), pool_size=int(size), offset_x=x, offset_y=y)
    return table


def _length(value: float | str, context: Context) -> tuple[float, int]:
    """Return a span in units of time or in steps, and whether it counts steps."""
    length, counted = span(value)
    return float(length if counted else length * context.unit), int(counted)


def _lives(scenario: Scenario, context: Context, layout: Layout) -> Place:
    table = layout.reserve(stage.Life, len(scenario.fleet), state=True)
    for index, craft in enumerate(scenario.fleet):
        table.write(index, respawn=-1.0, **_lifetime(craft, context))
        if craft.respawn is not None:
            again, counted = _length(craft.respawn.after, context)
            times = float(craft.respawn.times or math.inf)
            table.write(index, respawn=again, respawn_counted=counted, respawn_times=times)
            if craft.respawn.at is not None:
                x, y = craft.respawn.at
                table.write(index, respawn_elsewhere=1, respawn_x=x, respawn_y=y)
    return table


def _lifetime(craft: Craft, context: Context) -> dict[str, float]:
    if craft.lifetime is None:
        return {}
    lifetime, counted = _length(craft.lifetime, context)
    return {"lifetime": lifetime, "lifetime_counted": counted}


def _interval(one: Spawner | March, context: Context, layout: Layout) -> Place:
    every, counted = _length(one.every, context)
    first = every if one.first is None else _length(one.first, context)[0]
    place = layout.reserve(stage.Interval, state=True)
    place.write(every=every, counted=counted, first=first, ramp_to=every, ramp_over=1.0)
    if one.ramp is not None:
        over = one.ramp.over * (context.unit if one.ramp.by == "time" else 1.0)
        to = _length(one.ramp.to, context)[0]
        place.write(ramp_to=to, ramp_over=over, ramp_by=RAMPS[one.ramp.by])
    return place


def _write_rounds(
    whole: Place,
    scenario: Scenario,
    context: Context,
    called: Sequence[Sequence[str]],
    layout: Layout,
) -> None:
    rounds = scenario.rounds or Rounds(by_score=False)
    resets = range(len(called)) if rounds.resets is None else _named(rounds.resets, called)
    whole.write(
        resets=layout.indices(list(resets)),
        reset_count=len(resets),
        first_to=rounds.first_to or 0.0,
        time_limit=(rounds.time_limit or 0.0) * context.unit,
        pause=rounds.pause * context.unit,
        by_score=int(rounds.by_score),
    )
    if rounds.lives is not None and rounds.of is not None:
        whole.write(lives_given=float(rounds.lives), living=context.craft[rounds.of])
