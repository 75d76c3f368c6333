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
        for suspect in among:
            fewer = [other for other in needed if other is not suspect]
            if fewer and bench.try_cure(cure_of(fewer)).enough:
                needed = fewer
        return bench.try_cure(cure_of(needed))
    sets = (
        chosen
        for size in range(1, len(among) + 1)
        for chosen in itertools.combinations(among, size)
    )
    return next((now for chosen in sets if (now := bench.try_cure(cure_of(chosen))).enough), None)


def pruned(bench: Bench, whole: Tried) -> Tried:
    """Return a set of cures without those that do not improve it."""
    remaining = list(whole.cure.suspects)
    for suspect in whole.cure.suspects:
        fewer = [other for other in remaining if other is not suspect]
        if not fewer:
            break
        now = bench.try_cure(cure_of(fewer))
        if (now.changed, now.drift) <= (whole.changed, whole.drift + 1e-6):
            remaining, whole = fewer, now
    return whole


def front(tried: Sequence[Tried]) -> list[Tried]:
    """Return the cures that no other beats in drift, latency and steps at once (Pareto)."""

    def cost(tried: Tried) -> tuple[float, ...]:
        return tried.changed, round(tried.drift, 3), round(tried.latency, 3), round(tried.steps, 3)

    best: list[Tried] = []
    for trial in tried:
        mine = cost(trial)
        beaten = any(
            other is not trial
            and all(theirs <= own for theirs, own in zip(cost(other), mine, strict=True))
            and cost(other) != mine
            for other in tried
        )
        if not beaten and mine not in [cost(other) for other in best]:
            best.append(trial)
    return sorted(best, key=cost)


def choose(
    best: Tried | None, wholes: Sequence[Tried], tried: Sequence[Tried]
) -> tuple[Tried, str]:
    """Return the recommended cure and the reason: the smallest set, else what leaves least."""
    if best is not None:
        count = len(best.cure.suspects)
        many = "one change" if count == 1 else f"{count} changes"
        return best, f"the smallest combination that is enough: {many}, no latency, no extra steps"
    enough = [trial for trial in wholes if trial.enough]
    if enough:
        least = min(enough, key=lambda trial: (trial.latency, trial.steps))
        return least, "no combination of fixes is enough; this is"
    least = min(tried[1:] or tried, key=lambda trial: (trial.changed, trial.drift))
    fixed = [trial for trial in wholes if not trial.depends and trial.changed <= least.changed]
    if fixed and min(trial.drift for trial in fixed) <= least.drift:
        least = min(fixed, key=lambda trial: trial.drift)
    return least, "nothing removes all of it; this leaves the least"
