"""The table of events: what happened, when in real time, to which craft."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.flight.pacing import Pacing
from tinrocket.flight.recording import Events
from tinrocket.motion import events as kinds
from tinrocket.motion.angles import Heading
from tinrocket.plan.plan import Plan
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.scenario import Scenario

Floats = NDArray[np.float64]

STAGE_KINDS = {
    kinds.EXPIRE: "expire",
    kinds.ENTER: "enter",
    kinds.CROWDED: "crowded",
    kinds.NO_ROOM: "no room",
    kinds.RESPAWN: "respawn",
    kinds.REVERSE: "turn",
    kinds.STRIDE: "step",
    kinds.LIFE: "life lost",
    kinds.ROUND: "round",
    kinds.OVER: "over",
}
CONTACTS = (kinds.CONTACT, kinds.HARD_CONTACT)
CONTACT_KINDS = {"remove": "hit", "count": "pass"}


@dataclass(frozen=True, slots=True)
class EventLabel:
    """What an event is called, and what took part in it."""

    kind: str
    craft: str
    edge: str = ""
    rule: str = ""
    other: str = ""


def events_table(
    scenario: Scenario,
    plan: Plan,
    events: Events,
    pacing: Pacing,
    lost: Sequence[tuple[float, str]],
) -> pd.DataFrame:
    """Return what was written down, and the taps that were lost, in order of time."""
    # a view meets the ends of the world in silence
    seen = np.flatnonzero(events.craft < len(scenario.fleet))
    rows = zip(
        *(
            column[seen].tolist()
            for column in (events.kind, events.craft, events.cause, events.other)
        ),
        strict=True,
    )
    labels, scoring, points = [], [], []
    for row, numbers in zip(seen.tolist(), rows, strict=True):
        labels.append(_label(scenario, plan, *numbers))
        kind, _craft, cause, _other = numbers
        contact = scenario.contact[cause] if kind in CONTACTS else None
        if contact is not None and contact.scores:
            scoring.append(row)
            points.append((labels[-1].craft, contact.scores, contact.points))
    labels += [EventLabel("score", craft, other=side) for craft, side, _points in points]
    all_rows = np.concatenate([seen, np.array(scoring, dtype=np.int64)])
    counts = np.concatenate(
        [events.count[seen].astype(np.int64), np.array([n for _, _, n in points], dtype=np.int64)]
    )
    step, kind = events.step[all_rows], events.kind[all_rows]
    met = np.isin(kind, CONTACTS)
    begins, ends = pacing.begins[step], pacing.ends[step]
    none, nowhere = np.full(len(lost), ""), np.full(len(lost), np.nan)
    tapped = np.array([t for t, _action in lost])
    during = np.searchsorted(pacing.times, tapped, side="right") - 1
    columns = {
        "t": (begins + events.fraction[all_rows] * (ends - begins), tapped),
        "kind": (_texts(one.kind for one in labels), np.full(len(lost), "lost_tap")),
        "craft": (_texts(one.craft for one in labels), none),
        "edge": (_texts(one.edge for one in labels), none),
        "rule": (_texts(one.rule for one in labels), none),
        "other": (_texts(one.other for one in labels), none),
        "action": (np.full(len(labels), ""), _texts(action for _t, action in lost)),
        "x": (_placed(events.x, kind, all_rows), nowhere),
        "y": (_placed(events.y, kind, all_rows), nowhere),
        "speed": (events.speed[all_rows] * plan.unit, nowhere),
        "gap": (np.where(met, events.gap[all_rows], np.nan), nowhere),
        "normal": (np.where(met, _degrees(scenario, events.normal[all_rows]), np.nan), nowhere),
        "count": (counts, np.ones(len(lost), np.int64)),
        "frame": (pacing.frame[step], during),
    }
    order = np.argsort(np.concatenate(columns["t"]), kind="stable")
    return pd.DataFrame({name: np.concatenate(parts)[order] for name, parts in columns.items()})


def _placed(places: Floats, kind: NDArray[np.int32], rows: NDArray[np.int64]) -> Floats:
    """Return places; what concerns the game as a whole has none."""
    return np.where(kind >= kinds.LIFE, np.nan, places[rows])


def _texts(texts: Iterable[str]) -> "np.ndarray[tuple[int], np.dtype[np.str_]]":
    return np.array(list(texts), dtype=str)


def _label(
    scenario: Scenario, plan: Plan, kind: int, craft: int, cause: int, other: int
) -> EventLabel:
    if craft < 0:
        side = scenario.sides[cause] if kind == kinds.OVER and cause >= 0 else ""
        return EventLabel(STAGE_KINDS[kind], "", other=side)
    one = scenario.fleet[craft]
    if kind in STAGE_KINDS:
        return EventLabel(STAGE_KINDS[kind], one.name)
    if kind in CONTACTS:
        response = scenario.contact[cause].response
        called = CONTACT_KINDS.get(response, response)
        hard = kind == kinds.HARD_CONTACT
        return EventLabel("hard hit" if hard else called, one.name, other=plan.body_names[other])
    if kind != kinds.EDGE:
        rule = plan.entry_of(craft).rules[cause].rule
        called = rule.rule if kind == kinds.RULE else "no room"
        return EventLabel(called, one.name, rule=rule.label)
    side = [side for axis in AXES for side in scenario.arena.sides(axis)][cause]
    return EventLabel(getattr(scenario.arena_of(one).edges, side).kind, one.name, edge=side)


def _degrees(scenario: Scenario, radians: Floats) -> Floats:
    """Return the directions of normals as the arena counts angles, within one turn."""
    turned = Heading.of(scenario.arena).to_degrees(radians.copy())
    folded: Floats = (turned + 180.0) % 360.0 - 180.0
    return folded
