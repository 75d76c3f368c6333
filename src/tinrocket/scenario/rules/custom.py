"""A rule that the running program registered, named by a scenario."""

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from tinrocket.errors import nearest
from tinrocket.scenario.numbers import Name, Number
from tinrocket.scenario.rules.base import MotionRule
from tinrocket.scenario.user_rules import REGISTERED

__all__ = ["Custom"]


class Custom(MotionRule):
    """A user's own motion rule, by the name it was registered under.

    A file names a rule and never holds code: an unregistered name is refused.
    """

    foreign: ClassVar[bool] = True

    rule: Literal["custom"] = "custom"
    function: Name
    """A function that the running program has registered."""
    numbers: dict[Name, Number] = Field(default_factory=dict)
    """Values of the function's numbers, where they are not its defaults."""
    inputs: dict[Name, Name] = Field(default_factory=dict)
    """For inputs of the function that go by another action than their own name."""

    @model_validator(mode="after")
    def _registered(self) -> Self:
        if self.function not in REGISTERED:
            raise ValueError(
                f"no motion rule '{self.function}' is registered; load its file with --rules "
                f"FILE.py, or decorate it with @tr.motion_rule{nearest(self.function, REGISTERED)}"
            )
        known = REGISTERED[self.function]
        wrong = [
            f"'{self.function}' has no {kind} '{name}'{nearest(name, has)}"
            for kind, given, has in (
                ("number", self.numbers, known.numbers),
                ("input", self.inputs, known.inputs),
            )
            for name in given
            if name not in has
        ]
        if wrong:
            raise ValueError("\n".join(wrong))
        return self

    @property
    def lifts(self) -> bool:
        """Whether the function changes the height."""
        return REGISTERED[self.function].changes_height

    @property
    def own_actions(self) -> tuple[str, ...]:
        """An action for each input of the function."""
        return tuple(self.inputs.get(name, name) for name in REGISTERED[self.function].inputs)

    @property
    def own_numbers(self) -> dict[str, float]:
        """What each number of the function is, by its default if not given."""
        return {**REGISTERED[self.function].numbers, **self.numbers}
