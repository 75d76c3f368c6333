"""Build the plan of a scenario: compose its entries, and lay out its tables in memory."""

import math
import weakref
from collections.abc import Sequence

from tinrocket.compile import batch
from tinrocket.compile.bound_craft import Entry, context_of, entries, gated
from tinrocket.compile.compose import Composed, Composer
from tinrocket.compile.condition_table import ConditionTable
from tinrocket.compile.conditions import Conditions, TouchRows
from tinrocket.compile.contact_tables import contact_tables
from tinrocket.compile.lower_craft import bodies_of, view_entry
from tinrocket.compile.memory import Layout, Place
from tinrocket.compile.naming import Structure
from tinrocket.compile.plan import Plan
from tinrocket.compile.ramp_table import has_ramps, ramp_table
from tinrocket.compile.stage_tables import has_stage, stage_tables
from tinrocket.errors import OptionError
from tinrocket.motion.body import ALWAYS_RECORDED, MOST_RECORDED, Body, Wall
from tinrocket.motion.scaling import PLAIN
from tinrocket.motion.stage.tables import Condition
from tinrocket.motion.world import Arrival, Scaled, TraceRow, World
from tinrocket.scenario.arena import SIDES
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario


def make_plan(
    scenario: Scenario, *, records: bool = True, checks: bool = False, traces: bool = False
) -> Plan:
    """Return a plan of a scenario.

    Parameters
    ----------
    records
        Whether states and events are kept; a batch does without.
    checks
        Whether to check after each rule that all numbers are finite.
    traces
        Whether to record the craft's state after each rule.

    Raises
    ------
    OptionError
        If its motion is a user's update function, which has no rules to compile.
    """
    if scenario.flown_by is not None:
        raise OptionError("an update function has no rules; simulate or compare it instead")
    own_units, scenario = scenario, scenario.in_one_unit()
    layout = Layout()
    context = context_of(scenario, None)
    craft_entries = entries(scenario)
    crafts = craft_entries[-1].first + craft_entries[-1].count
    if scenario.view is not None:
        crafts += 1
        place = len(craft_entries) if scenario.view.order == "after" else 0
        craft_entries.insert(place, view_entry(scenario, context))
    world = layout.reserve(World, lasting=True)
    bodies = layout.reserve(Body, crafts, state=True)
    starts = layout.reserve(Body, crafts, state=True)
    walls = layout.reserve(Wall, 4 * crafts)
    names = scenario.bodies.names
    conditions, touching = Conditions(scenario, context), TouchRows()
    condition_table = layout.reserve(Condition, len(conditions.of_game), lasting=True)
    structure = Structure(
        entries=craft_entries,
        names=names,
        bodies=bodies,
        world=world,
        carries=any(craft.within == "view" for craft in scenario.craft),
        meets=bool(scenario.contact),
        stages=has_stage(scenario),
        columns=_recorded(scenario),
        may_leave=may_leave(scenario),
        records=records,
        conditions=conditions,
        condition_table=condition_table,
        touching=touching,
        restarts=restarts(scenario),
        ramps=has_ramps(scenario),
        paces=bool(scenario.tempo),
        gated=[scenario.contact[n] for n in gated(scenario)],
        checks=checks,
        traces=traces,
    )
    composed = Composer(structure, layout).compose()
    before = composed.inputs.memory(layout)
    batch_place = layout.reserve(batch.Batch)
    known = {**composed.globals, **batch.NAMES, "batch": batch_place}
    if before is not None:
        known["before"] = before
    bodies_of(scenario, context, bodies, walls)
    scaled = _scaled(composed, layout)
    requested = ConditionTable(conditions, condition_table, touching, layout)
    trace = layout.reserve(TraceRow, trace_rows(craft_entries) if traces else 0, lasting=True)
    world.write(trace=trace, trace_room=trace.count)
    world.write(**ramp_table(scenario, layout, context))
    stage = stage_tables(scenario, context, layout, requested)
    contacts = contact_tables(
        scenario,
        context,
        layout,
        pushed=any(entry.feels_push for entry in craft_entries),
        touching=touching.rows,
    )
    world.write(
        failed=-1,
        bodies=bodies,
        starts=starts,
        crafts=crafts,
        dt=math.nan,
        scaled=scaled,
        scaled_count=sum(number.scaled >= 0 for number in composed.numbers),
        event_limit=2**31 - 1,
        arrivals=layout.reserve(Arrival, crafts, state=True),
        stage=stage,
        contacts=contacts,
    )
    if restarts(scenario):
        saved, begun, cells = layout.beginning()
        stage.write(saved=saved, begun=begun, cells=cells, restarts=1)
    starts.cells[:] = bodies.cells
    starts.pointers += bodies.pointers
    image, begins = layout.done()
    return Plan(
        scenario=own_units,
        source=composed.text,
        names=known,
        image=image,
        state=slice(begins, image.size),
        raw=composed.inputs.raw,
        columns=structure.columns,
        numbers=composed.numbers,
        world=world,
        bodies=bodies,
        starts=starts,
        walls=walls,
        contacts=contacts,
        scaled=scaled,
        batch=batch_place,
        trace=trace,
        entries=craft_entries,
        body_names=names,
        unit=context.unit,
        user_rules=composed.user_rules,
    )


