"""Everything that the script of a page reads, for a scenario or for flights alone."""

from collections.abc import Mapping, Sequence
from typing import Any

from matplotlib import colormaps
from matplotlib.colors import to_hex

from tinrocket.comparison.comparison import Comparison
from tinrocket.page.core_data import core_data
from tinrocket.page.course_data import course_data
from tinrocket.page.replay_data import replay_data
from tinrocket.page.scene_data import scene_data
from tinrocket.scenario.numbers import Timing
from tinrocket.scenario.ranges import Range
from tinrocket.scenario.scenario import Scenario
from tinrocket.show import theme
from tinrocket.trajectory.trajectory import Trajectory

TIMINGS: tuple[tuple[Timing, str], ...] = (
    ("frame", "every rule per frame"),
    ("dt", "every rule times dt"),
    ("exact", "every rule exact"),
)
COLOURS = 5
SMALL = 40_000
"""Characters up to which the game is sent once more with another timing of each single rule."""


def page_data(
    scenario: Scenario | None,
    comparison: Comparison | None,
    flights: Sequence[Trajectory],
    *,
    file: str = "",
    plays: bool = True,
    timings: bool = True,
    token: str = "",
) -> dict[str, Any]:
    """Return what a page reads.

    Parameters
    ----------
    scenario
        What can be played; None of logs.
    comparison
        What is replayed, if anything is.
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
    """
    cores = _cores(scenario, timings=timings) if scenario is not None and plays else []
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
    }


def _cores(scenario: Scenario, *, timings: bool) -> list[dict[str, Any]]:
    """Return the game as it is written, and with other timings of its rules."""
    written = core_data(scenario)
    if written is None:
        return []
    found = [{"name": "as written", "core": written}]
    if not timings:
        return found
    ranges = {
        one["path"]: Range(one["low"], one["high"], one["step"]) for one in written["numbers"]
    }
    for timing, name in TIMINGS:
        changed = scenario.with_timing(timing)
        if changed != scenario:
            core = core_data(changed, ranges)
            if core is not None:
                found.append({"name": name, "core": core})
    if len(written["module"]) <= SMALL:
        found += _with_single_rules(scenario, ranges)
    return found


def _with_single_rules(scenario: Scenario, ranges: Mapping[str, Range]) -> list[dict[str, Any]]:
    """Return the game with one of its rules in another timing, for each rule and timing."""
    found = []
    for index, craft in enumerate(scenario.craft):
        for number, rule in enumerate(craft.rules):
            for timing, _name in TIMINGS:
                if craft.stepping == "closed_form" or timing == scenario.timing_of(craft, rule):
                    continue
                rules = list(craft.rules)
                rules[number] = rule.replaced(timing=timing)
                crafts = list(scenario.craft)
                crafts[index] = craft.replaced(rules=tuple(rules))
                core = core_data(scenario.replaced(craft=tuple(crafts)), ranges)
                if core is not None:
                    found.append({"name": f"{craft.name} {rule.label}: {timing}", "core": core})
    return found


def _palette() -> list[list[str]]:
    """Return colours from slow to fast, on a light and on a dark page."""
    places = [n / (COLOURS - 1) for n in range(COLOURS)]
    light = [to_hex(theme.on_scale(place)) for place in places]
    dark = [to_hex(colormaps["inferno"](0.95 - 0.5 * place)) for place in places]
    return [list(pair) for pair in zip(light, dark, strict=True)]
