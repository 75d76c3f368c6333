"""Feel metrics as functions of the free numbers."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import ScenarioError
from tinrocket.feel_metrics.answers import NOT_THIS, Answer
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.metric import Manoeuvre
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import with_value
from tinrocket.trajectory.clocks import resolved_clock
from tinrocket.tuning.free_numbers import FreeNumber

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Asked:
    """A metric of a craft at a frame rate."""

    craft: str
    manoeuvre: Manoeuvre
    metric: str
    rate: float


@dataclass(slots=True, eq=False)
class Responses:
    """Metrics of a scenario with other numbers; results are cached.

    Attributes
    ----------
    flights
        Number of courses flown so far.
    """

    scenario: Scenario
    free: Sequence[FreeNumber]
    asked: Sequence[Asked]
    flights: int = 0
    _known: dict[tuple[float, ...], tuple[Answer, ...]] = field(default_factory=dict)

    def numbers(self, shares: Sequence[float] | Floats) -> dict[str, float]:
        """Return the free numbers at shares of their ranges."""
        return {
            number.path: number.value(float(share))
            for number, share in zip(self.free, shares, strict=True)
        }

    def variant(self, numbers: dict[str, float]) -> Scenario:
        """Return the scenario with other numbers.

        Raises
        ------
        ScenarioError
            If they are not valid together.
        """
        changed = self.scenario
        for path, value in numbers.items():
            changed = with_value(changed, path, value)
        return changed

    def answers(self, numbers: dict[str, float]) -> tuple[Answer, ...]:
        """Return an answer for each metric, with a note if there is no number."""
        key = tuple(numbers.values())
        if key not in self._known:
            try:
                self._known[key] = self._measured(self.variant(numbers))
            except ScenarioError:
                self._known[key] = (Answer(math.nan, "does not fit"),) * len(self.asked)
        return self._known[key]

    def values(self, shares: Sequence[float] | Floats) -> Floats:
        """Return the metrics at shares of the ranges, NaN where there is no number."""
        return np.array([answer.value for answer in self.answers(self.numbers(shares))])

    def _measured(self, changed: Scenario) -> tuple[Answer, ...]:
        flown: dict[tuple[str, str, float], dict[str, Answer]] = {}
        for want in self.asked:
            key = (want.craft, want.manoeuvre.name, want.rate)
            if key not in flown:
                craft = next(each for each in changed.craft if each.name == want.craft)
                clock = resolved_clock(changed, changed.clock.at_rate(want.rate))
                flown[key] = want.manoeuvre.answers(Course(changed, craft, clock))
                self.flights += 1
        return tuple(
            flown[metric.craft, metric.manoeuvre.name, metric.rate].get(metric.metric, NOT_THIS)
            for metric in self.asked
        )
