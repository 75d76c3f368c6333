"""The scenario: everything that a run needs."""

import itertools
from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from typing import Annotated, Any, Self, TypeVar

from pydantic import Field, model_validator

from tinrocket.scenario.arena import Arena
from tinrocket.scenario.body_index import Family, Roster
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.condition import Condition
from tinrocket.scenario.contact import Contact, Detection, Find
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.names import plain_names
from tinrocket.scenario.numbers import Model, Name, Quantity, Rate, Timing, Title, Units
from tinrocket.scenario.obstacle import Obstacle
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.stage import March, Rounds, Spawner
from tinrocket.scenario.stick import Stick
from tinrocket.scenario.tape import Tape
from tinrocket.scenario.tempo import Tempo
from tinrocket.scenario.validation import wrong_with
from tinrocket.scenario.view import View
from tinrocket.texts import safe_line

Duration = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=36000), Quantity("s")]


AnyModel = TypeVar("AnyModel", bound=Model)


class Scenario(Model):
    """Arena, craft, tape and clock, with the numbers of the game."""

    title: Title = ""
    """Title; any text."""
    tuned_at: Rate = 60.0
    """Frames per second at which the numbers were tuned."""
    units: Units = "per_second"
    """Whether speeds, accelerations and turn rates are counted in seconds or tuned frames."""
    timing: Timing = "dt"
    """Timing of rules without a timing of their own or of their craft."""
    duration: Duration
    """Length of the run [s]."""
    arena: Arena
    """The playfield."""
    view: View | None = None
    """Part of the arena that the player sees (default: all of it)."""
    craft: tuple[Craft, ...] = Field(min_length=1)
    """Moving bodies, each with its rules."""
    obstacle: tuple[Obstacle, ...] = ()
    """Bodies that do not move."""
    detection: Find = "swept"
    """Detection of contacts without their own."""
    contact: tuple[Contact, ...] = ()
    """Contacts; bodies without a contact pass through each other."""
    condition: tuple[Condition, ...] = ()
    """Named conditions that gate rules, contacts and the stage."""
    tempo: tuple[Tempo, ...] = ()
    """Slow motion, hit-stop and pause."""
    spawner: tuple[Spawner, ...] = ()
    """Spawners: when and where craft of pools appear."""
    march: tuple[March, ...] = ()
    """Groups that step sideways and move down at the edges."""
    rounds: Rounds | None = None
    """End of rounds and of the game."""
    sticks: dict[Name, Stick] = Field(default_factory=dict)
    """Analog sticks, by their names."""
    tape: Tape = Field(default_factory=Tape)
    """The player's input."""
    clock: Clock = Field(default_factory=Clock)
    """How frames are paced."""

    @model_validator(mode="after")
    def _holds_together(self) -> Self:
        wrong = wrong_with(self)
        if wrong:
            raise ValueError("\n".join(wrong))
        return self

    def __repr__(self) -> str:
        """Return the title and the size of the scenario."""
        craft = ", ".join(member.name for member in self.craft)
        length = f"{self.duration:g} s, tuned at {self.tuned_at:g} fps"
        return safe_line(f"<Scenario '{self.title}': {craft}; {length}>")

    __str__ = __repr__

    @property
    def flown_by(self) -> Callable[["Scenario", Clock], Any] | None:
        """Function that flies it if its motion is the user's code; None for rules."""
        return None

    def constant(self, _name: str) -> float | None:
        """Return a global number of the user's code; None if it has rules."""
        return None

    def with_constant(self, name: str, value: object) -> "Scenario | None":
        """Return a copy with a global number of the user's code replaced; None if it has rules."""
        return None

    @property
    def traced_by(self) -> Callable[..., Any] | None:
        """Function that traces its frames, if its motion is the user's code."""
        return None

    @cached_property
    def actions(self) -> tuple[str, ...]:
        """All actions that rules and conditions listen to, in order of first mention."""
        rules = [rule for craft in self.craft for rule in craft.rules]
        used = dict.fromkeys(name for rule in rules for name in rule.sticks)
        used |= dict.fromkeys(condition.stick for condition in self.condition if condition.stick)
        tilted = [action for name in used for action in self.sticks[name].actions]
        listened = [action for craft in self.craft for action in craft.actions]
        listened += [name for made in self.condition for name in made.named]
        waiting: tuple[Contact | Spawner | Tempo, ...]
        waiting = (*self.contact, *self.spawner, *self.tempo)
        listened += [
            name
            for waiting_table in waiting
            for name in plain_names(*waiting_table.on, *waiting_table.unless)
        ]
        pressed = {name for craft in self.craft for name in craft.pressed}
        other = {condition.name for condition in self.condition}
        other |= {rule.label for rule in rules if rule.times} - pressed
        return tuple(name for name in dict.fromkeys((*listened, *tilted)) if name not in other)

    @cached_property
    def fleet(self) -> Roster:
        """All craft, members of pools and grids included, in the order of the file."""
        return Roster(craft.family for craft in self.craft)

    @cached_property
    def bodies(self) -> Roster:
        """All bodies in index order: craft, the view (which has no name), obstacle pieces."""
        view = [Family((), ("view",), hidden=True)] if self.view else []
        return Roster([*self.fleet.families, *view, *self.still])

    @cached_property
    def still(self) -> tuple[Family, ...]:
        """The pieces of each obstacle."""
        return tuple(obstacle.family for obstacle in self.obstacle)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Return a copy without the cached results of the original."""
        copy = super().model_copy(update=update, deep=deep)
        for name, value in vars(Scenario).items():
            if isinstance(value, cached_property):
                copy.__dict__.pop(name, None)
        return copy

    @cached_property
    def sides(self) -> tuple[str, ...]:
        """All sides and players that score."""
        scoring = [outcome.scores for contact in self.contact for outcome in contact.outcomes]
        scoring += [condition.scores for condition in self.condition]
        return tuple(dict.fromkeys(side for side in scoring if side))

    @cached_property
    def resources(self) -> tuple[str, ...]:
        """Names of the resources of all craft, once each."""
        return tuple(
            dict.fromkeys(resource.name for craft in self.craft for resource in craft.resources)
        )

    @property
    def passed(self) -> frozenset[str]:
        """Names of the obstacles that all craft pass: their contacts only count."""
        met: dict[str, set[str]] = {}
        for contact, obstacle in itertools.product(self.contact, self.obstacle):
            if obstacle.goes_by(contact.between[1]):
                met.setdefault(obstacle.name, set()).add(contact.response)
        return frozenset(name for name, responses in met.items() if responses == {"count"})

    def is_of_game(self, condition: Condition) -> bool:
        """Return whether a condition can be evaluated at a step's end, without a rule's craft."""
        above = itertools.takewhile(lambda each: each is not condition, self.condition)
        known = {each.name: each for each in above}
        others = {each.name for each in self.condition} | {
            rule.label for craft in self.craft for rule in craft.rules if rule.times
        }
        parts = [name for name in condition.named if name in known or name in others]
        return not condition.asks_its_craft and all(
            name in known and self.is_of_game(known[name]) for name in parts
        )

    def timing_of(
        self, owner: Craft | View | Spawner | March, rule: MotionRule | None = None
    ) -> Timing:
        """Return how a rule, a view, a spawner or a march uses the length of the frame.

        Parameters
        ----------
        owner
            The craft, with one of its rules; or a view, spawner or march.
        rule
            The rule of the craft.
        """
        if isinstance(owner, Craft) and rule is not None:
            return owner.timing_of(rule, self.timing)
        own = None if isinstance(owner, March) else owner.timing
        return own or self.timing

    def detection_of(self, contact: Contact) -> Detection:
        """Return the detection of a contact."""
        return contact.detection or self.detection

    def arena_of(self, craft: Craft) -> Arena:
        """Return the arena of a craft: with its own edges, or with the size of the view.

        The edges of a view are relative to its middle.
        """
        arena = self.arena
        if craft.edges is not None:
            arena = arena.replaced(edges=craft.edges)
        if craft.within == "view" and self.view is not None:
            size = {"width": self.view.width, "height": self.view.height}
            arena = arena.replaced(**size)
        return arena

    def per_second(self) -> "Scenario":
        """Return the same scenario with every number counted in seconds."""
        return self._converted("per_second")

    def per_frame(self) -> "Scenario":
        """Return the same scenario with speeds and the like counted in tuned frames."""
        return self._converted("per_frame")

    def in_one_unit(self) -> "Scenario":
        """Return the same scenario with the units of all rules those of the scenario."""
        return self._converted(self.units)

    def _converted(self, to: Units) -> "Scenario":
        given = (rule.units or self.units for craft in self.craft for rule in craft.rules)
        if self.units == to and all(units == to for units in given):
            return self
        crafts = []
        for craft in self.craft:
            start = craft.start.replaced(**craft.start.in_units(to, self.units, self.tuned_at))
            converted = craft.replaced(start=start).with_rules(
                lambda rule: (
                    rule.in_units(to, rule.units or self.units, self.tuned_at) | {"units": None}
                )
            )
            crafts.append(converted)

        def converted_all(ones: Sequence[AnyModel]) -> tuple[AnyModel, ...]:
            converted = (table.in_units(to, self.units, self.tuned_at) for table in ones)
            return tuple(
                table.replaced(**changes) for table, changes in zip(ones, converted, strict=True)
            )

        contacts = [contact.replaced(then=converted_all(contact.then)) for contact in self.contact]
        update = {
            "units": to,
            "craft": tuple(crafts),
            "contact": converted_all(contacts),
            "condition": converted_all(self.condition),
            "spawner": converted_all(self.spawner),
            "view": converted_all([self.view])[0] if self.view else None,
        }
        return self.replaced(**update)

    def with_timing(self, timing: Timing) -> "Scenario":
        """Return the same scenario with every rule using the frame's length this way."""
        view = self.view and self.view.replaced(timing=None)
        crafts = tuple(
            craft.replaced(timing=None).with_rules(lambda rule: {"timing": None})
            for craft in self.craft
        )
        return self.replaced(timing=timing, view=view, craft=crafts)

    def without_counted_frames(self) -> "Scenario":
        """Return a copy with all spans in frames converted to seconds."""
        return self.in_seconds(self.tuned_at)
