"""A million variants on this machine, and chunks of them on one worker, on two, and with one lost.

Run it as ``python benchmarks/cluster.py``; it needs the extra `dask`.
"""

import os
import resource
import signal
import time
from collections.abc import Callable

import distributed
import numpy as np
import pandas as pd

import tinrocket as tr

FRAMES = 600
SIDE = 1000
"""Variants are all pairs of so many values of two numbers."""


def vary(side: int) -> dict[str, list[float]]:
    """Return so many values for each of two numbers of the rocket."""
    return {
        "rocket.thrust.accel": np.linspace(100.0, 900.0, side).tolist(),
        "rocket.turn.rate": np.linspace(60.0, 400.0, side).tolist(),
    }


def timed(call: Callable[[], pd.DataFrame]) -> tuple[float, pd.DataFrame]:
    """Return how long a call takes [s], and what it returns."""
    began = time.perf_counter()
    found = call()
    return time.perf_counter() - began, found


def on_workers(
    one: tr.Scenario, some: dict[str, list[float]], count: int, *, lose: bool = False
) -> tuple[float, pd.DataFrame]:
    """Sweep on so many workers, and kill one of them in between if wanted."""
    killed: list[int] = []

    with (
        distributed.LocalCluster(count, threads_per_worker=1, dashboard_address=None) as nodes,
        distributed.Client(nodes) as client,
    ):

        def seen(_done: int, _count: int) -> None:
            if lose and not killed:
                killed.append(next(iter(nodes.workers.values())).pid)
                os.kill(killed[0], signal.SIGKILL)

        tr.sweep(one, vary(300), cluster=client)  # now workers have imported and compiled
        return timed(lambda: tr.sweep(one, some, progress=seen, cluster=client))


def main() -> None:
    """Print all of it."""
    rocket = tr.read_demo("rocket").replaced(duration=FRAMES / 60.0)
    tr.sweep(rocket, vary(2))
    spent, alone = timed(lambda: tr.sweep(rocket, vary(SIDE)))
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{SIDE**2:,} variants x {FRAMES} frames: {spent:.1f} s, {peak:.0f} MB", end="; ")
    print("at most 12 s and 500 MB")
    single, table = on_workers(rocket, vary(SIDE), 1)
    pd.testing.assert_frame_equal(table, alone, check_exact=True)
    print(f"the same on one worker: {single:.1f} s")
    for lose, name in ((False, "on two workers"), (True, "on two, one of them killed")):
        both, table = on_workers(rocket, vary(SIDE), 2, lose=lose)
        pd.testing.assert_frame_equal(table, alone, check_exact=True)
        print(f"{name} / on one: {both / single:.2f}, with the same bits")


if __name__ == "__main__":
    main()
