"""The data that the script of a page reads, for a scenario or for flights alone."""

from collections.abc import Mapping, Sequence
from typing import Any

from matplotlib import colormaps
from matplotlib.colors import to_hex

from tinrocket.comparison.comparison import Comparison
from tinrocket.page.core_data import core_data
from tinrocket.page.course_data import course_data
from tinrocket.page.replay_data import replay_data
from tinrocket.page.scene_data import scene_data
from tinrocket.scenario.other_timings import with_one_timing, with_rule_timings
from tinrocket.scenario.ranges import Range
from tinrocket.scenario.scenario import Scenario
from tinrocket.show import theme
from tinrocket.trajectory.trajectory import Trajectory

COLOURS = 5
SMALL = 40_000
"""Largest size of the games with another timing of each single rule [characters]."""


def page_data(
    scenario: Scenario | None,
    comparison: Comparison | None,
    flights: Sequence[Trajectory],
    *,
    file: str = "",
    plays: bool = True,
    timings: bool = True,
    token: str = "",
    ranges: Mapping[str, Range] | None = None,
) -> dict[str, Any]:
    """Return the data of a page.

    Parameters
    ----------
    scenario
        Scenario to play; None for logs.
    comparison
        Comparison to replay, or None.
    flights
        Flights that show the scene: at least one.
    file
        Name of the scenario's file, for the commands that the page prints.
    plays
        Whether the scenario can be flown by hand in the page.
    timings
        Whether it can be flown with other timings of its rules too.
    token
        Of the local server that hands the page out.
    ranges
        Ranges of some numbers, by their paths; others get sensible ranges.
    """
    cores: list[dict[str, Any]] = []
    if scenario is not None and plays:
        cores = _cores(scenario, ranges or {}, timings=timings and ranges is None)
    return {
        "title": flights[0].title,
        "file": file or "scenario.toml",
        "scene": scene_data(flights),
        "runs": [] if comparison is None else replay_data(comparison),
        "cores": cores,
        "course": course_data(scenario) if scenario is not None and cores else None,
        "palette": _palette(),
        "figures": [],
        "token": token,
        "choice": None,
    }


def _cores(
    scenario: Scenario, known: Mapping[str, Range], *, timings: bool
) -> list[dict[str, Any]]:
    """Return the game as it is written, and with other timings of its rules."""
    written = core_data(scenario, known)
    if written is None:
        return []
    cores = [{"name": "as written", "core": written}]
    if not timings:
        return cores
    ranges = {
        number["path"]: Range(number["low"], number["high"], number["step"])
        for number in written["numbers"]
    }
    others = list(with_one_timing(scenario))
    if len(written["module"]) <= SMALL:
        others += with_rule_timings(scenario)
    for name, changed in others:
        core = core_data(changed, ranges)
        if core is not None:
            cores.append({"name": name, "core": core})
    return cores


def _palette() -> list[list[str]]:
    """Return colours from slow to fast, on a light and on a dark page."""
    places = [n / (COLOURS - 1) for n in range(COLOURS)]
    light = [to_hex(theme.on_scale(place)) for place in places]
    dark = [to_hex(colormaps["inferno"](0.95 - 0.5 * place)) for place in places]
    return [list(pair) for pair in zip(light, dark, strict=True)]
