"""The release at top speed: how long and how far it slides on."""

from tinrocket.feel_metrics.answers import NEVER, NOT_YET, Answer, Answers
from tinrocket.feel_metrics.course import SECONDS, Course, Floats, Line
from tinrocket.feel_metrics.manoeuvres.straight import MOVES, levels_curve, straight_run
from tinrocket.feel_metrics.metric import STEP_RESPONSE, Curve, Manoeuvre, Metric
from tinrocket.feel_metrics.response import crossing, settled, value_at

REST = 0.02
"""The share of its speed below which a craft counts as at rest: the 2 % of a settling time."""


def _released(course: Course) -> Line | None:
    """Return the flight along its direction from the frame that sees the release on."""
    run = straight_run(course)
    if run is None or not run.hold:
        return None
    seen = run.flown.seen(next(iter(run.hold)), after=SECONDS - course.frame / 2)
    after = run.flown.since(min(seen, SECONDS))
    line = after.along(run.direction)
    return line if abs(line.velocity[0]) > MOVES else None


def _fly(course: Course) -> Answers:
    released = _released(course)
    if released is None:
        return {}
    t, place, vt, velocity = released
    speed = float(velocity[0])
    rest, half = (crossing(vt, velocity, speed * share) for share in (REST, 0.5))
    none = _because(vt, velocity)
    return {
        "time to rest": none if rest is None else Answer(rest),
        "distance to rest": none
        if rest is None
        else Answer(value_at(t, place, rest) - float(place[0])),
        "half-speed time": none if half is None else Answer(half),
    }


def _because(t: Floats, velocity: Floats) -> Answer:
    """Return why it does not come to rest: nothing slows it, or the time limit is reached."""
    return NOT_YET if settled(t, velocity) is None else NEVER


def _curve(course: Course) -> Curve | None:
    released = _released(course)
    if released is None:
        return None
    speed = float(released.velocity[0])
    return levels_curve(released, speed, (0.5, REST), "time since the release [s]")


RELEASE = Manoeuvre(
    "release",
    (
        Metric(
            "time to rest",
            "s",
            "From the frame that sees the release at top speed until 2 % of that speed is left.",
            STEP_RESPONSE,
        ),
        Metric("distance to rest", "px", "How far it slides meanwhile."),
        Metric("half-speed time", "s", "From that frame until half of the speed is left."),
    ),
    _fly,
    _curve,
)
