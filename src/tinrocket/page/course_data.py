"""One craft alone in the open, as a page measures its feel."""

import math
from typing import Any

from tinrocket.errors import TinRocketError
from tinrocket.feel_metrics.controls import WAYS, press_of
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.test_scenarios import FAR
from tinrocket.page.core_data import core_data
from tinrocket.scenario.rules import Flap
from tinrocket.scenario.scenario import Scenario


def course_data(scenario: Scenario) -> dict[str, Any] | None:
    """Return the course of the first craft that the player steers, or None if there is none."""
    if scenario.flown_by is not None:
        return None
    for craft in scenario.craft:
        if craft.pool or craft.grid:
            continue
        course = Course(scenario, craft, scenario.clock)
        try:
            place, controls = course.place, course.controls
            core = core_data(place)
        except TinRocketError:
            continue
        way = controls.straight
        flap = next((rule for rule in craft.rules if isinstance(rule, Flap)), None)
        if core is None or (way is None and flap is None):
            continue
        index = next(n for n, member in enumerate(place.craft) if member.name == craft.name)
        direction = None if way is None else WAYS.get(way, course.ahead)
        start = place.craft[index].start
        led = any(rule.places for rule in craft.rules)
        x, y = (0.0, 0.0) if led else (FAR * course.ahead[0], FAR * course.ahead[1])
        return {
            "name": craft.name,
            "core": core,
            "craft": place.fleet.firsts[index],
            "up": course.up,
            "hold": None if way is None else dict(controls.hold(way)),
            "direction": None if direction is None else _unit(direction),
            "press": None if flap is None else dict(press_of(place, flap)),
            "pointer": [start.x + x, start.y + y * course.up],
        }
    return None


def _unit(direction: tuple[float, float]) -> list[float]:
    length = math.hypot(*direction)
    return [component / length for component in direction]
