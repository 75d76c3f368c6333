"""Numbers chosen by hand: pairs flown blind; the next pair is the most informative."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.errors import OptionError, as_number, expect
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import with_value
from tinrocket.tuning.free_numbers import FreeNumber, free_numbers
from tinrocket.tuning.preference import FIRST, SAME, SECOND, Preference, preference
from tinrocket.tuning.search_tools import scipy

Floats = NDArray[np.float64]
Better = Literal["first", "second", "same"]
CODES: Mapping[str, int] = {"first": FIRST, "second": SECOND, "same": SAME}
DRAWS = 400
"""Number of functions that are drawn to find where the best numbers may lie."""
LOOKED_AT = 8
"""Number of candidate places, as a power of two."""
RIVALS = 24
"""Number of drawn functions whose best places are candidates for the next pair."""
SURE = 0.75
"""Probability of naming the better one from which a difference counts as noticed."""
STEPS = 100
MOST_NUMBERS = 6
MOST_ANSWERS = 300
"""Most answers: the work grows with their third power."""


@dataclass(frozen=True, slots=True)
class Preferred:
    """Preference of one number.

    Attributes
    ----------
    number
        The number, with its range.
    value, low, high
        The preferred value, and the interval of 80 % of the best one.
    noticeable
        The smallest change from it that is noticed three times in four; None if no change in range
        is.
    """

    number: FreeNumber
    value: float
    low: float
    high: float
    noticeable: float | None

    @property
    def noticeable_shown(self) -> str:
        """The noticeable change, rounded to two digits."""
        return "" if self.noticeable is None else f"{float(f'{self.noticeable:.2g}'):g}"


@dataclass(frozen=True, slots=True, eq=False)
class Choice:
    """A choice of numbers.

    Attributes
    ----------
    scenario
        The scenario.
    free
        The numbers, with their ranges.
    pairs, answers
        What was flown, as shares of the ranges, shape (n, 2, numbers), and what was said of it.
    seed
        Of the draws.
    """

    scenario: Scenario
    free: tuple[FreeNumber, ...]
    pairs: Floats
    answers: tuple[Better, ...]
    seed: int = 0

    @property
    def model(self) -> Preference:
        """Fitted model of the feel."""
        return preference(
            self.pairs, np.array([CODES[answer] for answer in self.answers], np.int64)
        )

    def next_pair(self) -> tuple[dict[str, float], dict[str, float]]:
        """Return the most informative pair of sets of numbers."""
        first, second = self._next_shares()
        return self._numbers(first), self._numbers(second)

    def _next_shares(self) -> tuple[Floats, Floats]:
        """Return the pair, among the best of drawn functions, whose answer is most informative.

        That is the mutual information of the answer and the feel (Houlsby and others, "Bayesian
        active learning for classification and preference learning", 2011).
        """
        model, random = self.model, self._random(1)
        places = self._places()
        drawn = model.samples(places, DRAWS, random)
        rivals = np.unique(drawn[:RIVALS].argmax(axis=1))
        if len(rivals) < 2:
            ranked = np.argsort(drawn.std(axis=0))
            rivals = np.unique([rivals[0], ranked[-1]])
        a, b = (rivals[side] for side in np.triu_indices(len(rivals), 1))
        chances = np.stack(model.chances(drawn[:, a] - drawn[:, b]))
        taught = _entropy(chances.mean(axis=1)) - _entropy(chances).mean(axis=0)
        best = int(np.argmax(taught))
        sides = [int(a[best]), int(b[best])]
        random.shuffle(sides)
        return places[sides[0]], places[sides[1]]

    def answered(
        self, first: Mapping[str, float], second: Mapping[str, float], better: Better
    ) -> "Choice":
        """Return the choice with a further answer.

        Raises
        ------
        OptionError
            If the answer is unknown, or the pair lacks a number.
        """
        if better not in CODES:
            known = ", ".join(get_args(Better))
            raise OptionError(f"an answer is one of {known}, not {better!r}")
        pair = np.array([[self._shares(first), self._shares(second)]])
        pairs = np.concatenate([self.pairs, pair])
        return replace(self, pairs=pairs, answers=(*self.answers, better))

    @property
    def preferred(self) -> tuple[Preferred, ...]:
        """The numbers that the answers prefer, with their spread."""
        model, places = self.model, self._places(LOOKED_AT + 1)
        drawn = model.samples(places, DRAWS, self._random(2))
        best = places[drawn.argmax(axis=1)]
        ends = np.quantile(best, (0.1, 0.9), axis=0)
        middle = np.clip(best.mean(axis=0), 0.0, 1.0)
        preferred_numbers = []
        for n, number in enumerate(self.free):
            low, high = sorted(number.value(float(end)) for end in ends[:, n])
            value = number.value(float(middle[n]))
            preferred_numbers.append(
                Preferred(number, value, low, high, _noticeable(model, number, middle, n))
            )
        return tuple(preferred_numbers)

    @property
    def preferred_scenario(self) -> Scenario:
        """The scenario with the preferred numbers, rounded as a person would type them."""
        changed = self.scenario
        for choice in self.preferred:
            changed = with_value(
                changed, choice.number.path, choice.number.rounded(choice.value, 3)
            )
        return changed

    @property
    def table(self) -> pd.DataFrame:
        """A row for each answer: both sets of numbers, and which was better."""
        rows = [
            {
                **{f"first {path}": value for path, value in self._numbers(first).items()},
                **{f"second {path}": value for path, value in self._numbers(second).items()},
                "better": better,
            }
            for (first, second), better in zip(self.pairs, self.answers, strict=True)
        ]
        return pd.DataFrame(rows, columns=_columns(self.free))

    @property
    def lines(self) -> list[str]:
        """Results in sentences."""
        count = len(self.answers)
        if not count:
            return ["No pair was answered yet."]
        lines = [f"Preferred after {count} pair{'s' * (count != 1)}:"]
        wide = max(len(number.path) for number in self.free)
        for choice in self.preferred:
            shown = choice.number.rounded(choice.value, 3)
            noticed = (
                f"a change of {choice.noticeable_shown} is noticed"
                if choice.noticeable is not None
                else "no change within its range is noticed yet"
            )
            lines.append(
                f"  {choice.number.path:{wide}} = {shown:g}  "
                f"(best between {choice.low:.4g} and {choice.high:.4g}; {noticed})"
            )
        return lines

    def __str__(self) -> str:
        """Return the results as text."""
        return "\n".join(self.lines)

    def _numbers(self, shares: Floats) -> dict[str, float]:
        return {
            number.path: number.value(float(s)) for number, s in zip(self.free, shares, strict=True)
        }

    def _shares(self, numbers: Mapping[str, float]) -> Floats:
        missing = [number.path for number in self.free if number.path not in numbers]
        if missing:
            raise OptionError(f"the pair says nothing of {', '.join(missing)}")
        return np.array([number.share(float(numbers[number.path])) for number in self.free])

    def _random(self, what: int) -> np.random.Generator:
        return np.random.default_rng([self.seed, what, len(self.answers)])

    def _places(self, power: int = LOOKED_AT) -> Floats:
        """Return candidate places: evenly spread, the scenario's own, and the flown ones."""
        spread = scipy().stats.qmc.Sobol(len(self.free), rng=self.seed).random_base2(power)
        now = np.array([[number.share(number.now) for number in self.free]])
        return np.concatenate([now, self.pairs.reshape(-1, len(self.free)), spread])


def choose(
    scenario: Scenario,
    free: Sequence[str] | Mapping[str, tuple[float, float] | None],
    answers: pd.DataFrame | None = None,
    *,
    seed: int = 0,
) -> Choice:
    """Begin to choose numbers by flying pairs of them blind, or continue with answers.

    Parameters
    ----------
    scenario
        The scenario.
    free
        Paths to the numbers with their ranges, as `solve` takes them; at most six.
    answers
        The table of an earlier choice of the same numbers.
    seed
        Of the draws.

    Returns
    -------
    Choice
        With `next_pair()`, `answered()`, and the `preferred` numbers so far.

    Raises
    ------
    OptionError
        If a number cannot be free, or the answers belong to other numbers.
    UnknownNameError, ScenarioError
        If a path leads nowhere, or an end of a range does not fit.

    Examples
    --------
    >>> choice = tr.choose(tr.read_demo("rocket"), ["rocket.thrust.accel=200:800"])
    >>> first, second = choice.next_pair()
    >>> choice = choice.answered(first, second, "first")
    >>> len(choice.table)
    1
    """
    expect(scenario, Scenario, "choose()", "read one with read_scenario('file.toml')")
    numbers = free_numbers(scenario, free)
    if len(numbers) > MOST_NUMBERS:
        raise OptionError(f"{len(numbers)} numbers are too many to choose by hand; at most six")
    begun = Choice(scenario, numbers, np.empty((0, 2, len(numbers))), (), seed)
    if answers is None or answers.empty:
        return begun
    if list(answers.columns) != _columns(numbers):
        raise OptionError(
            f"the answers are about other numbers: their columns are "
            f"{', '.join(map(str, answers.columns))}, not {', '.join(_columns(numbers))}"
        )
    if len(answers) > MOST_ANSWERS:
        raise OptionError(f"{len(answers):,} answers are too many; at most {MOST_ANSWERS} count")
    for row in answers.to_dict("records"):
        first, second = (
            {number.path: _within(number, row[f"{side} {number.path}"]) for number in numbers}
            for side in SIDES
        )
        begun = begun.answered(first, second, str(row["better"]))  # type: ignore[arg-type]
    return begun


SIDES = ("first", "second")


def _within(free_number: FreeNumber, value: object) -> float:
    """Return a number of an answer; it must lie within its range."""
    number = as_number(value, f"{free_number.path} of an answer")
    if not free_number.low <= number <= free_number.high:
        raise OptionError(
            f"{free_number.path}: an answer is about {number:g}, which is outside of its range of "
            f"{free_number.low:g} to {free_number.high:g}"
        )
    return number


def _columns(numbers: Sequence[FreeNumber]) -> list[str]:
    return [*(f"{side} {number.path}" for side in SIDES for number in numbers), "better"]


def _entropy(chances: Floats) -> Floats:
    """Return the entropy over the first axis."""
    safe = np.maximum(chances, 1e-12)
    entropy: Floats = -(safe * np.log(safe)).sum(axis=0)
    return entropy


def _noticeable(model: Preference, number: FreeNumber, best: Floats, n: int) -> float | None:
    """Return the smallest change of a number from its best that is noticed most times."""
    value, changes = number.value(float(best[n])), []
    wanted = model.least + float(scipy().stats.norm.ppf(SURE))
    for way in (-1.0, 1.0):
        shares = best[n] + way * np.arange(1, STEPS + 1) / STEPS
        shares = shares[(shares >= 0.0) & (shares <= 1.0)]
        places = np.tile(best, (len(shares) + 1, 1))
        places[1:, n] = shares
        feel = model.mean(places)
        noticed = np.flatnonzero(feel[0] - feel[1:] >= wanted)
        if noticed.size:
            changes.append(abs(number.value(float(shares[noticed[0]])) - value))
    return min(changes) if changes and math.isfinite(min(changes)) else None
