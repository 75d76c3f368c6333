"""How frames are paced."""

from typing import Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Model, Name, NotNegative, Positive, Rate


class Hitch(Model):
    """One frame that takes long: the first to begin at or after `at`."""

    at: NotNegative
    length: Positive
    """How long that frame lasts [s]."""


class Clock(Model):
    """Frames at a rate, evenly or not, or of captured lengths."""

    name: Name | None = None
    """What the clock is called in tables and pictures, instead of a description."""
    rate: Rate | None = None
    """Frames per second; the scenario's `tuned_at` if not given."""
    jitter: NotNegative = 0.0
    """Each frame is longer or shorter by up to this much [s], evenly spread."""
    seed: int = Field(default=0, strict=True, ge=0)
    """Of the jitter."""
    hitches: tuple[Hitch, ...] = ()
    frame_times: tuple[Positive, ...] | None = None
    """Captured lengths of frames [s]; repeated from the start if they run out."""
    max_dt: Positive | None = None
    """The longest step the game takes, however long the frame lasted [s]."""

    @model_validator(mode="after")
    def _captured_or_made(self) -> Self:
        if self.frame_times is not None:
            if not self.frame_times:
                raise ValueError("'frame_times' is empty; give at least one frame's length in s")
            if self.rate is not None or self.jitter or self.hitches:
                raise ValueError(
                    "'frame_times' is a captured clock; 'rate', 'jitter' and 'hitches' make one up"
                )
        elif self.rate is not None and self.jitter >= 1.0 / self.rate:
            raise ValueError(
                f"'jitter' of {self.jitter:g} s must be shorter than a frame, "
                f"which lasts {1 / self.rate:.4g} s"
            )
        return self

    def at_rate(self, rate: float) -> "Clock":
        """Return the same pacing at another rate; a captured clock becomes a steady one."""
        if self.frame_times is not None:
            return Clock(rate=rate, max_dt=self.max_dt)
        return Clock.from_data(self.model_dump() | {"rate": rate, "name": None})

    def describe(self) -> str:
        """Return what the clock is, in a few words."""
        if self.name:
            return self.name
        if self.frame_times is not None:
            return f"captured, {len(self.frame_times) / sum(self.frame_times):.4g} fps"
        parts = [f"{self.rate or 0.0:.6g} fps"]
        if self.jitter:
            parts.append(f"±{self.jitter * 1000:.3g} ms")
        if self.hitches:
            parts.append(f"{len(self.hitches)} hitch{'es' if len(self.hitches) > 1 else ''}")
        if self.max_dt:
            parts.append(f"dt ≤ {self.max_dt * 1000:.3g} ms")
        return ", ".join(parts)
