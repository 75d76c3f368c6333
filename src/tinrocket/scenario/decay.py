"""Decay: a share lost in each step, typed as a share, as a half-life or as a rate."""

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, ClassVar

from tinrocket.scenario.numbers import Timing


class Decay:
    """Decay of the velocity under drag, or of the distance to a target.

    The rate r of the decay exp(-r t) is typed in one of three forms: as the share that a frame
    keeps, as a half-life, or as r itself.  A class names its share.
    """

    if TYPE_CHECKING:
        half_life: float | None
        rate: float | None

    @property
    def typed_share(self) -> tuple[float, float | None] | None:
        """Share that a frame keeps, and its frame rate; None if typed in another form."""
        raise NotImplementedError

    def losing(self, lost: float) -> dict[str, Any]:
        """Return the fields for a loss of a share per tuned frame, between 0 and 1."""
        raise NotImplementedError

    def decay_rate(self, tuned_at: float) -> float:
        """Return r [1/s]; inf if a frame keeps nothing."""
        if self.rate is not None:
            return self.rate
        if self.half_life is not None:
            return math.log(2.0) / self.half_life
        typed = self.typed_share
        if typed is None or typed[0] <= 0.0:
            return math.inf
        return -math.log(typed[0]) * (typed[1] or tuned_at)

    def kept_in_frame(self, tuned_at: float) -> float:
        """Return the share that a tuned frame keeps in exact timing."""
        typed = self.typed_share
        if typed is not None and typed[1] in (None, tuned_at):
            return typed[0]
        return math.exp(-self.decay_rate(tuned_at) / tuned_at)

    def exact_fields(self, timing: Timing, tuned_at: float) -> dict[str, Any]:
        """Return the fields with which exact timing does the same in a tuned frame.

        In ``dt`` timing a tuned frame loses r / tuned_at of it.
        """
        if timing != "dt":
            return {}
        return self.losing(self.decay_rate(tuned_at) / tuned_at)


class Approach(Decay):
    """Decay of the distance to a target, of which each step covers a `fraction`."""

    if TYPE_CHECKING:
        fraction: float | None
        fraction_at: float | None

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "fraction": ("half_life", "rate"),
        "half_life": ("fraction", "fraction_at", "rate"),
        "rate": ("fraction", "fraction_at", "half_life"),
    }

    @property
    def typed_share(self) -> tuple[float, float | None] | None:
        """Share that `fraction` leaves, and its frame rate."""
        return None if self.fraction is None else (1.0 - self.fraction, self.fraction_at)

    def losing(self, lost: float) -> dict[str, Any]:
        """Return the fields for covering a share of the distance per tuned frame."""
        share = min(lost, 1.0)
        return {"fraction": share, "fraction_at": None, "rate": None, "half_life": None}

    def refuse_lone_rate(self) -> None:
        """Refuse the frame rate of a missing fraction.

        Raises
        ------
        ValueError
            If `fraction_at` is given alone.
        """
        if self.fraction_at is not None and self.fraction is None:
            raise ValueError(
                "'fraction_at' is the frame rate of 'fraction'; there is no 'fraction'"
            )
