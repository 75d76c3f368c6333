"""A check, what it finds, and the register of all checks."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from tinrocket.checks.subject import Subject
from tinrocket.texts import safe_line


@dataclass(frozen=True, slots=True)
class Found:
    """A place in the scenario, and a sentence with numbers about what a check found there."""

    where: str
    what: str


@dataclass(frozen=True, slots=True)
class Check:
    """A mistake that is looked for.

    Attributes
    ----------
    name
        A few words with hyphens.
    why
        The mistake, in a sentence or two.
    instead
        What to write instead.
    look
        Yields what it finds in a scenario.
    """

    name: str
    why: str
    instead: str
    look: Callable[[Subject], Iterator[Found]]


@dataclass(frozen=True, slots=True)
class Finding:
    """A mistake in a scenario: its check, its place, a sentence, and what to write instead.

    `line` is that of the file, from 1, if it is known.
    """

    name: str
    where: str
    what: str
    instead: str
    line: int | None = None

    def __str__(self) -> str:
        """Return the finding as a line without its place."""
        return safe_line(f"{self.name} {self.where}: {self.what}; {self.instead}")


Look = Callable[[Subject], Iterator[Found]]


@dataclass(frozen=True, slots=True)
class Checks:
    """The checks of one theme, in the order in which they are written."""

    known: list[Check]

    def add(self, name: str, why: str, instead: str) -> Callable[[Look], Look]:
        """Return a decorator that makes a check of a function."""

        def register(look: Look) -> Look:
            self.known.append(Check(name, why, instead, look))
            return look

        return register
