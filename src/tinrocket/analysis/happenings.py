"""The table of events: what happened, when in real time, to which craft."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.core import layout
from tinrocket.core.lower import Lowered
from tinrocket.core.lower.angles import Heading
from tinrocket.core.pacing import Pacing
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.scenario import Scenario

Floats = NDArray[np.float64]


STAGE_KINDS = {
    layout.EXPIRE: "expire",
    layout.ENTER: "enter",
    layout.CROWDED: "crowded",
    layout.NO_ROOM: "no room",
    layout.RESPAWN: "respawn",
    layout.REVERSE: "turn",
    layout.STEP: "step",
    layout.LIFE: "life lost",
    layout.ROUND: "round",
    layout.OVER: "over",
}
GAME = (layout.LIFE, layout.ROUND, layout.OVER)
"""What concerns no craft; the side that it concerns stands in its place, or -1."""
CONTACT_KINDS = {"remove": "hit", "count": "pass"}


@dataclass(frozen=True, slots=True)
class Told:
    """What an event is called, and what took part in it."""

    kind: str
    craft: str
    edge: str = ""
    rule: str = ""
    other: str = ""


def events_table(
    scenario: Scenario,
    lowered: Lowered,
    events: Floats,
    pacing: Pacing,
    lost: Sequence[tuple[float, str]],
) -> pd.DataFrame:
    """Return what the core wrote down, and the taps that were lost, in order of time."""
    owner = events[:, layout.EVENT_CRAFT].astype(np.int64)
    hits = events[owner < len(scenario.fleet)]  # a view meets the ends of the world in silence
    told = [
        _told(scenario, lowered, *numbers)
        for numbers in hits[
            :, [layout.EVENT_CRAFT, layout.EVENT_WHAT, layout.EVENT_OTHER, layout.EVENT_COUNT]
        ]
        .astype(np.int64)
        .tolist()
    ]
    scores = [_score(scenario, what) for what in hits[:, layout.EVENT_WHAT].astype(int).tolist()]
    scoring = np.flatnonzero([score is not None for score in scores])
    points = [score for score in scores if score is not None]
    for row, (side, _points) in zip(scoring.tolist(), points, strict=True):
        told.append(Told("score", told[row].craft, other=side))
    counts = np.abs(hits[:, layout.EVENT_COUNT].astype(np.int64))  # below 0: had no room
    counts = np.concatenate([counts, np.array([n for _side, n in points], dtype=np.int64)])
    hits = np.concatenate([hits, hits[scoring]])
    what, step = hits[:, layout.EVENT_WHAT], hits[:, layout.EVENT_STEP].astype(np.int64)
    met = (what < 0) & (what > layout.FIRST_STAGE)
    begins, ends = pacing.begins[step], pacing.ends[step]
    none, nowhere = np.full(len(lost), ""), np.full(len(lost), np.nan)
    tapped = np.array([t for t, _action in lost])
    during = np.searchsorted(pacing.times, tapped, side="right") - 1
    columns = {
        "t": (begins + hits[:, layout.EVENT_FRACTION] * (ends - begins), tapped),
        "kind": (_texts(one.kind for one in told), np.full(len(lost), "lost_tap")),
        "craft": (_texts(one.craft for one in told), none),
        "edge": (_texts(one.edge for one in told), none),
        "rule": (_texts(one.rule for one in told), none),
        "other": (_texts(one.other for one in told), none),
        "action": (np.full(len(hits), ""), _texts(action for _t, action in lost)),
        "x": (hits[:, layout.EVENT_X], nowhere),
        "y": (hits[:, layout.EVENT_Y], nowhere),
        "speed": (hits[:, layout.EVENT_SPEED], nowhere),
        "gap": (np.where(met, hits[:, layout.EVENT_GAP], np.nan), nowhere),
        "normal": (np.where(met, _degrees(scenario, hits), np.nan), nowhere),
        "count": (counts, np.ones(len(lost), np.int64)),
        "frame": (pacing.frame[step], during),
    }
    order = np.argsort(np.concatenate(columns["t"]), kind="stable")
    return pd.DataFrame({name: np.concatenate(parts)[order] for name, parts in columns.items()})


def _texts(texts: Iterable[str]) -> "np.ndarray[tuple[int], np.dtype[np.str_]]":
    return np.array(list(texts), dtype=str)


def _told(
    scenario: Scenario, lowered: Lowered, craft: int, what: int, met: int, count: int
) -> Told:
    if what in GAME:
        return Told(STAGE_KINDS[what], "", other=scenario.sides[craft] if craft >= 0 else "")
    one = scenario.fleet[craft]
    if what in STAGE_KINDS:
        return Told(STAGE_KINDS[what], one.name)
    if what < 0:
        contact, hard = divmod(-1 - what, 2)
        response = scenario.contact[contact].response
        kind = "hard hit" if hard else CONTACT_KINDS.get(response, response)
        return Told(kind, one.name, other=lowered.bodies[met])
    if what >= layout.FIRST_RULE:
        rule = lowered.owners[what - layout.FIRST_RULE][1]
        assert rule is not None
        return Told("no room" if count < 0 else rule.rule, one.name, rule=rule.label)
    side = [side for axis in AXES for side in scenario.arena.sides(axis)][what]
    return Told(getattr(scenario.arena_of(one).edges, side).kind, one.name, edge=side)


def _score(scenario: Scenario, what: int) -> tuple[str, int] | None:
    """Return the side that a contact scored for and its points, if it did."""
    if not layout.FIRST_STAGE < what < 0:
        return None
    contact = scenario.contact[(-1 - what) // 2]
    return (contact.scores, contact.points) if contact.scores else None


def _degrees(scenario: Scenario, hits: Floats) -> Floats:
    """Return the directions of normals as the arena counts angles, within one turn."""
    turned = Heading.of(scenario.arena).to_degrees(hits[:, layout.EVENT_NORMAL].copy())
    folded: Floats = (turned + 180.0) % 360.0 - 180.0
    return folded
