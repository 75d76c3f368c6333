"""The subject of checks: a scenario, whose flights are made on first use and kept."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar

from tinrocket.errors import FlightError, OptionError
from tinrocket.feel_metrics.answers import Answer
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.measuring import feel
from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape
from tinrocket.trajectory.simulate import simulate
from tinrocket.trajectory.trajectory import Trajectory

AnyRule = TypeVar("AnyRule", bound=MotionRule)


@dataclass(frozen=True)
class Subject:
    """A scenario and the frame rates at which it is to be played.

    Attributes
    ----------
    scenario
        The scenario as it is written.
    rates
        Frames per second.
    """

    scenario: Scenario
    rates: tuple[float, ...]
    _games: dict[float, Trajectory | None] = field(default_factory=dict, repr=False)

    @cached_property
    def per_second(self) -> Scenario:
        """The scenario with every number counted in seconds."""
        return self.scenario.per_second()

    @cached_property
    def sheet(self) -> FeelSheet | None:
        """Its feel metrics; None if no craft has a metric."""
        try:
            return feel(self.scenario, rates=self.rates)
        except OptionError:
            return None

    def numbers(self, metric: str, craft: str) -> Iterator[tuple[float, Answer]]:
        """Yield a feel metric of a craft at each rate, if it has that metric."""
        for row in self.sheet.rows if self.sheet else ():
            if row.metric.name == metric and row.craft == craft:
                yield row.rate, row.answer

    def course(self, craft: Craft) -> Course:
        """Return the course on which manoeuvres of a craft are flown, at the tuned rate."""
        for (_variant, name), course in self.sheet.courses.items() if self.sheet else ():
            if name == craft.name:
                return course
        return Course(self.scenario, craft, Clock(rate=self.scenario.tuned_at))

    def game(self, rate: float) -> Trajectory | None:
        """Return the scenario flown by its own tape; None if its numbers blow up."""
        if rate not in self._games:
            try:
                self._games[rate] = simulate(self.scenario, rate=rate)
            except FlightError:
                self._games[rate] = None
        return self._games[rate]

    @property
    def tuned(self) -> Trajectory | None:
        """The same flight at the tuned rate."""
        return self.game(self.scenario.tuned_at)

    @cached_property
    def idle(self) -> Trajectory | None:
        """The scenario with an empty tape."""
        tape = Tape(pointers=self.scenario.tape.pointers)
        still = self.scenario.replaced(tape=tape)
        try:
            return simulate(still, clock=Clock(rate=self.scenario.tuned_at))
        except FlightError:
            return None

    def rules(self, *kinds: type[AnyRule]) -> Iterator[tuple[Craft, AnyRule]]:
        """Yield every rule of some kinds with its craft, numbers counted in seconds."""
        for craft in self.per_second.craft:
            for rule in craft.rules:
                if isinstance(rule, kinds):
                    yield craft, rule


def at(craft: Craft, rule: MotionRule | None = None, key: str = "") -> str:
    """Return the path of a craft, of one of its rules, or of a key of these."""
    same = [each_rule for each_rule in craft.rules if each_rule.label == rule.label] if rule else []
    label = ""
    if rule is not None:
        place = next(n for n, each in enumerate(craft.rules, start=1) if each is rule)
        label = rule.label if len(same) == 1 else f"rules#{place}"
    return ".".join(part for part in ("craft", craft.name, label, key) if part)


def fps(rates: list[float]) -> str:
    """Return rates in words."""
    texts = [f"{rate:g}" for rate in rates]
    return f"{' and '.join([', '.join(texts[:-1]), texts[-1]] if len(texts) > 1 else texts)} fps"