def trace_rows(entries: Sequence[Entry]) -> int:
    """Return how many rows record one step."""
    return sum(entry.count * (2 * len(entry.rules) + 4) for entry in entries)


def may_leave(scenario: Scenario) -> bool:
    """Return whether anything removes craft, or stops them for good."""
    stops = any(contact.response == "stop" for contact in scenario.contact)
    return stops or has_stage(scenario) or _takes_away(scenario)


def restarts(scenario: Scenario) -> bool:
    """Return whether the game may restart."""
    return any(condition.restarts for condition in scenario.condition)


def _recorded(scenario: Scenario) -> int:
    """Return how many fields of a craft are recorded."""
    if scenario.resources:
        return MOST_RECORDED + len(scenario.resources)
    return MOST_RECORDED if _has_whole_state(scenario) else ALWAYS_RECORDED


def _has_whole_state(scenario: Scenario) -> bool:
    """Return whether height and life of a craft can change, and are recorded."""
    lifts = any(rule.lifts for craft in scenario.craft for rule in craft.rules)
    return lifts or _takes_away(scenario)


def _takes_away(scenario: Scenario) -> bool:
    """Return whether craft appear and disappear."""
    return (
        any(o.response in ("remove", "split") for c in scenario.contact for o in c.outcomes)
        or any(craft.pool or craft.lifetime for craft in scenario.craft)
        or scenario.rounds is not None
        or any(_removes(scenario, craft) for craft in scenario.craft)
    )


def _removes(scenario: Scenario, craft: Craft) -> bool:
    edges = scenario.arena_of(craft).edges
    return any(edges.at(side).kind == "remove" for side in SIDES)


def _scaled(composed: Composed, layout: Layout) -> Place:
    """Return the numbers that depend on the length of the step."""
    timed = [number for number in composed.numbers if number.number.scaling != PLAIN]
    table = layout.reserve(Scaled, len(timed), lasting=True)
    for row, place in enumerate(timed):
        place.scaled = row
        where = (place.place, place.index, place.field)
        value = float(place.number.value)
        table.write(row, kind=place.number.scaling, value=value, coefficient=where)
    return table


_plans: dict[tuple[int, bool], tuple["weakref.ref[Scenario]", Plan]] = {}


def plan_of(scenario: Scenario, *, records: bool = True) -> Plan:
    """Return the plan of a scenario; it is cached while the scenario object lives."""
    key = id(scenario), records
    held = _plans.get(key)
    if held is not None and held[0]() is scenario:
        return held[1]
    plan = make_plan(scenario, records=records)
    plan.scenario = _own_copy(scenario)
    _plans[key] = weakref.ref(scenario, lambda _gone: _plans.pop(key, None)), plan
    return plan


def _own_copy(scenario: Scenario) -> Scenario:
    """Return an equal scenario: a plan must not keep its own cache key alive."""
    return scenario.model_copy()
