"""Test whether flights of an update are repeatable, and which findings run in every frame."""

import threading
from dataclasses import replace
from itertools import pairwise

from tinrocket.errors import OptionError
from tinrocket.own_update.recording import Recorded
from tinrocket.own_update.switching import Switches
from tinrocket.own_update.update import OwnUpdate
from tinrocket.scenario.arena import Arena
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.clocks import paced


def checked(own: OwnUpdate, scenario: Scenario) -> tuple[OwnUpdate, Arena]:
    """Return an update with findings of statements that go on, and a playfield that holds its path.

    Raises
    ------
    OptionError
        If two flights differ, or threads are started; the message says what to do.
    """
    clock = Clock(rate=scenario.tuned_at)
    pacing = paced(scenario, clock)
    before = threading.active_count()
    _first, flying = own.record(scenario, pacing, profiled=True)
    if threading.active_count() > before:
        raise OptionError(
            f"{own.name}: the update starts threads, whose order is not the same from flight to "
            f"flight; start them elsewhere"
        )
    second, _again = own.record(scenario, pacing)
    plain, _plain = own.record(scenario, pacing)
    if plain.steps != second.steps or plain.watched != second.watched:
        raise OptionError(_not_repeatable(own, plain, second))
    notes = [
        finding
        for number, finding in enumerate(own.findings)
        if finding.kind not in ("adds", "keeps", "eases", "linear", "capped")
        or _goes_on(flying.switches, number)
    ]
    changed = replace(own, findings=tuple(notes), _shared={"wanted": own.wanted})
    return changed, own.arena or _extent_of(plain)


def _goes_on(switches: Switches, number: int) -> bool:
    """Return whether a statement ran in two consecutive steps for one object, or never ran."""
    runs = [steps for (finding, _owner), steps in switches.ran.items() if finding == number]
    return not runs or any(
        later == earlier + 1 for steps in runs for earlier, later in pairwise(steps)
    )


def _extent_of(recorded: Recorded) -> Arena:
    """Return a playfield that contains all flown paths."""
    far = [1.0, 1.0]
    for step in recorded.steps:
        for craft in step:
            far = [max(far[0], abs(craft.x)), max(far[1], abs(craft.y))]
    return Arena(width=far[0], height=far[1], edges="open")


CLOCKS = (
    *("time.time", "perf_counter", "monotonic", "datetime.now", "time_ns", "SystemRandom"),
    *("urandom", "uuid4", "secrets.", "Random()"),
)


def _not_repeatable(own: OwnUpdate, flight: Recorded, other: Recorded) -> str:
    """Return the message that two flights differ, with possible reasons."""
    at = next(
        (
            n
            for n, both in enumerate(zip(flight.steps, other.steps, strict=False))
            if both[0] != both[1]
        ),
        0,
    )
    clocks = [name for name in CLOCKS if name in own.code.text]
    why = (
        f"its file uses {', '.join(clocks)}; take the time from dt, and random numbers from "
        f"'random' or NumPy, which are seeded for each flight"
        if clocks
        else "something outside of its file changes from flight to flight"
    )
    return f"{own.name}: two flights from one start and tape differ from step {at} on: {why}"
