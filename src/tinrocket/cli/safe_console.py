"""A console on which no text of a file acts: tables and lines are printed, and nothing else."""

from collections.abc import Iterable

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment

from tinrocket.texts import safe_output


class SafeConsole(Console):
    """Prints what `texts.safe_output` leaves of each piece of text; colours stay its own."""

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
