"""Why runs differ: the share of each suspect in the difference, and the unexplained rest."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import pandas as pd

from tinrocket.comparison.compare import TOLERANCE, check_tolerance, reference_flight
from tinrocket.comparison.comparison import Comparison
from tinrocket.errors import OptionError, UnknownNameError, nearest
from tinrocket.feel_metrics.manoeuvres import BUILT_IN
from tinrocket.feel_metrics.metric import now_called
from tinrocket.flight.record import Progress
from tinrocket.rendering import html_of, text_of
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.texts import safe_line, safe_output
from tinrocket.trajectory.clocks import at_paces, paces, resolved_clock
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.why.case import GAME, NOTHING, Case, Of, Plans
from tinrocket.why.shares import QUICK, SLOW, USUAL, Effort, shares
from tinrocket.why.suspect import Suspect, own_rules
from tinrocket.why.suspects import suspects

ONE = 0.9
"""Share from which one suspect explains the whole difference."""


@dataclass(frozen=True, slots=True)
class Cause:
    """Part of a difference that one suspect explains.

    Attributes
    ----------
    suspect
        Which.
    amount
        Part on average over all orders of switching suspects off, in the unit of the difference.
    share
        The amount as a share of the whole difference.
    error
        Standard error of the share; 0 where it is exact.
    alone
        Part that it removes if nothing else is switched off.
    """

    suspect: Suspect
    amount: float
    share: float
    error: float
    alone: float


@dataclass(frozen=True, eq=False)
class Explained:
    """One run, explained.

    Attributes
    ----------
    clock, rate
        Pacing of its frames, in words and as frames per second.
    whole
        The difference from the tuned run.
    causes
        Causes, the largest first; together with `unexplained` they make the whole.
    unexplained
        The difference that remains with every suspect switched off.
    parts_at
        When the first event is missing or extra [s]; None if none is.
    case
        The run itself.
    """

    clock: str
    rate: float
    whole: float
    causes: tuple[Cause, ...]
    unexplained: float
    parts_at: float | None
    case: Case = field(repr=False)

    def __reduce__(self) -> tuple[object, ...]:
        """Return the state to pickle: numbers by the names of suspects."""
        case = self.case
        causes = [(c.suspect.name, c.amount, c.share, c.error, c.alone) for c in self.causes]
        told_of = case.craft, case.of, case.on_screen, case.whole_run
        of_case = case.plans.scenario, case.clock, *told_of
        numbers = self.clock, self.rate, self.whole, self.unexplained, self.parts_at
        return _told_again, (of_case, numbers, causes)

    @property
    def main(self) -> Cause | None:
        """The cause that explains the whole difference, if one does."""
        first = self.causes[0] if self.causes else None
        return first if first is not None and first.share >= ONE else None


@dataclass(frozen=True, eq=False, repr=False)
class Causes:
    """Why runs of a scenario differ from the tuned one.

    Attributes
    ----------
    scenario
        Title of the scenario.
    of
        The quantity to explain: drift, outcome, or a feel metric.
    craft
        Name of the craft.
    runs
        Explained runs, one for each clock.
    own
        Rules of the user's, which cannot be switched off.
    tolerance
        Drift that still counts as the same [px].
    """

    scenario: Scenario
    of: Of
    craft: str
    runs: tuple[Explained, ...]
    own: tuple[str, ...]
    tolerance: float

    def __repr__(self) -> str:
        """Return the explained quantity, and the number of runs."""
        title = self.scenario.title
        return safe_line(f"<Causes of {self.of} of '{title}': {len(self.runs)} runs>")

    def __str__(self) -> str:
        """Return the causes in sentences."""
        return safe_output(text_of(self))

    def _repr_html_(self) -> str:
        """Return sentences and shares for a notebook."""
        return html_of(self)

    @property
    def unit(self) -> str:
        """Unit of the difference."""
        if self.of == "drift":
            return self.scenario.arena.unit
        if self.of in ("outcome", "events"):
            return "" if self.of == "outcome" else "events"
        return next(
            metric.unit
            for manoeuvre in BUILT_IN
            for metric in manoeuvre.metrics
            if metric.name == self.of
        )

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row for each cause of each run, and one for the unexplained rest.

        clock, fps, suspect, kind, amount (in the explained quantity's unit), share, error, alone.
        """
        rows: list[dict[str, object]] = []
        for run in self.runs:
            row: dict[str, object] = {"clock": run.clock, "fps": run.rate}
            rows += [
                row
                | {
                    "suspect": cause.suspect.name,
                    "kind": cause.suspect.kind,
                    "amount": cause.amount,
                    "share": cause.share,
                    "error": cause.error,
                    "alone": cause.alone,
                }
                for cause in run.causes
            ]
            left = {"suspect": "", "kind": "unexplained", "amount": run.unexplained}
            share = run.unexplained / run.whole if run.whole > NOTHING else 0.0
            rows.append(row | left | {"share": share, "error": 0.0, "alone": 0.0})
        return pd.DataFrame(rows)

    @property
    def blamed(self) -> tuple[Suspect, ...]:
        """All suspects with a share in any run, the largest first."""
        most: dict[str, tuple[float, Suspect]] = {}
        for run in self.runs:
            for cause in run.causes:
                known = most.get(cause.suspect.name, (0.0, cause.suspect))
                most[cause.suspect.name] = max(known[0], cause.share), cause.suspect
        ordered = sorted(most.values(), key=lambda item: -item[0])
        return tuple(suspect for _share, suspect in ordered)


