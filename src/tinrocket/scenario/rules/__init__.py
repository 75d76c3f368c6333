"""The motion rules: one data class for each step of the per-frame arithmetic.

A file names its rules in ``__all__``; nothing else lists them.
"""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from tinrocket.scenario.rules.base import MotionRule as MotionRule
from tinrocket.scenario.rules.custom import *
from tinrocket.scenario.rules.fire import *
from tinrocket.scenario.rules.given import *
from tinrocket.scenario.rules.impulses import *
from tinrocket.scenario.rules.modes import *
from tinrocket.scenario.rules.position import *
from tinrocket.scenario.rules.speed import *
from tinrocket.scenario.rules.steering import *
from tinrocket.scenario.rules.targets import *


def _kinds(base: type[MotionRule]) -> Iterator[type[MotionRule]]:
    """Yield every rule that has a kind of its own."""
    for kind in base.__subclasses__():
        if isinstance(kind.model_fields["rule"].default, str):
            yield kind
        yield from _kinds(kind)


KINDS: tuple[type[MotionRule], ...] = tuple(
    sorted(_kinds(MotionRule), key=lambda kind: kind.__name__)
)
"""Every kind of rule."""

if TYPE_CHECKING:
    Rule = MotionRule
else:
    Rule = Annotated[Union[KINDS], Field(discriminator="rule")]  # noqa: UP007  # made at run time
