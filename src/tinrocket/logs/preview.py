"""Preview of a log: how it is read."""

from collections.abc import Iterator

import numpy as np

from tinrocket.logs.columns import angle_of
from tinrocket.logs.read import LogReading
from tinrocket.texts import MOST_LISTED, some_of


def preview_lines(read: LogReading) -> list[str]:
    """Return how a log is read: form, columns, time, craft, wraps, events and notes."""
    return [f"{name + ':':12} {what}" for name, what in _parts(read)]


def _parts(read: LogReading) -> Iterator[tuple[str, str]]:
    log, flight = read.log, read.flight
    yield "form", read.form
    for meaning, column in log.named.items():
        unit = {"x": "px", "y": "px", "vx": "px/s", "vy": "px/s"}.get(meaning, "")
        if meaning == "heading":
            unit = angle_of(column) or "deg, or rad if a note states it"
        yield meaning, f"'{column}'{f' [{unit}]' if unit else ''}"
    yield "time", log.times.told
    index = flight.recorded.index
    frames = int(index.max() - index.min())
    span = f"{flight.recorded.column('t').min():.4g} s to {flight.duration:.4g} s"
    yield "frames", f"{frames + 1}, from {span}, {flight.rate:.4g} fps"
    yield "craft", f"{len(log.craft)}: {some_of(log.craft)}" if len(log.craft) > 1 else log.craft[0]
    for craft, own in list(read.seams.items())[:MOST_LISTED]:
        for axis, (low, high) in own.items():
            whose = f" ({craft})" if len(log.craft) > 1 else ""
            yield "wraps", f"{axis} from {low:g} to {high:g}{whose}"
    if log.events is not None:
        kinds, counts = np.unique(flight.happened["kind"].astype(str), return_counts=True)
        counted = [f"{count} {kind}" for kind, count in zip(kinds, counts, strict=True)]
        yield "events", ", ".join(counted) or "none"
    for note in read.notes:
        yield "note", note
