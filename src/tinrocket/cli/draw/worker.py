"""A drawing process and its pipe; if one end closes, the other end notices."""

import gc
import pickle
import signal
from multiprocessing.connection import Connection
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from multiprocessing.context import ForkServerContext, SpawnContext


class HandLostError(Exception):
    """A drawing process could not be started, or ended before it was done."""


class Hand:
    """Draws in a process of its own, which is started when it is first needed."""

    def __init__(self, context: "ForkServerContext | SpawnContext") -> None:
        self._pipe, self._far_end = context.Pipe()
        # a daemon, so that a command that ends early does not wait for it
        self._process = context.Process(target=_serve, args=(self._far_end,), daemon=True)
        self._given: bytes | None = None

    def draw(self, data: bytes, name: str, folder: Path) -> None:
        """Draw a picture of a packed comparison into a folder; raises what went wrong with it.

        Raises
        ------
        HandLostError
            If the process could not be started, or has ended.
        """
        try:
            if self._process.pid is None:
                self._process.start()
                # close our copy of its end, so that the end of the process closes the pipe
                self._far_end.close()
            if self._given is not data:
                self._pipe.send(data)
                self._given = data
            self._pipe.send((name, folder))
            wrong = self._pipe.recv()
        except (OSError, EOFError) as error:
            raise HandLostError from error
        if wrong is not None:
            raise wrong

    def end(self) -> None:
        """Let the process end, and wait until it has."""
        self._pipe.close()
        self._far_end.close()
        if self._process.pid is not None:
            self._process.join()

    def stop(self) -> None:
        """End the process at once."""
        if self._process.pid is not None:
            self._process.terminate()


def _serve(pipe: "Connection[object, bytes | tuple[str, Path]]") -> None:
    """Serve requests until the pipe closes; leave interrupts to the parent process."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    gc.disable()
    gc.freeze()  # loaded modules are never freed
    from tinrocket.cli.draw.draw import draw

    comparison: Any = None
    while True:
        try:
            requested = pipe.recv()
        except EOFError:
            return
        if isinstance(requested, bytes):  # the comparison, of which all further requests are drawn
            comparison = pickle.loads(requested)  # noqa: S301  # packed by the process it works for
            continue
        try:
            draw(comparison, *requested)
        except Exception as error:  # sent to the parent
            pipe.send(error)
        else:
            pipe.send(None)
        gc.collect()  # draw ahead while the parent is busy
