"""Rules in exact timing, with numbers that do in the tuned frame what they did there before."""

import math
from typing import Any

from tinrocket.scenario.numbers import Timing, frames_in
from tinrocket.scenario.rules import Dash, Drag, Ease, Fall, Follow, MotionRule
from tinrocket.scenario.view import View


def exactly(rule: MotionRule, timing: Timing, tuned_at: float) -> MotionRule:
    """Return a rule in exact timing that does the same in a frame of the tuned rate.

    Parameters
    ----------
    rule
        With its numbers per second.
    timing
        How it has used the length of the frame.
    tuned_at
        Frames per second.
    """
    changes: dict[str, Any] = {"timing": "exact"}
    if isinstance(rule, Drag) and timing == "dt":
        kept = 1.0 - decay(rule, tuned_at) / tuned_at
        if kept > 0.0:  # below, there is no exact form that does the same
            changes |= {"keep": kept, "at": None, "rate": None, "half_life": None}
    elif isinstance(rule, Ease) and timing == "dt":
        changes |= _eased(rule, tuned_at)
    elif isinstance(rule, Follow) and timing == "dt" and rule.lag is not None:
        kept = 1.0 - math.log(2.0) / rule.lag / tuned_at
        if kept > 0.0:
            changes["lag"] = math.log(2.0) / (-math.log(kept) * tuned_at)
    elif isinstance(rule, Fall) and rule.terminal is not None and rule.accel is not None:
        kept = 1.0 - rule.accel / rule.terminal / tuned_at
        if kept > 0.0:
            changes["accel"] = -math.log(kept) * tuned_at * rule.terminal
    elif isinstance(rule, Dash) and frames_in(rule.duration) is None and timing != "exact":
        # it ended with the first frame that began after it
        changes["duration"] = math.ceil(float(rule.duration) * tuned_at - 1e-9) / tuned_at
    return rule.replaced(**changes)


def view_exactly(view: View, timing: Timing, tuned_at: float) -> View:
    """Return a view in exact timing that does the same in a frame of the tuned rate."""
    changes: dict[str, Any] = {"timing": "exact"}
    if timing == "dt" and view.eased:
        changes |= _eased(view, tuned_at)
    return view.replaced(**changes)


def _eased(form: Ease | View, tuned_at: float) -> dict[str, Any]:
    share = min(decay(form, tuned_at) / tuned_at, 1.0)
    return {"fraction": share, "fraction_at": None, "rate": None, "half_life": None}


def decay(form: Drag | Ease | View, tuned_at: float) -> float:
    """Return the rate r of a decay exp(-r t) from whichever form it is typed in [1/s]."""
    if form.rate is not None:
        return form.rate
    if form.half_life is not None:
        return math.log(2.0) / form.half_life
    if isinstance(form, Drag):
        kept, at = form.keep, form.at
    else:
        kept, at = 1.0 - (form.fraction or 0.0), form.fraction_at
    if kept is None or kept <= 0.0:
        return math.inf
    return -math.log(kept) * (at or tuned_at)
