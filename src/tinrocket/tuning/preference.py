"""The feel of numbers from blind pairs: a Gaussian process of preference.

The feel f is a smooth random function of the numbers' shares.  Of two sets, the better one is named
with the probability Phi(f(a) - f(b) - D), the other one with Phi(f(b) - f(a) - D), and otherwise no
difference is felt; D is the least difference that is noticed (after Chu and Ghahramani, "Preference
learning with Gaussian processes", 2005).  The posterior is Laplace's approximation; scale, length
and D are the likeliest ones under broad priors.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.tuning.search_tools import scipy

Floats = NDArray[np.float64]
FIRST, SECOND, SAME = 1, -1, 0
"""Answers: the better of two, or no difference."""
PRIORS = ((math.log(0.5), 0.3), (math.log(4.0), 0.6), (math.log(0.3), 0.6))
"""Mean and spread of the logarithms of length, scale and D."""
JITTER = 1e-6
BUMPS = 0.25
"""Size of bumps, as a share of the parabolas."""
ROUNDS = 30
TINY = 1e-12


@dataclass(frozen=True, slots=True, eq=False)
class Preference:
    """Posterior of the feel.

    Attributes
    ----------
    places
        Shares of the numbers that were flown, shape (m, numbers).
    length, scale, least
        Length scale as a share of a range, amplitude, and D.
    weights, spread
        Of the posterior: K^-1 f, and K^-1 - K^-1 H^-1 K^-1.
    """

    places: Floats
    length: float
    scale: float
    least: float
    weights: Floats
    spread: Floats

    def mean(self, at: Floats) -> Floats:
        """Return the expected feel at some places, shape (n,)."""
        values: Floats = self._kernel(at, self.places) @ self.weights
        return values

    def samples(self, at: Floats, count: int, random: np.random.Generator) -> Floats:
        """Return samples of the posterior at some places, shape (count, n)."""
        across = self._kernel(at, self.places)
        covariance = self._kernel(at, at) - across @ self.spread @ across.T
        covariance[np.diag_indices(len(at))] += JITTER * self.scale**2
        values, vectors = np.linalg.eigh(covariance)
        root = vectors * np.sqrt(np.maximum(values, 0.0))
        draws: Floats = random.standard_normal((count, len(at))) @ root.T
        return self.mean(at) + draws

    def chances(self, differences: Floats) -> tuple[Floats, Floats, Floats]:
        """Return the probability of each answer: first, second, same."""
        return answer_chances(differences, self.least)

    def _kernel(self, a: Floats, b: Floats) -> Floats:
        return kernel(a, b, self.length, self.scale)


def kernel(a: Floats, b: Floats, length: float, scale: float) -> Floats:
    """Return the covariance of the feel at each pair of places.

    That of parabolas about the middle of the ranges, and of smooth bumps on them:
    scale^2 (p + p^2 / 2 + (BUMPS)^2 exp(-|a - b|^2 / (2 length^2))), with p the product of both
    places as they lie about the middle, from -1 to 1.
    """
    product = (2.0 * a - 1.0) @ (2.0 * b - 1.0).T
    squares = ((a[:, None, :] - b[None, :, :]) ** 2).sum(axis=2)
    bumps = BUMPS * BUMPS * np.exp(-0.5 * squares / (length * length))
    covariance: Floats = scale * scale * (product + 0.5 * product * product + bumps)
    return covariance


def density(z: Floats) -> Floats:
    """Return the standard normal density."""
    normal: Floats = np.exp(-0.5 * z * z) / math.sqrt(2.0 * math.pi)
    return normal


def answer_chances(differences: Floats, least: float) -> tuple[Floats, Floats, Floats]:
    """Return the probability of each answer at a difference of the feel."""
    below = scipy().special.ndtr
    first, second = below(differences - least), below(-differences - least)
    return first, second, np.maximum(1.0 - first - second, 0.0)


def preference(pairs: Floats, answers: NDArray[np.int64]) -> Preference:
    """Return the posterior from answers to pairs.

    Parameters
    ----------
    pairs
        Shares of both of each pair, shape (n, 2, numbers).
    answers
        `FIRST`, `SECOND` or `SAME`, shape (n,).
    """
    flat = pairs.reshape(-1, pairs.shape[2])
    places, where = np.unique(flat, axis=0, return_inverse=True)
    signs = np.zeros((len(answers), len(places)))
    rows = np.arange(len(answers))
    np.add.at(signs, (rows, where.reshape(-1, 2)[:, 0]), 1.0)
    np.add.at(signs, (rows, where.reshape(-1, 2)[:, 1]), -1.0)
    means = np.array([mean for mean, _spread in PRIORS])
    if not len(answers):
        length, scale, least = np.exp(means)
        nothing = np.zeros((len(places), len(places)))
        return Preference(places, length, scale, least, np.zeros(len(places)), nothing)

    def cost(logs: Floats) -> float:
        prior = sum(
            ((log - mean) / spread) ** 2 for log, (mean, spread) in zip(logs, PRIORS, strict=True)
        )
        return 0.5 * float(prior) - _fit(places, signs, answers, *np.exp(logs))[0]

    end: Any = scipy().optimize.minimize(
        cost, means, method="Nelder-Mead", options={"maxfev": 90, "xatol": 0.02, "fatol": 0.02}
    )
    length, scale, least = (float(value) for value in np.exp(end.x))
    _evidence, weights, spread = _fit(places, signs, answers, length, scale, least)
    return Preference(places, length, scale, least, weights, spread)


def _fit(
    places: Floats,
    signs: Floats,
    answers: NDArray[np.int64],
    length: float,
    scale: float,
    least: float,
) -> tuple[float, Floats, Floats]:
    """Return the log evidence, K^-1 f at the likeliest f, and K^-1 - K^-1 H^-1 K^-1."""
    prior = kernel(places, places, length, scale)
    prior[np.diag_indices(len(places))] += JITTER * scale * scale
    inverse = np.linalg.inv(prior)
    feel: Floats = np.zeros(len(places))
    for _ in range(ROUNDS):
        _value, slope, bend = _likelihood(signs @ feel, answers, least)
        precision = inverse + signs.T @ (bend[:, None] * signs)
        pull = signs.T @ (slope + bend * (signs @ feel))
        better = np.linalg.solve(precision, pull).astype(np.float64)
        done = float(np.abs(better - feel).max()) < 1e-8
        feel = better
        if done:
            break
    value, _slope, bend = _likelihood(signs @ feel, answers, least)
    data = signs.T @ (bend[:, None] * signs)
    weights = inverse @ feel
    _sign, volume = np.linalg.slogdet(np.eye(len(places)) + prior @ data)
    evidence = float(value - 0.5 * feel @ weights - 0.5 * volume)
    spread = inverse - inverse @ np.linalg.inv(inverse + data) @ inverse
    return evidence, weights, spread


def _likelihood(
    differences: Floats, answers: NDArray[np.int64], least: float
) -> tuple[float, Floats, Floats]:
    """Return the log likelihood, its slopes, and minus its second derivatives (at least TINY)."""
    first, second, same = answer_chances(differences, least)
    up, down = density(differences - least), density(-differences - least)
    chance = np.select([answers == FIRST, answers == SECOND], [first, second], same)
    chance = np.maximum(chance, TINY)
    slope = np.select([answers == FIRST, answers == SECOND], [up, -down], down - up)
    turn = np.select(
        [answers == FIRST, answers == SECOND],
        [-(differences - least) * up, (-differences - least) * -down],
        (differences - least) * up + (differences + least) * down,
    )
    ratio = slope / chance
    bend = np.maximum(ratio * ratio - turn / chance, TINY)
    return float(np.log(chance).sum()), ratio, bend
