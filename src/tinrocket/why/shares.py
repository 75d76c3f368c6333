"""Shares of a whole: what each of several parts takes away, on average over all orders.

Shapley (1953), A value for n-person games.
"""

import itertools
import math
import random
from collections.abc import Callable
from dataclasses import dataclass

EXACT = 10
"""Parts up to which all orders are taken together; of more, orders are drawn."""
DRAWN = 64
"""Orders that are drawn."""

Whole = Callable[[frozenset[int]], float]
"""The remaining difference with some parts taken away."""


@dataclass(frozen=True, slots=True)
class Shares:
    """What each part takes away.

    Attributes
    ----------
    amounts
        One for each part; their sum is the whole minus the rest with all parts taken away.
    errors
        Standard errors of the amounts: 0 where they are exact.
    """

    amounts: tuple[float, ...]
    errors: tuple[float, ...]


def shares(left: Whole, count: int, *, seed: int = 0) -> Shares:
    """Return the Shapley value of each of `count` parts.

    The mean, over all orders of removal, of the change of the rest at each part:
    ``sum over S of |S|! (n - |S| - 1)! / n! (left(S) - left(S + i))``.
    """
    if count <= EXACT:
        return Shares(tuple(_exact(left, part, count) for part in range(count)), (0.0,) * count)
    chance = random.Random(seed)  # noqa: S311  # not for secrets
    taken: list[list[float]] = [[] for _ in range(count)]
    for _ in range(DRAWN // 2):
        order = list(range(count))
        chance.shuffle(order)
        for one in (order, order[::-1]):  # antithetic sampling: each order and its reverse
            gone: frozenset[int] = frozenset()
            before = left(gone)
            for part in one:
                gone |= {part}
                after = left(gone)
                taken[part].append(before - after)
                before = after
    means = tuple(math.fsum(ones) / len(ones) for ones in taken)
    errors = tuple(
        math.sqrt(sum((one - mean) ** 2 for one in ones) / (len(ones) - 1) / len(ones))
        for ones, mean in zip(taken, means, strict=True)
    )
    return Shares(means, errors)


def _exact(left: Whole, part: int, count: int) -> float:
    others = [one for one in range(count) if one != part]
    terms = []
    for size in range(count):
        weight = math.factorial(size) * math.factorial(count - size - 1) / math.factorial(count)
        for chosen in itertools.combinations(others, size):
            gone = frozenset(chosen)
            terms.append(weight * (left(gone) - left(gone | {part})))
    return math.fsum(terms)
