"""Several flights beside their references: differences, and their sizes."""

import math
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from tinrocket.comparison.largest_drift import farthest_drift
from tinrocket.comparison.run import BlownUp, Run
from tinrocket.comparison.verdicts import (
    AGREES,
    BLEW_UP,
    DIFFERS,
    DRIFTS,
    VERDICTS,
    verdict_lines,
)
from tinrocket.errors import UnknownNameError, nearest
from tinrocket.rendering import html_of
from tinrocket.scenario.arena import Arena
from tinrocket.scenario.scenario import Scenario
from tinrocket.texts import safe_line, safe_output
from tinrocket.trajectory.trajectory import Trajectory

if TYPE_CHECKING:
    import pandas as pd

Against = Literal["tuned", "fine", "base", "log", "model"]

AS_WRITTEN = "as written"

SHOWN = (
    *("variant", "clock", "craft", "verdict", "missing", "extra", "shifted"),
    *("diverges_at", "drift_max", "drift_final"),
)
"""Columns that are always printed; others are if any of their values differs."""
KEPT = ("clock", "verdict", "drift_max")


@dataclass(frozen=True, eq=False, repr=False)
class Comparison:
    """Several flights, each beside its reference.

    Attributes
    ----------
    title
        Title of the scenario.
    reference_name
        Name of the reference.
    runs
        In the order of the variants, and within each of the clocks.
    tolerance
        Largest distance from the reference that still counts as the same [px].
    duration
        Length of the comparison [s].
    arena
        The playfield, or None if it is not known.
    against
        Kind of the reference: tuned, fine or base.
    scenario
        The scenario as it is written; None if logs are compared with each other.
    blown_up
        Runs with numbers that blew up; the others are still compared.
    make_base
        Flies the scenario as written at the rate it was tuned at, if anything is varied.
    """

    title: str
    reference_name: str
    runs: tuple[Run, ...]
    tolerance: float
    duration: float
    arena: Arena | None = None
    against: Against = "tuned"
    scenario: Scenario | None = None
    blown_up: tuple[BlownUp, ...] = ()
    make_base: Callable[[], Trajectory] | None = field(default=None, repr=False)

    @cached_property
    def table(self) -> "pd.DataFrame":
        """A row for each run and craft.

        variant, clock, fps, craft, verdict (agrees, drifts, outcome differs, blew up); missing,
        extra and shifted (late or early) events, lost_taps; lag_ms, the mean display
        latency; diverges_at [s], when the
        distance first passes the tolerance, NaN if never; drift_max, drift_rms,
        drift_final and unwrapped_max [px], all NaN for a pool or a march; drift_until [s],
        the end, or when either of the two craft disappears.
        """
        import pandas as pd

        return pd.DataFrame(self.rows)

    @cached_property
    def rows(self) -> list[dict[str, Any]]:
        """The rows of the table, each by the names of its columns."""
        rows = [self._row(run, craft) for run in self.runs for craft in run.drifts]
        return rows + [_blown_up_row(run) for run in self.blown_up]

    def _row(self, run: Run, craft: str) -> dict[str, Any]:
        drift = run.drifts[craft]
        concerned = np.isin(run.matched["craft"], [craft, *run.flight.families[craft], ""])
        status = Counter(run.matched["status"][concerned].tolist())
        departs = drift.passes(self.tolerance) if drift else None
        verdict = AGREES if departs is None else DRIFTS
        return {
            "variant": run.variant or AS_WRITTEN,
            "clock": run.clock,
            "fps": run.rate,
            "craft": craft,
            "verdict": DIFFERS if status["missing"] or status["extra"] else verdict,
            "missing": status["missing"],
            "extra": status["extra"],
            "shifted": status["late"] + status["early"],
            "lost_taps": run.flight.lost_taps,
            "lag_ms": run.flight.lag * 1000.0,
            "diverges_at": math.nan if departs is None else departs,
            "drift_max": drift.largest if drift else math.nan,
            "drift_rms": drift.rms if drift else math.nan,
            "drift_final": drift.final if drift else math.nan,
            "unwrapped_max": float(drift.unwrapped.max()) if drift else math.nan,
            "drift_until": float(drift.t[-1]) if drift else math.nan,
        }

    def __repr__(self) -> str:
        """Return the number of runs and the title."""
        runs = f"{len(self.runs)} runs beside {self.reference_name}"
        return safe_line(f"<Comparison of '{self.title}': {runs}>")

    def __str__(self) -> str:
        """Return the table and its summary."""
        table = self.table
        printed = [name for name in SHOWN if name in KEPT or len(set(table[name])) > 1]
        shown = table[printed].to_string(index=False, float_format="{:.2f}".format, na_rep="-")
        return safe_output("\n".join([shown, *verdict_lines(self)]))

    def _repr_html_(self) -> str:
        """Return the table and the paths as a notebook shows them."""
        return html_of(self)

    @cached_property
    def verdicts(self) -> tuple[str, ...]:
        """The verdict of each run, that of its worst craft; those that blew up come last."""
        verdicts = (row["verdict"] for row in self.rows)
        worst = [min((next(verdicts) for _ in run.drifts), key=VERDICTS.index) for run in self.runs]
        return (*worst, *(BLEW_UP for _ in self.blown_up))

    @cached_property
    def events(self) -> "pd.DataFrame":
        """The matched events of every run, with its variant and clock."""
        import pandas as pd

        return pd.DataFrame(self.matched)

    @property
    def matched(self) -> dict[str, np.ndarray]:
        """The columns of `events`."""
        lengths = [run.matched["t"].size for run in self.runs]
        about = {
            "variant": [run.variant or AS_WRITTEN for run in self.runs],
            "clock": [run.clock for run in self.runs],
        }
        columns = {name: np.array(values, object).repeat(lengths) for name, values in about.items()}
        for name in self.runs[0].matched:
            columns[name] = np.concatenate([run.matched[name] for run in self.runs])
        return columns

    @cached_property
    def warnings(self) -> tuple[str, ...]:
        """Warnings about the scenario, each once, and about clocks that are given twice."""
        texts = [what for run in self.runs for what in run.flight.warnings]
        if self.against == "log":
            texts = [*self.runs[0].reference.warnings, *texts]
        pairs = Counter((run.variant, run.clock) for run in self.runs)
        twice = dict.fromkeys(clock for (_variant, clock), count in pairs.items() if count > 1)
        texts += [f"{clock} is flown more than once" for clock in twice]
        texts += [f"{failed.clock} blew up: {failed.error}" for failed in self.blown_up]
        return tuple(dict.fromkeys(texts))

    @cached_property
    def base(self) -> Trajectory | None:
        """The run of the scenario as written at its tuned rate; None if nothing is varied."""
        return self.make_base() if self.make_base else None

    @property
    def tuned_variants(self) -> dict[str, Trajectory]:
        """For each variant its own run at the tuned rate, or at the nearest rate."""
        flights: dict[str, Trajectory] = {}
        tuned_at = self.scenario.tuned_at if self.scenario else 0.0
        for name in self.variants:
            runs = [run for run in self.runs if run.variant == name]
            nearest = min(runs, key=lambda run: abs(run.rate - tuned_at))
            flights[name] = runs[0].reference if self.against == "tuned" else nearest.flight
        return flights

    @property
    def changes_tuned(self) -> bool:
        """Whether any variant differs from the scenario as written at the tuned rate."""
        base = self.base
        if base is None:
            return False
        moved = [craft for craft in base.craft if not base.compared_by_events(craft)]
        flights = self.tuned_variants.values() if moved else ()
        return any(farthest_drift(flight, base, moved).largest > 1e-6 for flight in flights)

    @property
    def most_parted(self) -> str:
        """The craft that drifts farthest in any run; the first craft if none drifts."""
        return self._most_parted[1]

    @property
    def most_parted_family(self) -> str:
        """The name of that craft or its grid, a key of `Run.drifts`."""
        return self._most_parted[0]

    @cached_property
    def _most_parted(self) -> tuple[str, str]:
        drifts = (item for run in self.runs for item in run.drifts.items())
        far = [(drift.largest, family, drift.craft) for family, drift in drifts if drift]
        first = self.runs[0].flight.craft[0]
        return max(far, key=lambda parted: parted[0], default=(0.0, first, first))[1:]

    @property
    def unit(self) -> str:
        """Unit of lengths."""
        return self.arena.unit if self.arena else "px"

    @property
    def craft(self) -> tuple[str, ...]:
        """Names of the craft, pools and grids."""
        return tuple(self.runs[0].drifts)

    @property
    def variants(self) -> tuple[str, ...]:
        """The distinct variants, in the order of the runs."""
        return tuple(dict.fromkeys(run.variant for run in self.runs))

    def variant(self, name: str | None) -> str:
        """Return the name of a variant, or of the first; UnknownNameError if there is none."""
        if name is not None and name not in self.variants:
            raise UnknownNameError(f"there is no variant '{name}'{nearest(name, self.variants)}")
        return self.variants[0] if name is None else name

    @property
    def clocks(self) -> tuple[tuple[float, str], ...]:
        """Rate and description of each clock, once each, in the order of the runs."""
        return tuple(dict.fromkeys((run.rate, run.clock) for run in self.runs))

    @property
    def agrees(self) -> bool:
        """Whether every run agrees with its reference."""
        return set(self.verdicts) == {AGREES}


def _blown_up_row(run: BlownUp) -> dict[str, Any]:
    return {
        "variant": run.variant or AS_WRITTEN,
        "clock": run.clock,
        "fps": run.rate,
        "craft": run.error.craft,
        "verdict": BLEW_UP,
        "missing": 0,
        "extra": 0,
        "shifted": 0,
        "lost_taps": 0,
        "lag_ms": math.nan,
        **dict.fromkeys(
            ("diverges_at", "drift_max", "drift_rms", "drift_final", "unwrapped_max"), math.nan
        ),
        "drift_until": run.error.time,
    }
