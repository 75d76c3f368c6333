"""Uneven frames: the same pacing over many seeds, with jitter and hitches."""

import random
from dataclasses import dataclass

import numpy as np

from tinrocket.comparison.compare import reference_flight
from tinrocket.comparison.outcomes import CHANGED, match_events
from tinrocket.errors import FlightError, OptionError
from tinrocket.scenario.clock import Clock, Hitch
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.simulate import simulate

BETWEEN = 2.0
"""Length of the stretches that have one hitch each, at a random moment [s]."""
STRETCHES = 30
"""Number of stretches with a hitch: the first minute."""


@dataclass(frozen=True, slots=True)
class Uneven:
    """Unevenness of frames: jitter and hitches over seeds.

    Attributes
    ----------
    jitter
        Each frame is longer or shorter by up to this much [s].
    hitch
        One frame in each two seconds of the first minute, at a random moment, is this long [s];
        none at 0.
    seeds
        Number of measurements of each metric, each with other lengths.
    """

    jitter: float = 0.0
    hitch: float = 0.0
    seeds: int = 50

    def __post_init__(self) -> None:
        """Refuse even frames, and an invalid number of seeds."""
        for name, value, most in (("jitter", self.jitter, 1.0), ("hitch", self.hitch, 10.0)):
            if not 0.0 <= value <= most:
                hint = f"; did you mean {name}={value:g}ms?" if value > most else ""
                allowed = f"allowed: 0 to {most:g} s"
                raise OptionError(f"{name}={value:g} means {value:g} s{hint} ({allowed})")
        if not 1 <= self.seeds <= 10_000:
            raise OptionError(f"seeds must be 1 to 10,000, not {self.seeds}")

    def describe(self) -> str:
        """Return a short description."""
        parts = [f"±{self.jitter * 1000:.3g} ms"] if self.jitter else []
        if self.hitch:
            parts.append(f"hitches of {self.hitch * 1000:.3g} ms")
        return ", ".join([*parts, f"{self.seeds} seeds"])

    def clocks(self, clock: Clock) -> list[Clock]:
        """Return a clock for each seed."""
        made = []
        for seed in range(self.seeds):
            chance = random.Random(seed)  # noqa: S311  # not for secrets
            hitches = [
                {"at": (n + chance.random()) * BETWEEN, "length": self.hitch}
                for n in range(STRETCHES if self.hitch else 0)
            ]
            changed = {
                "jitter": self.jitter,
                "seed": seed,
                "hitches": tuple(map(Hitch.from_data, hitches)),
            }
            made.append(Clock.from_data(clock.model_dump() | changed))
        return made

    def outcome_differs(self, scenario: Scenario, clock: Clock) -> float:
        """Return the share of seeds in which the scenario's own tape has another outcome."""
        tuned = reference_flight(scenario, "tuned")

        def differs(uneven: Clock) -> bool:
            try:
                flight = simulate(scenario, clock=uneven)
            except FlightError:
                return True
            matched = match_events(flight, tuned, 1.0 / scenario.tuned_at, scenario.duration)
            return bool(np.isin(matched["status"], CHANGED).any())

        return sum(map(differs, self.clocks(clock))) / self.seeds


def parse_uneven(text: str) -> Uneven:
    """Read ``jitter=2ms,hitch=80ms,seeds=200``, as typed on the command line.

    Raises
    ------
    OptionError
        If a part of it is none of the three.
    """
    values: dict[str, float] = {}
    for part in text.split(","):
        key, _equals, value = part.strip().partition("=")
        number = value.strip().lower()
        scale = 1.0
        if number.endswith("ms"):
            number, scale = number[:-2], 0.001
        elif number.endswith("s"):
            number = number[:-1]
        try:
            values[key] = float(number) * scale
        except ValueError:
            values[key] = float("nan")
        if key not in ("jitter", "hitch", "seeds") or values[key] != values[key]:
            raise OptionError(
                f"--uneven: '{part.strip()}' must look like jitter=2ms,hitch=80ms,seeds=200"
            )
    seeds = values.pop("seeds", 50.0)
    if seeds != int(seeds):
        raise OptionError(f"--uneven: seeds is a whole number, not {seeds:g}")
    return Uneven(**values, seeds=int(seeds))
