"""Processes that draw the pictures of a command beside this one.

While this process flies and prints, a server loads the plotting library; the drawing processes
are its forks.  Where fork is missing they are spawned; where no process can start, all is drawn
here.
"""

import os
import pickle
import signal
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager, suppress
from dataclasses import dataclass
from functools import partial
from multiprocessing import get_all_start_methods, get_context
from pathlib import Path
from queue import SimpleQueue
from threading import Thread, current_thread, main_thread
from types import TracebackType
from typing import TYPE_CHECKING

from tinrocket.cli.draw.worker import Hand, HandLostError

if TYPE_CHECKING:
    from multiprocessing.context import ForkServerContext, SpawnContext

    from tinrocket.comparison.comparison import Comparison

LARGEST = 500_000
"""Most frames of all flights that are sent to other processes; with more, all is drawn here."""
HANDS = 2
"""Number of drawing processes: two of the pictures take as long as all others together."""
LOADED = [
    *("__main__", "tinrocket.cli.draw.preload", "tinrocket.cli.draw.draw"),
    "matplotlib.backends.backend_agg",
]
"""Modules that the server loads, so that its forks need not."""


@dataclass(frozen=True, slots=True)
class _Picture:
    number: int
    data: bytes
    name: str
    folder: Path


class Studio(AbstractContextManager["Studio"]):
    """Draws the pictures of comparisons.

    Parameters
    ----------
    beside
        Whether to draw in processes of their own.
    """

    def __init__(self, *, beside: bool = True) -> None:
        self._asked: SimpleQueue[_Picture | None] = SimpleQueue()
        self._answers: SimpleQueue[tuple[int, Exception | None]] = SimpleQueue()
        self._pending: dict[int, Callable[[], None]] = {}
        self._count = 0
        self._hands: list[Hand] = []
        self._threads: list[Thread] = []
        context = prepare() if beside else None
        if context is not None:
            for _ in range(HANDS):
                self._take_on(Hand(context))

    def _take_on(self, hand: Hand) -> None:
        """Start the drawing processes, if a thread can be started to wait for them."""
        # a daemon, because a process is only there when the server has finished its preload
        handed = hand, self._asked, self._answers
        thread = Thread(target=_hand_on, args=handed, daemon=True)
        with suppress(RuntimeError):  # no further thread can be started
            thread.start()
            self._hands.append(hand)
            self._threads.append(thread)

    def draw(self, comparison: "Comparison", names: Sequence[str], folder: Path) -> None:
        """Begin to draw some pictures into a folder."""
        frames = sum(
            flight.recorded.index.size
            for run in comparison.runs
            for flight in (run.flight, run.reference)
        )
        if not self._hands or frames > LARGEST:
            for name in names:
                _draw(comparison, name, folder)
            return
        # pickle now, because a comparison caches its results in itself later
        data = pickle.dumps(comparison)
        for name in names:
            self._pending[self._count] = partial(_draw, comparison, name, folder)
            self._asked.put(_Picture(self._count, data, name, folder))
            self._count += 1

    def finish(self) -> None:
        """Wait until all pictures are drawn; raise the first error of a drawing process."""
        failed: dict[int, Exception] = {}
        while self._pending:
            number, wrong = self._answers.get()
            here = self._pending.pop(number)
            if isinstance(wrong, HandLostError):
                here()
            elif wrong is not None:
                failed[number] = wrong
        if failed:
            raise failed[min(failed)]

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        """Let the other processes end, at once if something went wrong."""
        for _thread in self._threads:
            self._asked.put(None)
        if kind is not None:
            for hand in self._hands:
                hand.stop()
            return
        for thread in self._threads:
            thread.join()


def _hand_on(
    hand: Hand,
    requested: "SimpleQueue[_Picture | None]",
    answers: "SimpleQueue[tuple[int, Exception | None]]",
) -> None:
    """Hand a request to a drawing process, and return its error, if any."""
    for picture in iter(requested.get, None):
        wrong: Exception | None = None
        try:
            hand.draw(picture.data, picture.name, picture.folder)
        except Exception as error:  # raised where the picture is waited for
            wrong = error
        answers.put((picture.number, wrong))
    hand.end()


def prepare() -> "ForkServerContext | SpawnContext | None":
    """Start loading what drawing needs in the background, and return how processes are started.

    None if no other process can start, or none that keeps the current folder off its path.
    """
    if not start_safely():
        return None
    if "forkserver" not in get_all_start_methods():
        return get_context("spawn")
    from multiprocessing import forkserver

    context = get_context("forkserver")
    context.set_forkserver_preload(LOADED)
    try:
        with _leaving_interrupts():
            forkserver.ensure_running()
    except OSError:
        return None
    return context


def start_safely() -> bool:
    """Keep the current folder off the module path of every Python started from now on.

    The standard library starts its servers with ``python -c``, which looks for modules in the
    current folder first: a file called ``multiprocessing.py`` there would be executed.

    Returns
    -------
    Whether that is possible; an interpreter started with ``-E`` passes that on, and its children
    ignore the variable.
    """
    os.environ["PYTHONSAFEPATH"] = "1"
    return bool(sys.flags.safe_path) or not sys.flags.ignore_environment


@contextmanager
def _leaving_interrupts() -> Iterator[None]:
    """Make child processes ignore interrupts while they start; only a main thread can."""
    if current_thread() is not main_thread():
        yield
        return
    before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def _draw(comparison: "Comparison", name: str, folder: Path) -> None:
    from tinrocket.cli.draw.draw import draw

    draw(comparison, name, folder)
