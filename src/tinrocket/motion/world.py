"""Root record of a flight, which leads to all others."""

from typing import Final

from tinrocket.language.records import Floats, Ints, Record
from tinrocket.motion.body import Body
from tinrocket.motion.contacts.tables import Contacts
from tinrocket.motion.stage.tables import Stage

TIME_EPSILON: Final = 1e-9
"""Difference below which two moments are equal, in units of time and in steps."""


class Event(Record):
    """An event; see `events` for the kinds."""

    step: int  # counted from the first of this call
    kind: int
    craft: int  # or -1
    cause: int  # the side, the rule, the contact, or the side that scored
    other: int  # the other body of a contact, or -1
    fraction: float  # fraction of the step, 0 to 1
    count: float
    x: float
    y: float
    speed: float
    gap: float  # gap of a contact at the end of the step, negative if they overlap
    normal: float  # rad, from the other body


class Arrival(Record):
    """State of a craft before edges act on it.

    While contacts are resolved it may hold the state after them instead.
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
    """Begin and length of a step, in units of time."""

    now: float
    dt: float


class Scaled(Record):
    """A number that depends on the length of the step, and the address of its coefficient."""

    kind: int
    value: float
    coefficient: Floats


class NumberRamp(Record):
    """A ramp of a number of a rule."""

    key: int  # index of the number that changes
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

    steps: int  # number of steps of this call
    step: int  # current step, relative to the first of this call
    now: float  # its begin
    count: float  # number of steps before it, in the whole flight
    dt: float  # its length
    failed: int  # the craft with numbers that are not finite, or -1
    failed_rule: int  # the last rule that was checked, if rules are checked
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
    event_limit: int  # number of events after which the call ends
    record: Floats  # a row of steps for each craft, for each column
    record_columns: int
    record_length: int
    arrivals: Arrival
    behind: float  # real time that has not passed in the game
    frames: float  # steps so far, including those in which the game stood still
    crossed: float  # last step, from 1, in which a craft that may meet others met an edge
    contacts: Contacts
    stage: Stage
