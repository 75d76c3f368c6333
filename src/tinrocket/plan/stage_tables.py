"""Filling the tables of the stage from a scenario."""

import math
from collections.abc import Sequence

import numpy as np

from tinrocket.kernel import records
from tinrocket.motion.binding import Context, span
from tinrocket.motion.stage import tables as stage
from tinrocket.plan.memory import Layout, Place
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.stage import March, Rounds, Spawner

RAMPS = {"time": stage.BY_TIME, "score": stage.BY_SCORE, "gone": stage.BY_GONE}


def has_stage(scenario: Scenario) -> bool:
    """Whether anything happens on the stage."""
    ends = any(one.ends for one in scenario.contact)
    leaves = any(craft.lifetime or craft.respawn for craft in scenario.craft)
    staged = scenario.spawner or scenario.march or scenario.rounds or scenario.sides
    return bool(leaves or staged or ends)


def stage_tables(scenario: Scenario, context: Context, layout: Layout) -> Place:
    """Return what happens on the stage, and the state of the game."""
    whole = layout.reserve(stage.Stage, state=True)
    if not has_stage(scenario):
        return whole
    called = [(craft.name, *craft.groups) for craft in scenario.all_craft]
    spawners = layout.reserve(stage.Spawner, len(scenario.spawner), state=True)
    parts: list[tuple[float, ...]] = []
    clear: list[int] = []
    for index, one in enumerate(scenario.spawner):
        first_part, first_clear = len(parts), len(clear)
        offsets = one.offsets or [(0.0, 0.0)] * len(one.spawns)
        parts += [
            (*context.pools[pool], *offset)
            for pool, offset in zip(one.spawns, offsets, strict=True)
        ]
        clear += _named(one.clear_of, called)
        spawners.write(
            index,
            interval=_interval(one, context, layout),
            low_x=one.x[0],
            high_x=one.x[1],
            low_y=one.y[0],
            high_y=one.y[1],
            clearance=one.clearance,
            puts_ahead=int((one.timing or scenario.timing) == "exact"),
            chances=layout.row(
                np.random.default_rng(one.seed).uniform(0.0, 1.0, (stage.CHANCES, 2))
            ),
            first_part=first_part,
            past_part=len(parts),
            first_clear=first_clear,
            past_clear=len(clear),
        )
    marches = layout.reserve(stage.March, len(scenario.march), state=True)
    marchers: list[int] = []
    for index, march in enumerate(scenario.march):
        first = len(marchers)
        marchers += _named([march.moves], called)
        marches.write(
            index,
            interval=_interval(march, context, layout),
            step=march.step,
            down=-context.heading.up * march.down,
            least_x=march.between[0],
            most_x=march.between[1],
            first_marcher=first,
            past_marcher=len(marchers),
        )
    whole.write(
        lives=_lives(scenario, context, layout),
        life_count=len(scenario.all_craft),
        spawners=spawners,
        spawner_count=len(scenario.spawner),
        parts=_parts(parts, layout),
        clear=layout.indices(clear),
        marches=marches,
        march_count=len(scenario.march),
        marchers=layout.indices(marchers),
        scores=layout.reserve(records.Floats, len(scenario.sides), state=True),
        sides=len(scenario.sides),
    )
    _write_rounds(whole, scenario, context, called, layout)
    return whole


def _named(wanted: Sequence[str], called: Sequence[Sequence[str]]) -> list[int]:
    """Return the indices of the craft that go by one of some names."""
    return [index for index, names in enumerate(called) if not set(wanted).isdisjoint(names)]


def _parts(parts: Sequence[tuple[float, ...]], layout: Layout) -> Place:
    table = layout.reserve(stage.SpawnerPart, len(parts))
    for index, (pool, size, x, y) in enumerate(parts):
        table.write(index, pool=int(pool), pool_size=int(size), offset_x=x, offset_y=y)
    return table


def _length(value: float | str, context: Context) -> tuple[float, int]:
    """Return a span in units of time or in steps, and whether it counts steps."""
    length, counted = span(value)
    return float(length if counted else length * context.unit), int(counted)


def _lives(scenario: Scenario, context: Context, layout: Layout) -> Place:
    table = layout.reserve(stage.Life, len(scenario.all_craft), state=True)
    for index, craft in enumerate(scenario.all_craft):
        table.write(index, respawn=-1.0, **_lifetime(craft, context))
        if craft.respawn is not None:
            again, counted = _length(craft.respawn.after, context)
            times = float(craft.respawn.times or math.inf)
            table.write(index, respawn=again, respawn_counted=counted, respawn_times=times)
            if craft.respawn.at is not None:
                x, y = craft.respawn.at
                table.write(index, respawn_elsewhere=1, respawn_x=x, respawn_y=y)
    return table


def _lifetime(craft: Craft, context: Context) -> dict[str, float]:
    if craft.lifetime is None:
        return {}
    lifetime, counted = _length(craft.lifetime, context)
    return {"lifetime": lifetime, "lifetime_counted": counted}


def _interval(one: Spawner | March, context: Context, layout: Layout) -> Place:
    every, counted = _length(one.every, context)
    first = every if one.first is None else _length(one.first, context)[0]
    place = layout.reserve(stage.Interval, state=True)
    place.write(every=every, counted=counted, first=first, ramp_to=every, ramp_over=1.0)
    if one.ramp is not None:
        over = one.ramp.over * (context.unit if one.ramp.by == "time" else 1.0)
        to = _length(one.ramp.to, context)[0]
        place.write(ramp_to=to, ramp_over=over, ramp_by=RAMPS[one.ramp.by])
    return place


def _write_rounds(
    whole: Place,
    scenario: Scenario,
    context: Context,
    called: Sequence[Sequence[str]],
    layout: Layout,
) -> None:
    rounds = scenario.rounds or Rounds(by_score=False)
    resets = range(len(called)) if rounds.resets is None else _named(rounds.resets, called)
    whole.write(
        resets=layout.indices(list(resets)),
        reset_count=len(resets),
        first_to=rounds.first_to or 0.0,
        time_limit=(rounds.time_limit or 0.0) * context.unit,
        pause=rounds.pause * context.unit,
        by_score=int(rounds.by_score),
    )
    if rounds.lives is not None and rounds.lives_of is not None:
        whole.write(lives_given=float(rounds.lives), living=context.craft[rounds.lives_of])
