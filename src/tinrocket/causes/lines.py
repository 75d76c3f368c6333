"""The line to write instead: an expression that any language has, with the user's own numbers."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from tinrocket.causes.converted import decay, exactly
from tinrocket.causes.suspect import Suspect
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import frames_in
from tinrocket.scenario.rules import (
    Aim,
    Chase,
    Dash,
    Drag,
    Drive,
    Ease,
    Fall,
    Fire,
    Flap,
    Follow,
    Force,
    Lift,
    MotionRule,
    Move,
    MoveBy,
    Rotate,
    Thrust,
    Torque,
    Turn,
    TurnBy,
)
from tinrocket.scenario.scenario import Scenario


@dataclass(frozen=True, slots=True)
class Line:
    """What stands in an update, and what to write instead.

    Attributes
    ----------
    before, after
        Statements; or sentences, where it takes more than one statement.
    where
        What the names in them mean, or when they are run.
    runs
        Whether both are statements that can be run, with v (velocity), p (place), h (heading),
        dt, and what `where` names.
    """

    before: str
    after: str
    where: str = ""
    runs: bool = True


@dataclass(frozen=True, slots=True)
class _Told:
    """A rule, and how its numbers are written in the user's update."""

    scenario: Scenario
    rule: MotionRule
    timing: str

    @property
    def per_frame(self) -> bool:
        """Whether its numbers count per tuned frame."""
        return (self.rule.units or self.scenario.units) == "per_frame"

    @property
    def rate(self) -> str:
        """The tuned rate."""
        return f"{self.scenario.tuned_at:g}"

    @property
    def frames(self) -> str:
        """The length of the step in tuned frames."""
        return f"(dt * {self.rate})"

    def each(self, value: float) -> tuple[str, str]:
        """Return an amount per time as it is added once a frame, and as it should be."""
        if self.per_frame:
            return f"{value:.12g}", f"{value:.12g} * {self.frames}"
        return f"{value:.12g} / {self.rate}", f"{value:.12g} * dt"

    @property
    def step(self) -> tuple[str, str]:
        """How a place follows a velocity: once a frame, and as it should."""
        return ("v", f"v * {self.frames}") if self.per_frame else (f"v / {self.rate}", "v * dt")


_Made = Callable[[_Told], Line | None]
"""What makes the line of a kind of rule; None where there is none to write."""


def line_for(scenario: Scenario, suspect: Suspect) -> Line | None:
    """Return the line to write instead of what a suspect stands for; None where there is none."""
    rate = f"{scenario.tuned_at:g}"
    if suspect.kind == "timing" and suspect.where is not None:
        craft, place = suspect.where
        return rule_line(scenario, scenario.craft[craft], scenario.craft[craft].rules[place])
    if suspect.kind == "timing" and scenario.view is not None:
        view, timing = scenario.view, scenario.timing_of(scenario.view)
        share = decay(view, scenario.tuned_at)
        return _eased(share, timing, scenario.tuned_at, "target: what the view follows")
    if suspect.kind == "counted" and suspect.where is not None:
        craft, place = suspect.where
        return _counted(scenario, scenario.craft[craft].rules[place])
    words = {
        "counted": (
            "count a frame, and act when there were enough",
            f"left -= dt; when left <= 0: act, and left += frames / {rate}",
        ),
        "carry": (
            "last = now, when it acts",
            "last += interval, when it acts: the next is due from when this one was, not from now",
        ),
        "detection": (
            "move, then ask whether the two overlap",
            (
                "before moving, find when within the step the two first touch; move to there, "
                "answer the contact, and move on with what is left of the step"
            ),
        ),
        "seam": (
            "place = the other side",
            "place -= length of the arena: how far it came beyond is kept",
        ),
        "taps": (
            "ask in each frame whether the key is down",
            "keep each press until the next frame has seen it",
        ),
        "remainder": (
            "draw the state after the last step",
            "draw before + (now - before) * left / step: the state between the last two steps",
        ),
        "cap": (
            "dt = min(dt, longest)",
            "take as many steps of the longest length as fit into dt, and one of the rest",
        ),
        "tape": ("count the frames of a script", "count its seconds"),
        "turns": (
            "v += a * dt; p += v * dt",
            f"v += a * dt; p += v * dt - 0.5 * a * dt * (dt - 1 / {rate})",
        ),
        "input": (
            "read the input once a frame",
            "read it with the time at which it came, and begin the step there",
        ),
    }
    if suspect.kind not in words:
        return None
    before, after = words[suspect.kind]
    where = "a: the acceleration of this step" if suspect.kind == "turns" else ""
    return Line(before, after, where, runs=suspect.kind == "turns")


def rule_line(scenario: Scenario, craft: Craft, rule: MotionRule) -> Line | None:
    """Return what a rule's timing is written as, and what to write instead."""
    timing = scenario.timing_of(craft, rule)
    made = _LINES.get(type(rule))
    return made(_Told(scenario, rule, timing)) if made and timing != "exact" else None


