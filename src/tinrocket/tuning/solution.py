"""Result of a search for numbers, and notes on the wants."""

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from tinrocket.feel_metrics.answers import Answer
from tinrocket.feel_metrics.metric import Manoeuvre
from tinrocket.scenario.scenario import Scenario
from tinrocket.texts import safe_output
from tinrocket.tuning.free_numbers import FreeNumber
from tinrocket.tuning.wants import Want

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, slots=True)
class Reached:
    """A want at a frame rate, before and after.

    Attributes
    ----------
    want, rate
        Which it is.
    before, exact, rounded
        The metric as the scenario is written, with the numbers found, and with these rounded.
    miss
        Miss as a share of the wanted number; 0 if it is met.
    """

    want: Want
    rate: float
    before: Answer
    exact: Answer
    rounded: Answer
    miss: float


@dataclass(frozen=True, eq=False, repr=False)
class Solution:
    """Numbers for the feel that is wanted.

    Attributes
    ----------
    scenario
        With the rounded numbers.
    free
        The numbers that were free.
    numbers, rounded
        Numbers found, by path: exact, and rounded as a person would type them.
    reached
        Each want at each of its rates, before and after.
    met
        Whether all wants are met, to 0.1 %.
    conflicts
        Wants without which all others are met.
    undetermined
        Directions along which no wanted metric changes: change of each number as a share of its
        range.
    others
        Other numbers that meet all wants.
    flights
        Number of manoeuvres flown.
    before
        The scenario as written.
    manoeuvres
        Craft and manoeuvres of the wants.
    """

    scenario: Scenario
    free: tuple[FreeNumber, ...]
    numbers: dict[str, float]
    rounded: dict[str, float]
    reached: tuple[Reached, ...]
    met: bool
    conflicts: tuple[str, ...]
    undetermined: tuple[dict[str, float], ...]
    others: tuple[dict[str, float], ...]
    flights: int
    before: Scenario = field(repr=False)
    manoeuvres: tuple[tuple[str, Manoeuvre], ...] = field(default=(), repr=False)

    @property
    def table(self) -> "pd.DataFrame":
        """A row for each want and rate: want, fps, before, reached, rounded, miss_percent."""
        import pandas as pd

        return pd.DataFrame(
            [
                {
                    "want": reached.want.text,
                    "fps": reached.rate,
                    "before": reached.before.value,
                    "reached": reached.exact.value,
                    "rounded": reached.rounded.value,
                    "miss_percent": 100.0 * reached.miss,
                }
                for reached in self.reached
            ]
        )

    def __repr__(self) -> str:
        """Return the verdict and the rounded numbers."""
        return f"<Solution: {self.verdict}>"

    def __str__(self) -> str:
        """Return the verdict, the numbers, and notes on them."""
        return safe_output("\n".join([self.verdict, *self.number_lines, *self.notes]))

    @property
    def verdict(self) -> str:
        """Sentence with the number of wants that are met."""
        missed = {reached.want.text for reached in self.reached if not abs(reached.miss) <= 1e-3}
        every = {reached.want.text for reached in self.reached}
        count = f"{len(every) - len(missed)} of {len(every)}"
        return f"{count} want{'' if len(every) == 1 else 's'} met."

    @property
    def number_lines(self) -> list[str]:
        """The rounded numbers, and their former values."""
        width = max(len(number.path) for number in self.free)
        return [
            f"  {number.path:<{width}} = {self.rounded[number.path]:.7g}  (was {number.now:.7g})"
            for number in self.free
        ]

    @property
    def notes(self) -> list[str]:
        """Conflicts, numbers at their range's end or without effect, other solutions: sentences."""
        return [
            *self._bounds(),
            *self._conflict_lines(),
            *map(_undetermined_line, self.undetermined),
            *self._other_lines(),
        ]

    def _bounds(self) -> list[str]:
        """Return which numbers lie at an end of their range."""
        lines = []
        for number in self.free:
            share = number.share(self.numbers[number.path])
            if not self.met and (share < 1e-3 or share > 1.0 - 1e-3):
                end = "low" if share < 0.5 else "high"
                lines.append(
                    f"{number.path} is at the {end} end of its range; a wider one may help."
                )
        return lines

    def _conflict_lines(self) -> list[str]:
        if self.conflicts:
            lines = [f"Without '{text}' all others are met." for text in self.conflicts]
            return [*lines, "These wants conflict: the numbers are the best compromise."]
        if self.met:
            return []
        missed = [
            f"'{reached.want.text}' at {reached.rate:g} fps: "
            f"{reached.exact.note or f'{100 * reached.miss:+.2g} %'}"
            for reached in self.reached
            if not abs(reached.miss) <= 1e-3
        ]
        return [f"Not met, whatever the free numbers: {'; '.join(missed)}."]

    def _other_lines(self) -> list[str]:
        return [
            "Another solution: "
            + ", ".join(f"{path} = {value:.4g}" for path, value in numbers.items())
            + "."
            for numbers in self.others
        ]


def _undetermined_line(direction: dict[str, float]) -> str:
    """Return a sentence about a direction that changes no wanted metric."""
    if len(direction) == 1:
        (path,) = direction
        return f"{path} does not matter for these wants."
    first = next(iter(direction.values()))
    parts = [f"{path} {'up' if part * first > 0 else 'down'}" for path, part in direction.items()]
    return f"Only together do these matter: {' with '.join(parts)} changes nothing that is wanted."