def explain(
    subject: Scenario | Comparison,
    rates: Sequence[float] = (),
    clocks: Sequence[Clock] = (),
    craft: str | None = None,
    of: Of = "drift",
    tolerance: float = TOLERANCE,
    on_screen: bool = False,
    whole_run: bool = False,
    progress: Progress | None = None,
) -> Causes:
    """Find the parts of a game that make its runs differ from the tuned one, and the share of each.

    Every suspect (a rule's timing, numbers counted in frames, how contacts are found, when input
    is read ...) is switched off in every combination, and its share is the difference that it
    removes on average over all orders (Shapley 1953), so that shares add up to the whole.

    Parameters
    ----------
    subject
        A scenario, or a comparison of one, with its rates.
    rates, clocks
        As for `compare`; of a comparison those it was made with.
    craft
        Name of the craft (default: the one that drifts most).
    of
        ``drift``: the largest distance up to the moment at which the outcome differs.
        ``outcome``: whether the first event that is missing or extra still is.
        ``events``: how many are missing or extra.  Or the name of a feel metric.
    tolerance
        Drift that still counts as the same [px].
    on_screen
        Whether drift is measured in the scenario's view, which is then a suspect too.
    whole_run
        Whether drift is that of the whole run, and not only up to the first event that differs.
    progress
        Called after each run with how many are explained, and of how many.

    Raises
    ------
    UnknownNameError
        If there is no such craft, or nothing of that name to explain.
    OptionError
        If the comparison is one of logs, or of variants.
    FlightError
        If the numbers of the tuned run blow up.

    Examples
    --------
    >>> causes = tr.explain(tr.read_demo("rocket"), rates=[30])
    >>> [cause.suspect.name for cause in causes.runs[0].causes][:2]
    ['rocket.move', 'rocket.thrust']
    """
    scenario, paced = _asked(subject, rates, clocks)
    check_of(of)
    check_tolerance(tolerance, scenario.arena.unit)
    if on_screen and scenario.view is None:
        raise OptionError("this scenario has no view, so that nothing is seen in one")
    reference = reference_flight(scenario, "tuned")
    whose = _craft(scenario, reference, paced, craft, of)
    plans: dict[tuple[str, ...], Plans] = {}
    runs = []
    for clock in paced:
        listed = suspects(scenario, clock)
        key = tuple(part.name for part in listed)
        known = plans.setdefault(key, Plans(scenario, listed))
        runs.append(_explained(Case(known, clock, whose, of, on_screen, whole_run), tolerance))
        if progress is not None:
            progress(len(runs), len(paced))
    return Causes(scenario, of, whose, tuple(runs), tuple(own_rules(scenario)), tolerance)


def explain_also(causes: Causes, of: Of) -> Causes:
    """Explain another quantity of the same runs, reusing their flights.

    Raises
    ------
    UnknownNameError
        If there is nothing of that name to explain.
    """
    check_of(of)
    runs = tuple(
        _explained(replace(run.case, of=of, _left={}), causes.tolerance) for run in causes.runs
    )
    return replace(causes, of=of, runs=runs)


def check_of(of: str) -> None:
    """Refuse what cannot be explained."""
    known = [*GAME, *(metric.name for manoeuvre in BUILT_IN for metric in manoeuvre.metrics)]
    if of not in known:
        raise UnknownNameError(f"unknown metric '{of}'{now_called(of, known)}")


