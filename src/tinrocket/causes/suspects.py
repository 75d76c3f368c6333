"""What may make runs differ, and how each is switched off by itself."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from tinrocket.analysis.clocks import paced, resolved_clock
from tinrocket.causes.converted import exactly, view_exactly
from tinrocket.flight.tape import sample_tape
from tinrocket.scenario.arena import SIDES, Edges
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Model, frames_in
from tinrocket.scenario.rules import Custom, Fire, MotionRule
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape

FINE = 32
"""Parts of a tuned frame in which rules take turns so finely that their order no longer counts."""
LONGEST = 4_000_000
"""Steps of all craft together that such a run may have; of a longer one parts are fewer."""
EARLY = 1e-7
"""By how much an input is put before the frame that is to see it [s]."""

Game = tuple[Scenario, Clock]


@dataclass(frozen=True, slots=True)
class Suspect:
    """What may make runs differ.

    Attributes
    ----------
    name
        By which it is told: the path of a rule, or a few words.
    kind
        timing, turns, counted, carry, detection, input, taps, uneven, cap, remainder, seam, tape.
    off
        Returns scenario and clock with it switched off.
    cure
        Whether that is a change of the game; the clock of the player's screen is none.
    last
        Whether it is what is left where nothing else is wrong, and is switched off for good once
        all others are.
    where
        Craft and place of the rule, if it is about one.
    """

    name: str
    kind: str
    off: Callable[[Game], Game]
    cure: bool = True
    last: bool = False
    where: tuple[int, int] | None = None


def suspects(scenario: Scenario, clock: Clock) -> list[Suspect]:
    """Return everything that may make a run by a clock differ from the tuned one."""
    return [
        *_timings(scenario),
        *_counted(scenario),
        *_carried(scenario),
        *_contacts(scenario),
        *_seams(scenario),
        *_of_the_tape(scenario),
        *_of_the_clock(scenario, clock),
    ]


def own_rules(scenario: Scenario) -> list[str]:
    """Return the rules of the user's: nobody knows what switching off their timing would be."""
    return [
        f"{craft.name}.{rule.label}"
        for craft in scenario.craft
        for rule in craft.rules
        if isinstance(rule, Custom)
    ]


def with_rule(scenario: Scenario, craft: int, place: int, rule: MotionRule) -> Scenario:
    """Return a scenario with one rule replaced."""
    old = scenario.craft[craft]
    rules = (*old.rules[:place], rule, *old.rules[place + 1 :])
    changed = old.model_copy(update={"rules": rules})
    crafts = (*scenario.craft[:craft], changed, *scenario.craft[craft + 1 :])
    return scenario.model_copy(update={"craft": crafts})


def _exact(craft: int, place: int) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        scenario, clock = game
        rule = scenario.craft[craft].rules[place]
        timing = rule.timing or scenario.craft[craft].timing or scenario.timing
        tuned = scenario.tuned_at
        units = rule.units or scenario.units
        second = rule.model_copy(update=rule.in_units("per_second", units, tuned))
        changed = exactly(second, timing, tuned)
        back = changed.model_copy(update=changed.in_units(units, "per_second", tuned))
        return with_rule(scenario, craft, place, back), clock

    return off


def _timings(scenario: Scenario) -> Iterator[Suspect]:
    for n, craft in enumerate(scenario.craft):
        for place, rule in enumerate(craft.rules):
            timing = rule.timing or craft.timing or scenario.timing
            if timing != "exact" and not isinstance(rule, Custom):
                name = f"{craft.name}.{label_of(craft, rule)}"
                yield Suspect(name, "timing", _exact(n, place), where=(n, place))
    view = scenario.view
    if view is not None and view.eased and (view.timing or scenario.timing) != "exact":
        yield Suspect("view", "timing", _view_exact)


def label_of(craft: Craft, rule: MotionRule) -> str:
    """Return what a rule is called; of several alike with its place."""
    same = [one for one in craft.rules if one.label == rule.label]
    place = next(n for n, one in enumerate(same, start=1) if one is rule)
    return rule.label if len(same) == 1 else f"{rule.label}#{place}"


