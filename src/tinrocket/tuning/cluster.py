"""Chunks of a sweep as tasks of a dask cluster."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import MissingExtraError, OptionError
from tinrocket.flight.record import Progress

CHUNK = 20_000
"""Number of variants of a task: about a second of work, and a megabyte of results."""

Ended = tuple[NDArray[np.float64], NDArray[np.int32]]


def fly_on_cluster(
    cluster: Any,
    fly: Callable[[Mapping[str, NDArray[Any]]], Ended],
    columns: Mapping[str, NDArray[Any]],
    count: int,
    progress: Progress | None = None,
) -> Ended:
    """Fly chunks of variants on a cluster, and return the last states of all, in order.

    A chunk whose worker is lost is flown again by another; results have the same bits on every
    worker.


    Parameters
    ----------
    cluster
        A `dask.distributed.Client`, or the address of a scheduler.
    fly
        Function that flies the variants of a chunk of the columns; workers call it, so it must
        pickle.
    columns
        A value for each of `count` variants, by path.

    Raises
    ------
    MissingExtraError
        Without the extra `dask`.
    OptionError
        If no scheduler answers at the address.
    """
    try:
        import distributed
    except ModuleNotFoundError:
        raise MissingExtraError(
            "a sweep on a cluster needs dask; install it with: pip install 'tinrocket[dask]'"
        ) from None
    own = isinstance(cluster, str)
    try:
        client = distributed.Client(cluster) if own else cluster
    except (OSError, TimeoutError, ValueError) as error:
        raise OptionError(f"no scheduler answers at {cluster}: {error}") from None
    firsts = range(0, count, CHUNK)
    try:
        tasks = [
            client.submit(
                fly, {path: values[at : at + CHUNK] for path, values in columns.items()}, pure=False
            )
            for at in firsts
        ]
        for done, task in enumerate(distributed.as_completed(tasks), start=1):
            task.result()  # a failed chunk raises here, without waiting for the others
            if progress is not None:
                progress(min(done * CHUNK, count), count)
        parts: list[Ended] = client.gather(tasks)
    finally:
        if own:
            client.close()
    return np.concatenate([part[0] for part in parts]), np.concatenate([part[1] for part in parts])
