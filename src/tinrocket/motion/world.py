"""Everything one flight works with, as one record that leads to all others."""

from typing import Final

from tinrocket.language.records import Floats, Ints, Record
from tinrocket.motion.body import Body
from tinrocket.motion.contacts.tables import Contacts
from tinrocket.motion.stage.tables import Stage

TIME_EPSILON: Final = 1e-9
"""Moments closer than this are the same, in units of time and in steps."""


class Event(Record):
    """Something that happened; see `events` for the kinds."""

    step: int  # counted from the first of this call
    kind: int
    craft: int  # or -1
    cause: int  # the side, the rule, the contact, or the side that scored
    other: int  # the other body of a contact, or -1
    fraction: float  # how far into the step, 0 to 1
    count: float
    x: float
    y: float
    speed: float
    gap: float  # of a contact at the end of the step, below zero if they overlap
    normal: float  # rad, from the other body


class Arrival(Record):
    """How a craft came to the sides of the arena, before any of them acts on it.

    While contacts are worked out it may hold how the craft is behind them instead.
    """

    count: float  # of the step, from 1
    x: float
    y: float
    vx: float
    vy: float
    before_x: float
    before_y: float
    wraps_x: float
    wraps_y: float
    touch_x: float
    touch_y: float
    alive: float


class Moment(Record):
    """When a step begins, and how long it is, in units of time."""

    now: float
    dt: float


class Scaled(Record):
    """A number that depends on the length of the step, and where its coefficient goes."""

    kind: int
    value: float
    coefficient: Floats


class NumberRamp(Record):
    """One of the changes of a number of a rule as the game goes on."""

    key: int  # which of the numbers that change
    begin: float
    end: float
    over: float
    by: int
    side: int  # the side that scores
    first: int  # the craft whose losses count
    past: int


class TraceRow(Record):
    """A craft's state after a rule; see `tracing`."""

    craft: float
    after: float  # a rule of the craft, or what else there is of a step
    x: float
    y: float
    vx: float
    vy: float
    heading: float
    spin: float
    height: float
    alive: float
    level_1: float
    level_2: float
    level_3: float
    level_4: float
    level_5: float
    level_6: float


class World(Record):
    """Root record of a flight: leads to every other record; holds step counter and clock."""

    steps: int  # how many this call flies
    step: int  # the one at hand, counted from the first of this call
    now: float  # when it begins
    count: float  # how many steps came before it, in the whole flight
    dt: float  # how long it is
    failed: int  # the craft with numbers that are not finite, or -1
    failed_rule: int  # the last rule that was looked at, if rules are
    uneven: int  # whether the steps of this call are of several lengths
    moments: Moment
    inputs: Floats  # a row for each step
    bodies: Body
    starts: Body
    crafts: int  # a view is the last of them
    scaled: Scaled
    scaled_count: int
    ramps: NumberRamp
    ramp_count: int
    ramp_members: Ints
    ramped: Floats  # the numbers that change, as they are in this step
    trace: TraceRow
    trace_count: int
    trace_room: int
    events: Event
    event_room: int
    event_count: int
    event_limit: int  # after a step with so many the call ends
    record: Floats  # a row of steps for each craft, for each column
    record_columns: int
    record_length: int
    arrivals: Arrival
    behind: float  # how much real time has not passed in the game
    frames: float  # steps so far, those in which the game stood still included
    crossed: float  # the last step, from 1, in which one that may meet others met a side
    contacts: Contacts
    stage: Stage
