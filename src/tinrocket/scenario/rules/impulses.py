"""Flaps, dashes, hops, falls, lifts and timers."""

import math
from dataclasses import replace
from typing import Any, ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.numbers import (
    Acceleration,
    Deceleration,
    Distance,
    LastingSpan,
    Name,
    PositiveAcceleration,
    PositiveSpeed,
    Span,
    Speed,
    Timing,
    Velocity,
    frames_in,
)
from tinrocket.scenario.rules.base import Axes, Key, MotionRule, Opposing, When
from tinrocket.scenario.update import Update

__all__ = ["Dash", "Fall", "Flap", "Hop", "Lift", "Timer"]


class _OnAction(MotionRule):
    action: Name

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its action."""
        return (self.action,)


class Flap(_OnAction):
    """On a press, the rising speed is set, or grows."""

    impulse: ClassVar[bool] = True

    rule: Literal["flap"] = "flap"
    speed: Velocity
    """Rising speed [px/s]."""
    adds: bool = False
    """Whether the speed is added to the present one, instead of replacing it."""
    max_speed: Speed | None = None
    """Largest rising speed after a flap [px/s]."""
    cooldown: Span = 0.0
    """Time between two flaps."""
    action: Name = "flap"
    """Action that it waits for."""
    when: When = "pressed"

    def counted_update(self, key: str) -> Update:
        """Return the statement of a cooldown that is counted in frames."""
        usual = super().counted_update(key)
        statement, instead = (
            text.replace("act", "flap") for text in (usual.statement, usual.instead)
        )
        return replace(usual, statement=statement, instead=instead)


class Fall(MotionRule):
    """Down the screen: at constant acceleration, at constant speed, or to a terminal speed."""

    pushes: ClassVar[bool] = True

    rule: Literal["fall"] = "fall"
    accel: Deceleration | None = None
    """Acceleration downward [px/s^2]."""
    speed: Speed | None = None
    """Constant speed [px/s], instead of an acceleration."""
    terminal: PositiveSpeed | None = None
    """Speed that an accelerated fall approaches [px/s]: df/dt = accel (1 - f / terminal)."""
    glide: Speed | None = None
    """Largest speed of fall while its action is held [px/s]."""
    glide_action: Name = "glide"
    """Action of gliding."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.accel is None) == (self.speed is None):
            raise ValueError("give either 'accel' or 'speed'")
        if self.terminal is not None and self.accel is None:
            raise ValueError("'terminal' is approached at an 'accel'; there is none")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Action of gliding, if it can glide."""
        return () if self.glide is None else (self.glide_action,)

    @property
    def update(self) -> Update | None:
        """The acceleration downward, or the approach to a terminal speed."""
        if self.accel is None:
            return None
        if self.terminal is None:
            return Update("v += {accel}", "v: downward")
        return Update(
            "v += {accel} * (1 - v / {terminal:plain})",
            "v: downward",
            "v = {terminal:plain} + (v - {terminal:plain}) * {kept}",
        )

    def decay_rate(self, _tuned_at: float) -> float:
        """Return the rate at which the terminal speed is approached [1/s]."""
        return self.accel / self.terminal if self.accel and self.terminal else 0.0

    def exact_fields(self, _timing: Timing, tuned_at: float) -> dict[str, Any]:
        """Return the acceleration of the exact approach with the same part in a tuned frame."""
        share = 1.0 - self.decay_rate(tuned_at) / tuned_at
        if self.terminal is None or not 0.0 < share < 1.0:
            return {}
        return {"accel": -math.log(share) * tuned_at * self.terminal}

    @property
    def pushes_along(self) -> frozenset[str]:
        """Down the screen."""
        return frozenset("y")

    @property
    def has_closed_form(self) -> bool:
        """True at constant acceleration."""
        return self.accel is not None and self.terminal is None and self.glide is None


class Lift(_OnAction):
    """While held, a force against gravity; and always a steady force along x."""

    pushes: ClassVar[bool] = True
    steers: ClassVar[bool] = True

    rule: Literal["lift"] = "lift"
    accel: Acceleration
    """Upward acceleration [px/s^2]."""
    forward: Acceleration = 0.0
    """Acceleration along x, held or not [px/s^2]."""
    action: Name = "lift"
    """Action that it waits for."""

    @property
    def pushes_along(self) -> frozenset[str]:
        """Up the screen, and along x if it has a steady force."""
        return frozenset("xy" if self.forward else "y")

    @property
    def update(self) -> Update:
        """The force upward, and along x."""
        return Update("v += {accel}", "upward, while it is held", also=(("forward", "forward"),))

    @property
    def has_closed_form(self) -> bool:
        """Always true."""
        return True


class Dash(_OnAction):
    """On a press, a burst of speed along a direction, for a while."""

    times: ClassVar[bool] = True
    impulse: ClassVar[bool] = True

    rule: Literal["dash"] = "dash"
    speed: Velocity
    """Speed along its direction [px/s]."""
    adds: bool = False
    """Whether the speed is added once, instead of being held while it lasts."""
    along: Literal["heading", "input", "last"] = "heading"
    """Direction: the heading, the input, or the last input."""
    duration: Span = 0.0
    """Duration; at 0 a single push."""
    cooldown: Span = 0.0
    """Time from its beginning until the next may begin."""
    release: bool = False
    """Whether its action must be let go before the next."""
    axis: Axes = "both"
    """Axes of the velocity on which it acts; the other is unchanged."""
    after: Literal["keep", "stop", "restore"] = "keep"
    """Velocity after it: kept, zero, or restored."""
    steering: bool = True
    """Whether steering works while it lasts."""
    action: Name = "dash"
    """Action that starts it."""
    left: Key = "left"
    """Action toward the left."""
    right: Key = "right"
    """Action toward the right."""
    up: Key = "up"
    """Action up the screen."""
    down: Key = "down"
    """Down the screen."""
    opposing: Opposing = "cancel"
    """Effect of two opposing keys at once."""
    stick: Name | None = None
    """A stick instead of the four actions, for a dash along the input."""
    when: When = "pressed"

    @property
    def update(self) -> Update | None:
        """Statement of the end of a dash, which a frame rounds up; None if it counts frames."""
        if frames_in(self.duration) is not None:
            return None
        return Update(
            "go on with the dash until the frame that begins after it",
            instead="end it within the frame: after {duration:exact} s, and spend the rest of dt "
            "as usual",
            runs=False,
        )

    def exact_fields(self, timing: Timing, tuned_at: float) -> dict[str, Any]:
        """Return the duration after which it ended: with the first frame that began after it."""
        if frames_in(self.duration) is not None or timing == "exact":
            return {}
        return {"duration": math.ceil(float(self.duration) * tuned_at - 1e-9) / tuned_at}

    @property
    def locks_steering(self) -> bool:
        """True with `steering = false`."""
        return not self.steering

    @property
    def own_actions(self) -> tuple[str, ...]:
        """The action, and the four directions if it goes along them."""
        if self.along == "heading" or self.stick:
            return (self.action,)
        keys = (self.action, self.left, self.right, self.up, self.down)
        return tuple(key for key in keys if key)

    @property
    def sticks(self) -> tuple[str, ...]:
        """The stick, if it goes along it."""
        return (self.stick,) if self.stick and self.along != "heading" else ()


class Hop(_OnAction):
    """On a press, a leap above the ground and back: the ground position moves on below.

    A parabola of a height and a duration, or of a speed and a gravity; or a timed rise and a timed
    return.
    """

    times: ClassVar[bool] = True
    spans: ClassVar[tuple[str, ...]] = ("duration", "cooldown", "rise", "back")

    rule: Literal["hop"] = "hop"
    height: Distance | None = None
    """Height of the peak [px]."""
    duration: LastingSpan | None = None
    """Duration from the ground to the ground."""
    speed: PositiveSpeed | None = None
    """Rising speed at the beginning, instead of height and duration [px/s]."""
    gravity: PositiveAcceleration | None = None
    """Gravity, with `speed` [px/s^2]."""
    rise: LastingSpan | None = None
    """With `height`: time up to the peak, instead of a duration."""
    back: LastingSpan | None = None
    """With `rise`: time back to the ground."""
    easing: Literal["linear", "eased"] = "linear"
    """With `rise` and `back`: at even speed, or as parabolas."""
    cooldown: Span = 0.0
    """Time from its beginning until the next may begin."""
    contacts: bool = True
    """Whether walls and other bodies act on the craft during the hop."""
    action: Name = "hop"
    """Action that it waits for."""
    when: When = "pressed"

    @model_validator(mode="after")
    def _one_form(self) -> Self:
        forms = {
            "'height' and 'duration'": (self.height, self.duration),
            "'speed' and 'gravity'": (self.speed, self.gravity),
            "'height', 'rise' and 'back'": (self.height, self.rise, self.back),
        }
        whole = [keys for keys in forms.values() if None not in keys]
        given = {key for keys in forms.values() for key in keys if key is not None}
        if len(whole) != 1 or given != set(whole[0]):
            raise ValueError(f"give either {', or '.join(forms)}")
        if self.rise is not None and self.back is not None:
            counted = [frames_in(number) is not None for number in (self.rise, self.back)]
            if counted[0] != counted[1]:
                raise ValueError("count 'rise' and 'back' both in seconds or both in frames")
        return self

    @property
    def lifts(self) -> bool:
        """Always true."""
        return True


class Timer(MotionRule):
    """Runs for a time after a press, or after the condition in ``on``; other rules refer to it."""

    times: ClassVar[bool] = True

    rule: Literal["timer"] = "timer"
    duration: LastingSpan
    """Duration."""
    action: Name | None = None
    """Action that starts it."""
    when: When = "pressed"

    @model_validator(mode="after")
    def _has_a_name(self) -> Self:
        if self.name is None:
            raise ValueError("a timer needs a 'name', by which other rules wait for it")
        if self.action is None and not self.on:
            raise ValueError("a timer starts with an 'action', or with a condition in 'on'")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its action, if any."""
        return (self.action,) if self.action else ()

    @property
    def has_closed_form(self) -> bool:
        """True: it does not move the craft."""
        return True
