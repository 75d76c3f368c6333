"""Named conditions that gate rules, contacts and the stage."""

from typing import TYPE_CHECKING, Any, ClassVar, Literal, Self, get_args

from pydantic import Field, model_validator

from tinrocket.scenario.arena import Side
from tinrocket.scenario.event_kinds import EVENT_KINDS
from tinrocket.scenario.names import Names, plain_names
from tinrocket.scenario.numbers import (
    LastingSpan,
    MaybeTarget,
    Model,
    Name,
    Number,
    Span,
    Units,
)

OfCraft = Literal["speed", "vx", "vy", "x", "y", "heading", "spin", "height"]
"""Values of a craft, in the order of their codes in kernels."""
OF_CRAFT: tuple[OfCraft, ...] = get_args(OfCraft)
ToTarget = Literal["distance", "bearing"]
"""Values of a craft, also relative to a target."""
TO_TARGET: tuple[ToTarget, ...] = get_args(ToTarget)
Measure = OfCraft | ToTarget | Literal["resource", "count", "score", "lives", "time"]
"""Values of a craft, or of the game, such as the number of present craft."""
OWN: tuple[Measure, ...] = (*OF_CRAFT, *TO_TARGET, "resource")
"""Values of a craft."""
PER_TIME = ("speed", "vx", "vy", "spin")
if TYPE_CHECKING:
    WaitedFor = str
else:
    WaitedFor = Literal[tuple(kind.name for kind in EVENT_KINDS if kind.waited_for)]
"""The kinds of events that a condition can wait for."""


