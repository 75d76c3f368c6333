"""What all motion rules share."""

from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal

from pydantic import BeforeValidator

from tinrocket.scenario.numbers import Model, Name, Seconds, Target, Timing, Units

When = Literal["held", "pressed", "released"]
"""Whether an action counts while it is down, or in the step in which it went down or up."""


def _during(value: object) -> object:
    if value is None or (isinstance(value, str) and value):
        return value
    if isinstance(value, list | tuple) and len(value) == 2:
        begins, ends = value
        if all(isinstance(v, int | float) for v in value) and 0 <= begins < ends:
            return float(begins), float(ends)
    raise ValueError("must be a window of time [from, until] in s, or the name of a timer")


class MotionRule(Model):
    """One step of the per-frame arithmetic, and when it is taken."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {}
    """For each key that is one form of a number: the keys of its other forms."""
    steers: ClassVar[bool] = False
    """Whether it is the player's steering, which a dash can switch off."""
    pushes: ClassVar[bool] = False
    """Whether it adds to the velocity bit by bit, as a force does: it goes on within a step."""
    times: ClassVar[bool] = False
    """Whether it has a timer that other rules can wait for."""

    spans: ClassVar[tuple[str, ...]] = ("duration", "cooldown")
    rule: str
    name: Name | None = None
    """Tells two rules of a kind apart; a rule without one goes by its kind."""
    timing: Timing | None = None
    """How this rule uses the length of the frame; the craft's timing if not given."""
    units: Units | None = None
    """Units of this rule's numbers; the scenario's if not given."""
    on: Name | None = None
    """Action without which the rule does nothing."""
    when: When = "held"
    """Whether its actions count while held, or when pressed or released."""
    during: Annotated[Name | tuple[Seconds, Seconds] | None, BeforeValidator(_during)] = None
    """The only window [from, until) of the game's time [s], or the timer, in which it acts."""
    unless: Name | None = None
    """Timer while which it does nothing: the name of a timer, dash or hop of the craft."""

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
        """Every action it listens to."""
        return (*self.own_actions, *([self.on] if self.on else []))

    @property
    def sticks(self) -> tuple[str, ...]:
        """The sticks it listens to."""
        return ()

    @property
    def has_closed_form(self) -> bool:
        """Whether it is part of the closed form of a whole craft."""
        return False

    @property
    def heads_for(self) -> Target | None:
        """What it heads for, if it has a target."""
        return None

    @property
    def waits_for(self) -> tuple[str, ...]:
        """Names of the timers it depends on."""
        timers = (self.during if isinstance(self.during, str) else None, self.unless)
        return tuple(name for name in timers if name)


def one_form(rule: MotionRule) -> None:
    """Refuse a rule whose number is given in none of its forms, or in several.

    Raises
    ------
    ValueError
        Saying which are given.
    """
    given = [f"'{name}'" for name in rule.replaces if getattr(rule, name) is not None]
    if len(given) != 1:
        found = f"{' and '.join(given)} are" if given else "none is"
        raise ValueError(f"give exactly one of {', '.join(rule.replaces)}; {found} given")
