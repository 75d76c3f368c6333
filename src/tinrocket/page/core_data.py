"""A scenario for a page: the module, its memory, its numbers, and the controls."""

from collections.abc import Mapping
from typing import Any

from tinrocket.compile.build import make_plan
from tinrocket.compile.plan import Plan
from tinrocket.compile.retuning import Retuning, TunableNumber, portable
from tinrocket.flight.event_labels import CONTACTS, NAMES
from tinrocket.flight.memory import Capacity, cells_for, event_room
from tinrocket.language.machine import PAGE
from tinrocket.language.records import CELL, Record
from tinrocket.motion import events as kinds
from tinrocket.motion.body import Body
from tinrocket.motion.world import Event, Moment, World
from tinrocket.page.blobs import packed, packed_floats
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.numbers import Units
from tinrocket.scenario.ranges import Range
from tinrocket.scenario.scenario import Scenario

RECORDS: tuple[type[Record], ...] = (Body, Event, Moment, World)
"""Records that a page reads or writes."""
EARLY_KEYS = ("Space", "KeyX", "KeyC", "KeyV", "KeyN", "KeyM")
"""Keys of actions without a direction, in the order of the actions."""
KEYS = {
    "left": "ArrowLeft",
    "right": "ArrowRight",
    "up": "ArrowUp",
    "down": "ArrowDown",
    "thrust": "ArrowUp",
    "brake": "ArrowDown",
    "reverse": "ArrowDown",
}
"""Keys of actions whose names suggest them."""
AXIS_KEYS = (
    ("ArrowLeft", "ArrowRight"),
    ("ArrowDown", "ArrowUp"),
    ("KeyA", "KeyD"),
    ("KeyS", "KeyW"),
)
"""Keys of the two ends of an analog action."""


def core_data(
    scenario: Scenario, ranges: Mapping[str, Range] | None = None
) -> dict[str, Any] | None:
    """Return the data by which a page flies a scenario, or None if only Python can fly it.

    `ranges` are those of its numbers, where they are known from another timing of the scenario.
    """
    if scenario.flown_by is not None:
        return None
    plan = make_plan(scenario)
    if plan.plain_because is not None:
        return None
    binary, retuning = portable(plan, ranges)
    room = Capacity(steps=1, extra=max(len(retuning.numbers), 1))
    return {
        "module": packed(binary),
        "image": packed_floats(plan.image),
        "typed": packed_floats(retuning.typed.cells),
        "memory": _memory(plan, retuning, room),
        "records": {kind.__name__: dict(kind.offsets) for kind in RECORDS},
        "sizes": {kind.__name__: kind.size for kind in RECORDS},
        "world": plan.world.cell,
        "bodies": plan.bodies.cell,
        "crafts": len(scenario.fleet),
        "unit": plan.unit,
        "raw": [
            {"label": signal.label, "name": signal.name, "part": signal.part, "column": column}
            for signal, column in plan.raw.items()
        ],
        "numbers": [_number(scenario, number) for number in retuning.numbers],
        "fixed": [{"path": path, "reason": why} for path, why in retuning.fixed.items()],
        "events": _event_names(scenario, plan),
        "clock": scenario.clock.model_dump(exclude_none=True) | {"tuned_at": scenario.tuned_at},
        "duration": scenario.duration,
        "hands": _hands(scenario, plan),
    }


