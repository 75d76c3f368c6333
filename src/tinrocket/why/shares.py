"""Shares of a whole: what each of several parts takes away, on average over all orders.

Shapley (1953), A value for n-person games.
"""

import itertools
import math
import random
from collections.abc import Callable
from dataclasses import dataclass

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


@dataclass(frozen=True, slots=True)
class Effort:
    """How many sets are measured.

    Attributes
    ----------
    exact
        Parts up to which all sets are measured; of more, orders are drawn.
    drawn
        Orders that are drawn.
    """

    exact: int = 10
    drawn: int = 64


USUAL = Effort()
QUICK = Effort(exact=8, drawn=32)
"""For short flights in plain Python."""
SLOW = Effort(exact=6, drawn=12)
"""For long ones, or with many craft."""


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
