"""Which events of two flights are the same, late, early, missing or extra."""

import pandas as pd

from tinrocket.analysis.trajectory import Trajectory

KEY = ["kind", "craft", "edge", "rule", "other", "action"]
OUTCOME_COLUMNS = [*KEY, "nth", "status", "late_ms", "t_reference", "t"]


def match_events(
    flight: Trajectory, reference: Trajectory, tolerance: float, until: float
) -> pd.DataFrame:
    """Match the events of two flights, in order, per kind and what took part.

    Parameters
    ----------
    tolerance
        How much later or earlier an event may be and still count as the same [s].
    until
        Events after this moment [s] are left out: frames do not all end there.

    Returns
    -------
    pandas.DataFrame
        A row for each event of either: kind, craft, edge, rule, action, nth (from 1), status
        (same, late, early, missing, extra), late_ms (negative if early), and when it
        was in the reference and in the flight [s].  Missing and extra come first.
    """
    sides = [_numbered(one, until) for one in (reference, flight)]
    both = sides[0].merge(sides[1], on=[*KEY, "nth"], how="outer", suffixes=("_reference", ""))
    both["late_ms"] = (both["t"] - both["t_reference"]) * 1000.0
    both["status"] = "same"
    both.loc[both["late_ms"] > tolerance * 1000.0, "status"] = "late"
    both.loc[both["late_ms"] < -tolerance * 1000.0, "status"] = "early"
    both.loc[both["t"].isna(), "status"] = "missing"
    both.loc[both["t_reference"].isna(), "status"] = "extra"
    rank = both["status"].map({"missing": 0, "extra": 0}).fillna(1)
    moment = both["t_reference"].fillna(both["t"])
    order = (
        pd.DataFrame({"rank": rank, "t": moment}).sort_values(["rank", "t"], kind="stable").index
    )
    return both.loc[order, OUTCOME_COLUMNS].reset_index(drop=True)


def _numbered(flight: Trajectory, until: float) -> pd.DataFrame:
    """Return the events, numbered per kind and what took part; a pool's craft are all one."""
    events = flight.events
    seen = events.loc[events["t"] <= until, ["t", *KEY]].copy()
    for column in ("craft", "other"):
        seen[column] = seen[column].map(flight.pooled)
    return seen.assign(nth=seen.groupby(KEY).cumcount() + 1)
