"""Where the pictures of a command are drawn: in processes beside this one.

While this one flies and prints, a server loads the plotting library, and those who draw are forks
of it.  Where no process can be forked they are started anew; where there can be none, all is drawn
here.
"""

import pickle
import signal
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor, ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import AbstractContextManager, contextmanager
from functools import partial
from multiprocessing import active_children, forkserver, get_all_start_methods, get_context
from pathlib import Path
from threading import current_thread, main_thread
from types import TracebackType
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from tinrocket.analysis.comparison import Comparison

LARGEST = 500_000
"""Frames of all flights that are handed over; of more, all is drawn here."""
HANDS = 2
"""Processes that draw: two pictures take as long as all the others."""
LOADED = ["__main__", "tinrocket.cli.easel", "tinrocket.cli.drawing"]
"""What the server loads."""


class Studio(AbstractContextManager["Studio"]):
    """Draws the pictures of comparisons.

    Parameters
    ----------
    beside
        Whether to draw in processes of their own.
    """

    def __init__(self, *, beside: bool = True) -> None:
        self._pool = _pool() if beside else None
        self._asking = ThreadPoolExecutor(1)  # who draws must have loaded all before it is asked
        self._pending: list[tuple[Future[Future[None]], Callable[[], None]]] = []

    def draw(self, comparison: "Comparison", names: Sequence[str], folder: Path) -> None:
        """Begin to draw some pictures into a folder."""
        frames = sum(
            flight.recorded.index.size
            for run in comparison.runs
            for flight in (run.flight, run.reference)
        )
        if self._pool is None or frames > LARGEST:
            for name in names:
                _draw(comparison, name, folder)
            return
        data = pickle.dumps(comparison)  # now, because what is asked of it is kept in it
        for name in names:
            asked = self._asking.submit(
                partial(self._pool.submit, _draw_packed, data, name, folder)
            )
            self._pending.append((asked, partial(_draw, comparison, name, folder)))

    def finish(self) -> None:
        """Wait until all pictures are there; raises what went wrong with one."""
        while self._pending:
            asked, here = self._pending.pop(0)
            try:
                drawn = asked.result()
            except (OSError, EOFError, BrokenProcessPool):  # nobody could be started
                self._pool = None
                here()
                continue
            try:
                drawn.result()
            except BrokenProcessPool:  # somebody ended who draws
                self._pool = None
                here()

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        """Let the other processes end, at once if something went wrong."""
        if kind is not None and self._pool is not None:
            for hand in active_children():
                hand.terminate()
        self._asking.shutdown(wait=True, cancel_futures=True)
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)


def _pool() -> ProcessPoolExecutor | None:
    """Return processes that draw, of which nothing is started yet but what they are forks of."""
    forks = "forkserver" in get_all_start_methods()
    context = get_context("forkserver" if forks else "spawn")
    try:
        if forks:
            context.set_forkserver_preload(LOADED)
            with _leaving_interrupts():
                forkserver.ensure_running()
        return ProcessPoolExecutor(HANDS, mp_context=context, initializer=_ready_to_draw)
    except (OSError, ImportError, NotImplementedError):  # a system without shared memory
        return None


@contextmanager
def _leaving_interrupts() -> Iterator[None]:
    """Let what is started now leave interrupts to this process; only a main thread can."""
    if current_thread() is not main_thread():
        yield
        return
    before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def _ready_to_draw() -> None:
    """Leave interrupts to the process that this one works for."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _draw(comparison: "Comparison", name: str, folder: Path) -> None:
    from tinrocket.cli.drawing import draw

    draw(comparison, name, folder)


def _draw_packed(data: bytes, name: str, folder: Path) -> None:
    _draw(pickle.loads(data), name, folder)  # noqa: S301  # packed by the process it works for
