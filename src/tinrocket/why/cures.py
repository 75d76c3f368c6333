"""Cures: remaining difference, costs, and the recommended one."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import pandas as pd

from tinrocket.errors import UnknownNameError, expect, nearest
from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.feel_metrics.uneven import Uneven
from tinrocket.rendering import html_of, text_of
from tinrocket.scenario.scenario import Scenario
from tinrocket.texts import safe_line, safe_output
from tinrocket.why.bench import Bench, Rough, Tried
from tinrocket.why.cure import AS_IT_IS, Cure, cure_of, whole_game
from tinrocket.why.explain import Causes
from tinrocket.why.search import choose, front, pruned, smallest


@dataclass(frozen=True, eq=False, repr=False)
class Cures:
    """The tried cures, and the recommended one.

    Attributes
    ----------
    causes
        Causes of the differences.
    tried
        Every single cure that was tried, and those of the whole game.
    recommended
        The recommended cure, or None if no cure is needed.
    reason
        Reason of the recommendation.
    alternatives
        Other cures that are better in some respect: less drift, less latency or fewer steps.
    feel
        Feel metrics at every rate, for the game as it is, the recommended cure and its
        alternatives.
    rough
        Remaining difference of these over uneven frames, if requested.
    bench
        Bench on which they were flown.
    """

    causes: Causes
    tried: tuple[Tried, ...]
    recommended: Tried | None
    reason: str
    alternatives: tuple[Tried, ...]
    feel: dict[str, FeelSheet] = field(default_factory=dict)
    rough: dict[str, Rough] = field(default_factory=dict)
    bench: Bench | None = field(default=None, repr=False)

    def __repr__(self) -> str:
        """Return the number of cures, and the recommended one."""
        taken = f"'{self.recommended.cure.name}'" if self.recommended else "none"
        title = self.causes.scenario.title
        return safe_line(f"<Cures of '{title}': {len(self.tried)} tried, {taken}>")

    def __str__(self) -> str:
        """Return the recommendation, its reason, and the lines to write."""
        return safe_output(text_of(self))

    def _repr_html_(self) -> str:
        """Return sentences, table and picture for a notebook."""
        return html_of(self)

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row for each cure that was tried.

        cure, drift [px], changed (events), agrees, tuned_change [px], tuned_events, latency_ms,
        steps (a second), depends, recommended.
        """
        return pd.DataFrame(
            [
                {
                    "cure": trial.cure.name,
                    "drift": trial.drift,
                    "changed": trial.changed,
                    "agrees": trial.agrees,
                    "tuned_change": trial.tuned_change,
                    "tuned_events": trial.tuned_events,
                    "latency_ms": trial.latency,
                    "steps": trial.steps,
                    "depends": trial.depends,
                    "recommended": trial is self.recommended,
                }
                for trial in self.tried
            ]
        )

    def felt(self, cure: str) -> FeelSheet | None:
        """Return the feel metrics with a cure that was tried; None if no craft has any.

        Raises
        ------
        UnknownNameError
            If no cure of that name was tried.
        """
        chosen = self._named(cure)
        return self.bench.felt(chosen) if self.bench else None

    def _named(self, cure: str) -> Cure:
        """Return a cure that was tried, by its name; UnknownNameError."""
        tried = {trial.cure.name: trial.cure for trial in self.tried}
        if cure not in tried:
            raise UnknownNameError(f"no cure '{cure}' was tried{nearest(cure, tried)}")
        return tried[cure]

    @property
    def cured(self) -> Scenario | None:
        """The scenario with the recommended cure applied and its numbers converted."""
        return self.with_cure(self.recommended.cure.name) if self.recommended else None

    def with_cure(self, cure: str) -> Scenario:
        """Return the scenario with a cure that was tried, its numbers converted.

        Raises
        ------
        UnknownNameError
            If no cure of that name was tried.
        """
        scenario = self.causes.scenario
        changed, clock = self._named(cure).change((scenario, scenario.clock))
        return changed.replaced(clock=clock)


MOST_OF_IT = 0.5
"""Largest share of the drift that lines may leave to be preferred to a loop around the update."""


def _lines_first(
    causes: Causes, before: Tried, everything: Sequence[Tried]
) -> tuple[Tried, str] | None:
    """Return the cure of lines that removes most, if no lines remove all; None if none does."""
    if causes.scenario.flown_by is None or not everything:
        return None
    lines = everything[0]
    if not lines.drift <= MOST_OF_IT * before.drift or lines.changed > before.changed:
        return None
    if lines.enough:
        return (
            lines,
            f"these {len(lines.cure.suspects)} changes are enough, without latency or extra steps",
        )
    removed = 1.0 - lines.drift / before.drift
    rest = ", ".join(
        dict.fromkeys(
            cause.suspect.name
            for run in causes.runs
            for cause in run.causes
            if not cause.suspect.cure
        )
    )
    what = f"; the rest comes from {rest}" if rest else ""
    return lines, f"these lines remove {removed:.0%} of the drift{what}"


def find_cures(causes: Causes, *, felt: bool = True, uneven: Uneven | None = None) -> Cures:
    """Try the cure of each blamed suspect, and find the smallest sufficient set.

    Parameters
    ----------
    causes
        Made with `explain`.
    felt
        Whether to measure what remains of the feel metrics too.
    uneven
        Judges the tried cures over uneven frames too, over many seeds.

    Examples
    --------
    >>> cures = tr.find_cures(tr.explain(tr.read_demo("rocket"), rates=[30]))
    >>> cures.recommended.cure.name
    'rocket.turn + rocket.thrust + rocket.drag + rocket.move'
    """
    expect(causes, Causes, "find_cures()", "make them with explain(scenario)")
    bench = Bench(causes)
    before = bench.try_cure(AS_IT_IS)
    if before.agrees:
        return Cures(causes, (before,), None, "every rate agrees as it is", ())
    names = {suspect.name for suspect in causes.blamed}
    blamed = [suspect for suspect in bench.curable if suspect.name in names]
    best = smallest(bench, blamed) or smallest(bench, bench.curable)
    singles = [bench.try_cure(cure_of((suspect,))) for suspect in bench.curable]
    everything = [bench.try_cure(cure_of(bench.curable))] if bench.curable and best is None else []
    wholes = [bench.try_cure(game_cure) for game_cure in whole_game(causes.scenario)]
    everything = [pruned(bench, trial) for trial in everything]
    lines = _lines_first(causes, before, everything)
    several = [*everything, *([best] if best else [])]
    used = {suspect.name for whole in several for suspect in whole.cure.suspects}
    tried = [before]
    for trial in (*singles, *several, *wholes):
        changes = (trial.drift, trial.changed) != (before.drift, before.changed)
        if trial not in tried and (changes or trial.cure.name in used):
            tried.append(trial)
    chosen, reason = lines or choose(best, wholes, tried)
    others = tuple(trial for trial in front(tried) if trial is not chosen and trial is not before)[
        :3
    ]
    remaining: dict[str, FeelSheet] = {}
    for trial in (before, chosen, *others) if felt else ():
        sheet = bench.felt(trial.cure)
        if sheet is not None:
            remaining[trial.cure.name] = sheet
    rough: dict[str, Rough] = {}
    for trial in (before, chosen, *others) if uneven is not None else ():
        assert uneven is not None
        rough[trial.cure.name] = bench.rough(trial.cure, uneven)
    return Cures(causes, tuple(tried), chosen, reason, others, remaining, rough, bench)
