"""Fill the tables of the stage from a scenario."""

import math

import numpy as np

from tinrocket.compile.condition_table import ConditionTable
from tinrocket.compile.memory import Layout, Place
from tinrocket.compile.spawner_table import SpawnerTable
from tinrocket.compile.time_spans import interval_of, length_of
from tinrocket.language import records
from tinrocket.motion.binding import Context
from tinrocket.motion.stage import tables as stage
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.stage import Rounds


def has_stage(scenario: Scenario) -> bool:
    """Return whether anything happens on the stage."""
    ends = any(contact.ends for contact in scenario.contact)
    leaves = any(craft.lifetime or craft.respawn for craft in scenario.craft)
    staged = scenario.spawner or scenario.march or scenario.rounds or scenario.sides
    requested = any(scenario.is_of_game(condition) for condition in scenario.condition)
    return bool(leaves or staged or ends or requested or scenario.tempo)


def stage_tables(
    scenario: Scenario, context: Context, layout: Layout, conditions: ConditionTable
) -> Place:
    """Return the tables of the stage, and the state of the game."""
    whole = layout.reserve(stage.Stage, state=True)
    if not has_stage(scenario):
        return whole
    spawners = SpawnerTable(scenario, context, layout, conditions.of)
    marches = layout.reserve(stage.March, len(scenario.march), state=True)
    marchers: list[int] = []
    for index, march in enumerate(scenario.march):
        first = len(marchers)
        marchers += scenario.fleet.numbers(march.moves)
        marches.write(
            index,
            interval=interval_of(march, context, layout, scenario.timing_of(march)),
            step=march.step,
            down=-context.heading.up * march.down,
            least_x=march.between[0],
            most_x=march.between[1],
            first_marcher=first,
            past_marcher=len(marchers),
        )
    tempos = layout.reserve(stage.Tempo, len(scenario.tempo), state=True)
    for row, tempo in enumerate(scenario.tempo):
        tempos.write(row, **spawners.tempo(tempo))
    whole.write(
        lives=_lives(scenario, context, layout),
        life_count=len(scenario.fleet),
        **spawners.fill(),
        tempos=tempos,
        tempo_count=tempos.count if scenario.tempo else 0,
        marches=marches,
        march_count=len(scenario.march),
        marchers=layout.indices(marchers),
        scores=layout.reserve(records.Floats, len(scenario.sides), state=True),
        sides=len(scenario.sides),
    )
    conditions.fill(whole)
    _write_rounds(whole, scenario, context, layout)
    return whole


def _lives(scenario: Scenario, context: Context, layout: Layout) -> Place:
    table = layout.reserve(stage.Life, len(scenario.fleet), state=True)
    for craft, rows in zip(scenario.craft, scenario.fleet.rows, strict=True):
        table.write_rows(rows, respawn=-1.0, **_lifetime(craft, context))
        if craft.respawn is not None:
            again, counted = length_of(craft.respawn.after, context)
            times = float(craft.respawn.times or math.inf)
            table.write_rows(rows, respawn=again, respawn_counted=counted, respawn_times=times)
            if craft.respawn.at is not None:
                x, y = craft.respawn.at
                table.write_rows(rows, respawn_elsewhere=1, respawn_x=x, respawn_y=y)
    return table


def _lifetime(craft: Craft, context: Context) -> dict[str, float]:
    if craft.lifetime is None:
        return {}
    lifetime, counted = length_of(craft.lifetime, context)
    return {"lifetime": lifetime, "lifetime_counted": counted}


def _write_rounds(whole: Place, scenario: Scenario, context: Context, layout: Layout) -> None:
    rounds, fleet = scenario.rounds or Rounds(by_score=False), scenario.fleet
    resets = np.arange(len(fleet))
    if rounds.resets is not None:
        resets = np.array(fleet.numbers(*rounds.resets))
    restored = scenario.bodies.numbers(*rounds.restores)
    whole.write(
        resets=layout.indices(resets),
        reset_count=len(resets),
        restored=layout.indices(restored),
        restored_count=len(restored),
        first_to=rounds.first_to or 0.0,
        time_limit=(rounds.time_limit or 0.0) * context.unit,
        pause=rounds.pause * context.unit,
        by_score=int(rounds.by_score),
    )
    if rounds.lives is not None and rounds.lives_of is not None:
        whole.write(lives_given=float(rounds.lives), living=context.craft[rounds.lives_of])
