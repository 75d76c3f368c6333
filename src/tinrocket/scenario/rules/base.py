"""What all motion rules share."""

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
"""Whether an action counts while it is down, or in the step in which it went down or up.

For values that are not keys these are called ``while``, ``begins`` and ``ends``.
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
"""Along which axes a rule acts."""

Way = Literal["ahead", "back", "left", "right", "up", "down", "turn left", "turn right"]
"""Where an action takes a craft: along its heading, across the screen, or round."""


Opposing = Literal["cancel", "first", "second", "last"]
"""What two opposing keys that are both down come to: nothing, the first (left or up), the second
(right or down), or the one that was pressed last."""
Key = Annotated[str, Field(max_length=200)]
"""An action; an empty text if nothing presses it."""


class NumberRamp(Model):
    """How one of a rule's numbers changes as the game goes on."""

    key: Name
    """Which number."""
    to: Number
    """Final value; it starts from the rule's value."""
    over: PositiveFactor
    """Seconds of play, points, or craft that are gone, until then."""
    by: Literal["time", "score", "gone"] = "time"
    """What it changes with."""
    of: Name | None = None
    """Side for a score, or craft or group for its losses."""

    @model_validator(mode="after")
    def _of_somebody(self) -> Self:
        if (self.of is not None) != (self.by != "time"):
            raise ValueError("'of' names the side of the score, or the craft or group that is lost")
        return self


