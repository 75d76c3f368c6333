"""Match the events of a log with those of its reference, by the columns of the log."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.comparison.outcomes import KEY, match_seen, seen_events
from tinrocket.scenario.event_kinds import BY_NAME
from tinrocket.scenario.rules import KINDS
from tinrocket.trajectory.columns import EventColumns
from tinrocket.trajectory.trajectory import Trajectory

Seen = dict[str, NDArray[Any]]

EVENT_KINDS = frozenset(
    {"score", "condition", *BY_NAME, *(kind.model_fields["rule"].default for kind in KINDS)}
)
"""Columns of the events of scenarios' flights."""
GONE, THERE = "gone", "there"
"""Names of the events that a craft disappears, and appears again."""
NOT_SAID = ("edge", "rule", "other", "action")
"""Columns of events that logs lack."""


@dataclass(frozen=True, slots=True)
class Tells:
    """The kinds of events that a flight records.

    Attributes
    ----------
    kinds
        Kinds that it names; None if it records no events.
    said
        Whether the game itself recorded them, with kinds and craft only.
    """

    kinds: frozenset[str] | None = None
    said: bool = False


def match_told(
    flight: tuple[Trajectory, Tells],
    reference: tuple[Trajectory, Tells],
    craft: Sequence[str],
    late: float,
    until: float,
) -> tuple[EventColumns, tuple[str, ...]]:
    """Match the events of a log with those of its reference; see `match_events`.

    Kinds that both can record are compared, for the craft of both, and when these craft appear and
    disappear.  A wrap follows from places, and is matched by its edge, too.

    Parameters
    ----------
    flight, reference
        The log, its reference, and the kinds of events that each records.
    craft
        Craft that both have.
    late
        Largest difference in time of an event that counts as the same [s].
    until
        Last moment to compare [s].

    Returns
    -------
    The result of `match_events`, and notes on events that are not compared.
    """
    said = flight[1].said or reference[1].said
    sides = [seen_events(flight_of, until) for flight_of, _tells in (reference, flight)]
    if not said:
        return match_seen(sides[0], sides[1], late), ()
    mine, theirs = (_kinds_of(side) for side in (sides[1], sides[0]))
    kinds, known = _compared(flight[1], mine), _compared(reference[1], theirs)
    names = {kind: kind for kind in EVENT_KINDS} | {_plain(kind): kind for kind in theirs}
    sides[1]["kind"] = _texts(names.get(_plain(kind), kind) for kind in sides[1]["kind"])
    kinds = None if kinds is None else {names.get(_plain(kind), kind) for kind in kinds}
    some = kinds if known is None else known if kinds is None else kinds | known
    if not flight[1].said:
        some = known
    elif not reference[1].said:  # the kinds that a scenario can record
        some = (kinds or set()) & (EVENT_KINDS | theirs)
    elif flight[1].kinds is None or reference[1].kinds is None:
        some = set()
    some = (some or set()) | ({"wrap"} if _wraps(flight[0]) and _wraps(reference[0]) else set())
    left_out = sorted((theirs | mine) - some - {"wrap", "lost_tap"})
    shared = {
        "",
        *(known_name for name in craft for known_name in (name, reference[0].pooled(name))),
    }
    for side, trajectory in zip(sides, (reference[0], flight[0]), strict=True):
        rows = np.isin(side["kind"], list(some)) & np.isin(side["craft"], list(shared))
        for name in side:
            side[name] = side[name][rows]
        for name in NOT_SAID:
            keep = (side["kind"] == "wrap") & (name == "edge")
            side[name] = np.where(keep, side[name], "")
        for name, values in _presence(trajectory, craft, reference[0], until).items():
            side[name] = np.concatenate([side[name], values])
        order = np.argsort(side["t"], kind="stable")
        for name in side:
            side[name] = side[name][order]
    notes = (
        [f"events that only one of them has are not compared: {', '.join(left_out)}"]
        if left_out
        else []
    )
    return match_seen(sides[0], sides[1], late), tuple(notes)


def _compared(tells: Tells, kinds: set[str]) -> set[str] | None:
    """Return the kinds that a flight records; None for a log without events."""
    if not tells.said:
        return None
    return set() if tells.kinds is None else set(tells.kinds) | kinds


def _kinds_of(side: Mapping[str, NDArray[Any]]) -> set[str]:
    return set(map(str, side["kind"]))


def _plain(kind: object) -> str:
    return str(kind).strip().lower().replace(" ", "_").replace("-", "_")


def _texts(texts: Any) -> NDArray[np.str_]:
    return np.array(list(texts), dtype=np.str_)


def _wraps(flight: Trajectory) -> bool:
    """Return whether a flight has a seam along any axis."""
    return any(
        flight.seam(axis, name) is not None for axis in ("x", "y") for name in flight.craft[:64]
    )


def _presence(
    flight: Trajectory, craft: Sequence[str], reference: Trajectory, until: float
) -> Seen:
    """Return the moments at which craft disappear and appear again, as events."""
    moments, kinds, whose = [], [], []
    if "alive" in flight.recorded.names:
        for name in craft:
            if reference.compared_by_events(name) or flight.compared_by_events(name):
                continue
            track = flight.track(name)
            there = track["alive"] != 0.0
            for row in np.flatnonzero(there[1:] != there[:-1]) + 1:
                if track["t"][row] <= until:
                    moments.append(float(track["t"][row]))
                    kinds.append(THERE if there[row] else GONE)
                    whose.append(name)
    none = _texts([""] * len(moments))
    seen: Seen = dict.fromkeys(KEY, none)
    return seen | {"t": np.array(moments), "kind": _texts(kinds), "craft": _texts(whose)}