def _memory(plan: Plan, retuning: Retuning, room: Capacity) -> dict[str, int]:
    """Return the addresses of a page's own memory, behind that of the plan and the numbers."""
    events_room = event_room(plan, room)
    typed = retuning.typed.cell
    moments = typed + max(len(retuning.numbers), 1)
    inputs = moments + Moment.size
    events = inputs + max(len(plan.raw), 1)
    cells = events + (events_room + 1) * Event.size
    return {
        "typed": typed,
        "moments": moments,
        "inputs": inputs,
        "events": events,
        "event_room": events_room,
        "pages": -(-max(cells, cells_for(plan, room)) * CELL // PAGE),
    }


def _number(scenario: Scenario, number: TunableNumber) -> dict[str, Any]:
    place, owner = number.place, number.place.owner(scenario)
    units = getattr(owner, "units", None) or scenario.units
    if place.contact is not None:
        of, what = "contact", scenario.contact[place.contact].label
    else:
        of = scenario.craft[place.craft].name
        rules = scenario.craft[place.craft].rules
        what = "start" if place.rule is None else rules[place.rule].label
    return {
        "path": number.path,
        "of": of,
        "what": what,
        "begins": place.contact is None and place.rule is None,
        "key": place.key.removeprefix("numbers."),
        "value": number.value,
        "unit": "frames"
        if number.counts_frames
        else _unit(number.mark.unit, number.mark.per_time, units),
        "low": number.within.low,
        "high": number.within.high,
        "step": number.within.step,
        "counts_frames": number.counts_frames,
    }


def _unit(unit: str, per_time: int, units: Units) -> str:
    """Return a unit as typed: per second, or per tuned frame."""
    if units == "per_second" or not per_time:
        return unit
    return unit.replace("/s^2", "/frame^2").replace("/s", "/frame")


def _event_names(scenario: Scenario, plan: Plan) -> dict[str, Any]:
    """Return names of events by their codes, or by their causes."""
    sides = [side for axis in AXES for side in scenario.arena.sides(axis)]
    edges = [
        [scenario.arena_of(craft).edges.at(side).kind for side in sides] for craft in scenario.craft
    ]
    family = [scenario.fleet.family(n) for n in range(len(scenario.fleet))]
    return {
        "codes": {str(code): name for code, name in NAMES.items() if code not in CONTACTS},
        "edge": kinds.EDGE,
        "rule": kinds.RULE,
        "contact": [kinds.CONTACT, kinds.HARD_CONTACT],
        "sides": sides,
        "edges": edges,
        "family": family,
        "rules": [[rule.rule for rule in craft.rules] for craft in scenario.craft],
        "contacts": [contact.event for contact in scenario.contact],
        "bodies": list(plan.body_names),
    }


def _hands(scenario: Scenario, plan: Plan) -> dict[str, Any]:
    """Return the controls of a player: actions with their keys, and pointers with their places."""
    tape = scenario.tape
    analog = {stick.x for stick in scenario.sticks.values()} | {
        stick.y for stick in scenario.sticks.values() if stick.y
    }
    listened = {signal.name for signal in plan.raw if not signal.part}
    pointers = {name: list(points[0][1:]) for name, points in tape.pointers.items()} | {
        signal.name: [0.0, 0.0]
        for signal in plan.raw
        if signal.part == "x" and signal.name not in tape.pointers
    }
    return {
        "sampling": tape.sampling,
        "repeats": {name: repeats.model_dump() for name, repeats in tape.repeats.items()},
        "actions": [
            {
                "name": name,
                "analog": name in analog or name in tape.values,
                "heard": name in listened,
            }
            for name in scenario.actions
        ],
        "keys": _keys([name for name in scenario.actions if name not in analog], analog),
        "pointers": pointers,
        "recorded": _recorded(scenario),
    }


def _keys(actions: list[str], analog: set[str]) -> Mapping[str, list[str]]:
    """Return the default keys of each action; of an analog one, of its low and high end."""
    keys: dict[str, list[str]] = {}
    free = list(EARLY_KEYS)
    for name in actions:
        last = name.replace("_", " ").split()[-1] if name.strip() else name
        wanted = KEYS.get(name) or KEYS.get(last)
        if wanted and [wanted] not in keys.values():
            keys[name] = [wanted]
        else:
            keys[name] = [free.pop(0)] if free else []
    pairs = [
        ["ArrowLeft", "ArrowRight"],
        ["ArrowDown", "ArrowUp"],
        ["KeyA", "KeyD"],
        ["KeyS", "KeyW"],
    ]
    for name in sorted(analog):
        keys[name] = pairs.pop(0) if pairs else []
    return keys


def _recorded(scenario: Scenario) -> dict[str, Any]:
    """Return the scenario's own tape as changes, for the page to play back."""
    tape = scenario.tape.in_seconds(scenario.tuned_at)
    return {
        "changes": {name: [list(change) for change in tape.changes(name)] for name in tape.actions},
        "pointers": {name: [list(p) for p in points] for name, points in tape.pointers.items()},
    }
