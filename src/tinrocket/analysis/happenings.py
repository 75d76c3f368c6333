"""The table of events: what happened, when in real time, to which craft."""

from collections.abc import Sequence

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


def events_table(
    scenario: Scenario,
    lowered: Lowered,
    events: Floats,
    pacing: Pacing,
    lost: Sequence[tuple[float, str]],
) -> pd.DataFrame:
    """Return what the core wrote down, and the taps that were lost, in order of time."""
    owner = events[:, layout.EVENT_CRAFT].astype(np.int64)
    hits = events[owner < len(scenario.craft)]  # a view meets the ends of the world in silence
    owner = hits[:, layout.EVENT_CRAFT].astype(np.int64)
    step = hits[:, layout.EVENT_STEP].astype(np.int64)
    what = hits[:, layout.EVENT_WHAT].astype(np.int64)
    sides = [side for axis in AXES for side in scenario.arena.sides(axis)]
    edges = [scenario.arena_of(craft).edges for craft in scenario.craft]
    kinds, edge, rule, other = [], [], [], []
    met = hits[:, layout.EVENT_OTHER].astype(np.int64)
    for craft, index, body in zip(owner.tolist(), what.tolist(), met.tolist(), strict=True):
        if index < 0:
            contact, hard = divmod(-1 - index, 2)
            response = scenario.contact[contact].response
            kinds.append(
                "hard hit" if hard else {"remove": "hit", "count": "pass"}.get(response, response)
            )
            edge.append("")
            rule.append("")
            other.append(lowered.bodies[body])
            continue
        other.append("")
        found = lowered.owners[index - layout.FIRST_RULE][1] if index >= layout.FIRST_RULE else None
        kinds.append(found.rule if found else getattr(edges[craft], sides[index]).kind)
        edge.append("" if found else sides[index])
        rule.append(found.label if found else "")
    begins, ends = pacing.begins[step], pacing.ends[step]
    none, nowhere = np.full(len(lost), ""), np.full(len(lost), np.nan)
    tapped = np.array([t for t, _action in lost])
    during = np.searchsorted(pacing.times, tapped, side="right") - 1
    names = np.array([craft.name for craft in scenario.craft])
    columns = {
        "t": (begins + hits[:, layout.EVENT_FRACTION] * (ends - begins), tapped),
        "kind": (np.array(kinds, dtype=str), np.full(len(lost), "lost_tap")),
        "craft": (names[owner], none),
        "edge": (np.array(edge, dtype=str), none),
        "rule": (np.array(rule, dtype=str), none),
        "other": (np.array(other, dtype=str), none),
        "action": (np.full(len(hits), ""), np.array([action for _t, action in lost], dtype=str)),
        "x": (hits[:, layout.EVENT_X], nowhere),
        "y": (hits[:, layout.EVENT_Y], nowhere),
        "speed": (hits[:, layout.EVENT_SPEED], nowhere),
        "gap": (np.where(what < 0, hits[:, layout.EVENT_GAP], np.nan), nowhere),
        "normal": (np.where(what < 0, _degrees(scenario, hits), np.nan), nowhere),
        "count": (hits[:, layout.EVENT_COUNT].astype(np.int64), np.ones(len(lost), np.int64)),
        "frame": (pacing.frame[step], during),
    }
    order = np.argsort(np.concatenate(columns["t"]), kind="stable")
    return pd.DataFrame({name: np.concatenate(parts)[order] for name, parts in columns.items()})


def _degrees(scenario: Scenario, hits: Floats) -> Floats:
    """Return the directions of normals as the arena counts angles, within one turn."""
    turned = Heading.of(scenario.arena).to_degrees(hits[:, layout.EVENT_NORMAL].copy())
    folded: Floats = (turned + 180.0) % 360.0 - 180.0
    return folded
