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
    """Values of the function's numbers (default: its own)."""
    inputs: dict[Name, Name] = Field(default_factory=dict)
    """Actions of the function's inputs (default: their own names)."""

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
            for kind, written, has in (
                ("number", self.numbers, known.numbers),
                ("input", self.inputs, known.inputs),
            )
            for name in written
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
        """Action of each input of the function."""
        return tuple(self.inputs.get(name, name) for name in REGISTERED[self.function].inputs)

    @property
    def own_numbers(self) -> dict[str, float]:
        """Value of each number of the function."""
        return {**REGISTERED[self.function].numbers, **self.numbers}