class MotionRule(Model):
    """One step of the per-frame arithmetic, and when it is taken."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {}
    """For each key that is one form of a number: the keys of its other forms."""
    steers: ClassVar[bool] = False
    """Whether it is the player's steering, which a dash can switch off."""
    pushes: ClassVar[bool] = False
    """Whether it adds to the velocity bit by bit, as a force does: it goes on within a step."""
    places: ClassVar[bool] = False
    """Whether it puts the craft somewhere by itself, without a velocity that a move spends."""
    spends: ClassVar[bool] = False
    """Whether it moves the craft by the velocity."""
    foreign: ClassVar[bool] = False
    """Whether it runs a user's function, of which nothing is known but what it does."""
    impulse: ClassVar[bool] = False
    """Whether it changes the velocity at a press."""
    swings: ClassVar[bool] = False
    """Whether it is meant to go to and fro by itself."""
    times: ClassVar[bool] = False
    """Whether it has a timer that other rules can wait for."""

    spans: ClassVar[tuple[str, ...]] = ("duration", "cooldown")
    rule: str
    """Which kind it is."""
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
    """Numbers of the rule that change with time, score, or how many are left."""
    follows: tuple[Following, ...] = ()
    """Numbers of the rule that follow a value, such as the speed."""
    costs: tuple[Cost, ...] = ()
    """What it takes of the craft's resources as it acts."""

    @model_validator(mode="after")
    def _ramps_to_numbers(self) -> Self:
        alone = {"ramps": (), "follows": (), "costs": ()}
        for one in self.changing:
            now = getattr(self, one.key, None)
            if not isinstance(now, float) or one.key in self.spans:
                numbers = [
                    n for n in type(self).model_fields if isinstance(getattr(self, n), float)
                ]
                raise ValueError(
                    f"'{one.key}' is no number of this rule that could change"
                    f"{nearest(one.key, numbers)}"
                )
            ends = [one.to] if isinstance(one, NumberRamp) else one.ends
            for end in ends:
                type(self).model_validate(self.model_dump() | {one.key: end} | alone)
        keys = [one.key for one in self.follows]
        for key in keys:
            if keys.count(key) > 1 or key in [one.key for one in self.ramps]:
                raise ValueError(f"'{key}' follows one value; it has a second one, or a ramp")
        return self

    def in_units(self, to: Units, given: Units, tuned_at: float) -> dict[str, Any]:
        """Return the numbers that count per time, and what they change to, in other units."""
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
                one.scaled(one.value_scale(factor), number_in(one.key)) for one in self.follows
            )
        if to != given and self.costs:
            changes["costs"] = tuple(one.converted(to, given, tuned_at) for one in self.costs)
        return changes

    def ramped(self, ramp: NumberRamp) -> Self:
        """Return the rule as it is at the end of one of its ramps."""
        return self.replaced(**{ramp.key: ramp.to, "ramps": ()})

    @property
    def changing(self) -> "tuple[NumberRamp | Following, ...]":
        """How its numbers change as the game goes on."""
        return (*self.ramps, *self.follows)

    @property
    def label(self) -> str:
        """What the rule is called in paths and messages."""
        return self.name or self.rule

    @property
    def own_actions(self) -> tuple[str, ...]:
        """The actions its arithmetic listens to."""
        return ()

    @property
    def actions(self) -> tuple[str, ...]:
        """Every action, or condition in place of one, that it listens to, without negations."""
        return plain_names(*self.own_actions, *self.on)

    @property
    def sticks(self) -> tuple[str, ...]:
        """The sticks it listens to."""
        return ()

    @property
    def update(self) -> Update | None:
        """How it is written in a game's update; None if no single statement expresses it."""
        return None

    def counted_update(self, key: str) -> Update:
        """Return how a span counted in frames is written.

        In the text ``{frames}`` is the span as it is typed, and ``{seconds}`` the same in seconds.
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
        """Return the rate of what decays by this rule [1/s]; 0 if nothing does."""
        return 0.0

    def kept_in_frame(self, tuned_at: float) -> float:
        """Return the share of what decays by this rule that a tuned frame keeps."""
        return math.exp(-self.decay_rate(tuned_at) / tuned_at)

    def exact_fields(self, _timing: Timing, _tuned_at: float) -> dict[str, Any]:
        """Return the fields with which exact timing does the same in a tuned frame.

        Parameters are the timing so far and the tuned rate; numbers count per second.
        """
        return {}

    def in_exact_timing(self, timing: Timing, tuned_at: float) -> Self:
        """Return the rule in exact timing, doing the same in a frame of the tuned rate.

        Parameters
        ----------
        timing
            How it has used the length of the frame.
        tuned_at
            Frames per second; the rule's numbers count per second.
        """
        fields = self.exact_fields(timing, tuned_at)
        dropped = [one for one in self.follows if one.key in fields]
        if not dropped:
            return self.replaced(timing="exact", **fields)
        if any(one.points is None for one in dropped):  # a power of one form is none of another
            return self.replaced(timing="exact")
        (key,) = (name for name, value in fields.items() if value is not None)

        def converted(one: Following) -> Following:
            def number(of: float) -> float:
                alone = self.replaced(**{one.key: of}, follows=())
                return float(alone.exact_fields(timing, tuned_at)[key])

            return one.scaled(1.0, number).replaced(key=key) if one in dropped else one

        follows = tuple(converted(one) for one in self.follows)
        return self.replaced(timing="exact", follows=follows, **fields)

    @property
    def pushes_along(self) -> frozenset[str]:
        """Axes along which it adds to the velocity bit by bit."""
        return frozenset("xy") if self.pushes else frozenset()

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """Axes along which it sets the velocity, whatever that was before."""
        return frozenset()

    @property
    def steering_accel(self) -> float | None:
        """The acceleration that the player's steering gives along the craft's way, if any."""
        return None

    @property
    def fills(self) -> str | None:
        """The resource that it fills or empties."""
        return None

    @property
    def memorises_acts(self) -> bool:
        """Whether it acts at single moments, as shots, hops and what has a cooldown do."""
        return "cooldown" in type(self).model_fields or self.times

    @property
    def discards_remainder(self) -> bool:
        """Whether it waits from when it acted, and not from when it was due."""
        return False

    @property
    def locks_steering(self) -> bool:
        """Whether rules that steer do nothing while it lasts."""
        return False

    @property
    def lifts(self) -> bool:
        """Whether it takes the craft above the ground."""
        return False

    @property
    def sends(self) -> str | None:
        """The pool that supplies its members."""
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
        """Whether it sets the heading, whatever that was before."""
        return False

    @property
    def has_closed_form(self) -> bool:
        """Whether it is part of the closed form of a whole craft."""
        return False

    @property
    def heads_for(self) -> Target | None:
        """What it heads for, if it has a target."""
        return None

    @property
    def ways(self) -> Mapping[Way, str]:
        """The action that takes the craft each of the ways it can steer it."""
        return {}

    @property
    def waits_for(self) -> tuple[str, ...]:
        """Names of what it depends on beside its actions."""
        during = (self.during,) if isinstance(self.during, str) else ()
        return plain_names(*during, *self.unless)


def one_form(rule: MotionRule) -> None:
    """Refuse a rule with its number given in none of its forms, or in several.

    Raises
    ------
    ValueError
        Saying which are given.
    """
    given = [f"'{name}'" for name in rule.replaces if getattr(rule, name) is not None]
    if len(given) != 1:
        found = f"{' and '.join(given)} are" if given else "none is"
        raise ValueError(f"give exactly one of {', '.join(rule.replaces)}; {found} given")
