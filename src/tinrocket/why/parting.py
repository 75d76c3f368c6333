"""The first divergence of two runs by more than rounding, and its rule."""

from dataclasses import dataclass

import numpy as np
import pandas as pd

from tinrocket.scenario.clock import Clock
from tinrocket.trajectory.trace import trace
from tinrocket.why.explain import Explained

ROUNDING = 1e-7
"""Difference of two runs that is rounding [px, px/s, or degrees]."""
SEEN = {"heading": "deg", "spin": "deg/s", "vx": "px/s", "vy": "px/s", "x": "px", "y": "px"}
"""Compared values, causes before effects."""


@dataclass(frozen=True, slots=True)
class Parting:
    """First divergence of two runs.

    Attributes
    ----------
    since, until
        Span of the divergence [s]: between two moments at which both have a frame.
    rule
        Part of the step that differs: a rule, edges, contacts, or the stage.
    value, unit
        Value and unit: heading, spin, vx, vy, x or y.
    run, tuned
        Its change of that value in the run, and in the tuned one.
    """

    since: float
    until: float
    rule: str
    value: str
    unit: str
    run: float
    tuned: float

    def __str__(self) -> str:
        """Return the divergence in a sentence."""
        return (
            f"first divergence: {self.since:.2f}–{self.until:.2f} s, in '{self.rule}': "
            f"{self.value} {self.run:+.4g} {self.unit} instead of {self.tuned:+.4g}"
        )


def first_parting(explained: Explained) -> Parting | None:
    """Return the first divergence of a run from the tuned one; None without one.

    Runs are compared at common frames, and within the span before by what each rule adds to the
    state.
    """
    case = explained.case
    none = frozenset[int]()
    flight, tuned = case.flight(none), case.plans.tuned(none)
    if flight is None or tuned is None:
        return None
    mine, its = flight.track(case.craft), tuned.track(case.craft)
    moments = np.array([t for t in mine["t"] if np.abs(its["t"] - t).min() < 1e-9])
    if moments.size < 2:
        return None
    rows = [np.searchsorted(track["t"], moments - 1e-9) for track in (mine, its)]
    apart = np.zeros(moments.size)
    for name in ("heading", "vx", "vy", "x_unwrapped", "y_unwrapped"):
        values = [track[name][at] for track, at in zip((mine, its), rows, strict=True)]
        apart = np.maximum(apart, np.abs(values[0] - values[1]))
    parted = np.flatnonzero(apart > ROUNDING)
    if not parted.size or parted[0] == 0:
        return None
    since, until = float(moments[parted[0] - 1]), float(moments[parted[0]])
    clocks = case.clock, Clock(rate=case.plans.scenario.tuned_at)
    added = [_added(explained, clock, since, until) for clock in clocks]
    for value, unit in SEEN.items():
        for rule in dict.fromkeys((*added[0].index, *added[1].index)):
            run, then = (
                float(added_part[value].get(rule, 0.0)) if value in added_part else 0.0
                for added_part in added
            )
            if abs(run - then) > ROUNDING:
                return Parting(since, until, str(rule), value, unit, run, then)
    return None


def _added(explained: Explained, clock: Clock, since: float, until: float) -> pd.DataFrame:
    """Return what each rule adds to each value in a span of time, a row for each."""
    case = explained.case
    table = trace(case.plans.scenario, case.craft, since, until, clock=clock, each_rule=True)
    if table.empty:  # no time passes
        return pd.DataFrame()
    names = [name for name in SEEN if name in table]
    gained = table[names].diff()
    gained["after"] = table["after"]
    gained = gained[table["after"] != "begin"]
    return gained.groupby("after", sort=False)[names].sum()
