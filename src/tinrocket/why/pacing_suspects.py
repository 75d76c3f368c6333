"""Suspects of pacing, and of the moment at which input is read."""

from collections.abc import Callable, Iterator
from itertools import pairwise
from typing import Any

import numpy as np

from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape
from tinrocket.scenario.update import Line
from tinrocket.trajectory.clocks import paced, resolved_clock
from tinrocket.why.suspect import Game, Suspect, own_rules

FINE = 32
"""Substeps of a tuned frame that make the order of rules irrelevant."""
FINE_CONTACTS = 8
"""Substeps for scenarios with contacts and for plain Python, which are a hundred times slower."""
LONGEST = 4_000_000
"""Most steps of all craft of such a run; a longer run has fewer substeps."""
EARLY = 1e-7
"""Time by which an input is put before the frame that must see it [s]."""


UNCAPPED = Line(
    "dt = min(dt, longest)",
    "take as many steps of the longest length as fit into dt, and one of the rest",
    runs=False,
)
BETWEEN_STEPS = Line(
    "draw the state after the last step",
    "draw before + (now - before) * left / step: the state between the last two steps",
    runs=False,
)
TIMED_INPUT = Line(
    "read the input once a frame",
    "read it with the time at which it came, and begin the step there",
    runs=False,
)


def half_step_line(tuned_at: float) -> Line:
    """Return the lines that move by the parabola of the tuned frame: p + v dt + a dt^2 / 2."""
    return Line(
        "v += a * dt; p += v * dt",
        f"v += a * dt; p += v * dt - 0.5 * a * dt * (dt - 1 / {tuned_at:g})",
        "a: the acceleration of this step",
    )


def own_step_line(rate: float) -> Line:
    """Return the loop of fixed steps that passes the length of a step."""
    begun = f"while left >= 1 / {rate:g}: left -= 1 / {rate:g},"
    return Line(f"{begun} update(dt)", f"{begun} update(1 / {rate:g})", runs=False)


def of_the_clock(scenario: Scenario, clock: Clock) -> Iterator[Suspect]:
    """Yield the suspects of a clock and of input sampling."""
    if clock.jitter or clock.hitches or clock.frame_times is not None:
        yield Suspect("uneven frames", "uneven", _steady, cure=False)
    if clock.max_dt is not None:
        off = _with_clock(max_dt=None)
        yield Suspect("dt clamp that drops time", "cap", off, line=UNCAPPED)
    if clock.max_steps_per_frame is not None and clock.backlog != "kept":
        yield Suspect("dropped steps", "cap", _with_clock(max_steps_per_frame=None), line=UNCAPPED)
    if clock.step_dt == "frame":
        off = _with_clock(step_dt="step")
        name = "fixed steps with the drawn frame's dt"
        yield Suspect(name, "cap", off, line=own_step_line(clock.fixed_rate or scenario.tuned_at))
    if clock.fixed_rate is not None and not clock.interpolate:
        off = _with_clock(interpolate=True)
        yield Suspect("no interpolation between fixed steps", "remainder", off, line=BETWEEN_STEPS)
    frames = scenario.duration * scenario.tuned_at * len(scenario.fleet)
    slow = scenario.contact or scenario.flown_by is not None
    parts = min(FINE_CONTACTS if slow else FINE, int(LONGEST / frames))
    if clock.fixed_rate is None and not own_rules(scenario) and parts > 1:
        off = _with_clock(substep=1.0 / (parts * scenario.tuned_at))
        line = half_step_line(scenario.tuned_at)
        what = "rules" if scenario.flown_by is None else "statements"
        name = f"the order of {what}"
        yield Suspect(name, "turns", off, cure=False, last=True, line=line)
    if scenario.actions or scenario.tape.pointers:
        off = _input_as_tuned
        yield Suspect("when input is read", "input", off, cure=False, last=True, line=TIMED_INPUT)


def _with_clock(**changes: Any) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        return game[0], game[1].replaced(**changes)

    return off


def _steady(game: Game) -> Game:
    scenario, clock = game
    changes = {
        "rate": clock.average_rate(scenario.tuned_at),
        "jitter": 0.0,
        "hitches": (),
        "frame_times": None,
        "name": None,
    }
    return scenario, clock.replaced(**changes)


def _input_as_tuned(game: Game) -> Game:
    """Return a game that sees all input when the tuned one does: frames are split there."""
    scenario, clock = game
    tuned = paced(scenario, Clock(rate=scenario.tuned_at))
    seen = sample_tape(scenario, tuned)
    moments: set[float] = set()
    holds: dict[str, tuple[tuple[float | str, float | str], ...]] = {}
    values: dict[str, tuple[tuple[float | str, float], ...]] = {}
    for action, frames in seen.frames.items():
        changed = np.flatnonzero(np.diff(frames, prepend=0.0) != 0.0)
        times = tuned.times[changed].tolist()
        moments.update(times)
        now = frames[changed].tolist()
        if action in scenario.tape.values:
            values[action] = tuple((t - EARLY, value) for t, value in zip(times, now, strict=True))
        else:
            ends = [*times, float(tuned.times[-1]) + 1.0]
            holds[action] = tuple(
                (begin - EARLY, end - EARLY)
                for (begin, end), value in zip(pairwise(ends), now, strict=True)
                if value
            )
    tape = Tape.model_construct(
        holds=holds, values=values, pointers=scenario.tape.pointers, sampling="polled"
    )
    clock = resolved_clock(scenario, clock)
    times = paced(scenario, clock).times
    cut = np.union1d(times, np.array(sorted(moments)))
    lasts = np.diff(cut)
    lasts = lasts[lasts > 1e-9]
    captured = {"rate": None, "jitter": 0.0, "hitches": (), "frame_times": tuple(lasts.tolist())}
    return scenario.replaced(tape=tape), clock.replaced(**captured)
