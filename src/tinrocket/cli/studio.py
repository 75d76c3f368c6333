"""Where pictures are drawn: here, or half of them in a process beside this one."""

import signal
from collections.abc import Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from contextlib import AbstractContextManager
from multiprocessing import get_context
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from tinrocket.analysis.comparison import Comparison

LARGEST = 2_000_000
"""Frames of all flights that are handed over; of more, all is drawn here."""


class Studio(AbstractContextManager["Studio"]):
    """Draws the pictures of comparisons.

    Parameters
    ----------
    beside
        Whether to use a second process.  It is started at once and kept: it pays off from the
        second comparison on, as it takes longer to load all it needs than to draw.
    """

    def __init__(self, *, beside: bool) -> None:
        self._pool: ProcessPoolExecutor | None = None
        self._pending: list[Future[None]] = []
        if beside:
            self._pool = ProcessPoolExecutor(
                1, mp_context=get_context("spawn"), initializer=_ready_to_draw
            )
            self._pool.submit(_load)

    def draw(self, comparison: "Comparison", names: Sequence[str], folder: Path) -> None:
        """Begin to draw some pictures into a folder."""
        from tinrocket.show.gallery import draw

        frames = sum(
            flight.recorded.index.size
            for run in comparison.runs
            for flight in (run.flight, run.reference)
        )
        here, there = list(names), list[str]()
        if (
            self._pool is not None and frames <= LARGEST
        ):  # every second one, as they are sorted by how long they take
            here, there = list(names[::2]), list(names[1::2])
            self._pending.append(self._pool.submit(_draw, comparison, there, folder))
        draw(comparison, here, folder)

    def finish(self) -> None:
        """Wait until all pictures are there; raises what went wrong with one."""
        while self._pending:
            self._pending.pop().result()

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        """Let the other process end."""
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)


def _ready_to_draw() -> None:
    """Leave interrupts to the process that this one works for."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _load() -> None:
    import tinrocket.show.gallery  # noqa: F401


def _draw(comparison: "Comparison", names: Sequence[str], folder: Path) -> None:
    from tinrocket.show.gallery import draw

    draw(comparison, names, folder)
