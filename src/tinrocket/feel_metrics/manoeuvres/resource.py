"""Resources: how long one lasts while it is spent, and how long it takes to fill."""

import numpy as np

from tinrocket.feel_metrics.answers import NOT_YET, Answers, found
from tinrocket.feel_metrics.controls import needed
from tinrocket.feel_metrics.course import SECONDS, Course, Held
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.scenario.resource import Resource
from tinrocket.scenario.rules import MotionRule
from tinrocket.trajectory.columns import RESOURCE


def _spender(course: Course) -> tuple[MotionRule, Resource] | None:
    """Return the first rule that spends a resource per second while held, and the resource."""
    for rule in course.craft.rules:
        spent = [cost.resource for cost in rule.costs if cost.rate is not None]
        if rule.fills and (getattr(rule, "rate", None) or 0.0) < 0.0:
            spent.append(rule.fills)
        model = course.craft.resource(spent[0]) if spent else None
        if model is not None and (rule.own_actions or rule.on):
            return rule, model
    return None


def _reached(t: np.ndarray, values: np.ndarray, level: float, *, down: bool) -> float | None:
    """Return when values first reach a level, in a straight line between two frames."""
    there = values <= level if down else values >= level
    rows = np.flatnonzero(there)
    if not rows.size:
        return None
    n = int(rows[0])
    if n == 0 or values[n] == values[n - 1]:
        return float(t[n])
    share = (level - values[n - 1]) / (values[n] - values[n - 1])
    return float(t[n - 1] + share * (t[n] - t[n - 1]))


def _fly(course: Course) -> Answers:
    spender = _spender(course)
    if spender is None:
        return {}
    rule, model = spender
    actions = course.place.actions
    hold = {name: 1.0 for name in rule.own_actions[:1] if name in actions}
    hold |= needed(course.place, rule)
    if not hold:
        return {}
    flown = course.fly(Held(hold, 0.0, SECONDS), seconds=2 * SECONDS)
    track = flown.flight.track(flown.craft)
    t, held = track["t"], track[RESOURCE + model.name]
    pressed = flown.seen(next(iter(hold)))
    noise = 1e-9 * (model.most - model.least)
    spent = t >= pressed
    empty = _reached(t[spent], held[spent], model.least + noise, down=True)
    answers: Answers = {"full to empty": found(None if empty is None else empty - pressed, NOT_YET)}
    freed = min(flown.seen(next(iter(hold)), SECONDS - course.frame / 2), 2 * SECONDS)
    rest = t >= freed
    if empty is not None and rest.any():
        full = _reached(t[rest], held[rest], model.most - noise, down=False)
        answers["empty to full"] = found(None if full is None else full - freed, NOT_YET)
    return answers


RESOURCE_METRICS = Manoeuvre(
    "resource",
    (
        Metric(
            "full to empty",
            "s",
            "How long the first resource that is spent per second lasts, from its level at the "
            "start, while the key of the rule that spends it is held.",
        ),
        Metric("empty to full", "s", "How long it then takes to be full again without that key."),
    ),
    _fly,
)
