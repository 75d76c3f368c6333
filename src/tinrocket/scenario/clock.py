"""How frames are paced."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Model, Name, PositiveSeconds, Rate, Seconds


class Hitch(Model):
    """One frame that takes long: the first to begin at or after `at`."""

    at: Seconds
    """The first frame to begin at or after this [s]."""
    length: PositiveSeconds
    """How long that frame lasts [s]."""


class Clock(Model):
    """Frames at a rate, evenly or not, or of captured lengths."""

    name: Name | None = None
    """Name of the clock in tables and pictures (default: a description)."""
    rate: Rate | None = None
    """Frames per second (default: the scenario's `tuned_at`)."""
    jitter: Seconds = 0.0
    """Largest deviation of a frame's length, uniformly distributed [s]."""
    seed: int = Field(default=0, strict=True, ge=0)
    """Seed of the jitter."""
    hitches: tuple[Hitch, ...] = ()
    """Single frames that take long."""
    frame_times: tuple[PositiveSeconds, ...] | None = None
    """Captured lengths of frames [s]; repeated from the start if they run out."""
    max_dt: PositiveSeconds | None = None
    """The longest step the game takes, however long the frame lasted [s]."""
    refresh: Rate | None = None
    """Screens per second: a frame that misses its time waits for the next."""
    fixed_rate: Rate | None = None
    """Fixed steps per second, taken as time accumulates (default: one step per frame)."""
    step_dt: Literal["step", "frame"] = "step"
    """Length of a fixed step in the game's arithmetic: its own, or, as a mistake, that of the drawn
    frame in which it is taken."""
    max_steps_per_frame: Annotated[int, Field(strict=True, ge=1)] | None = None
    """Most fixed steps of one frame."""
    backlog: Literal["dropped", "kept", "cleared"] = "dropped"
    """What happens to the time of further steps: dropped, kept for later frames, or cleared
    together with the accumulated part of a step."""
    input: Literal["last", "sum"] = "last"
    """Input of the fixed steps: that of the drawn frame in which they are taken; or the sum of all
    frames since the last step, once."""
    interpolate: bool = False
    """Whether the shown state is interpolated between the last two fixed steps, one step behind."""
    substep: PositiveSeconds | None = None
    """Longest step [s]: a longer frame is cut into equal parts."""

    @model_validator(mode="after")
    def _one_way_to_step(self) -> Self:
        if self.fixed_rate is not None and self.substep is not None:
            raise ValueError(
                "'fixed_rate' makes steps of a fixed length, 'substep' cuts frames into equal "
                "parts; give one of them"
            )
        if self.fixed_rate is None:
            only = {
                "max_steps_per_frame": self.max_steps_per_frame is not None,
                "interpolate": self.interpolate,
                "backlog": self.backlog != "dropped",
                "step_dt": self.step_dt != "step",
                "input": self.input != "last",
            }
            for key, value in only.items():
                if value:
                    raise ValueError(f"'{key}' is about fixed steps; there is no 'fixed_rate'")
        elif self.backlog == "kept" and self.max_steps_per_frame is None:
            raise ValueError("'backlog' needs 'max_steps_per_frame': it keeps the steps beyond")
        return self

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
            made_up = {"rate": rate, "frame_times": None, "name": None}
            return Clock.from_data(self.model_dump() | made_up)
        return Clock.from_data(self.model_dump() | {"rate": rate, "name": None})

    def average_rate(self, tuned_at: float) -> float:
        """Return frames per second, of captured frames on average."""
        if self.frame_times is not None:
            return len(self.frame_times) / sum(self.frame_times)
        return self.rate or tuned_at

    def describe(self) -> str:
        """Return what the clock is, in a few words."""
        if self.name:
            return self.name
        parts = [f"{self.rate or 0.0:.6g} fps"]
        if self.frame_times is not None:
            parts = [f"captured, {len(self.frame_times) / sum(self.frame_times):.4g} fps"]
        if self.jitter:
            parts.append(f"±{self.jitter * 1000:.3g} ms")
        if self.hitches:
            parts.append(f"{len(self.hitches)} hitch{'es' if len(self.hitches) > 1 else ''}")
        if self.max_dt:
            parts.append(f"dt ≤ {self.max_dt * 1000:.3g} ms")
        if self.refresh:
            parts.append(f"on a {self.refresh:.6g} Hz screen")
        if self.fixed_rate:
            drawn = ", interpolated" if self.interpolate else ""
            drawn += ", each with the frame's dt" if self.step_dt == "frame" else ""
            parts.append(f"{self.fixed_rate:.6g} Hz steps{drawn}")
        if self.substep:
            parts.append(f"substeps ≤ {self.substep * 1000:.3g} ms")
        return ", ".join(parts)