class Condition(Model):
    """Tests one quantity, of the craft with the waiting rule or of the game."""

    spans: ClassVar[tuple[str, ...]] = ("every", "delay", "lasts")

    name: Name
    """Name by which rules, contacts and the stage refer to it."""
    of: Name | None = None
    """Craft or group that is tested (any member), or side of a score (default: the craft with the
    rule)."""
    touches: Name | None = None
    """On while in contact with this craft, group or obstacle, which a contact names."""
    at_edge: Side | Literal["any"] | None = None
    """On while the craft touches this edge of the arena."""
    measure: Measure | None = None
    """A value that is compared with `above` and `below`.

    `distance` is that to the target `to` [px], and `bearing` the angle from the heading to it, from
    -180 to 180 degrees; across edges that wrap the shorter way counts.
    """
    to: MaybeTarget = None
    """Target of a distance or a bearing: a craft, a pointer or a place."""
    resource: Name | None = None
    """With `measure = "resource"`: name of the resource."""
    above: Number | None = None
    """On while the value is greater than this [px, px/s, degrees, points or s, as the value]."""
    below: Number | None = None
    """On while the value is less than this."""
    stick: Name | None = None
    """A stick; its tilt, before dead zone and response, is compared with `above` and `below`."""
    tilt: Literal["whole", "x", "y", "either", "both"] = "whole"
    """Value of a stick: its whole tilt, its x or y (up) with sign, or the greater or the smaller of
    the two without sign.
    """
    event: WaitedFor | None = None
    """A kind of event: on in the step in which one happens."""
    other: Name | None = None
    """With an event: the other body."""
    edge: Side | None = None
    """With an event: the edge of the arena."""
    every: LastingSpan | None = None
    """Period of play: on in each step in which one is over."""
    all_of: Names = ()
    """Conditions, timers of the craft or actions: on while all of them are on."""
    any_of: Names = ()
    """Conditions, timers or actions: on while any of them is on; with `all_of`, while both hold."""
    none_of: Names = ()
    """Conditions, timers or actions: on while none of them is on; with the others, while all of it
    holds."""
    starts: Names = ()
    """A latch: turns on when any of these conditions or actions begins."""
    stops: Names = ()
    """The latch turns off when any of these begins; off wins within a step."""
    switches: Names = ()
    """The latch toggles each time any of these begins."""
    lasts: Span = 0.0
    """With `stops` or `switches`: shortest time that it stays on; an earlier stop waits."""
    delay: Span = 0.0
    """Time for which the test must hold before the condition is on; an event counts that much
    later."""
    scores: Name | None = None
    """Side or player that scores as it begins."""
    points: int = Field(default=1, strict=True, ge=-1000, le=1000)
    """Points of the score."""
    ends: Literal["life", "round", "game"] | None = None
    """What ends or is lost as it begins."""
    restarts: bool = False
    """Whether the game restarts as it begins: craft, scores, obstacles."""

    @model_validator(mode="after")
    def _asks_one_thing(self) -> Self:
        ways = {
            "touches": self.touches is not None,
            "at_edge": self.at_edge is not None,
            "measure": self.measure is not None,
            "stick": self.stick is not None,
            "event": self.event is not None,
            "every": self.every is not None,
            "all_of, any_of or none_of": bool(self.all_of or self.any_of or self.none_of),
            "starts or switches": self.is_latch,
        }
        ways_used = [way for way, there in ways.items() if there]
        if len(ways_used) != 1:
            given = f"{' and '.join(ways_used)} are given" if ways_used else "none is given"
            raise ValueError(f"give exactly one of {', '.join(ways)}; {given}")
        compared = self.above is not None or self.below is not None
        if compared != (self.measure is not None or self.stick is not None):
            raise ValueError("'above' or 'below' is the limit of a 'measure' or 'stick'")
        if self.stick is not None and self.above is not None and self.above < 0.0:
            sign = self.tilt in ("x", "y")
            if not sign or self.below is None:
                other = f"; toward the other side it is below = {self.above:g}" if sign else ""
                raise ValueError(
                    f"'above' of {self.above:g} is on almost always, as for a stick at rest{other}"
                )
        if (self.to is not None) != (self.measure in TO_TARGET):
            raise ValueError("'to' names what a 'distance' or a 'bearing' is measured to")
        if (self.resource is not None) != (self.measure == "resource"):
            raise ValueError("'resource' names the resource that measure = 'resource' looks at")
        if (self.stops or self.lasts) and not self.is_latch:
            raise ValueError("'stops' and 'lasts' belong to a latch with 'starts' or 'switches'")
        if self.is_latch and self.delay:
            raise ValueError("a latch has no 'delay'; give one to the condition that starts it")
        if self.event is None and (self.other is not None or self.edge is not None):
            raise ValueError("'other' and 'edge' belong to an 'event'")
        if self.every is not None and self.delay:
            raise ValueError("a beat has no 'delay'")
        if self.of is None and self.measure in ("count", "score"):
            raise ValueError(f"name with 'of' the craft or side of the {self.measure}")
        return self

    @property
    def named(self) -> tuple[str, ...]:
        """Conditions, timers and actions that it combines, without negations."""
        return plain_names(*self.all_of, *self.any_of, *self.none_of, *self.latched_by)

    @property
    def latched_by(self) -> tuple[str, ...]:
        """Conditions that start, stop and switch a latch."""
        return (*self.starts, *self.stops, *self.switches)

    @property
    def is_latch(self) -> bool:
        """Whether it is a latch."""
        return bool(self.starts or self.switches)

    @property
    def acts(self) -> bool:
        """Whether it has an action as it begins."""
        return bool(self.scores or self.ends or self.restarts)

    @property
    def asks_its_craft(self) -> bool:
        """Whether it depends on the craft of the rule, not on the game."""
        own = self.touches is not None or self.at_edge is not None or self.measure in OWN
        return self.of is None and own

    def in_units(self, to: Units, given: Units, tuned_at: float) -> dict[str, Any]:
        """Return the bounds of a value per time, converted from `given` to `to` units."""
        if to == given or self.measure not in PER_TIME:
            return {}
        scale = tuned_at if to == "per_second" else 1.0 / tuned_at
        bounds = {"above": self.above, "below": self.below}
        return {name: bound * scale for name, bound in bounds.items() if bound is not None}
