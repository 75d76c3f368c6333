"""Search for the smallest sufficient set of cures, and the recommendation."""

import itertools
import math
from collections.abc import Sequence

from tinrocket.why.bench import Bench, Tried
from tinrocket.why.cure import cure_of
from tinrocket.why.suspect import Suspect

MOST_TRIED = 256
"""Most sets of cures that are flown in search of the smallest."""
MOST_SLOW = 32
"""Most sets for flights in plain Python."""


def smallest(bench: Bench, among: Sequence[Suspect]) -> Tried | None:
    """Return the smallest set of cures with which every rate agrees, or None.

    If all together are not enough, no subset is searched; beyond a limit of sets, cures are left
    out one by one.
    """
    if not among or not bench.try_cure(cure_of(among)).enough:
        return None
    most = MOST_TRIED if bench.causes.scenario.flown_by is None else MOST_SLOW
    if sum(math.comb(len(among), size) for size in range(1, len(among))) > most:
        needed = list(among)
        for one in among:
            fewer = [other for other in needed if other is not one]
            if fewer and bench.try_cure(cure_of(fewer)).enough:
                needed = fewer
        return bench.try_cure(cure_of(needed))
    sets = (
        chosen
        for size in range(1, len(among) + 1)
        for chosen in itertools.combinations(among, size)
    )
    return next((now for one in sets if (now := bench.try_cure(cure_of(one))).enough), None)


def pruned(bench: Bench, whole: Tried) -> Tried:
    """Return a set of cures without those that do not improve it."""
    remaining = list(whole.cure.suspects)
    for one in whole.cure.suspects:
        fewer = [other for other in remaining if other is not one]
        if not fewer:
            break
        now = bench.try_cure(cure_of(fewer))
        if (now.changed, now.drift) <= (whole.changed, whole.drift + 1e-6):
            remaining, whole = fewer, now
    return whole


def front(tried: Sequence[Tried]) -> list[Tried]:
    """Return the cures that no other beats in drift, latency and steps at once (Pareto)."""

    def cost(one: Tried) -> tuple[float, ...]:
        return one.changed, round(one.drift, 3), round(one.latency, 3), round(one.steps, 3)

    best: list[Tried] = []
    for one in tried:
        mine = cost(one)
        beaten = any(
            other is not one
            and all(theirs <= own for theirs, own in zip(cost(other), mine, strict=True))
            and cost(other) != mine
            for other in tried
        )
        if not beaten and mine not in [cost(other) for other in best]:
            best.append(one)
    return sorted(best, key=cost)


def choose(
    best: Tried | None, wholes: Sequence[Tried], tried: Sequence[Tried]
) -> tuple[Tried, str]:
    """Return the recommended cure and the reason: the smallest set, else what leaves least."""
    if best is not None:
        count = len(best.cure.suspects)
        many = "one change" if count == 1 else f"{count} changes"
        return best, f"the smallest combination that is enough: {many}, no latency, no extra steps"
    enough = [one for one in wholes if one.enough]
    if enough:
        least = min(enough, key=lambda one: (one.latency, one.steps))
        return least, "no combination of fixes is enough; this is"
    least = min(tried[1:] or tried, key=lambda one: (one.changed, one.drift))
    fixed = [one for one in wholes if not one.depends and one.changed <= least.changed]
    if fixed and min(one.drift for one in fixed) <= least.drift:
        least = min(fixed, key=lambda one: one.drift)
    return least, "nothing removes all of it; this leaves the least"
