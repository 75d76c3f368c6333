"""One flight beside its reference."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from tinrocket.comparison.drift import Drift
from tinrocket.comparison.largest_drift import farthest_drift
from tinrocket.comparison.outcomes import CHANGED, match_events
from tinrocket.errors import FlightError
from tinrocket.texts import safe_line
from tinrocket.trajectory.columns import EventColumns
from tinrocket.trajectory.trajectory import Trajectory

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Run:
    """One flight beside its reference.

    Attributes
    ----------
    variant
        The change as ``path=value``; empty for the scenario as written.
    clock, rate
        How frames were paced, in words and as frames per second.
    flight, reference
        Both trajectories.
    matched
        The events of both as arrays; see `match_events`.
    until
        Last moment to compare [s]: frames do not all end there.
    """

    variant: str
    clock: str
    rate: float
    flight: Trajectory
    reference: Trajectory
    matched: EventColumns
    until: float

    def __repr__(self) -> str:
        """Return the variant, the clock and the verdict."""
        return safe_line(f"<Run at {self.clock}{f', {self.variant}' if self.variant else ''}>")

    @cached_property
    def drifts(self) -> dict[str, Drift | None]:
        """The drift of each craft, and the largest drift of each grid.

        None for a pool, whose members have no identity, and for craft that leap.
        """
        return {
            family: None
            if self.flight.compared_by_events(members[0])
            else farthest_drift(self.flight, self.reference, members, self.until)
            for family, members in self.flight.families.items()
        }

    @cached_property
    def outcomes(self) -> "pd.DataFrame":
        """The matched events of both flights, sorted by time.

        kind, craft, edge, rule, other, action; nth of its kind; status (same, late, early,
        missing, extra); late_ms; t_reference and t [s], NaN where there is none.
        """
        import pandas as pd

        return pd.DataFrame(dict(self.matched))

    @cached_property
    def farthest(self) -> tuple[str, float]:
        """The craft with the largest drift, and that drift [px]; '' and 0 if no craft drifts."""
        far = {craft: drift.largest for craft, drift in self.drifts.items() if drift}
        return max(far.items(), key=lambda item: item[1], default=("", 0.0))

    def first_change(self, craft: str = "") -> float | None:
        """Return when an event is first missing or extra [s], of one craft or of any."""
        changed = np.isin(self.matched["status"], CHANGED)
        if craft:
            changed &= np.isin(self.matched["craft"], [craft, *self.flight.families[craft]])
        if not changed.any():
            return None
        first = int(changed.argmax())
        return float(np.nanmin([self.matched[name][first] for name in ("t_reference", "t")]))

    @classmethod
    def of(
        cls,
        variant: str,
        flight: Trajectory,
        reference: Trajectory,
        late: float,
        until: float,
    ) -> "Run":
        """Put one flight beside another, and match their events.

        Parameters
        ----------
        late
            Largest difference in time of an event that counts as the same [s].
        until
            Last moment to compare [s]: frames do not all end there.
        """
        return cls(
            variant=variant,
            clock=flight.clock,
            rate=flight.rate,
            flight=flight,
            reference=reference,
            matched=match_events(flight, reference, late, until),
            until=until,
        )


@dataclass(frozen=True, slots=True)
class BlownUp:
    """A run in which the numbers of the flight or of its reference became infinite or NaN."""

    variant: str
    clock: str
    rate: float
    error: FlightError


def references(runs: Iterable[Run]) -> list[Trajectory]:
    """Return the references of runs, each once."""
    return list({id(run.reference): run.reference for run in runs}.values())
