"""Steps: what a single press of a turn or of a step does."""

from tinrocket.feel_metrics.answers import NEVER, NOT_THIS, Answer, Answers
from tinrocket.feel_metrics.controls import Hold, needed, press_of
from tinrocket.feel_metrics.course import SECONDS, Course
from tinrocket.feel_metrics.manoeuvres.straight import MOVES
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.scenario.rules import MoveBy, TurnBy


def _fly(course: Course) -> Answers:
    rules = course.craft.rules
    turns = next((rule for rule in rules if isinstance(rule, TurnBy)), None)
    moves = next((rule for rule in rules if isinstance(rule, MoveBy)), None)
    way = course.controls.first("turn right", "turn left")
    if turns is None and moves is None and way is None:
        return {}
    answers = dict.fromkeys((metric.name for metric in STEPS.metrics), NOT_THIS)
    if turns is not None:
        name = next(name for name in (turns.right, turns.left) if name)
        answers["turn step"] = _degrees(course, {name: 1.0} | needed(course.place, turns))
    elif way is not None:
        answers["one-frame turn"] = _degrees(course, course.controls.hold(way))
    if moves is not None:
        flown = course.tap(press_of(course.place, moves), seconds=1.0)
        idle = course.fly(seconds=1.0)
        apart = (flown.x[1] - idle.x[1]) ** 2 + (flown.y[1] - idle.y[1]) ** 2
        answers["step of a press"] = Answer(float(apart**0.5))
    return answers


def _degrees(course: Course, hold: Hold) -> Answer:
    """Return the change of the heading by a press of one frame, once it turns no more."""
    flown, idle = course.tap(hold), course.fly()
    turned = abs((flown.heading - flown.heading[0]) - (idle.heading - idle.heading[0]))
    late = turned[flown.t >= SECONDS - 1.0]
    return NEVER if float(late.max() - late.min()) > MOVES else Answer(float(turned[-1]))


STEPS = Manoeuvre(
    "steps",
    (
        Metric("one-frame turn", "deg", "How far a press of one frame turns it in all."),
        Metric("turn step", "deg", "How far one press turns it that turns by an angle."),
        Metric("step of a press", "px", "How far one press moves it in its frame."),
    ),
    _fly,
)