def _eased(rate: float, timing: str, tuned_at: float, where: str) -> Line:
    """Return the line of an approach by a share of the distance."""
    if timing == "dt":
        share = min(rate / tuned_at, 1.0)
        before = f"p += (target - p) * {rate:.12g} * dt"
    else:
        share = _share(rate / tuned_at)
        before = f"p += (target - p) * {share:.12g}"
    after = f"p += (target - p) * (1 - {1.0 - share:.12g} ** (dt * {tuned_at:g}))"
    return Line(before, after, where)


def _share(exponent: float) -> float:
    return -math.expm1(-exponent)


def _drag(told: _Told) -> Line:
    rule, tuned = told.rule, told.scenario.tuned_at
    assert isinstance(rule, Drag)
    name = "spin" if rule.of == "spin" else "v"
    rate = decay(rule, tuned)
    if told.timing == "dt":
        kept, before = 1.0 - rate / tuned, f"{name} *= 1 - {rate:.12g} * dt"
    else:
        typed = rule.keep if rule.at in (None, tuned) else None
        kept = 1.0 - _share(rate / tuned) if typed is None else typed
        before = f"{name} *= {kept:.12g}"
    return Line(before, f"{name} *= {kept:.12g} ** (dt * {tuned:g})")


def _ease(told: _Told) -> Line:
    rule, tuned = told.rule, told.scenario.tuned_at
    assert isinstance(rule, Ease)
    typed = rule.fraction if rule.fraction_at in (None, tuned) else None
    if told.timing == "frame" and typed is not None:
        after = f"p += (target - p) * (1 - {1.0 - typed:.12g} ** (dt * {tuned:g}))"
        return Line(f"p += (target - p) * {typed:.12g}", after, "target: where it heads for")
    return _eased(decay(rule, tuned), told.timing, tuned, "target: where it heads for")


def _added(name: str, where: str, *keys: str) -> Callable[[_Told], Line | None]:
    """Return what makes the line of a rule that adds an amount per time."""

    def made(told: _Told) -> Line | None:
        if told.timing != "frame":
            return None
        value = next((v for key in keys if (v := getattr(told.rule, key)) is not None), None)
        if value is None:
            return None
        before, after = told.each(float(value))
        unit = " (in degrees)" if name in ("h", "spin") else ""
        return Line(f"{name} += {before}", f"{name} += {after}", where + unit)

    return made


def _force(told: _Told) -> Line | None:
    """Return the line of a force along one axis or both."""
    rule = told.rule
    assert isinstance(rule, Force)
    if told.timing != "frame":
        return None
    if not rule.x or not rule.y:
        return _added("v", "along each axis", "y" if rule.y else "x")(told)
    both = [[told.each(amount)[n] for amount in (rule.x, rule.y)] for n in (0, 1)]
    before, after = (f"vx += {x}; vy += {y}" for x, y in both)
    return Line(before, after, "vx, vy: the velocity along each axis")


def _and_back(
    made: Callable[[_Told], Line | None], key: str, what: str
) -> Callable[[_Told], Line | None]:
    """Return what makes the line of a rule with a second amount, such as one for the way back."""

    def told_both(told: _Told) -> Line | None:
        line, more = made(told), getattr(told.rule, key)
        if line is None or not more:
            return line
        before, after = told.each(more)
        return replace(line, where=f"{line.where}; and {what} by {after} instead of {before}")

    return told_both


def _steered(key: str) -> Callable[[_Told], Line | None]:
    """Return what makes the line of a heading that follows a target at a limited rate."""

    def made(told: _Told) -> Line | None:
        most = getattr(told.rule, key)
        if told.timing != "frame" or most is None:
            return None
        before, after = told.each(most)
        line = "h += max(-({most}), min({most}, toward - h))"
        return Line(
            line.format(most=before),
            line.format(most=after),
            "toward: the direction of the target, within half a turn of h (in degrees)",
        )

    return made


def _chase(told: _Told) -> Line | None:
    rule = told.rule
    assert isinstance(rule, Chase)
    if rule.accel is not None:
        return _added("v", "toward the target", "accel")(told)
    return _steered("turn")(told)


def _drive(told: _Told) -> Line | None:
    rule = told.rule
    assert isinstance(rule, Drive)
    if told.timing != "frame" or rule.accel is None:
        return None
    before, after = told.each(rule.accel)
    where = "along the direction held"
    if rule.brake is not None:
        slow = told.each(rule.brake)
        where += f"; and brake by {slow[1]} instead of {slow[0]}"
    return Line(f"v += {before}", f"v += {after}", where)


