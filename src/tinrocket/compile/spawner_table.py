"""Fill the table of spawners."""

import math

import numpy as np

from tinrocket.compile.conditions import Conditions
from tinrocket.compile.memory import Layout, Place
from tinrocket.compile.time_spans import RAMPS, interval_of, length_of
from tinrocket.motion.binding import Context
from tinrocket.motion.stage import tables as stage
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.stage import Spawner, SpeedRamp
from tinrocket.scenario.tempo import Tempo

NOWHERE = (0.0, 0.0)


class SpawnerTable:
    """Builder of the lists of members that spawners send, their origins, and their conditions."""

    def __init__(
        self, scenario: Scenario, context: Context, layout: Layout, conditions: Conditions
    ) -> None:
        self.scenario, self.context, self.layout = scenario, context, layout
        self.conditions = conditions
        self.parts: list[tuple[float, ...]] = []
        self.clear: list[int] = []
        self.owners: list[int] = []
        self.waits: list[int] = []
        self.paced: list[int] = []

    def fill(self) -> dict[str, Place | int]:
        """Return the table and the lists, as fields of the stage."""
        layout, spawners = self.layout, self.scenario.spawner
        table = layout.reserve(stage.Spawner, len(spawners), state=True)
        for index, spawner in enumerate(spawners):
            table.write(index, **self.places(spawner), **self.draws(spawner), **self.sent(spawner))
        parts = layout.reserve(stage.SpawnerPart, len(self.parts))
        for index, (pool, size, x, y) in enumerate(self.parts):
            parts.write(index, pool=int(pool), pool_size=int(size), offset_x=x, offset_y=y)
        return {
            "spawners": table,
            "spawner_count": len(spawners),
            "parts": parts,
            "clear": layout.indices(self.clear),
            "owners": layout.indices(self.owners),
            "waits": layout.indices(self.waits),
            "paced": layout.indices(self.paced),
        }

    def places(self, spawner: Spawner) -> dict[str, float]:
        """Return the places and velocities of what a spawner sends."""
        (low_x, high_x), (low_y, high_y) = spawner.x or NOWHERE, spawner.y or NOWHERE
        ring_low, ring_high = spawner.ring or NOWHERE
        (vx_low, vx_high), (vy_low, vy_high) = (
            way or (math.nan, math.nan) for way in (spawner.vx, spawner.vy)
        )
        return {
            "low_x": low_x,
            "high_x": high_x,
            "low_y": low_y,
            "high_y": high_y,
            "ring": int(spawner.ring is not None),
            "ring_low": ring_low,
            "ring_high": ring_high,
            "vx_low": vx_low,
            "vx_high": vx_high,
            "vy_low": vy_low,
            "vy_high": vy_high,
            "clearance": spawner.clearance,
            **self.faster(spawner.speed_ramp),
            "puts_ahead": int(self.scenario.timing_of(spawner) == "exact"),
        }

    def faster(self, ramp: SpeedRamp | None) -> dict[str, float]:
        """Return the change of the velocities of what a spawner sends."""
        if ramp is None:
            return {"faster_to": 1.0, "faster_over": 1.0, "faster_by": stage.BY_NOTHING}
        over = ramp.over * (self.context.unit if ramp.by == "time" else 1.0)
        return {"faster_to": ramp.to, "faster_over": over, "faster_by": RAMPS[ramp.by]}

    def draws(self, spawner: Spawner) -> dict[str, Place | int]:
        """Return the interval and the random numbers of a spawner."""
        places = np.random.default_rng(spawner.seed).uniform(0.0, 1.0, (stage.CHANCES, 2))
        draws = np.random.default_rng([spawner.seed, 1]).uniform(
            0.0, 1.0, (stage.CHANCES, stage.DRAWS)
        )
        return {
            "interval": interval_of(
                spawner, self.context, self.layout, self.scenario.timing_of(spawner)
            ),
            "repeats": int(spawner.every is not None),
            "from_sent": int(spawner.wait == "sent"),
            "picks_one": int(spawner.pick == "one"),
            "chances": self.layout.row(places),
            "draws": self.layout.row(draws),
        }

    def tempo(self, pace: Tempo) -> dict[str, float]:
        """List the conditions of a tempo; return its fields."""
        first = len(self.waits)
        self.waits += [self.conditions.member(name) for name in pace.on]
        past_on = len(self.waits)
        self.waits += [self.conditions.member(name) for name in pace.unless]
        first_of = len(self.paced)
        self.paced += self.scenario.fleet.numbers(*pace.of) if pace.of else []
        lasts, counted = length_of(pace.lasts, self.context)
        ease = pace.ease * self.context.unit
        return {
            "factor": pace.factor,
            "first_on": first,
            "past_on": past_on,
            "past_off": len(self.waits),
            "first_of": first_of,
            "past_of": len(self.paced),
            "lasts": lasts,
            "counted": counted,
            "change": abs(1.0 - pace.factor) / ease if ease else 0.0,
            "pace": 1.0,
        }

    def sent(self, spawner: Spawner) -> dict[str, int]:
        """List members, origins, obstacles to avoid, and times; return their addresses."""
        firsts = [len(each) for each in (self.parts, self.clear, self.owners, self.waits)]
        offsets = spawner.offsets or [(0.0, 0.0)] * len(spawner.spawns)
        self.parts += [
            (*self.context.pools[pool], *offset)
            for pool, offset in zip(spawner.spawns, offsets, strict=True)
        ]
        self.clear += self.scenario.fleet.numbers(*spawner.clear_of)
        self.owners += self.scenario.fleet.numbers(spawner.at) if spawner.at else []
        self.waits += [self.conditions.member(name) for name in spawner.on]
        past_on = len(self.waits)
        self.waits += [self.conditions.member(name) for name in spawner.unless]
        return {
            "first_part": firsts[0],
            "past_part": len(self.parts),
            "first_clear": firsts[1],
            "past_clear": len(self.clear),
            "first_owner": firsts[2],
            "past_owner": len(self.owners),
            "first_on": firsts[3],
            "past_on": past_on,
            "past_off": len(self.waits),
        }
