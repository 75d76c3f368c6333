"""Named conditions that rules, contacts and the stage wait for."""

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
"""Values of a craft and of what it is compared with."""
TO_TARGET: tuple[ToTarget, ...] = get_args(ToTarget)
Measure = OfCraft | ToTarget | Literal["resource", "count", "score", "lives", "time"]
"""Of a craft, or of the game: how many of a group there are, and so on."""
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
    """By which rules, contacts and the stage wait for it."""
    of: Name | None = None
    """The craft or group it is about (any of them), or the side for a score; default: the
    craft with the rule."""
    touches: Name | None = None
    """A craft, group or obstacle that a contact names: whether the two are in contact."""
    at_edge: Side | Literal["any"] | None = None
    """Edge of the arena that the craft touches."""
    measure: Measure | None = None
    """A value that is compared with `above` and `below`.

    `distance` is that to the target `to` [px], and `bearing` the angle from the heading to it, from
    -180 to 180 degrees; across edges that wrap the shorter way counts.
    """
    to: MaybeTarget = None
    """A craft, a pointer or a place, of which distance or bearing is measured."""
    resource: Name | None = None
    """With `measure = "resource"`: which one of the craft."""
    above: Number | None = None
    """On while the value is greater than this; px, px/s, degrees, points or s as the value is."""
    below: Number | None = None
    """On while the value is less than this."""
    stick: Name | None = None
    """A stick; its tilt, before dead zone and response, is compared with `above` and `below`."""
    tilt: Literal["whole", "x", "y", "either", "both"] = "whole"
    """Of a stick: its whole tilt, its x or its y (up) with its sign, or the greater or the smaller
    of the two without.
    """
    event: WaitedFor | None = None
    """A kind of event: on in the step in which one happens."""
    other: Name | None = None
    """With an event: the other body."""
    edge: Side | None = None
    """With an event: the side of the arena."""
    every: LastingSpan | None = None
    """On in each step in which another such span of play is over."""
    all_of: Names = ()
    """Conditions, timers of the craft or actions: on while all of them are on."""
    any_of: Names = ()
    """The same: on while any of them is on; with `all_of`, while both hold."""
    none_of: Names = ()
    """The same: on while none of them is on; with the others, while all of it holds."""
    starts: Names = ()
    """A latch: on from when any of these conditions or actions begins."""
    stops: Names = ()
    """Off again from when any of these begins; where both begin in one step it is off."""
    switches: Names = ()
    """On if it was off and off if it was on, each time any of these begins."""
    lasts: Span = 0.0
    """With `stops` or `switches`: how long it is on at least; a stop before that waits."""
    delay: Span = 0.0
    """How long the test must hold before the condition is on; an event counts that much later."""
    scores: Name | None = None
    """As it begins, this side or player scores."""
    points: int = Field(default=1, strict=True, ge=-1000, le=1000)
    """How much."""
    ends: Literal["life", "round", "game"] | None = None
    """What ends or is lost as it begins."""
    restarts: bool = False
    """Whether everything is as in the beginning after it begins: craft, scores, obstacles."""

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
        given = [way for way, there in ways.items() if there]
        if len(given) != 1:
            found = f"{' and '.join(given)} are given" if given else "none is given"
            raise ValueError(f"give exactly one of {', '.join(ways)}; {found}")
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
        """The conditions, timers and actions that it is made of, without their negations."""
        return plain_names(*self.all_of, *self.any_of, *self.none_of, *self.latched_by)

    @property
    def latched_by(self) -> tuple[str, ...]:
        """What starts, stops and switches a latch."""
        return (*self.starts, *self.stops, *self.switches)

    @property
    def is_latch(self) -> bool:
        """Whether it stays on after what started it."""
        return bool(self.starts or self.switches)

    @property
    def acts(self) -> bool:
        """Whether anything happens as it begins."""
        return bool(self.scores or self.ends or self.restarts)

    @property
    def asks_its_craft(self) -> bool:
        """Whether it is about the craft of the rule, not about the game."""
        own = self.touches is not None or self.at_edge is not None or self.measure in OWN
        return self.of is None and own

    def in_units(self, to: Units, given: Units, tuned_at: float) -> dict[str, Any]:
        """Return the bounds of what counts per time, converted from `given` to `to` units."""
        if to == given or self.measure not in PER_TIME:
            return {}
        scale = tuned_at if to == "per_second" else 1.0 / tuned_at
        bounds = {"above": self.above, "below": self.below}
        return {name: one * scale for name, one in bounds.items() if one is not None}
