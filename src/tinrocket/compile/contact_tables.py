"""Fill the contact tables from a scenario."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.bound_craft import gated
from tinrocket.compile.broad_phase_tables import Bodies
from tinrocket.compile.condition_table import ENDS
from tinrocket.compile.memory import Layout, Place
from tinrocket.language.records import Floats as Floats64
from tinrocket.motion.binding import Context
from tinrocket.motion.contacts import tables as contacts
from tinrocket.motion.contacts.impact import NEVER
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.contact import Contact, Outcome
from tinrocket.scenario.scenario import Scenario

Floats = NDArray[np.float64]

RANDOM_SIZES = ("random_angle", "piece_speed_deviation")
"""Numbers of a contact or outcome that scale random numbers: above 0 these are drawn."""
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


def contact_tables(
    scenario: Scenario,
    context: Context,
    layout: Layout,
    *,
    pushed: bool,
    touching: Sequence[tuple[int, str]],
) -> Place:
    """Return the contact tables: bodies, shapes, contacts and their outcomes.

    `pushed` is true if any craft that may rest on something is pushed. `touching` lists the names
    whose contact with a craft conditions test.
    """
    whole = layout.reserve(contacts.Contacts, state=True)
    crafts = len(scenario.fleet) + (scenario.view is not None)
    whole.write(segments=layout.reserve(contacts.Segment, crafts, state=True))
    if not scenario.contact:
        whole.write(paths=layout.reserve(contacts.StepPath, crafts, state=True))
        return whole
    images = images_of(scenario)
    at_once = 3 ** ((images["period_x"] > 0.0) + (images["period_y"] > 0.0))
    bodies = Bodies(scenario, context.heading.up, [name for _craft, name in touching], at_once)
    places = bodies.places
    segments = layout.reserve(contacts.Segment, crafts + len(places), state=True)
    paths = layout.reserve(contacts.StepPath, crafts + len(places), state=True)
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
    corners = max(len(part.corners) for part in bodies.parts)
    room = bodies.room
    whole.write(
        body_count=bodies.count,
        traits=bodies.trait_table(layout),
        roles=len(bodies.roles),
        overlaps=int(contacts.OVERLAP in _detections(scenario)),
        sees=int(contacts.SIGHT in _detections(scenario)),
        pair_room=room,
        pairs=layout.reserve(contacts.Pair, room, state=True),
        order=layout.indices(np.zeros(room), state=True),
        sorted=layout.indices(np.zeros(room)),
        status=layout.reserve(contacts.Status, room, state=True),
        holds=layout.reserve(contacts.RestState, room, state=True),
        near=layout.reserve(contacts.NearPair, room, state=True),
        tree=layout.indices(np.zeros(2 * room + 2), state=True),
        contacts=_contacts(scenario, context, layout),
        hits=layout.indices(np.zeros(len(outcomes_of(scenario))), state=True),
        parts=bodies.part_table(layout),
        corners=_points(layout, np.concatenate([part.corners for part in bodies.parts])),
        paths=paths,
        segments=segments,
        pushed=int(pushed),
        **images,
        shape=layout.reserve(contacts.Point, corners),
        wall=layout.reserve(contacts.Point, corners),
        way=layout.reserve(contacts.RelativeMotion),
        box=layout.reserve(contacts.Box),
        barred=layout.reserve(Floats64, crafts * len(gated(scenario)), state=True),
        **bodies.law_tables(layout),
        **bodies.couples(layout),
        **_touches(touching, bodies, layout),
    )
    return whole


def images_of(scenario: Scenario) -> dict[str, float]:
    """Return whether bodies have images across wrapping edges, and how far apart these are [px].

    There are images along an axis on which all wrapping craft wrap at the same fixed places.
    """
    periods = []
    for axis in AXES:
        wrapping = [craft for craft in scenario.craft if scenario.arena_of(craft).images_at(axis)]
        seams = {scenario.arena_of(craft).images_at(axis) for craft in wrapping}
        moves = any(craft.within == "view" and scenario.view is not None for craft in wrapping)
        low, high = seams.pop() or (0.0, 0.0) if len(seams) == 1 and not moves else (0.0, 0.0)
        periods.append(high - low)
    return {
        "images": int(any(periods)),
        "period_x": periods[0],
        "period_y": periods[1],
    }


def _detections(scenario: Scenario) -> set[int]:
    return {DETECTIONS[scenario.detection_of(contact)] for contact in scenario.contact}


def _touches(
    wanted: Sequence[tuple[int, str]], bodies: Bodies, layout: Layout
) -> dict[str, Place | int]:
    """Return the bodies that each craft may touch, by craft and name."""
    names = list(dict.fromkeys(name for _craft, name in wanted))
    table = layout.reserve(contacts.Touch, len(wanted))
    table.write_rows(
        craft=[craft for craft, _name in wanted],
        name=[names.index(name) for _craft, name in wanted],
    )
    called = [[int(name in role.names) for name in names] for role in bodies.roles]
    return {"touches": table, "names": len(names), "named": layout.indices(called)}


def _points(layout: Layout, places: Floats) -> Place:
    table = layout.reserve(contacts.Point, len(places))
    table.cells[: 2 * len(places)] = places.ravel()
    return table


def _contacts(scenario: Scenario, context: Context, layout: Layout) -> Place:
    """Return the table of contacts, followed by their further outcomes."""
    rows = len(scenario.contact)
    table = layout.reserve(contacts.Contact, len(outcomes_of(scenario)))
    waiting, crafts = gated(scenario), len(scenario.fleet) + (scenario.view is not None)
    for index, contact in enumerate(scenario.contact):
        picks = 1 if len(contact.adds_x) == len(contact.adds_y) == 1 else contacts.CHANCES
        table.write(
            index,
            detection=DETECTIONS[scenario.detection_of(contact)],
            push_out=int(contact.push_out is not False),
            push_side=_side_of(scenario, contact.push_out),
            pierces=int(contact.pierces),
            adds_count=picks,
            adds_x=layout.row(np.random.default_rng(contact.seed).choice(contact.adds_x, picks)),
            adds_y=layout.row(
                np.random.default_rng([contact.seed, 1]).choice(contact.adds_y, picks)
            ),
            gate=waiting.index(index) * crafts if index in waiting else -1,
            holds=int(contact.squeeze == "hold"),
            **contact_numbers(contact),
        )
        row = index
        for number, outcome in enumerate(contact.outcomes):
            last = number == len(contact.then)
            table.write(row, next=-1 if last else rows, **_outcome(scenario, outcome, context))
            table.write(row, **outcome_numbers(outcome))
            table.write(row, chances=layout.row(_random_numbers(outcome)))
            if not last:
                row, rows = rows, rows + 1
    return table


def contact_numbers(contact: Contact) -> dict[str, Any]:
    """Return the fields of a contact's row that follow from its numbers alone."""
    return {
        "restitution": contact.restitution,
        "largest_angle": np.radians(contact.largest_angle) if contact.angle == "by_offset" else 0.0,
        "velocity_transfer": contact.velocity_transfer,
        "normal_transfer": contact.normal_transfer,
        "friction": contact.friction,
        "random_angle": np.radians(contact.random_angle),
        "speed_factor": contact.speed_factor,
        "hard_speed_factor": contact.speed_factor
        if contact.hard_speed_factor is None
        else contact.hard_speed_factor,
        "max_speed": math.inf if contact.max_speed is None else contact.max_speed,
        "hard_hit_speed": math.inf if contact.hard_hit_speed is None else contact.hard_hit_speed,
        "effects_above": 0.0 if contact.effects_above is None else contact.effects_above,
        "effects_below": math.inf if contact.effects_below is None else contact.effects_below,
    }


