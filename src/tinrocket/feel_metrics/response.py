"""Step responses: crossing of a level, settled value, and rate of turn.

All are interpolated between frames, never snapped to one.
"""

import math

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

SETTLED = 1e-3
"""Share of its value by which a settled response may still change in a twentieth of the time."""
LATE = (0.05, 0.2)
"""Shares of the time, at its end, within which a response is settled."""
TINY = 1e-9
CHANCE = 4.0
"""Standard errors by which the means of two halves of an uneven response may differ: two, because
each mean is of half the values.
"""


def crossing(t: Floats, values: Floats, level: float, after: float = 0.0) -> float | None:
    """Return when values first reach a level from their side of it at a moment, or None.

    Linear interpolation between frames.
    """
    n = int(np.searchsorted(t, after - TINY))
    if n >= t.size:
        return None
    rest = values[n:] - level
    if rest[0] == 0.0:
        return float(t[n])
    there = np.flatnonzero(rest * np.sign(rest[0]) <= TINY * abs(level))
    if not there.size:
        return None
    k = n + int(there[0])
    before, past = values[k - 1] - level, values[k] - level
    share = 1.0 if before == past else min(float(before / (before - past)), 1.0)
    return float(t[k - 1] + share * (t[k] - t[k - 1]))


def value_at(t: Floats, values: Floats, moment: float) -> float:
    """Return values between frames, by linear interpolation."""
    return float(np.interp(moment, t, values))


def settled(t: Floats, values: Floats) -> float | None:
    """Return the value to which a response has settled by the end, or None if it still changes.

    Where uneven frames make it jitter, that is the mean of the last twentieth of the time, or of
    the last fifth, if its two halves differ by no more than chance.  Chance is that of the
    residuals from a straight line, whose neighbours may be correlated: an eased view remembers the
    lengths of earlier frames.
    """
    for share in LATE:
        late = values[np.searchsorted(t, t[-1] * (1.0 - share) + t[0] * share) :]
        mean, spread = float(late.mean()), float(late.max() - late.min())
        least = SETTLED * max(abs(mean), TINY)
        if share == LATE[0] and spread <= least:
            return float(values[-1])
        half = late.size // 2
        apart = abs(float(late[:half].mean()) - float(late[half:].mean()))
        if apart <= max(least, CHANCE * _standard_error(late)):
            return mean
    return None


def _standard_error(values: Floats) -> float:
    """Return the standard error of the mean of values about a line, correlated as AR(1).

    s / sqrt(n) * sqrt((1 + rho) / (1 - rho)), with rho the correlation of neighbouring residuals.
    """
    places = np.arange(values.size) - 0.5 * (values.size - 1)
    level = values - values.mean()
    slope = float(places @ level) / max(float(places @ places), 1.0)
    residuals = level - slope * places
    power = float(residuals @ residuals)
    if power == 0.0:
        return 0.0
    rho = min(max(float(residuals[1:] @ residuals[:-1]) / power, 0.0), 0.9)
    return math.sqrt(power * (1.0 + rho) / (1.0 - rho)) / values.size


def peak(t: Floats, values: Floats) -> tuple[float, float]:
    """Return time and value of the maximum: the top of the parabola through three values."""
    k = int(np.argmax(values))
    if not 0 < k < values.size - 1:
        return float(t[k]), float(values[k])
    before, top, after = (float(values[n]) for n in (k - 1, k, k + 1))
    bend = before - 2.0 * top + after
    if bend >= 0.0 or not math.isclose(t[k] - t[k - 1], t[k + 1] - t[k], rel_tol=1e-6):
        return float(t[k]), top
    share = 0.5 * (before - after) / bend
    step = float(t[k + 1] - t[k])
    return float(t[k]) + share * step, top - 0.25 * (before - after) * share


def course_rate(t: Floats, vx: Floats, vy: Floats) -> float:
    """Return the mean rate of turn of a velocity [deg/s]."""
    directions = np.unwrap(np.arctan2(vy, vx))
    return math.degrees(float(directions[-1] - directions[0]) / float(t[-1] - t[0]))


def folded(degrees: float) -> float:
    """Return an angle reduced to half a turn either way."""
    return (degrees + 180.0) % 360.0 - 180.0
