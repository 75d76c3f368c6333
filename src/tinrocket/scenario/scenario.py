"""Everything one run needs."""

from collections import Counter
from typing import Annotated, Self

from pydantic import Field, model_validator

from tinrocket.errors import nearest
from tinrocket.scenario.arena import AXES, Arena
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Model, Rate, Timing, Units
from tinrocket.scenario.tape import Tape

Duration = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=36000)]


class Scenario(Model):
    """Arena, craft, tape and clock, with the numbers as they stand in the game."""

    title: str = ""
    tuned_at: Rate = 60.0
    """Frames per second at which the numbers were tuned."""
    units: Units = "per_second"
    """Whether speeds, accelerations and turn rates are counted in seconds or tuned frames."""
    duration: Duration
    """Length of the run [s]."""
    arena: Arena
    craft: tuple[Craft, ...] = Field(min_length=1)
    tape: Tape = Field(default_factory=Tape)
    clock: Clock = Field(default_factory=Clock)

    @model_validator(mode="after")
    def _holds_together(self) -> Self:
        wrong = [*self._wrong_names(), *self._wrong_places(), *self._wrong_actions()]
        if wrong:
            raise ValueError("\n".join(wrong))
        return self

    def _wrong_names(self) -> list[str]:
        counts = Counter(craft.name for craft in self.craft)
        taken = {*type(self).model_fields}
        return [
            f"craft: two are named '{name}'; give each its own name"
            for name in counts
            if counts[name] > 1
        ] + [
            f"craft: '{name}' is the name of a scenario key; call the craft something else"
            for name in counts
            if name in taken
        ]

    def _wrong_places(self) -> list[str]:
        wrong = []
        for craft in self.craft:
            for axis in AXES:
                low, high = self.arena.bounds(axis, craft.radius)
                place, sides = getattr(craft.start, axis), self.arena.sides(axis)
                if any(getattr(self.arena.edges, side).kind == "open" for side in sides):
                    continue
                if not low < high:
                    wrong.append(
                        f"craft.{craft.name}.radius: {craft.radius:g} leaves no room between "
                        f"'{sides[0]}' and '{sides[1]}'; the arena is too small for the craft"
                    )
                elif not low <= place <= high:
                    wrong.append(
                        f"craft.{craft.name}.start.{axis}: {place:g} is outside the arena; "
                        f"its edges hold this craft between {low:g} and {high:g}"
                    )
        return wrong

    def _wrong_actions(self) -> list[str]:
        listened = dict.fromkeys(action for craft in self.craft for action in craft.actions)
        return [
            f"tape: no rule listens to the action '{action}'"
            f"{nearest(action, listened) if listened else '; no rule listens to any'}"
            for action in self.tape.actions
            if action not in listened
        ]

    @property
    def actions(self) -> tuple[str, ...]:
        """Every action that a rule listens to, once each, in order of first mention."""
        return tuple(dict.fromkeys(action for craft in self.craft for action in craft.actions))

    def per_second(self) -> "Scenario":
        """Return the same scenario with every number counted in seconds."""
        return self._converted("per_second")

    def per_frame(self) -> "Scenario":
        """Return the same scenario with speeds and the like counted in tuned frames."""
        return self._converted("per_frame")

    def _converted(self, to: Units) -> "Scenario":
        given = (rule.units or self.units for craft in self.craft for rule in craft.rules)
        if self.units == to and all(units == to for units in given):
            return self
        crafts = []
        for craft in self.craft:
            start = craft.start.model_copy(
                update=craft.start.in_units(to, self.units, self.tuned_at)
            )
            rules = tuple(
                rule.model_copy(
                    update=rule.in_units(to, rule.units or self.units, self.tuned_at)
                    | {"units": None}
                )
                for rule in craft.rules
            )
            crafts.append(craft.model_copy(update={"start": start, "rules": rules}))
        return self.model_copy(update={"units": to, "craft": tuple(crafts)})

    def with_timing(self, timing: Timing) -> "Scenario":
        """Return the same scenario with every rule using the frame's length this way."""
        crafts = tuple(
            craft.model_copy(
                update={
                    "timing": timing,
                    "rules": tuple(
                        rule.model_copy(update={"timing": None}) for rule in craft.rules
                    ),
                }
            )
            for craft in self.craft
        )
        return self.model_copy(update={"craft": crafts})
