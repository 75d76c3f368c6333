"""A console on which control characters of a file have no effect."""

from collections.abc import Iterable
from typing import Any

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment

from tinrocket.texts import safe_output


class SafeConsole(Console):
    """Prints what `texts.safe_output` leaves of each piece of text; colours stay its own.

    Where it is not a terminal, lines have no blanks at their ends.
    """

    def print(self, *objects: Any, **options: Any) -> None:
        """Print objects as rich does, without the blanks that pad a table to its width."""
        if self.is_terminal:
            super().print(*objects, **options)
            return
        with self.capture() as captured:
            super().print(*objects, **options)
        lines = (line.rstrip(" ") for line in captured.get().split("\n"))
        self.file.write("\n".join(lines))

    def render(
        self, renderable: RenderableType, options: ConsoleOptions | None = None
    ) -> Iterable[Segment]:
        """Return the pieces of a renderable, each made safe."""
        for piece in super().render(renderable, options):
            text, style, control = piece
            if control is not None or (text.isprintable() and ":" not in text and "#" not in text):
                yield piece
            else:
                yield Segment(safe_output(text), style)
