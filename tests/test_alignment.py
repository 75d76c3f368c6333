"""Alignment of events at the least total cost."""

import itertools
from dataclasses import replace
from functools import cache

import numpy as np
import pandas as pd
import pytest
from hypothesis import assume, example, given
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.comparison.alignment import align
from tinrocket.comparison.outcomes import match_events
from tinrocket.comparison.verdicts import verdict_lines

from .conftest import MOVE, scenario

WALLS = {"width": 100, "height": 100, "edges": "bounce"}
TICK = 1 / 60


def least_cost(first, other, reach):
    """The textbook recursion over all ways to pair two sequences in order."""

    @cache
    def rest(i, j):
        if i == len(first) or j == len(other):
            return (len(first) - i + len(other) - j) * reach / 2
        paired = abs(first[i] - other[j]) + rest(i + 1, j + 1)
        return min(paired, rest(i + 1, j) + reach / 2, rest(i, j + 1) + reach / 2)

    return rest(0, 0)


moments = st.lists(st.sampled_from(np.arange(0, 3, 0.1).round(1).tolist()) | st.floats(0, 3))


@given(moments, moments, st.sampled_from([0.1, 0.5, 1.0, 4.0]))
def test_no_other_pairing_costs_less(first, other, reach):
    first, other = sorted(first)[:9], sorted(other)[:9]
    mine, theirs = align(np.array(first, float), np.array(other, float), reach)
    assert (np.diff(mine) > 0).all()
    assert (np.diff(theirs) > 0).all()
    moved = sum(abs(first[i] - other[j]) for i, j in zip(mine, theirs, strict=True))
    alone = len(first) + len(other) - 2 * len(mine)
    assert moved + alone * reach / 2 == pytest.approx(least_cost(tuple(first), tuple(other), reach))


@pytest.mark.parametrize(("first", "other"), [(4000, 3990), (300, 4000)])
def test_crowds_at_one_moment_are_paired_off(first, other):
    pairs = align(np.full(first, 1.0), np.full(other, 1.0), 1.0)
    assert pairs[0].size == pairs[1].size == min(first, other)


@pytest.mark.parametrize("several", [1, 3])
def test_moments_of_a_large_crowd_pair_with_the_nearest(several):
    """Each moment moves by less than half of the way to the next, so that its own is nearest."""
    random = np.random.default_rng(5)
    due = (np.arange(60_000) * 0.02).repeat(several)
    came = due + random.uniform(-0.009, 0.009, 60_000).repeat(several)
    gone, added = (np.sort(random.choice(due.size, 700, replace=False)) for _ in range(2))
    kept, extra = np.delete(np.arange(due.size), gone), due[added] + 2000.0
    other = np.concatenate([came[kept], extra])
    mine, theirs = align(due, other, 0.05)
    assert np.abs(due[mine] - other[theirs]).max() < 0.009
    assert mine.size == kept.size
    assert (np.diff(mine) > 0).all()
    assert (np.diff(theirs) > 0).all()
    assert theirs.max() < kept.size
    assert align(due, np.empty(0), 0.05)[0].size == 0


def with_events(flight, times, label):
    """Return a flight in which one kind of event happened at these times, and no other."""
    row = dict.fromkeys(flight.events.columns, "") | {"kind": "bounce", "craft": "top"} | label
    table = pd.DataFrame([row | {"t": t} for t in times], columns=flight.events.columns)
    return replace(flight, make_events=lambda: {name: table[name].to_numpy() for name in table})


@given(
    st.lists(
        st.tuples(
            st.floats(0.4, 0.9),
            st.sampled_from(["keep", "keep", "keep", "drop", "late", "early", "add"]),
        ),
        min_size=4,
        max_size=14,
    )
)
@example(changes=[(0.5, "keep"), (0.5, "keep"), (0.5, "keep"), (0.7734375, "keep")])
def test_dropped_added_and_shifted_events_are_found(changes):
    """An event is added in the middle between two that stay, and not just before a lost one.

    One added and one lost side by side may be told as moves as well, where these cost less.
    """
    kinds = [change for _gap, change in changes]
    assume(("add", "drop") not in itertools.pairwise(kinds))
    changes = [(0.4, "keep"), *changes, (0.4, "keep")]
    before, after, expected, t = [], [], [], 0.0
    for place, (gap, change) in enumerate(changes):
        t += gap
        before.append(t)
        if change == "add" and changes[place - 1][1] in ("keep", "add"):
            after.append(t - gap / 2)
            expected.append((t - gap / 2, "extra"))
        shift = {"late": 0.1, "early": -0.1}.get(change, 0.0)
        if change != "drop":
            after.append(t + shift)
        name = {"drop": "missing", "late": "late", "early": "early"}.get(change, "same")
        expected.append((t, name))
    flight = tr.simulate(scenario(MOVE))
    sides = [with_events(flight, times, {"edge": "left"}) for times in (after, before)]
    found = pd.DataFrame(match_events(*sides, TICK, until=100.0))
    when = found["t_reference"].fillna(found["t"])
    assert found["status"].tolist() == [status for _t, status in expected]
    assert when.tolist() == pytest.approx([t for t, _status in expected], abs=1e-9)


def test_a_lost_bounce_of_a_rally_is_one_lost_bounce():
    """Kinds and participants are matched separately."""
    compared = tr.compare(scenario(MOVE, start={"vx": 90}, arena=WALLS, duration=9), [60, 144])
    one = compared.runs[1]
    lost = {name: np.delete(column, 2) for name, column in one.flight.happened.items()}
    flight = replace(one.flight, make_events=lambda: lost)
    run = type(one).of("", flight, one.reference, TICK, 9.0)
    differ = run.outcomes[run.outcomes["status"] != "same"]
    assert len(differ) == 1
    assert differ.iloc[0][["status", "edge", "nth"]].tolist() == ["missing", "right", 2]
    lines = verdict_lines(replace(compared, runs=(compared.runs[0], run)))
    assert lines[0].startswith("1 of 2 runs agree with the run tuned at 60 fps within 2 px; 1 with")
    assert "; at 3.33 s the bounce at the right edge is missing" in lines[1]
    assert "after it" not in lines[1]


def test_events_of_slow_and_fast_runs():
    """Bounces between walls 100 px apart: one a second, at other rates in proportion."""
    first = scenario(MOVE, start={"vx": 100}, arena=WALLS, timing="frame", duration=4.4)
    slow, same, fast = (run.outcomes for run in tr.compare(first, rates=[50, 60, 72]).runs)
    assert same["status"].tolist() == ["same"] * 4
    assert slow["status"].tolist() == ["late", "late", "late", "missing"]
    assert slow["late_ms"].tolist()[:3] == pytest.approx([200, 400, 600])
    assert slow["t_reference"].tolist() == pytest.approx([1, 2, 3, 4])
    assert fast["status"].tolist() == ["early"] * 4 + ["extra"]
    assert fast["late_ms"].tolist()[:4] == pytest.approx([-1000 * n / 6 for n in (1, 2, 3, 4)])
    assert fast.iloc[-1][["edge", "nth"]].tolist() == ["right", 3]
    table = tr.compare(first, rates=[50, 72]).table
    assert table["verdict"].tolist() == ["outcome differs"] * 2
    assert table[["missing", "extra", "shifted"]].to_numpy().tolist() == [[1, 0, 3], [0, 1, 4]]
