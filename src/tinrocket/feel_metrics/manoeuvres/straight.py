"""The straight run: how fast it gets, how soon, and over which distance."""

from dataclasses import dataclass

import numpy as np

from tinrocket.feel_metrics.answers import NEVER, NOT_YET, UNBOUNDED, Answer, Answers, found
from tinrocket.feel_metrics.controls import WAYS, Hold
from tinrocket.feel_metrics.course import SECONDS, Course, Flown, Held, Line
from tinrocket.feel_metrics.metric import STEP_RESPONSE, Curve, Manoeuvre, Metric, until
from tinrocket.feel_metrics.response import crossing, settled, value_at
from tinrocket.feel_metrics.test_scenarios import Point

MOVES = 1e-6
"""Speed below which a craft counts as at rest [px/s]."""


@dataclass(frozen=True, slots=True)
class Run:
    """A straight run: driven for `SECONDS` from the start, then let go for as long."""

    flown: Flown
    hold: Hold
    direction: Point

    @property
    def held(self) -> Line:
        """The flight along its direction, until it is let go."""
        return self.flown.along(self.direction).until(SECONDS)

    @property
    def top(self) -> float | None:
        """The speed to which it settles [px/s], or None if it keeps growing."""
        held = self.held
        return settled(held.vt, held.velocity)


def straight_run(course: Course) -> Run | None:
    """Fly straight ahead at full drive; None if no control moves the craft."""
    way = course.controls.straight
    if way is not None:
        direction = WAYS.get(way, course.ahead)
        return _run(course, course.controls.hold(way), direction)
    tried = [_run(course, hold, None) for hold in ({}, *course.controls.own)]
    if not tried or (not course.controls.own and _steers_nowhere(course)):
        return None
    best = max(tried, key=lambda run: float(run.flown.speed.max()))
    return best if best.flown.speed.max() > MOVES else None


def _steers_nowhere(course: Course) -> bool:
    """Return whether something else than its own drive moves the craft: a fall, or a target."""
    rules = course.craft.rules
    return not any(rule.rule in ("cruise", "lift") for rule in rules)


def _run(course: Course, hold: Hold, direction: Point | None) -> Run:
    flown = course.fly(Held(hold, 0.0, SECONDS), seconds=2 * SECONDS)
    if direction is None:
        n = int(np.argmax(flown.speed))
        speed = max(float(flown.speed[n]), MOVES)
        direction = float(flown.vx[n]) / speed, float(flown.vy[n]) / speed
    return Run(flown, hold, direction)


def _fly(course: Course) -> Answers:
    run = straight_run(course)
    if run is None:
        return {}
    t, place, vt, velocity = run.held
    top = run.top
    if top is None:
        return dict.fromkeys((metric.name for metric in STRAIGHT_RUN.metrics), UNBOUNDED)
    if abs(top) <= MOVES:
        nothing = dict.fromkeys((metric.name for metric in STRAIGHT_RUN.metrics), NEVER)
        return nothing | {"top speed": Answer(0.0)}
    tenth, most, all_of_it = (crossing(vt, velocity, top * share) for share in (0.1, 0.9, 0.98))
    rise = None if tenth is None or most is None else most - tenth
    start = float(place[0])
    return {
        "top speed": Answer(top),
        "rise time": found(rise, NOT_YET),
        "time to 98 %": found(all_of_it, NOT_YET),
        "distance to 90 %": found(most and value_at(t, place, most) - start, NOT_YET),
    }


def levels_curve(line: Line, of: float, shares: tuple[float, ...], xlabel: str) -> Curve:
    """Return a speed over time, with the shares of a speed at which numbers are read."""
    _t, _place, vt, velocity = line
    marks = [(crossing(vt, velocity, of * share), share) for share in shares]
    marked = tuple((at, share * of, f"{share:.0%}") for at, share in marks if at is not None)
    end = 1.4 * max((at for at, *_rest in marked), default=SECONDS)
    vt, velocity = until(vt, velocity, max(end, 4.0 * float(vt[-1] - vt[-2])))
    return Curve(vt, velocity, xlabel, "speed [px/s]", marked)


def _curve(course: Course) -> Curve | None:
    run = straight_run(course)
    if run is None or not run.top:
        return None
    return levels_curve(run.held, run.top, (0.1, 0.9, 0.98), "time [s]")


STRAIGHT_RUN = Manoeuvre(
    "straight run",
    (
        Metric(
            "top speed",
            "px/s",
            "The speed along its way to which the craft settles while it is driven for 20 s.",
            STEP_RESPONSE,
        ),
        Metric(
            "rise time",
            "s",
            "From 10 % to 90 % of the top speed, from rest.",
            STEP_RESPONSE,
        ),
        Metric(
            "time to 98 %",
            "s",
            "From rest until 98 % of the top speed: the settling time of 2 %.",
            STEP_RESPONSE,
        ),
        Metric("distance to 90 %", "px", "How far it came by the time it has 90 % of it."),
    ),
    _fly,
    _curve,
)
