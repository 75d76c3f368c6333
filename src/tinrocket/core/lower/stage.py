"""Spawners, marches and rounds in the core's terms."""

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.lower.instructions import Workshop, span
from tinrocket.core.stage import staging as of
from tinrocket.core.stage.staging import EMPTY_STAGE, Staging
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.stage import March, Rounds, Spawner

Floats = NDArray[np.float64]

RAMPS = {"time": of.BY_TIME, "score": of.BY_SCORE, "gone": of.BY_GONE}


def lower_stage(scenario: Scenario, shop: Workshop) -> Staging:
    """Return what happens on the stage; EMPTY_STAGE if nothing can."""
    fleet = scenario.fleet
    leaves = any(craft.lifetime or craft.respawn for craft in fleet)
    if not (leaves or scenario.spawner or scenario.march or scenario.rounds or scenario.sides):
        return EMPTY_STAGE
    called = [(craft.name, *craft.groups) for craft in fleet]
    parts = [
        (number, *shop.pools[pool], *offset)
        for number, one in enumerate(scenario.spawner)
        for pool, offset in zip(
            one.spawns, one.offsets or [(0.0, 0.0)] * len(one.spawns), strict=True
        )
    ]
    clear = [
        (number, craft)
        for number, one in enumerate(scenario.spawner)
        for craft in _named(one.clear_of, called)
    ]
    marchers = [
        (number, craft)
        for number, one in enumerate(scenario.march)
        for craft in _named([one.moves], called)
    ]
    rounds = scenario.rounds or Rounds(by_score=False)
    resets = range(len(fleet)) if rounds.resets is None else _named(rounds.resets, called)
    return Staging(
        crafts=_table([_craft(craft) for craft in fleet], of.CRAFT),
        spawners=_table([_spawner(one, scenario) for one in scenario.spawner], of.SPAWNER),
        parts=_table(parts, of.PART),
        clear=_table(clear, 2),
        chances=np.array([_chances(one) for one in scenario.spawner]).reshape(-1, of.CHANCES, 2),
        marches=_table([_march(one, shop) for one in scenario.march], of.MARCH),
        marchers=_table(marchers, 2),
        rounds=_rounds(rounds, shop),
        resets=np.array(resets, dtype=np.int64),
        sides=np.zeros((len(scenario.sides), 1)),
    )


def _table(rows: Sequence[Sequence[float]], width: int) -> Floats:
    return np.array(rows, dtype=np.float64).reshape(-1, width)


def _named(wanted: Sequence[str], called: Sequence[Sequence[str]]) -> list[int]:
    """Return the indices of the craft that go by one of some names."""
    return [index for index, names in enumerate(called) if not set(wanted).isdisjoint(names)]


def _craft(craft: Craft) -> list[float]:
    numbers = [0.0, 0.0, -1.0, 0.0, math.inf, math.nan, math.nan]
    if craft.lifetime is not None:
        numbers[of.LIFETIME], numbers[of.LIFETIME_COUNTED] = span(craft.lifetime)
    if craft.respawn is not None:
        numbers[of.RESPAWN], numbers[of.RESPAWN_COUNTED] = span(craft.respawn.after)
        numbers[of.RESPAWN_TIMES] = craft.respawn.times or math.inf
        if craft.respawn.at is not None:
            numbers[of.RESPAWN_X], numbers[of.RESPAWN_Y] = craft.respawn.at
    return numbers


def _interval(one: Spawner | March) -> list[float]:
    every, counted = span(one.every)
    first = every if one.first is None else span(one.first)[0]
    if one.ramp is None:
        return [every, counted, first, every, 1.0, of.BY_NOTHING]
    return [every, counted, first, span(one.ramp.to)[0], one.ramp.over, RAMPS[one.ramp.by]]


def _spawner(one: Spawner, scenario: Scenario) -> list[float]:
    exact = (one.timing or scenario.timing) == "exact"
    return [*_interval(one), *one.x, *one.y, one.clearance, float(exact)]


def _chances(one: Spawner) -> Floats:
    return np.random.default_rng(one.seed).uniform(0.0, 1.0, (of.CHANCES, 2))


def _march(one: March, shop: Workshop) -> list[float]:
    return [*_interval(one), one.step, -shop.heading.up * one.down, *one.between]


def _rounds(rounds: Rounds, shop: Workshop) -> Floats:
    numbers = np.zeros(of.ROUNDS)
    numbers[of.FIRST_TO] = rounds.first_to or 0.0
    numbers[of.TIME_LIMIT] = rounds.time_limit or 0.0
    if rounds.lives is not None and rounds.of is not None:
        numbers[of.LIVES], numbers[of.LIVING] = rounds.lives, shop.craft[rounds.of]
    numbers[of.PAUSE] = rounds.pause
    numbers[of.BY_SCORES] = float(rounds.by_score)
    return numbers
