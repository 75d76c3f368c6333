"""Base of all motion rules."""

import math
from collections.abc import Callable, Mapping
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from tinrocket.errors import nearest
from tinrocket.scenario.following import Following
from tinrocket.scenario.names import Names, plain_names
from tinrocket.scenario.numbers import (
    LARGEST,
    Model,
    Name,
    Number,
    PositiveFactor,
    Seconds,
    Target,
    Timing,
    Units,
)
from tinrocket.scenario.resource import Cost
from tinrocket.scenario.update import Update

AnyWhen = Literal["held", "pressed", "released", "while", "begins", "ends"]


def _when(value: object) -> object:
    same = {"while": "held", "begins": "pressed", "ends": "released"}
    return same.get(value, value) if isinstance(value, str) else value


When = Annotated[
    Literal["held", "pressed", "released"], BeforeValidator(_when, json_schema_input_type=AnyWhen)
]
"""Whether an action counts while it is down, or in the step in which it goes down or up. For states
that are not keys the names are ``while``, ``begins`` and ``ends``.
"""


def _during(value: object) -> object:
    if value is None or (isinstance(value, str) and value):
        return value
    if isinstance(value, list | tuple) and len(value) == 2:
        begins, ends = value
        if all(isinstance(v, int | float) for v in value) and 0 <= begins < ends <= LARGEST:
            return float(begins), float(ends)
    raise ValueError("must be a window of time [from, until] in s, or the name of a timer")


Axes = Literal["both", "x", "y"]
"""Axes along which a rule acts."""

Way = Literal["ahead", "back", "left", "right", "up", "down", "turn left", "turn right"]
"""Direction of an action: along the heading, across the screen, or a turn."""


Opposing = Literal["cancel", "first", "second", "last"]
"""Effect of two opposing keys that are both down: none, the first (left or up), the second (right
or down), or the one pressed last."""
Key = Annotated[str, Field(max_length=200)]
"""An action; an empty text for none."""


class NumberRamp(Model):
    """Ramp: a number of a rule that changes during the game."""

    key: Name
    """Key of the number."""
    to: Number
    """Final value; the first is the rule's value."""
    over: PositiveFactor
    """Seconds of play, points, or lost craft until the final value."""
    by: Literal["time", "score", "gone"] = "time"
    """Quantity that it follows."""
    of: Name | None = None
    """Side of the score, or craft or group whose losses count."""

    @model_validator(mode="after")
    def _of_somebody(self) -> Self:
        if (self.of is not None) != (self.by != "time"):
            raise ValueError("'of' names the side of the score, or the craft or group that is lost")
        return self


