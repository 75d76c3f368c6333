"""Steps of a flight, and its failures: shared by runs, stepped flights and traces."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.build import make_plan
from tinrocket.compile.plan import Plan
from tinrocket.errors import FlightError
from tinrocket.flight.memory import Capacity, FlightMemory, loaded
from tinrocket.language.machine import TrapError
from tinrocket.limits import how_to_raise

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Failure:
    """Failure of a flight: craft, rule and step, and the trap that stopped it, if any."""

    craft: int
    rule: int
    step: int
    trap: str = ""

    def error(self, plan: Plan, frame: int, time: float) -> FlightError:
        """Return the failure as an error.

        Parameters
        ----------
        plan
            The plan that was flown.
        frame, time
            Index of the frame, and when it began [s].
        """
        return FlightError(*plan.named(self.craft, self.rule), frame, time, self.trap)


class Stepper:
    """Takes steps of a plan in a memory, and locates failures.

    Parameters
    ----------
    deck
        The plan in its memory.
    plain
        Whether the plan is flown in plain Python.

    Attributes
    ----------
    before
        State before the last call; None before the first.
    """

    def __init__(self, deck: FlightMemory, *, plain: bool) -> None:
        self.deck, self.plain = deck, plain
        self.before: Floats | None = None

    def take(
        self,
        moments: tuple[Floats, Floats],
        inputs: Floats,
        first: int,
        steps: int,
        *,
        even: bool = False,
    ) -> int | Failure:
        """Take steps; return how many were taken, or where they failed.

        Parameters
        ----------
        moments
            Begin and length of each step of the flight, in the plan's units of time.
        inputs
            Raw values of each step of the flight, shape (S, raw values).
        first, steps
            The first step to take, and the number of steps.
        even
            Whether all steps are known to be equally long.
        """
        deck = self.deck
        self.before = deck.snapshot(self.before)
        try:
            deck.write_inputs(moments, inputs, first, steps, even=even)
            taken = deck.fly(steps)
        except TrapError:
            taken = -1
        if taken < 0 or deck.failed >= 0:
            failure = self._failure(self.before, steps)
            return replace(failure, step=first + failure.step)
        if deck.event_count > deck.event_room:
            excess = f"more than {deck.event_room:,} events in one step"
            hint = "see which bodies lie in each other, and let fewer meet"
            return Failure(-1, -1, first + taken - 1, f"{excess}; {hint}")
        return taken

    def _failure(self, before: Floats, steps: int) -> Failure:
        """Repeat the steps of a failed call, with a check after every rule."""
        plan, trap = self.deck.plan, ""
        # with traces, so that both plans have the same layout
        checked = make_plan(plan.scenario, checks=True, traces=plan.trace.count > 0)
        with loaded(checked, Capacity(steps=steps), plain=self.plain) as again:
            again.restore_in(before)
            again.write_whole(checked.world, "uneven", 1)  # do not assume even steps
            again.moments[:] = self.deck.moments[:steps]
            again.inputs[:] = self.deck.inputs[:steps]
            try:
                again.fly(steps)
            except TrapError as stopped:
                trap = str(stopped)
            world = checked.world
            rule, step = (again.whole(world, name) for name in ("failed_rule", "step"))
            if again.whole(checked.contacts, "full") != 0:
                room = again.whole(checked.contacts, "pair_room")
                excess = (
                    f"more than {room:,} pairs of bodies, or of their parts, are close together"
                )
                return Failure(-1, -1, step, f"{excess}; let fewer meet, or {how_to_raise()}")
            return Failure(again.failed, rule, step, trap)