def _asked(
    subject: Scenario | Comparison, rates: Sequence[float], clocks: Sequence[Clock]
) -> tuple[Scenario, list[Clock]]:
    if isinstance(subject, Comparison):
        if subject.scenario is None or subject.against == "log":
            raise OptionError("logs do not contain their rules; explain their scenario")
        if len(subject.variants) > 1:
            raise OptionError("explain one variant at a time: its scenario, by with_value()")
        scenario = subject.scenario
        rates = rates or [rate for rate, _clock in subject.clocks]
    elif isinstance(subject, Scenario):
        scenario = subject
    else:
        raise OptionError("explain() takes a scenario, or a comparison of one")
    requested = at_paces(scenario.clock, *paces("explain()", rates, clocks))
    return scenario, [resolved_clock(scenario, clock) for clock in requested]


def _craft(
    scenario: Scenario,
    reference: Trajectory,
    paced: Sequence[Clock],
    requested: str | None,
    of: str,
) -> str:
    """Return the craft with the largest drift in any run."""
    if requested is not None:
        known = [
            name
            for name in reference.craft
            if of != "drift" or not reference.compared_by_events(name)
        ]
        if of not in GAME:
            known = [craft.name for craft in scenario.craft]
        if requested not in known:
            raise UnknownNameError(f"there is no craft '{requested}'{nearest(requested, known)}")
        return requested
    if of not in GAME:
        return _felt_craft(scenario, of)
    far: dict[str, float] = {}
    plans, families = Plans(scenario, ()), reference.families.values()
    for clock in paced:
        flown = Case(plans, clock, "")
        for members in families:
            if reference.compared_by_events(members[0]):
                continue
            case = flown.of_farthest(members)
            far[case.craft] = max(far.get(case.craft, 0.0), case.left(frozenset()))
    return max(far, key=lambda name: far[name]) if far else reference.craft[0]


def _felt_craft(scenario: Scenario, of: str) -> str:
    """Return the first craft that has a feel metric."""
    for craft in scenario.craft:
        case = Case(Plans(scenario, ()), Clock(rate=scenario.tuned_at), craft.name, of)
        if not case.number(scenario, case.clock).note:
            return craft.name
    return scenario.craft[0].name


def _explained(case: Case, tolerance: float) -> Explained:
    count = len(case.suspects)
    none, every = frozenset[int](), frozenset(range(count))
    whole = case.left(none)
    if whole <= (tolerance if case.of == "drift" else case.least):
        return _told(case, whole, [])
    last = frozenset(n for n in every if case.suspects[n].last)
    chosen: list[int] = []
    for group, first, rest in (
        (every - last, none, every - last),
        (last, every - last, every),
    ):
        chosen += [
            n
            for n in sorted(group)
            if case.changes(first, first | {n}) or case.changes(rest - {n}, rest)
        ]
    dropped = every - set(chosen)

    def left(gone: frozenset[int]) -> float:
        # a suspect that changes no flight has no share, and is switched off throughout
        return case.left(frozenset(chosen[n] for n in gone) | dropped)

    worked = shares(left, len(chosen), effort=_effort(case))
    causes = [
        Cause(
            case.suspects[n],
            amount,
            amount / whole if whole > NOTHING else 0.0,
            error / whole if whole > NOTHING else 0.0,
            whole - case.left(frozenset({n})),
        )
        for n, amount, error in zip(chosen, worked.amounts, worked.errors, strict=True)
        if abs(amount) > NOTHING or error > 0.0
    ]
    return _told(case, whole, causes)


SHORT = 1000
"""Largest number of frames of all craft of a short flight in plain Python."""


def _effort(case: Case) -> Effort:
    scenario = case.plans.scenario
    if scenario.flown_by is None:
        return USUAL
    rate = case.clock.average_rate(scenario.tuned_at)
    return QUICK if scenario.duration * rate * len(scenario.craft) <= SHORT else SLOW


def _told(case: Case, whole: float, causes: list[Cause]) -> Explained:
    causes = sorted(causes, key=lambda cause: -cause.amount)
    clock = case.clock
    rate = clock.average_rate(case.plans.scenario.tuned_at)
    explained = sum(cause.amount for cause in causes)
    return Explained(
        clock.describe(), rate, whole, tuple(causes), whole - explained, case.parts_at, case
    )


def _told_again(
    of_case: tuple[Scenario, Clock, str, Of, bool, bool],
    numbers: tuple[str, float, float, float, float | None],
    told: list[tuple[str, float, float, float, float]],
) -> Explained:
    """Return a run that was explained before it was pickled."""
    scenario, clock, craft, of, on_screen, whole_run = of_case
    plans = Plans(scenario, suspects(scenario, clock))
    known = {suspect.name: suspect for suspect in plans.suspects}
    causes = tuple(Cause(known[name], *amounts) for name, *amounts in told)
    name, rate, whole, unexplained, parts_at = numbers
    case = Case(plans, clock, craft, of, on_screen, whole_run)
    return Explained(name, rate, whole, causes, unexplained, parts_at, case)