def outcome_numbers(outcome: Outcome) -> dict[str, Any]:
    """Return the fields of an outcome's row that follow from its numbers alone."""
    return {
        "spread": np.radians(outcome.spread),
        "piece_speed_factor": outcome.piece_speed_factor,
        "piece_speed": -1.0 if outcome.piece_speed is None else outcome.piece_speed,
        "piece_deviation": outcome.piece_speed_deviation,
    }


def outcomes_of(scenario: Scenario) -> list[Outcome]:
    """Return all contacts, followed by their further outcomes."""
    return [*scenario.contact, *(more for contact in scenario.contact for more in contact.then)]


def _outcome(scenario: Scenario, outcome: Outcome, context: Context) -> dict[str, float]:
    pool, size = context.pools[outcome.into] if outcome.into else (0, 0)
    removes = outcome.response in ("remove", "split")
    return {
        "response": RESPONSES[outcome.response],
        "removes_one": int(removes and outcome.gone in ("first", "both")),
        "removes_other": int(removes and outcome.gone in ("second", "both")),
        "side": scenario.sides.index(outcome.scores) if outcome.scores else -1,
        "points": float(outcome.points),
        "pool": pool,
        "pool_size": size,
        "pieces": outcome.pieces,
        "random_pieces": int(outcome.directions == "random"),
        "ends": ENDS[outcome.ends],
    }


def _side_of(scenario: Scenario, push_out: bool | str) -> int:
    """Return the side on which the first body is put: 0 to 3, 4 and 5 for an axis, -1 for none."""
    if isinstance(push_out, bool):
        return -1
    if push_out in AXES:
        return 4 + AXES.index(push_out)
    sides = [side for axis in AXES for side in scenario.arena.sides(axis)]
    return sides.index(push_out)  # type: ignore[arg-type]  # it is none of the axes


def _random_numbers(outcome: Outcome) -> Floats:
    """Return the cycle of random numbers of an outcome, or a single 0 if it draws none."""
    draws = any(getattr(outcome, key, 0.0) != 0.0 for key in RANDOM_SIZES)
    if not draws and outcome.directions != "random":
        return np.zeros(1)
    return np.random.default_rng(outcome.seed).uniform(-1.0, 1.0, contacts.CHANCES)
