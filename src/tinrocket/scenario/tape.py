"""The tape: which action is down when."""

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import (
    Length,
    Model,
    Name,
    Number,
    PositiveSeconds,
    Rate,
    Seconds,
    TapeMoment,
    frames_in,
)

Sampling = Literal["polled", "buffered"]
NotEmpty = Field(min_length=1)
Changes = tuple[tuple[float, float], ...]
Points = Annotated[tuple[tuple[TapeMoment, Length, Length], ...], NotEmpty]


def _counted(moment: float | str) -> bool:
    return frames_in(moment) is not None


def _length(moment: float | str) -> float:
    """Return a moment as a number, of seconds or frames."""
    frames = frames_in(moment)
    return float(moment) if frames is None else frames


class Repeat(Model):
    """Repeats of a key that is held down."""

    delay: Seconds
    """Time from the press to the first repeat [s]."""
    rate: Rate
    """Presses per second after that."""
    counts_from: Literal["press", "frame"] = "press"
    """Begin of the delay: the press itself, or the beginning of the frame that sees it."""


class Tape(Model):
    """Scripted input, sampled at the start of each frame.

    ``polled`` sees only keys that are down at that moment: a tap that begins and ends between
    two frames is lost.  ``buffered`` keeps such a tap for the next frame.
    """

    sampling: Sampling = "polled"
    """Whether a tap between two frames is lost, or kept for the next."""
    holds: dict[Name, tuple[tuple[TapeMoment, TapeMoment], ...]] = Field(default_factory=dict)
    """For each action the intervals (down, up) in which it is held: seconds, or frames."""
    taps: dict[Name, tuple[TapeMoment, ...]] = Field(default_factory=dict)
    """For each action the moments at which it is tapped; one at a frame lasts for that frame."""
    repeats: dict[Name, Repeat] = Field(default_factory=dict)
    """Actions with keys that repeat while held."""
    tap_length: PositiveSeconds = 0.02
    """Length of a tap [s]."""
    values: dict[Name, tuple[tuple[TapeMoment, Number], ...]] = Field(default_factory=dict)
    """For each analog action the changes (time, new value); 0 before the first."""
    pointers: dict[Name, Annotated[tuple[tuple[TapeMoment, Length, Length], ...], NotEmpty]] = (
        Field(default_factory=dict)
    )
    """For each pointer the points (time, x, y) of its path, linear between them."""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        wrong = []
        for action, intervals in self.holds.items():
            for down, up in intervals:
                if _counted(down) != _counted(up):
                    wrong.append(f"'{action}' is held from {down} to {up}: count both alike")
                elif not _length(up) > _length(down):
                    unit = "frame " if _counted(down) else ""
                    wrong.append(
                        f"'{action}' is held from {unit}{_length(down):g}{'' if unit else ' s'} to "
                        f"{unit}{_length(up):g}{'' if unit else ' s'}, which ends before it starts"
                    )
        for pointer, points in self.pointers.items():
            if len({_counted(t) for t, _x, _y in points}) > 1:
                wrong.append(f"count all times of the pointer '{pointer}' in s, or all in frames")
            moments = [_length(t) for t, _x, _y in points]
            if any(later <= earlier for earlier, later in pairwise(moments)):
                wrong.append(f"the times of the pointer '{pointer}' must grow")
        for action, changes in self.values.items():
            if len({_counted(t) for t, _value in changes}) > 1:
                wrong.append(f"count all times of '{action}' in s, or all in frames")
            times = [_length(t) for t, _value in changes]
            if any(later <= earlier for earlier, later in pairwise(times)):
                wrong.append(f"the times of '{action}' must grow from one value to the next")
            if action in self.holds or action in self.taps:
                wrong.append(
                    f"'{action}' has analog values and is also held or tapped; give it one kind"
                )
        if wrong:
            raise ValueError("\n".join(wrong))
        return self

    @property
    def actions(self) -> tuple[str, ...]:
        """Every action on the tape, once each."""
        return tuple(dict.fromkeys((*self.holds, *self.taps, *self.values)))

    @property
    def counts_frames(self) -> bool:
        """Whether any of its times is a frame."""
        return any(isinstance(moment, str) for moment in self._moments())  # a text counts frames

    def _moments(self) -> Iterator[float | str]:
        for intervals in self.holds.values():
            yield from (moment for both in intervals for moment in both)
        for taps in self.taps.values():
            yield from taps
        for changes in self.values.values():
            yield from (moment for moment, _value in changes)
        for points in self.pointers.values():
            yield from (moment for moment, _x, _y in points)

    def at_frames(self, begins: Sequence[float]) -> Self:
        """Return the tape in seconds, where frames begin at given times [s].

        A press counted in frames happens in the frame itself; past the last, never.
        """
        if not self.counts_frames:
            return self

        def second(moment: float | str, later: int = 0) -> float:
            frame = frames_in(moment)
            if frame is None:
                return float(moment)
            index = int(frame) + later
            return float(begins[index]) if index < len(begins) else float(begins[-1]) + 1e6 + index

        holds = {
            action: [(second(down), second(up)) for down, up in intervals]
            for action, intervals in self.holds.items()
        }
        for action, taps in self.taps.items():
            framed = [(second(tap), second(tap, 1)) for tap in taps if _counted(tap)]
            holds[action] = holds.get(action, []) + framed
        update = {
            "holds": {action: tuple(intervals) for action, intervals in holds.items()},
            "taps": {
                action: tuple(tap for tap in taps if not _counted(tap))
                for action, taps in self.taps.items()
            },
            "values": {
                action: tuple((second(t), value) for t, value in changes)
                for action, changes in self.values.items()
            },
            "pointers": {
                pointer: tuple((second(t), x, y) for t, x, y in points)
                for pointer, points in self.pointers.items()
            },
        }
        return self.replaced(**update)

    def in_seconds(self, tuned_at: float) -> Self:
        """Return the tape in seconds, with frames at a rate."""
        frames = (_length(moment) for moment in self._moments() if _counted(moment))
        last = int(max(frames, default=0.0)) + 2
        return self.at_frames([n / tuned_at for n in range(last)])

    def presses(self, action: str) -> tuple[tuple[float, float], ...]:
        """Return the intervals [s] in which a digital action is down, merged and in order.

        Spans in frames must be converted to seconds first.
        """
        taps = [(float(t), float(t) + self.tap_length) for t in self.taps.get(action, ())]
        holds = [(float(down), float(up)) for down, up in self.holds.get(action, ())]
        merged: list[tuple[float, float]] = []
        for down, up in sorted((*holds, *taps)):
            if merged and down <= merged[-1][1]:
                merged[-1] = merged[-1][0], max(up, merged[-1][1])
            else:
                merged.append((down, up))
        return tuple(merged)

    def changes(self, action: str) -> Changes:
        """Return (time, new value) for an action, of either kind, in order of time."""
        if action in self.values:
            return tuple((float(t), value) for t, value in self.values[action])
        return tuple(
            change for down, up in self.presses(action) for change in ((down, 1.0), (up, 0.0))
        )
