"""Numbers for the feel that is wanted: bounded least squares from several starts.

Each want is a residual: the miss of its metric, as a share of the wanted number, times the square
root of its weight.  Places spread evenly over all ranges (Sobol') and the scenario as it
is are tried first; from the best of them a trust-region least-squares search goes on (Branch,
Coleman and Li 1999, as SciPy has it), and a differential evolution where that leaves a miss.

A closed-form start is tried first.  Terminal speed a / r, apex u^2 / (2 g), time to apex u / g and
half-speed time ln 2 / r are products of powers of the free numbers: their exponents, read off at
the scenario as it is, lead to the wanted metrics in one step.
"""

import math
from collections.abc import Mapping, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import OptionError, expect
from tinrocket.flight.record import Progress
from tinrocket.scenario.scenario import Scenario
from tinrocket.tuning.free_numbers import FreeNumber, free_numbers
from tinrocket.tuning.responses import Asked, Responses
from tinrocket.tuning.search_tools import scipy
from tinrocket.tuning.solution import Reached, Solution
from tinrocket.tuning.wants import Want, parse_want

Floats = NDArray[np.float64]

MET = 1e-3
"""Largest miss, as a share, of a want that counts as met."""
NO_NUMBER = 3.0
"""Residual of a metric without a number, such as a top speed without limit."""
NEAR = 0.02
"""Shares of the ranges within which two solutions count as equal."""
FLAT = 1e-3
"""A direction along which residuals change by less than this share of the most is undetermined."""
ROUNDING = 2e-3
"""Further miss that rounded numbers may cause."""
EVOLVED = 8
"""Members of each generation of the evolution, for each free number."""
POWER_STEPS = 3
"""How often exponents are read off: once is exact for powers, twice more helps where not."""
POWER_STEP = 1e-3
"""Step of a logarithm by which exponents are read off."""


def solve(
    scenario: Scenario,
    wants: Sequence[str | Want],
    free: Sequence[str] | Mapping[str, tuple[float, float] | None],
    *,
    rates: Sequence[float] = (),
    starts: int = 6,
    seed: int = 0,
    progress: Progress | None = None,
) -> Solution:
    """Find numbers with which feel metrics meet wants.

    Parameters
    ----------
    scenario
        The scenario.
    wants
        What metrics should be, such as ``"rocket top speed = 420 px/s"``, ``"rise time <= 0.5 s"``,
        ``"apex between 40 and 50 px"``, ``"top speed same at 30, 144 fps"``.
    free
        Paths of the numbers that may change, with their ranges.
    rates
        Frame rates [1/s] at which wants hold that name none (default: the tuned one).
    starts
        Number of the best first places from which searches start.
    seed
        Of the places that are tried.
    progress
        Called with the number of places tried, and an estimate of all.

    Returns
    -------
    Solution
        The numbers, rounded as a person would type them too; the metrics reached, conflicting
        wants, undetermined numbers, and other solutions that are as good.

    Raises
    ------
    OptionError
        If there are no wants or free numbers, or a want has another form.
    UnknownNameError, ScenarioError
        If a path, craft or metric does not exist, or a range does not fit.
    MissingExtraError
        If SciPy is not installed.

    Examples
    --------
    >>> solution = tr.solve(
    ...     tr.read_demo("rocket"), ["top speed = 420 px/s"], ["rocket.thrust.accel=100:2000"]
    ... )
    >>> solution.rounded
    {'rocket.thrust.accel': 300.0}
    """
    expect(scenario, Scenario, "solve()", "read one with read_scenario('file.toml')")
    if isinstance(wants, str) or not wants:
        raise OptionError("say what is wanted, in a list such as ['top speed = 420 px/s']")
    if not 1 <= starts <= 100:
        raise OptionError(f"a search has 1 to 100 starts, not {starts}")
    parsed = [parse_want(want, scenario) if isinstance(want, str) else want for want in wants]
    search = _Search(scenario, parsed, free_numbers(scenario, free), rates, progress)
    return search.solution(starts, seed)