def _view_exact(game: Game) -> Game:
    scenario, clock = game
    view = scenario.view
    if view is None:
        return game
    second = view.model_copy(update=view.in_units("per_second", scenario.units, scenario.tuned_at))
    changed = view_exactly(second, view.timing or scenario.timing, scenario.tuned_at)
    back = changed.model_copy(
        update=changed.in_units(scenario.units, "per_second", scenario.tuned_at)
    )
    return scenario.model_copy(update={"view": back}), clock


def _counts(model: Model) -> bool:
    """Whether anything of its own is counted in frames."""
    values = [getattr(model, key, None) for key in type(model).spans]
    several = [one for value in values for one in (value if isinstance(value, tuple) else (value,))]
    return any(frames_in(one) is not None for one in several)


def _counted(scenario: Scenario) -> Iterator[Suspect]:
    for n, craft in enumerate(scenario.craft):
        for place, rule in enumerate(craft.rules):
            if _counts(rule):
                name = f"{craft.name}.{label_of(craft, rule)} counted in frames"
                yield Suspect(name, "counted", _rule_in_seconds(n, place), where=(n, place))
        inner = craft.respawn is not None and _counts(craft.respawn)
        if _counts(craft) or inner:
            yield Suspect(f"{craft.name} counted in frames", "counted", _craft_in_seconds(n))
    for key in ("spawner", "march", "condition"):
        for n, one in enumerate(getattr(scenario, key)):
            ramp = getattr(one, "ramp", None)
            if _counts(one) or (ramp is not None and _counts(ramp)):
                name = f"{key}.{one.name} counted in frames"
                yield Suspect(name, "counted", _member(key, n, _in_seconds))


def _in_seconds(model: Any, scenario: Scenario) -> Any:
    return model.in_seconds(scenario.tuned_at)


def _rule_in_seconds(craft: int, place: int) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        scenario, clock = game
        rule = scenario.craft[craft].rules[place].in_seconds(scenario.tuned_at)
        return with_rule(scenario, craft, place, rule), clock

    return off


def _craft_in_seconds(number: int) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        scenario, clock = game
        craft = scenario.craft[number]
        changed = craft.in_seconds(scenario.tuned_at).model_copy(update={"rules": craft.rules})
        crafts = (*scenario.craft[:number], changed, *scenario.craft[number + 1 :])
        return scenario.model_copy(update={"craft": crafts}), clock

    return off


def _member(
    key: str, number: int, change: Callable[[Any, Scenario], Any]
) -> Callable[[Game], Game]:
    """Return what changes one member of a list of the scenario."""

    def off(game: Game) -> Game:
        scenario, clock = game
        ones = list(getattr(scenario, key))
        ones[number] = change(ones[number], scenario)
        return scenario.model_copy(update={key: tuple(ones)}), clock

    return off


def _carried(scenario: Scenario) -> Iterator[Suspect]:
    for n, craft in enumerate(scenario.craft):
        for place, rule in enumerate(craft.rules):
            if isinstance(rule, Fire) and not rule.carry and rule.cooldown:
                name = f"{craft.name}.{label_of(craft, rule)} carries nothing over"
                yield Suspect(name, "carry", _carry(n, place), where=(n, place))
    for n, one in enumerate(scenario.spawner):
        if one.every is not None and one.wait == "sent":
            off = _member("spawner", n, lambda it, _s: it.model_copy(update={"wait": "due"}))
            yield Suspect(f"spawner.{one.name} carries nothing over", "carry", off)
        if (one.timing or scenario.timing) != "exact":
            off = _member("spawner", n, lambda it, _s: it.model_copy(update={"timing": "exact"}))
            yield Suspect(f"spawner.{one.name}", "carry", off)


def _carry(craft: int, place: int) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        scenario, clock = game
        rule = scenario.craft[craft].rules[place].model_copy(update={"carry": True})
        return with_rule(scenario, craft, place, rule), clock

    return off


def _contacts(scenario: Scenario) -> Iterator[Suspect]:
    for n, one in enumerate(scenario.contact):
        if (one.detection or scenario.detection) == "overlap":
            off = _member("contact", n, lambda it, _s: it.model_copy(update={"detection": "swept"}))
            yield Suspect(f"contact {one.label} by overlap", "detection", off)


