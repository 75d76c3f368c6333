"""Assertions of feel for the tests of a game."""

import os
from collections.abc import Sequence
from pathlib import Path

from tinrocket.errors import FileError
from tinrocket.feel_metrics.measuring import feel
from tinrocket.feel_metrics.pin import SHARE, difference, pin
from tinrocket.feel_metrics.pin_file import read_pin, write_pin
from tinrocket.files import as_path
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.clocks import RATES


def assert_same_feel(
    scenario: Scenario, other: Scenario, tolerance: float = 0.05, rates: Sequence[float] = ()
) -> None:
    """Assert that two scenarios have the same feel metrics.

    Parameters
    ----------
    scenario, other
        The scenario.
    tolerance
        Relative difference of a number that is allowed.
    rates
        Frames per second; default: the tuned rate of each.

    Raises
    ------
    AssertionError
        With a line for each number that differs.

    Examples
    --------
    >>> rocket = tr.read_demo("rocket")
    >>> tr.assert_same_feel(rocket, rocket)
    """
    __tracebackhide__ = True  # pytest then shows the sentence, not this source
    sheets = [feel(it, rates=tuple(rates) or (it.tuned_at,)) for it in (scenario, other)]
    differ = []
    theirs = {(row.craft, row.manoeuvre, row.metric): row for row in sheets[1].rows}
    by_rate = {(row.craft, row.manoeuvre, row.metric, row.rate): row for row in sheets[1].rows}
    for row in sheets[0].rows:
        key = row.craft, row.manoeuvre, row.metric
        same = by_rate.get((*key, row.rate)) if rates else theirs.get(key)
        mine, its = row.answer, same.answer if same else None
        if its is not None and mine.note == its.note:
            gap = abs(mine.value - its.value)
            if mine.note or gap <= tolerance * max(abs(mine.value), abs(its.value)) + 1e-9:
                continue
        lines = [
            "not there" if answer is None else answer.note or f"{answer.value:.4g}"
            for answer in (mine, its)
        ]
        differ.append(
            f"  {row.clock}: {row.craft}, {row.manoeuvre}, {row.metric.name}"
            f" [{row.metric.unit or '1'}]: {lines[0]} and {lines[1]}"
        )
    if differ:
        head = f"{len(differ)} feel metrics differ by more than {100 * tolerance:g} %:"
        raise AssertionError("\n".join([head, *differ]))


def assert_pinned(
    scenario: Scenario,
    path: Path | str,
    tolerance: float = SHARE,
    rates: Sequence[float] = RATES,
    *,
    update: bool = False,
) -> None:
    """Assert that a scenario matches its pin; write the pin if it does not exist.

    Parameters
    ----------
    scenario
        The scenario.
    path
        The pin, written by ``tinrocket pin`` or by this function.
    tolerance
        Relative change of a number that is allowed.
    rates
        Frames per second of a new pin; an existing pin stores its own.
    update
        Whether to replace the pin instead of comparing with it.

    Raises
    ------
    AssertionError
        With each changed value, the change, and the changed numbers of the scenario.
    FileError
        If the pin does not exist and the environment variable ``CI`` is set: there, a missing pin
        is a mistake.
    """
    __tracebackhide__ = True
    if update or not as_path(path).exists():
        if not update and os.environ.get("CI"):
            raise FileError(f"{path}: there is no pin; write it where you develop, and keep it")
        write_pin(pin(scenario, rates), path)
        return
    pinned = read_pin(path)
    changed = difference(pinned, pin(scenario, pinned.rates), tolerance)
    if changed:
        raise AssertionError(f"{path}: {changed}")