class _Search:
    """One search: its wants as residuals, and the results."""

    def __init__(
        self,
        scenario: Scenario,
        wants: Sequence[Want],
        free: Sequence[FreeNumber],
        rates: Sequence[float],
        progress: Progress | None,
    ) -> None:
        self.wants, self.free, self.progress = wants, free, progress
        tuned = scenario.tuned_at
        self.terms: list[tuple[Want, int, int]] = []
        asked: dict[Asked, int] = {}
        for want in wants:
            at_rates = want.rates or tuple(rates) or (tuned,)
            for rate in at_rates:
                here, there = (
                    asked.setdefault(
                        Asked(want.craft, want.manoeuvre, want.metric.name, at_rate), len(asked)
                    )
                    for at_rate in (rate, tuned)
                )
                if not (want.same and rate == tuned):
                    self.terms.append((want, here, there))
        if not self.terms:
            raise OptionError("'same' compares rates with the tuned one: name others, 'at 30 fps'")
        self.responses = Responses(scenario, free, tuple(asked))
        now = self.responses.answers({number.path: number.now for number in free})
        for want, here, _there in self.terms:
            if now[here].note == "not this craft":
                raise OptionError(f"'{want.text}': {want.craft} has no {want.metric.name}")
        self.scales = [
            max(want.size, abs(_or_zero(now[here].value)) if not want.size else 0.0) or 1.0
            for want, here, _there in self.terms
        ]
        self.tried = 0

    def misses(self, values: Floats) -> Floats:
        """Return the miss of each term, as a share; NaN without a number."""
        return np.array(
            [
                want.miss(values[here], values[there], scale)
                for (want, here, there), scale in zip(self.terms, self.scales, strict=True)
            ]
        )

    def residuals(self, shares: Floats, left_out: Want | None = None) -> Floats:
        """Return the weighted misses at shares of the ranges."""
        self.tried += 1
        if self.progress is not None:
            self.progress(self.tried, max(self.tried, 200))
        misses = self.misses(self.responses.values(shares))
        misses[np.isnan(misses)] = NO_NUMBER
        weights = [0.0 if want is left_out else want.weight for want, _h, _t in self.terms]
        weighted: Floats = np.clip(misses, -NO_NUMBER, NO_NUMBER) * np.sqrt(weights)
        return weighted

    def cost(self, shares: Floats) -> float:
        """Return the sum of squares."""
        return float(np.square(self.residuals(shares)).sum())

    def descended(self, start: Floats, left_out: Want | None = None) -> Floats:
        """Return where a least-squares search from a start ends."""
        optimize = scipy().optimize
        end = optimize.least_squares(
            partial(self.residuals, left_out=left_out),
            np.clip(start, 1e-6, 1.0 - 1e-6),
            bounds=(0.0, 1.0),
            diff_step=1e-5,
            xtol=1e-10,
            ftol=1e-12,
            gtol=1e-12,
            max_nfev=60,
        )
        shares: Floats = end.x
        return shares

    def solution(self, starts: int, seed: int) -> Solution:
        """Search, and return the solution."""
        ends = self._ends(starts, seed)
        best = self._near_to_now(ends[0])
        numbers = self.responses.numbers(best)
        rounded = self._rounded(best, numbers)
        met = self._worst(numbers) <= MET
        others = [
            self.responses.numbers(end)
            for end in ends[1:]
            if self._worst(self.responses.numbers(end)) <= MET
        ]
        flat = self._undetermined(best) if met else []
        return Solution(
            scenario=self.responses.variant(rounded),
            free=tuple(self.free),
            numbers=numbers,
            rounded=rounded,
            reached=self._reached(numbers, rounded),
            met=met,
            conflicts=() if met else tuple(self._conflicts(best)),
            undetermined=tuple(flat),
            # on a line of solutions, others are not distinct
            others=tuple(others) if not flat else (),
            flights=self.responses.flights,
            before=self.responses.scenario,
            manoeuvres=tuple(dict.fromkeys((want.craft, want.manoeuvre) for want in self.wants)),
        )

    def _ends(self, starts: int, seed: int) -> list[Floats]:
        """Return the distinct ends of searches, the best first."""
        qmc = scipy().stats.qmc
        now = np.array([number.share(number.now) for number in self.free])
        count = 2 ** math.ceil(math.log2(8 * max(len(self.free), 2)))
        places = qmc.Sobol(len(self.free), rng=seed).random(count)
        first = sorted([now, *self._closed_form(now), *places], key=self.cost)[:starts]
        ends: list[Floats] = []
        met = 0
        for start in first:
            if met > 1:  # one further search shows whether there are others
                break
            end = self.descended(start)
            met += self._worst(self.responses.numbers(end)) <= MET
            if all(np.abs(end - other).max() > NEAR for other in ends):
                ends.append(end)
        ends.sort(key=self.cost)
        if self._worst(self.responses.numbers(ends[0])) > MET:
            ends.insert(0, self.descended(self._evolved(seed)))
            ends.sort(key=self.cost)
        return ends

    def _closed_form(self, now: Floats) -> list[Floats]:
        """Return the place at which wants are met if metrics are powers of the numbers, if any.

        With y = log(metric) and u = log(number), or the log of the rate -log(number) of a share
        that is kept, y is linear in u: u += pinv(dy / du) (wanted y - y).
        """
        place = now
        for _ in range(POWER_STEPS):
            missing, values = self._logarithms(place)
            if not missing.size:
                break
            slopes = np.empty((missing.size, len(self.free)))
            for n, number in enumerate(self.free):
                moved = place.copy()
                moved[n] = number.share(number.scaled(number.value(place[n]), POWER_STEP))
                size = number.log_ratio(number.value(moved[n]), number.value(place[n]))
                after = self._logarithms(moved)[1]
                if size == 0.0 or after.shape != values.shape:
                    return []
                slopes[:, n] = (after - values) / size
            if not np.isfinite(slopes).all():
                return []
            steps = np.linalg.pinv(slopes, rcond=1e-3) @ missing
            place = np.array(
                [
                    number.share(number.scaled(number.value(share), float(step)))
                    for number, share, step in zip(self.free, place, steps, strict=True)
                ]
            )
        return [] if place is now else [place]

    def _logarithms(self, shares: Floats) -> tuple[Floats, Floats]:
        """Return the distance of each metric above 0 from its want, and its value, as logs."""
        values = self.responses.values(shares)
        pairs = []
        for want, here, _there in self.terms:
            value = values[here]
            wanted = want.low if value < want.low else min(want.high, value)
            if not want.same and value > 0.0 and wanted > 0.0:
                pairs.append((math.log(wanted / value), math.log(value)))
        ranges = np.array(pairs).reshape(-1, 2)
        return ranges[:, 0], ranges[:, 1]

    def _near_to_now(self, best: Floats) -> Floats:
        """Return a solution in which numbers keep their present values if possible."""
        if self._worst(self.responses.numbers(best)) > MET:
            return best
        nearest = best
        for n, number in enumerate(self.free):
            tried = nearest.copy()
            tried[n] = number.share(number.now)
            if self._worst(self.responses.numbers(tried)) <= MET:
                nearest = tried
        return nearest

    def _evolved(self, seed: int) -> Floats:
        """Return the best place of a differential evolution, which needs no slopes."""
        optimize = scipy().optimize
        best: Floats = optimize.differential_evolution(
            self.cost,
            [(0.0, 1.0)] * len(self.free),
            popsize=EVOLVED,
            maxiter=10,
            tol=1e-8,
            rng=seed,
            polish=False,
        ).x
        return best

    def _worst(self, numbers: dict[str, float]) -> float:
        """Return the largest miss with some numbers, infinite where there is no number."""
        misses = np.abs(self.misses(np.array([a.value for a in self.responses.answers(numbers)])))
        return math.inf if np.isnan(misses).any() else float(misses.max())

    def _rounded(self, best: Floats, numbers: dict[str, float]) -> dict[str, float]:
        """Return the numbers with as few digits as the wants allow, the same for all."""
        allowed = max(self._worst(numbers), MET) + ROUNDING
        typed = numbers
        for digits in range(2, 8):
            typed = {
                number.path: number.rounded(numbers[number.path], digits) for number in self.free
            }
            if self._worst(typed) <= allowed:
                return typed
        return typed

    def _reached(self, numbers: dict[str, float], rounded: dict[str, float]) -> tuple[Reached, ...]:
        exact, typed = self.responses.answers(numbers), self.responses.answers(rounded)
        before = self.responses.answers({number.path: number.now for number in self.free})
        shares = self.misses(np.array([number.value for number in exact]))
        return tuple(
            Reached(
                want=want,
                rate=self.responses.asked[here].rate,
                before=before[here],
                exact=exact[here],
                rounded=typed[here],
                miss=float(share),
            )
            for (want, here, _there), share in zip(self.terms, shares, strict=True)
        )

    def _conflicts(self, best: Floats) -> list[str]:
        """Return the wants without which all others are met."""
        if len(self.wants) < 2:
            return []
        conflicts = []
        for want in self.wants:
            end = self.descended(best, left_out=want)
            numbers = self.responses.numbers(end)
            misses = self.misses(np.array([a.value for a in self.responses.answers(numbers)]))
            rest = [
                abs(miss)
                for (term, _h, _t), miss in zip(self.terms, misses, strict=True)
                if term is not want
            ]
            if not np.isnan(rest).any() and max(rest) <= MET:
                conflicts.append(want.text)
        return conflicts

    def _undetermined(self, best: Floats) -> list[dict[str, float]]:
        """Return directions along which no wanted metric changes.

        Each gives the change of every number as a share of its range; the null space of the
        residuals' slopes, by their singular values.
        """
        inside = np.clip(best, 1e-3, 1.0 - 1e-3)
        slopes = np.empty((len(self.terms), len(self.free)))
        for n in range(len(self.free)):
            ends = []
            for sign in (1.0, -1.0):
                moved = inside.copy()
                moved[n] += sign * 1e-4
                values = self.responses.values(moved)
                ends.append(_levels(self.terms, values, self.scales))
            slopes[:, n] = (ends[0] - ends[1]) / 2e-4
        slopes[np.isnan(slopes)] = 0.0
        _left, sizes, right = np.linalg.svd(slopes, full_matrices=True)
        sizes = np.concatenate([sizes, np.zeros(len(self.free) - len(sizes))])
        most = max(float(sizes.max()), 1e-12)
        return [
            {
                number.path: float(part)
                for number, part in zip(self.free, right[n], strict=True)
                if abs(part) > 0.05
            }
            for n in range(len(self.free))
            if sizes[n] < FLAT * most
        ]


def _levels(
    terms: Sequence[tuple[Want, int, int]], values: Floats, scales: Sequence[float]
) -> Floats:
    """Return the metrics themselves, so that a met bound has a slope too."""
    return np.array(
        [
            (values[here] - (values[there] if want.same else 0.0)) / scale
            for (want, here, there), scale in zip(terms, scales, strict=True)
        ]
    )


def _or_zero(value: float) -> float:
    return 0.0 if math.isnan(value) else value