def _seams(scenario: Scenario) -> Iterator[Suspect]:
    """Yield edges that lose how far a craft came beyond them."""
    if any(_loses(scenario.arena.edges, side) for side in SIDES):

        def off(game: Game) -> Game:
            changed = game[0].arena.model_copy(update={"edges": _kept(game[0].arena.edges)})
            return game[0].model_copy(update={"arena": changed}), game[1]

        yield Suspect("edges that lose what is beyond them", "seam", off)
    for n, craft in enumerate(scenario.craft):
        if craft.edges is not None and any(_loses(craft.edges, side) for side in SIDES):

            def own(game: Game, n: int = n) -> Game:
                craft = game[0].craft[n]
                changed = craft.model_copy(update={"edges": _kept(craft.edges or Edges())})
                crafts = (*game[0].craft[:n], changed, *game[0].craft[n + 1 :])
                return game[0].model_copy(update={"craft": crafts}), game[1]

            yield Suspect(f"edges of {craft.name} that lose what is beyond them", "seam", own)


def _loses(edges: Edges, side: str) -> bool:
    return bool(getattr(edges, side).onto)


def _kept(edges: Edges) -> Edges:
    sides: dict[str, Any] = {
        side: getattr(edges, side).model_copy(update={"onto": False}) for side in SIDES
    }
    return edges.model_copy(update=sides)


def _of_the_tape(scenario: Scenario) -> Iterator[Suspect]:
    if scenario.tape.counts_frames:

        def seconds(game: Game) -> Game:
            tape = game[0].tape.in_seconds(game[0].tuned_at)
            return game[0].model_copy(update={"tape": tape}), game[1]

        yield Suspect("a tape counted in frames", "tape", seconds)
    presses = scenario.tape.holds or scenario.tape.taps
    if scenario.tape.sampling == "polled" and presses:

        def buffered(game: Game) -> Game:
            tape = game[0].tape.model_copy(update={"sampling": "buffered"})
            return game[0].model_copy(update={"tape": tape}), game[1]

        yield Suspect("taps that no frame sees", "taps", buffered)


def _of_the_clock(scenario: Scenario, clock: Clock) -> Iterator[Suspect]:
    if clock.jitter or clock.hitches or clock.frame_times is not None:
        yield Suspect("uneven frames", "uneven", _steady, cure=False)
    if clock.max_dt is not None:
        off = _with_clock(max_dt=None)
        yield Suspect("a cap of dt that loses time", "cap", off)
    if clock.max_steps is not None and clock.backlog == "dropped":
        yield Suspect("dropped steps", "cap", _with_clock(max_steps=None))
    if clock.step_rate is not None and not clock.interpolate:
        off = _with_clock(interpolate=True)
        yield Suspect("a remainder that is not shown", "remainder", off)
    frames = scenario.duration * scenario.tuned_at * len(scenario.all_craft)
    parts = min(FINE, int(LONGEST / frames))
    if clock.step_rate is None and not own_rules(scenario) and parts > 1:
        off = _with_clock(max_step=1.0 / (parts * scenario.tuned_at))
        yield Suspect("the order of rules", "turns", off, cure=False, last=True)
    if scenario.actions or scenario.tape.pointers:
        yield Suspect("when input is read", "input", _input_as_tuned, cure=False, last=True)


def _with_clock(**changes: Any) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        return game[0], game[1].model_copy(update=changes)

    return off


def _steady(game: Game) -> Game:
    scenario, clock = game
    rate = clock.rate or scenario.tuned_at
    if clock.frame_times is not None:
        rate = len(clock.frame_times) / sum(clock.frame_times)
    changes = {"rate": rate, "jitter": 0.0, "hitches": (), "frame_times": None, "name": None}
    return scenario, clock.model_copy(update=changes)


def _input_as_tuned(game: Game) -> Game:
    """Return a game that sees all input when the tuned one does: frames are cut there."""
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
    return scenario.model_copy(update={"tape": tape}), clock.model_copy(update=captured)


ORDER = {"counted": 0, "uneven": 1, "turns": 3, "input": 4}
"""In which order suspects are switched off: spans before timings that convert them, and frames made
steady before they are cut."""


def switched_off(game: Game, chosen: Sequence[Suspect]) -> Game:
    """Return scenario and clock with some suspects switched off."""
    for one in sorted(chosen, key=lambda one: ORDER.get(one.kind, 2)):
        game = one.off(game)
    return game
