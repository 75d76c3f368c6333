"""Traces: a craft's state after each rule of a step, its changes, and the active inputs."""

import math
from collections.abc import Collection, Mapping, Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.compile.build import make_plan
from tinrocket.compile.plan import Plan
from tinrocket.errors import OptionError, UnknownNameError, as_number, expect, nearest
from tinrocket.flight.event_labels import event_label
from tinrocket.flight.memory import Capacity, loaded
from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.flight.stepper import Failure, Stepper
from tinrocket.limits import SIDE_BY_SIDE, most
from tinrocket.motion import tracing
from tinrocket.motion.angles import Heading
from tinrocket.motion.body import level_field
from tinrocket.motion.signals import Raw
from tinrocket.motion.world import Event, TraceRow
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.clocks import asked_clock, paced
from tinrocket.trajectory.columns import RESOURCE

Floats = NDArray[np.float64]

PHASES = {
    tracing.BEGIN: "begin",
    tracing.EDGES: "edges",
    tracing.CONTACTS: "contacts",
    tracing.STAGE: "stage",
}
STATE = ("x", "y", "vx", "vy", "speed", "ax", "ay", "heading", "spin", "height", "alive")


def trace(
    scenario: Scenario,
    craft: str | None = None,
    since: float = 0.0,
    until: float | None = None,
    *,
    rate: float | None = None,
    clock: Clock | None = None,
    each_rule: bool = False,
    columns: Sequence[str] | None = None,
) -> pd.DataFrame:
    """Fly a scenario, and record what happens within its frames.

    Parameters
    ----------
    scenario
        The scenario.
    craft
        Name of a craft, pool, grid or group (default: all craft).
    since, until
        Frames that begin in this span of time [s]; to the end if not given.
    rate, clock
        As `simulate` takes them.
    each_rule
        Whether there is a row after each rule, after the edges, the contacts and the stage,
        instead of one at the end of each step.
    columns
        Columns to return, in this order (default: all).

    Returns
    -------
    pandas.DataFrame
        frame, step, t [s] (when the step begins), craft, after (part of the step: "begin", a rule,
        "edges", "contacts", "stage"); x, y [px], vx, vy, speed [px/s], ax, ay [px/s^2] (the
        velocity gained since the row before, over the step), heading [deg], spin [deg/s],
        height [px], alive, ``resource.<name>`` for each resource; ``in.<action>``
        for each input of the step, ``timer.<rule>`` for each
        timer (remaining time, in s or in steps), and events, as text.  Absent members of a pool are
        left out, unless one is named.  A flight that blows up ends with
        that step, and ``attrs["blew_up"]`` records it.

    Raises
    ------
    OptionError
        If both `rate` and `clock` are given, or there are too many rows.
    UnknownNameError
        If there is no such craft or column.

    Examples
    --------
    >>> table = tr.trace(tr.read_demo("rocket"), until=0.1, each_rule=True)
    >>> table["after"].unique().tolist()
    ['begin', 'turn', 'thrust', 'drag', 'limit', 'move', 'edges']
    """
    expect(scenario, Scenario, "trace()", "read one with read_scenario('file.toml')")
    first = as_number(since, "since")
    last = math.inf if until is None else as_number(until, "until")
    if columns is not None:
        expect(columns, Collection, "trace(columns=...)", "give a list of their names")
        columns = [columns] if isinstance(columns, str) else columns
    if scenario.traced_by is not None:
        paced_by = asked_clock("trace", scenario, rate, clock)
        own: pd.DataFrame = scenario.traced_by(
            scenario, paced_by, craft, first, last, each_rule=each_rule
        )
        return own if columns is None else own[named_columns(columns, own)]
    wanted_craft = _members(scenario, craft)
    pacing = paced(scenario, asked_clock("trace", scenario, rate, clock))
    plan, begins = make_plan(scenario, traces=True), pacing.begins
    wanted = np.flatnonzero((begins >= first - 1e-9) & (begins < last - 1e-9))
    if wanted.size * plan.trace.count > most(SIDE_BY_SIDE):
        raise OptionError(
            f"a trace of {wanted.size:,} steps is too long; choose a part with since and until"
        )
    sampled = sample_tape(scenario, pacing)
    inputs = sampled.columns(plan.raw)
    moments = pacing.moments(plan.unit)
    pooled = {n for n in wanted_craft if scenario.craft[scenario.fleet.family(n)].pool}
    idle = frozenset() if craft in scenario.fleet.own else frozenset(pooled)
    teller = _Teller(plan, wanted_craft, idle, each_rule=each_rule)
    plain, stopped = plan.plain_because is not None, None
    with loaded(plan, Capacity(steps=1), plain=plain) as deck:
        place, stepper = plan.trace, Stepper(deck, plain=plain)
        rows = deck.machine.floats[place.cell : place.cell + place.cells.size]
        for step in range(int(wanted[-1]) + 1 if wanted.size else 0):
            deck.write_whole(plan.world, "trace_count", 0)
            taken = stepper.take(moments, inputs, step, 1)
            if step >= wanted[0]:
                count = deck.whole(plan.world, "trace_count")
                records = rows.reshape(-1, TraceRow.size)[:count].copy()
                frame, begin = int(pacing.frame[step]), float(begins[step])
                about = {"frame": frame, "step": step, "t": begin}
                about |= {
                    f"in.{action}": float(sampled.steps[Raw(action)][step])
                    for action in scenario.actions
                }
                _floats, whole = deck.events()
                teller.take(records, about, float(pacing.steps[step]), whole)
            if isinstance(taken, Failure):
                frame = int(pacing.frame[step])
                stopped = taken.error(plan, frame, float(pacing.times[frame]))
                break
    table = pd.DataFrame(teller.rows)
    if stopped is not None:
        table.attrs["blew_up"] = str(stopped)
    return table if columns is None else table[named_columns(columns, table)]