def _fall(told: _Told) -> Line | None:
    rule, tuned = told.rule, told.scenario.tuned_at
    assert isinstance(rule, Fall)
    if rule.accel is None:
        return None
    if rule.terminal is None:
        return _added("v", "v: downward", "accel")(told)
    second = rule.converted("per_second", told.rule.units or told.scenario.units, tuned)
    assert second.accel is not None
    assert second.terminal is not None
    lost = second.accel / second.terminal / tuned
    end = rule.terminal
    before, _after = told.each(rule.accel)
    if told.timing == "dt":
        before = told.each(rule.accel)[1]
    after = f"v = {end:.12g} + (v - {end:.12g}) * {1.0 - lost:.12g} ** (dt * {tuned:g})"
    return Line(f"v += {before} * (1 - v / {end:.12g})", after, "v: downward")


def _move(told: _Told) -> Line | None:
    rule = told.rule
    assert isinstance(rule, Move)
    if told.timing != "frame":
        return None
    before, after = told.step
    where = {
        "euler": "",
        "half": "v: the mean of the velocity before and after",
        "half_new": "v: the new velocity, and half of what the frame has added to it on top",
    }[rule.method]
    return Line(f"p += {before}", f"p += {after}", where)


def _held(name: str, key: str) -> Callable[[_Told], Line | None]:
    """Return what makes the line of a rule that acts in each frame held."""

    def made(told: _Told) -> Line | None:
        assert isinstance(told.rule, TurnBy | MoveBy)
        if told.timing != "frame" or told.rule.when != "held":
            return None
        value = getattr(told.rule, key)
        after = f"{name} += {value:.12g} * (dt * {told.rate})"
        return Line(f"{name} += {value:.12g}", after, "in each frame held")

    return made


def _follow(told: _Told) -> Line | None:
    rule, tuned = told.rule, told.scenario.tuned_at
    assert isinstance(rule, Follow)
    if rule.lag is not None:
        return _eased(math.log(2.0) / rule.lag, told.timing, tuned, "target: where it heads for")
    if rule.speed is None or told.timing != "frame":
        return None
    before, after = told.each(rule.speed)
    line = "p += max(-most, min(most, target - p))"
    return Line(
        line.replace("most", before, 2).replace(f"-{before}", f"-({before})", 1),
        line.replace("most", after, 2).replace(f"-{after}", f"-({after})", 1),
        "target: where it heads for",
    )


def _dash(told: _Told) -> Line:
    changed = exactly(told.rule, "frame", told.scenario.tuned_at)
    assert isinstance(changed, Dash)
    return Line(
        "go on with the dash until the frame that begins after it",
        f"end it within the frame: after {float(changed.duration):.6g} s, and spend the rest of dt "
        f"as usual",
        runs=False,
    )


def _counted(scenario: Scenario, rule: MotionRule) -> Line:
    """Return the line of a span that is counted in frames."""
    key, frames = next(
        (key, frames)
        for key in type(rule).spans
        if (frames := frames_in(getattr(rule, key, None))) is not None
    )
    seconds = f"{frames:.12g} / {scenario.tuned_at:g}"
    if isinstance(rule, Fire):
        return Line(
            f"left -= 1; when left <= 0: fire, left = {frames:.12g}",
            f"left -= dt; while left <= 0: fire, left += {seconds}",
            "the remainder is kept, so that no shot is late",
            runs=False,
        )
    if key != "cooldown":
        return Line(
            f"left -= 1; go on with the {rule.rule} while left > 0, from left = {frames:.12g} on",
            f"left -= dt; go on with the {rule.rule} while left > 0, from left = {seconds} on",
            "what is left of the last dt is spent without it",
            runs=False,
        )
    acts = "flap" if isinstance(rule, Flap) else "act"
    return Line(
        f"left -= 1; when left <= 0: may {acts} again, and then left = {frames:.12g}",
        f"left -= dt; when left <= 0: may {acts} again, and then left = {seconds}",
        runs=False,
    )


_LINES: dict[type[MotionRule], _Made] = {
    Drag: _drag,
    Ease: _ease,
    Thrust: _and_back(
        _added("v", "along the heading, while it is held", "accel"), "reverse", "back"
    ),
    Drive: _drive,
    Force: _force,
    Lift: _and_back(_added("v", "upward, while it is held", "accel"), "forward", "forward"),
    Chase: _chase,
    Aim: _steered("rate"),
    Fall: _fall,
    Turn: _added("h", "while it is held", "rate"),
    Torque: _added("spin", "while it is held", "accel"),
    Rotate: lambda told: (
        None
        if told.timing != "frame"
        else Line(
            "h += spin" if told.per_frame else f"h += spin / {told.rate}",
            f"h += spin * {told.frames}" if told.per_frame else "h += spin * dt",
        )
    ),
    Move: _move,
    TurnBy: _held("h", "angle"),
    MoveBy: _held("p", "distance"),
    Follow: _follow,
    Dash: _dash,
}


def lines_of(scenario: Scenario, blamed: tuple[Suspect, ...]) -> Iterator[tuple[Suspect, Line]]:
    """Yield the line to write for each blamed suspect that has one."""
    for one in blamed:
        line = line_for(scenario, one)
        if line is not None:
            yield one, line
