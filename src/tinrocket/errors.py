"""Every error the library raises on purpose.

* TinRocketError

  * ScenarioError (ValueError): a scenario that cannot be flown, all its problems at once
  * OptionError (ValueError): an argument or option out of range
  * UnknownNameError (LookupError): a craft, rule, demo or path that does not exist
  * TrajectoryError (ValueError): a recorded flight that cannot be read or lacks it
  * FileError (OSError): a file that cannot be read or written
  * FlightError (ArithmeticError): the motion left the range of finite numbers
  * MissingExtraError (ImportError): an optional part that is not installed

Each subclasses the builtin one would otherwise catch.
"""

import difflib
import functools
import heapq
import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from numbers import Real

from tinrocket.texts import plain

MOST_COMPARED = 1000
"""Most valid names that are searched for a similar one."""

FEW = 16
"""Most names that are compared letter by letter."""

MOST_TOLD = 40
"""Problems of a file that a message lists; `ScenarioError.problems` has all."""


class TinRocketError(Exception):
    """Base of all errors the library raises on purpose.

    Its message has no control characters, whatever was in the file.
    """

    def __str__(self) -> str:
        """Return the message."""
        return plain(super().__str__())


@dataclass(frozen=True, slots=True)
class Problem:
    """A problem of a scenario.

    `where` is the path inside the scenario, or empty; `line` is the line of its file, if known.
    """

    where: str
    what: str
    line: int | None = None

    def __str__(self) -> str:
        """Return the path and the reason as one line."""
        return plain(f"{self.where}: {self.what}" if self.where else self.what)


class ScenarioError(TinRocketError, ValueError):
    """A scenario that cannot be flown.

    Attributes
    ----------
    problems
        All problems of the scenario.
    source
        Its file, or None.
    """

    def __init__(self, problems: Sequence[Problem], source: str | None = None) -> None:
        self.problems = tuple(problems)
        self.source = source
        super().__init__("\n".join(map(str, self.problems)))

    def __str__(self) -> str:
        """Return a line for each problem, with the file and the line in it."""
        shown = [
            plain(self._place(problem) + str(problem)) for problem in self.problems[:MOST_TOLD]
        ]
        more = len(self.problems) - MOST_TOLD
        return "\n".join([*shown, f"and {more} more of that kind"] if more > 0 else shown)

    def _place(self, problem: Problem) -> str:
        if self.source and problem.line is not None:
            return f"{self.source}:{problem.line}: "
        if problem.line is not None:
            return f"line {problem.line}: "
        return f"{self.source}: " if self.source else ""


class OptionError(TinRocketError, ValueError):
    """An argument or option that is out of range."""


class UnknownNameError(TinRocketError, LookupError):
    """A name that does not exist."""


class TrajectoryError(TinRocketError, ValueError):
    """A recorded flight that cannot be read, or that lacks the requested data."""


class FileError(TinRocketError, OSError):
    """A file or directory that cannot be read or written."""


class FlightError(TinRocketError, ArithmeticError):
    """The motion left the range of finite numbers.

    Attributes
    ----------
    craft, rule
        Names of the craft, and of the rule after which its state was not finite; '' if that was
        what a contact made of it.
    frame, time
        Index of the frame and the moment at which it began [s].
    """

    def __init__(self, craft: str, rule: str, frame: int, time: float, stopped: str = "") -> None:
        self.craft, self.rule, self.frame, self.time = craft, rule, frame, time
        when = f"frame {frame} at {time:.6g} s"
        if stopped:
            who = f"craft '{craft}' in rule '{rule}'" if craft else "the flight"
            hint = "; check what that rule computes" if craft else ""
            super().__init__(f"{who} was stopped, {when}: {stopped}{hint}")
        else:
            where, check = f"in rule '{rule}'", "that rule's numbers and timing"
            if not rule:
                where, check = "as it met something", "the numbers of its contacts"
            super().__init__(
                f"craft '{craft}' left the range of finite numbers {where}, {when}; check {check}"
            )


class MissingExtraError(TinRocketError, ImportError):
    """An optional part of the library that is not installed."""


def expect(value: object, kind: type, call: str, hint: str) -> None:
    """Refuse an argument of the wrong type; the message says what to pass.

    Raises
    ------
    OptionError
        If it is of another type.
    """
    if not isinstance(value, kind):
        what = f"the text {value!r}" if isinstance(value, str) else _with_article(type(value))
        raise OptionError(f"{call} takes {_with_article(kind)}, not {what}; {hint}")


def as_number(value: object, what: str) -> float:
    """Return an argument as a float.

    Raises
    ------
    OptionError
        If it is not a number; `what` names the expected values.
    """
    if isinstance(value, Real) and not isinstance(value, bool):
        try:
            return float(value)
        except OverflowError:
            pass
    raise OptionError(f"{what} is a number, not {value!r}")


def _with_article(kind: type) -> str:
    name = kind.__name__
    return f"{'an' if name[0] in 'AEIOUaeiou' else 'a'} {name}"


def nearest(name: object, known: Iterable[str]) -> str:
    """Return '; did you mean ...?', or the valid names if none is close."""
    names = list(itertools.islice(known, MOST_COMPARED))
    alike = names if len(names) <= FEW else _most_alike(str(name), names)
    close = difflib.get_close_matches(str(name), alike, n=1, cutoff=0.6)
    if close:
        return f"; did you mean '{close[0]}'?"
    return f"; valid: {', '.join(names)}" if names else ""


def _most_alike(name: str, names: Sequence[str]) -> list[str]:
    """Return the few names that share most pairs of letters with a name."""
    mine = _pairs_in(name)
    apart = [(mine ^ _pairs_in(other)).bit_count() for other in names]
    return [names[n] for n in heapq.nsmallest(FEW, range(len(names)), key=apart.__getitem__)]


@functools.lru_cache(maxsize=4 * MOST_COMPARED)
def _pairs_in(name: str) -> int:
    """Return a bit set of the pairs of neighbouring letters in a name, hashed to 251 kinds."""
    common = 0
    for one, other in itertools.pairwise(f" {name} "):
        common |= 1 << (31 * ord(one) + ord(other)) % 251
    return common
