"""Shares of a whole: the part that each player removes, on average over all orders.

Shapley (1953), A value for n-person games.
"""

import itertools
import math
import random
from collections.abc import Callable
from dataclasses import dataclass

Whole = Callable[[frozenset[int]], float]
"""Function that returns the remaining difference with some parts removed."""


@dataclass(frozen=True, slots=True)
class Shares:
    """Shapley values.

    Attributes
    ----------
    amounts
        One for each part; their sum is the whole minus the rest with all parts removed.
    errors
        Standard errors of the amounts: 0 where they are exact.
    """

    amounts: tuple[float, ...]
    errors: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Effort:
    """Budget of measured sets.

    Attributes
    ----------
    exact
        Most parts of which all sets are measured; with more, orders are drawn.
    drawn
        Number of drawn orders.
    """

    exact: int = 10
    drawn: int = 64


USUAL = Effort()
QUICK = Effort(exact=8, drawn=32)
"""Budget for short flights in plain Python."""
SLOW = Effort(exact=6, drawn=12)
"""Budget for long flights in plain Python, or many craft."""


def shares(left: Whole, count: int, *, effort: Effort = USUAL, seed: int = 0) -> Shares:
    """Return the Shapley value of each of `count` parts.

    The mean, over all orders of removal, of the change of the rest at each part:
    ``sum over S of |S|! (n - |S| - 1)! / n! (left(S) - left(S + i))``.
    """
    if count <= effort.exact:
        return Shares(tuple(_exact(left, part, count) for part in range(count)), (0.0,) * count)
    chance = random.Random(seed)  # noqa: S311  # not for secrets
    taken: list[list[float]] = [[] for _ in range(count)]
    for _ in range(effort.drawn // 2):
        order = list(range(count))
        chance.shuffle(order)
        for sequence in (order, order[::-1]):  # antithetic sampling: each order and its reverse
            gone: frozenset[int] = frozenset()
            before = left(gone)
            for part in sequence:
                gone |= {part}
                after = left(gone)
                taken[part].append(before - after)
                before = after
    means = tuple(math.fsum(ones) / len(ones) for ones in taken)
    errors = tuple(
        math.sqrt(sum((sample - mean) ** 2 for sample in ones) / (len(ones) - 1) / len(ones))
        for ones, mean in zip(taken, means, strict=True)
    )
    return Shares(means, errors)


def _exact(left: Whole, part: int, count: int) -> float:
    others = [member for member in range(count) if member != part]
    terms = []
    for size in range(count):
        weight = math.factorial(size) * math.factorial(count - size - 1) / math.factorial(count)
        for chosen in itertools.combinations(others, size):
            gone = frozenset(chosen)
            terms.append(weight * (left(gone) - left(gone | {part})))
    return math.fsum(terms)
