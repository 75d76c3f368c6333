"""Intervals of fitted numbers by profile likelihood, allowing for residuals that go together.

An interval ends where the misfit, all other numbers following, has grown by what chance explains in
one of twenty logs: 3.84 variances if residuals were independent.  A slow craft repeats the same
rounding for many rows.  So the growth is multiplied by a ratio of two variances of the number: one
that sums products of neighbouring residuals (Newey and West 1987), and the usual one.
"""

import numpy as np
from numpy.typing import NDArray

from tinrocket.tuning.fit_search import FitSearch
from tinrocket.tuning.fitted import FittedNumber
from tinrocket.tuning.search_tools import scipy

Floats = NDArray[np.float64]

CHANCE = 3.841
"""By how much the misfit grows, in variances, at the ends of an interval of 95 %."""
ALIKE = 0.95
"""Numbers whose errors are correlated by more than this are named."""
CLIPPED = 3.0
"""Residuals of more standard deviations count as this many in products of neighbours."""
DOUBLINGS = 12
"""How often the distance to an interval's end is doubled."""


def intervals(
    search: FitSearch, best: Floats
) -> tuple[tuple[FittedNumber, ...], tuple[tuple[str, str], ...]]:
    """Return each number with its interval, and pairs of numbers that make up for each other."""
    spread = search.spread(best)
    scale = 3.0 * spread
    least = search.misfit(best, scale)
    widths, errors = search.standard_errors(best, spread)
    growth = CHANCE * spread**2 * _growth_ratios(search, best, spread)
    slopes = []
    for n, number in enumerate(search.searched):
        step = max(2.0 * float(widths[n]), 1e-9)
        # where the others go as this one moves, if the misfit is a paraboloid
        others = errors[:, n] / errors[n, n] if errors[n, n] > 0.0 else np.zeros(best.size)
        ends = [
            _end(search, best, n, way * step, others, scale, least + float(growth[n]))
            for way in (-1.0, 1.0)
        ]
        low, high = sorted(number.value(end) for end in ends)
        bounded = ends[0] > 0.0 and ends[1] < 1.0
        slopes.append(FittedNumber(number, number.value(float(best[n])), low, high, bounded))
    together = []
    for a, first in enumerate(search.searched):
        for b, second in enumerate(search.searched[:a]):
            both = widths[a] * widths[b]
            if both > 0.0 and abs(errors[a, b]) / both > ALIKE:
                together.append((second.path, first.path))
    return tuple(slopes), tuple(together)


def _growth_ratios(search: FitSearch, best: Floats, spread: float) -> Floats:
    """Return for each number the ratio of its variance to that of independent residuals; 1 or more.

    With slopes S, residuals e and g = S e, the variance is A^-1 M A^-1, with A = S^T S and
    M = sum g g^T + sum over lags k of (1 - k / (L + 1)) (g_i g_(i+k)^T + its transpose).
    """
    slopes = search.slopes(best)
    inverse = np.linalg.pinv(slopes.T @ slopes)
    count = best.size
    products, start = np.zeros((count, count)), 0
    for each in search.differences(best):
        rows = slopes[start : start + each.off.size]
        start += each.off.size
        clipped = np.clip(each.off, -CLIPPED * spread, CLIPPED * spread)
        scores = rows * clipped[:, np.newaxis]
        lags = int(4.0 * (max(each.off.size, 1) / 100.0) ** (2.0 / 9.0))
        products += scores.T @ scores
        for lag in range(1, min(lags, each.off.size - 1) + 1):
            shifted = scores[:-lag].T @ scores[lag:]
            products += (1.0 - lag / (lags + 1.0)) * (shifted + shifted.T)
    variances, usual = np.diag(inverse @ products @ inverse), np.diag(inverse) * spread**2
    ratios = np.divide(variances, usual, out=np.ones(count), where=usual > 0.0)
    factors: Floats = np.maximum(ratios, 1.0)
    return factors


def _end(
    search: FitSearch,
    best: Floats,
    n: int,
    step: float,
    others: Floats,
    scale: float,
    level: float,
) -> float:
    """Return the share at which a number's profile reaches a level, or the range's end."""

    def above_level(share: float) -> float:
        begin = np.clip(best + others * (share - best[n]), 0.0, 1.0)
        at = search.descended(begin, scale, {n: share})
        return search.misfit(at, scale) - level

    limit = 1.0 if step > 0.0 else 0.0
    inside, outside = float(best[n]), float(best[n]) + step
    for _ in range(DOUBLINGS):
        outside = min(max(outside, 0.0), 1.0)
        if above_level(outside) > 0.0:
            root: float = scipy().optimize.brentq(
                above_level, inside, outside, xtol=1e-3 * abs(step) + 1e-13, maxiter=12, disp=False
            )
            return root
        if outside == limit:
            return limit
        inside, step = outside, 2.0 * step
        outside = float(best[n]) + step
    return limit
