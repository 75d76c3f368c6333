"""The controls of an update function, found by holding each of its keys alone."""

import math
from typing import TYPE_CHECKING

from tinrocket.feel_metrics.controls import Controls, Hold
from tinrocket.scenario.rules.base import Way

if TYPE_CHECKING:
    from tinrocket.feel_metrics.course import Course

HELD = 1.0
"""Time for which each key is held [s]."""
TURNED = 1.0
"""A key that turns the craft farther than this steers it [degrees]."""
MOVED = 0.5
"""A key that takes the craft farther than this drives it [px]."""
ALONG = 0.9
"""Cosine of the largest angle that counts as straight ahead."""


def found_controls(course: "Course") -> Controls:
    """Return for each direction the key that takes the craft there."""
    from tinrocket.feel_metrics.course import Held  # wrapped to half a turn either way

    actions = course.whole.actions
    still = course.fly(seconds=HELD)
    ways: dict[Way, Hold] = {}
    for action in actions:
        hold = {action: 1.0}
        flown = course.fly(Held(hold, 0.0, HELD), seconds=HELD)
        turned = float(flown.heading[-1] - still.heading[-1])
        x, y = float(flown.x[-1] - still.x[-1]), float(flown.y[-1] - still.y[-1])
        if math.isfinite(turned) and abs(turned) > TURNED:
            ways.setdefault("turn left" if turned > 0.0 else "turn right", hold)
        elif math.hypot(x, y) > MOVED:
            ways.setdefault(_way(course, (x, y), math.isfinite(turned)), hold)
    return Controls(ways, (), actions)


def _way(course: "Course", moved: tuple[float, float], points: bool) -> Way:
    """Return the direction of a motion: ahead or back if the craft points along it."""
    along = sum(a * b for a, b in zip(course.ahead, moved, strict=True)) / math.hypot(*moved)
    if points and along > ALONG:
        return "ahead"
    if points and along < -ALONG:
        return "back"
    if abs(moved[0]) >= abs(moved[1]):
        return "right" if moved[0] > 0.0 else "left"
    return "up" if moved[1] > 0.0 else "down"