def named_columns(wanted: Sequence[str], table: pd.DataFrame) -> list[str]:
    """Return the requested columns; UnknownNameError for an unknown name."""
    for name in wanted:
        if name not in table:
            raise UnknownNameError(f"there is no column '{name}'{nearest(name, table.columns)}")
    return list(wanted)


def _members(scenario: Scenario, craft: str | None) -> list[int]:
    """Return the craft of a name, all members of a pool or grid; all craft without a name."""
    if craft is None:
        return list(range(len(scenario.fleet)))
    expect(craft, str, "trace(craft=...)", "name one, or a pool, a grid or a group")
    numbers = scenario.fleet.numbers(craft)
    if not numbers:
        names = [member.name for member in scenario.craft]
        raise UnknownNameError(f"there is no craft '{craft}'{nearest(craft, names)}")
    return numbers


ALIVE = list(TraceRow.fields).index("alive")
"""The column of a row that holds whether the craft is present."""


class _Teller:
    """Builder of rows from the memory after steps."""

    def __init__(
        self, plan: Plan, wanted: list[int], idle: frozenset[int], *, each_rule: bool
    ) -> None:
        self.plan, self.wanted, self.each_rule = plan, wanted, each_rule
        self.idle = idle  # members of pools, which are left out while absent
        self.scenario, self.heading = plan.scenario, Heading.of(plan.scenario.arena)
        self.rows: list[dict[str, object]] = []

    def take(
        self, records: Floats, about: Mapping[str, object], dt: float, events: NDArray[np.int32]
    ) -> None:
        """Record one step."""
        happened = self.events(events)
        for craft in self.wanted:
            mine = records[records[:, 0] == craft]
            timers = mine[mine[:, 1] <= tracing.TIMER]
            stages = mine[mine[:, 1] > tracing.TIMER]
            if not len(stages):
                continue
            if craft in self.idle and not stages[:, ALIVE].any():
                continue
            runs = {
                f"timer.{self.rule(craft, int(tracing.TIMER - row[1]))}": row[2] for row in timers
            }
            before = stages[0]
            for number, row in enumerate(stages):
                final = number == len(stages) - 1
                if self.each_rule or final:
                    since = before if self.each_rule else stages[0]
                    shown = {**about, "craft": self.scenario.fleet.names[craft]}
                    shown |= {"after": self.after(craft, int(row[1]))} if self.each_rule else {}
                    shown |= self.state(row, since, dt) | self.levels(row, craft) | runs
                    shown["events"] = happened.get(craft, "") if final else ""
                    self.rows.append(shown)
                before = row

    def state(self, row: Floats, before: Floats, dt: float) -> dict[str, object]:
        """Return a craft's state, in px, s and degrees."""
        unit = self.plan.unit
        named = dict(zip(TraceRow.fields, row.tolist(), strict=True))
        vx, vy = named["vx"] * unit, named["vy"] * unit
        with np.errstate(over="ignore", invalid="ignore"):  # the step in which it blows up
            gain_x, gain_y = ((row[at] - before[at]) * unit / dt for at in (4, 5))
        values = {
            "x": named["x"],
            "y": named["y"],
            "vx": vx,
            "vy": vy,
            "speed": math.hypot(vx, vy),
            "ax": float(gain_x),
            "ay": float(gain_y),
            "heading": float(self.heading.to_degrees(np.array([named["heading"]]))[0]),
            "spin": math.degrees(self.heading.sign * named["spin"]) * unit,
            "height": named["height"],
            "alive": int(named["alive"] != 0.0),
        }
        return {name: values[name] for name in STATE}

    def levels(self, row: Floats, craft: int) -> dict[str, object]:
        """Return the level of each resource of the scenario; NaN if the craft lacks it."""
        named = dict(zip(TraceRow.fields, row.tolist(), strict=True))
        model = self.scenario.craft[self.scenario.fleet.family(craft)]
        return {
            RESOURCE + name: named[level_field(place)] if model.resource(name) else math.nan
            for place, name in enumerate(self.scenario.resources)
        }

    def after(self, craft: int, number: int) -> str:
        """Return the name of a part of a step."""
        return PHASES.get(number) or self.rule(craft, number)

    def rule(self, craft: int, number: int) -> str:
        """Return the name of a rule."""
        return self.plan.entry_of(craft).rules[number].rule.label

    def events(self, whole: NDArray[np.int32]) -> dict[int, str]:
        """Return the events of each craft as text."""
        names: dict[int, list[str]] = {}
        offsets = [Event.offsets[name] for name in ("kind", "craft", "cause", "other")]
        for kind, craft, cause, other in whole[:, offsets].astype(int).tolist():
            if craft < len(self.scenario.fleet):
                label = event_label(self.plan, kind, craft, cause, other)
                about = (
                    label.other or label.edge or (label.rule if label.rule != label.kind else "")
                )
                names.setdefault(craft, []).append(f"{label.kind} {about}".strip())
        return {craft: "; ".join(texts) for craft, texts in names.items()}