class MotionRule(Model):
    """One step of the per-frame arithmetic, and when it is taken."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {}
    """For each key that is a form of a number: the keys of its other forms."""
    steers: ClassVar[bool] = False
    """Whether it is the player's steering, which a dash can switch off."""
    pushes: ClassVar[bool] = False
    """Whether it adds to the velocity continuously, like a force."""
    places: ClassVar[bool] = False
    """Whether it sets the place itself, without a velocity for a move."""
    spends: ClassVar[bool] = False
    """Whether it moves the craft by the velocity."""
    foreign: ClassVar[bool] = False
    """Whether it runs a user's function, whose effect is only known from flights."""
    impulse: ClassVar[bool] = False
    """Whether it changes the velocity at a press."""
    swings: ClassVar[bool] = False
    """Whether it oscillates by itself."""
    times: ClassVar[bool] = False
    """Whether it has a timer that other rules can wait for."""

    spans: ClassVar[tuple[str, ...]] = ("duration", "cooldown")
    rule: str
    """Kind of the rule."""
    name: Name | None = None
    """Name of the rule in paths and messages (default: its kind)."""
    timing: Timing | None = None
    """How this rule uses the length of the frame (default: the craft's timing)."""
    units: Units | None = None
    """Units of this rule's numbers (default: the scenario's)."""
    on: Names = ()
    """Actions, conditions or timers of the craft that must be on for the rule to act."""
    when: When = "held"
    """Whether its actions count while held, or when pressed or released.

    For a rule without actions of its own it applies to ``on``.
    """
    during: Annotated[Name | tuple[Seconds, Seconds] | None, BeforeValidator(_during)] = None
    """Window [from, until) of the game's time [s], or name of a timer, in which it acts."""
    unless: Names = ()
    """Timers of the craft, conditions or actions that stop the rule while any of them is on."""

    ramps: tuple[NumberRamp, ...] = ()
    """Numbers of the rule that change with time, score or losses."""
    follows: tuple[Following, ...] = ()
    """Numbers of the rule that follow a value, such as the speed."""
    costs: tuple[Cost, ...] = ()
    """Resources that it spends as it acts."""

    @model_validator(mode="after")
    def _ramps_to_numbers(self) -> Self:
        alone = {"ramps": (), "follows": (), "costs": ()}
        for changed in self.changing:
            now = getattr(self, changed.key, None)
            if not isinstance(now, float) or changed.key in self.spans:
                numbers = [
                    n for n in type(self).model_fields if isinstance(getattr(self, n), float)
                ]
                raise ValueError(
                    f"'{changed.key}' is no number of this rule that could change"
                    f"{nearest(changed.key, numbers)}"
                )
            ends = [changed.to] if isinstance(changed, NumberRamp) else changed.ends
            for end in ends:
                type(self).model_validate(self.model_dump() | {changed.key: end} | alone)
        keys = [following.key for following in self.follows]
        for key in keys:
            if keys.count(key) > 1 or key in [ramp.key for ramp in self.ramps]:
                raise ValueError(f"'{key}' follows one value; it has a second one, or a ramp")
        return self

    def in_units(self, to: Units, given: Units, tuned_at: float) -> dict[str, Any]:
        """Return the numbers that count per time, with their ramps, in other units."""
        changes = super().in_units(to, given, tuned_at)
        if to != given and self.ramps:
            ends = [{r.key: r.to} for r in self.ramps]
            done = [Model.in_units(self.replaced(**end), to, given, tuned_at) for end in ends]
            changes["ramps"] = tuple(
                ramp.replaced(to=end.get(ramp.key, ramp.to))
                for ramp, end in zip(self.ramps, done, strict=True)
            )
        if to != given and self.follows:
            factor = tuned_at if to == "per_second" else 1.0 / tuned_at

            def number_in(key: str) -> Callable[[float], float]:
                def convert(number: float) -> float:
                    there = Model.in_units(self.replaced(**{key: number}), to, given, tuned_at)
                    return float(there.get(key, number))

                return convert

            changes["follows"] = tuple(
                following.scaled(following.value_scale(factor), number_in(following.key))
                for following in self.follows
            )
        if to != given and self.costs:
            changes["costs"] = tuple(cost.converted(to, given, tuned_at) for cost in self.costs)
        return changes

    def ramped(self, ramp: NumberRamp) -> Self:
        """Return the rule at the end of one of its ramps."""
        return self.replaced(**{ramp.key: ramp.to, "ramps": ()})

    @property
    def changing(self) -> "tuple[NumberRamp | Following, ...]":
        """Ramps and followings of its numbers."""
        return (*self.ramps, *self.follows)

    @property
    def label(self) -> str:
        """Name of the rule in paths and messages."""
        return self.name or self.rule

    @property
    def own_actions(self) -> tuple[str, ...]:
        """The actions its arithmetic listens to."""
        return ()

    @property
    def actions(self) -> tuple[str, ...]:
        """Every action or condition that it listens to, without negations."""
        return plain_names(*self.own_actions, *self.on)

    @property
    def sticks(self) -> tuple[str, ...]:
        """The sticks it listens to."""
        return ()

    @property
    def update(self) -> Update | None:
        """Its statement in a game's update; None if no single statement expresses it."""
        return None

    def counted_update(self, key: str) -> Update:
        """Return the statement of a span that is counted in frames.

        In the text ``{frames}`` is the span as typed, and ``{seconds}`` the span in seconds.
        """
        if key == "cooldown":
            return Update(
                "left -= 1; when left <= 0: may act again, and then left = {frames}",
                instead="left -= dt; when left <= 0: may act again, and then left = {seconds}",
                runs=False,
            )
        go_on = f"go on with the {self.rule} while left > 0, from left ="
        return Update(
            f"left -= 1; {go_on} {{frames}} on",
            "the rest of the last dt is spent without it",
            f"left -= dt; {go_on} {{seconds}} on",
            runs=False,
        )

    def decay_rate(self, _tuned_at: float) -> float:
        """Return the rate of decay by this rule [1/s]; 0 without decay."""
        return 0.0

    def kept_in_frame(self, tuned_at: float) -> float:
        """Return the share that a tuned frame keeps under this rule's decay."""
        return math.exp(-self.decay_rate(tuned_at) / tuned_at)

    def exact_fields(self, _timing: Timing, _tuned_at: float) -> dict[str, Any]:
        """Return the fields with which exact timing does the same in a tuned frame.

        Parameters are the present timing and the tuned rate; numbers count per second.
        """
        return {}

    def in_exact_timing(self, timing: Timing, tuned_at: float) -> Self:
        """Return the rule in exact timing, with the same effect in a tuned frame.

        Parameters
        ----------
        timing
            Its present timing.
        tuned_at
            Frames per second; the rule's numbers count per second.
        """
        fields = self.exact_fields(timing, tuned_at)
        dropped = [following for following in self.follows if following.key in fields]
        if not dropped:
            return self.replaced(timing="exact", **fields)
        # a power of one form is not a power of another
        if any(dropped_key.points is None for dropped_key in dropped):
            return self.replaced(timing="exact")
        (key,) = (name for name, value in fields.items() if value is not None)

        def converted(following: Following) -> Following:
            def number(of: float) -> float:
                alone = self.replaced(**{following.key: of}, follows=())
                return float(alone.exact_fields(timing, tuned_at)[key])

            return (
                following.scaled(1.0, number).replaced(key=key)
                if following in dropped
                else following
            )

        follows = tuple(converted(following) for following in self.follows)
        return self.replaced(timing="exact", follows=follows, **fields)

    @property
    def pushes_along(self) -> frozenset[str]:
        """Axes along which it adds to the velocity continuously."""
        return frozenset("xy") if self.pushes else frozenset()

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """Axes along which it replaces the velocity."""
        return frozenset()

    @property
    def steering_accel(self) -> float | None:
        """Acceleration by the player's steering along the craft's direction, if any."""
        return None

    @property
    def fills(self) -> str | None:
        """Resource that it fills or empties."""
        return None

    @property
    def memorises_acts(self) -> bool:
        """Whether it acts at single moments, like shots, hops and rules with a cooldown."""
        return "cooldown" in type(self).model_fields or self.times

    @property
    def discards_remainder(self) -> bool:
        """Whether its wait counts from when it acted, not from when it was due."""
        return False

    @property
    def locks_steering(self) -> bool:
        """Whether steering is disabled while it lasts."""
        return False

    @property
    def lifts(self) -> bool:
        """Whether it lifts the craft above the ground."""
        return False

    @property
    def sends(self) -> str | None:
        """Pool of its shots."""
        return None

    @property
    def looks_ahead(self) -> bool:
        """Whether it hits the nearest body along the heading, at once."""
        return False

    @property
    def turns(self) -> bool:
        """Whether it changes the heading."""
        return False

    @property
    def sets_heading(self) -> bool:
        """Whether it replaces the heading."""
        return False

    @property
    def has_closed_form(self) -> bool:
        """Whether it is part of the closed form of a whole craft."""
        return False

    @property
    def heads_for(self) -> Target | None:
        """Its target, if any."""
        return None

    @property
    def ways(self) -> Mapping[Way, str]:
        """Actions by the direction in which they take the craft."""
        return {}

    @property
    def waits_for(self) -> tuple[str, ...]:
        """Names that it depends on beside its actions."""
        during = (self.during,) if isinstance(self.during, str) else ()
        return plain_names(*during, *self.unless)


def one_form(rule: MotionRule) -> None:
    """Refuse a rule whose number is given in none of its forms, or in several.

    Raises
    ------
    ValueError
        With the forms that are given.
    """
    keys = [f"'{name}'" for name in rule.replaces if getattr(rule, name) is not None]
    if len(keys) != 1:
        given = f"{' and '.join(keys)} are" if keys else "none is"
        raise ValueError(f"give exactly one of {', '.join(rule.replaces)}; {given} given")
