"""The events as columns: kind, real time, craft."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.plan import Plan
from tinrocket.flight.event_labels import CONTACTS, EventLabel, event_label
from tinrocket.flight.pacing import Pacing
from tinrocket.flight.record import Events
from tinrocket.motion import events as kinds
from tinrocket.motion.angles import Heading
from tinrocket.scenario.condition import Condition
from tinrocket.scenario.contact import Outcome
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.columns import EventColumns
from tinrocket.trajectory.unique_rows import Indices, counted, kinds_of

Floats = NDArray[np.float64]
OF_GAME = (kinds.LIFE, kinds.ROUND, kinds.OVER, kinds.CONDITION, kinds.RESTART)
"""Events that concern the game as a whole."""


def scored_by(scenario: Scenario, kind: int, cause: int) -> list[Outcome | Condition]:
    """Return the scores that events of each kind count."""
    outcomes: Sequence[Outcome | Condition] = ()
    if kind in CONTACTS:
        outcomes = scenario.contact[cause].outcomes
    elif kind == kinds.CONDITION:
        outcomes = scenario.condition[cause : cause + 1]
    return [outcome for outcome in outcomes if outcome.scores]


@dataclass(frozen=True, slots=True, eq=False)
class _Told:
    """Rows of the event table before sorting: label, source event and count of each row."""

    labels: list[EventLabel]
    which: Indices
    rows: Indices
    counts: Indices


def _told(scenario: Scenario, plan: Plan, events: Events) -> _Told:
    """Return the recorded rows, with the scores last; most rows are alike."""
    # impacts of a view with the world's edges are no events
    seen = np.flatnonzero(events.craft < len(scenario.fleet))
    columns = [column[seen] for column in (events.kind, events.craft, events.cause, events.other)]
    firsts, alike = kinds_of(columns)
    causes = list(zip(*(column[firsts].tolist() for column in columns), strict=True))
    labels = [event_label(plan, *numbers) for numbers in causes]
    scoring = [scored_by(scenario, kind, cause) for kind, _craft, cause, _other in causes]
    scores = [
        EventLabel("score", label.craft, other=event.scores or "")
        for label, ones in zip(labels, scoring, strict=True)
        for event in ones
    ]
    points = np.array([event.points for ones in scoring for event in ones], dtype=np.int64)
    of_kind = np.array([len(ones) for ones in scoring], dtype=np.int64)
    many = of_kind[alike]
    score = (np.cumsum(of_kind) - of_kind)[alike].repeat(many) + counted(many)
    return _Told(
        [*labels, *scores],
        np.concatenate([alike, len(labels) + score]),
        np.concatenate([seen, seen.repeat(many)]),
        np.concatenate([events.count[seen].astype(np.int64), points[score]]),
    )


def event_columns(
    scenario: Scenario,
    plan: Plan,
    events: Events,
    pacing: Pacing,
    lost: Sequence[tuple[float, str]],
) -> EventColumns:
    """Return the recorded events and the lost taps in order of time."""
    told = _told(scenario, plan, events)
    labels, which, rows = told.labels, told.which, told.rows
    step, kind = events.step[rows], events.kind[rows]
    met = np.isin(kind, CONTACTS)
    begins, ends = pacing.begins[step], pacing.ends[step]
    none, nowhere = np.full(len(lost), ""), np.full(len(lost), np.nan)
    due = begins + events.fraction[rows] * (ends - begins)
    due = np.maximum(due, 0.0)  # an event reported long after it was due has rounded frames
    tapped = np.array([t for t, _action in lost])
    during = np.searchsorted(pacing.times, tapped, side="right") - 1
    columns = {
        "t": (due, tapped),
        "kind": (_texts(label.kind for label in labels)[which], np.full(len(lost), "lost_tap")),
        "craft": (_texts(label.craft for label in labels)[which], none),
        "edge": (_texts(label.edge for label in labels)[which], none),
        "rule": (_texts(label.rule for label in labels)[which], none),
        "other": (_texts(label.other for label in labels)[which], none),
        "action": (np.full(which.size, ""), _texts(action for _t, action in lost)),
        "x": (_placed(events.x, kind, rows), nowhere),
        "y": (_placed(events.y, kind, rows), nowhere),
        "speed": (events.speed[rows] * plan.unit, nowhere),
        "gap": (np.where(met, events.gap[rows], np.nan), nowhere),
        "normal": (np.where(met, _degrees(scenario, events.normal[rows]), np.nan), nowhere),
        "count": (told.counts, np.ones(len(lost), np.int64)),
        "frame": (pacing.frame[step], during),
    }
    order = np.argsort(np.concatenate(columns["t"]), kind="stable")
    return {name: np.concatenate(parts)[order] for name, parts in columns.items()}


def _placed(places: Floats, kind: NDArray[np.int32], rows: NDArray[np.int64]) -> Floats:
    """Return places; events of the game as a whole have none."""
    of_game = np.isin(kind, OF_GAME)
    return np.where(of_game, np.nan, places[rows])


def _texts(texts: Iterable[str]) -> "np.ndarray[tuple[int], np.dtype[np.str_]]":
    return np.array(list(texts), dtype=str)


def _degrees(scenario: Scenario, radians: Floats) -> Floats:
    """Return the directions of normals as the arena counts angles, within one turn."""
    turned = Heading.of(scenario.arena).to_degrees(radians.copy())
    folded: Floats = (turned + 180.0) % 360.0 - 180.0
    return folded
