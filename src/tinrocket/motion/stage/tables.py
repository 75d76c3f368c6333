"""The stage tables: lifetimes, spawners, marches, rounds, and the state of the game."""

from typing import Final

from tinrocket.language.records import Floats, Ints, Record
from tinrocket.language.subset import kernel

# Quantities that an interval depends on
BY_NOTHING: Final = 0
BY_TIME: Final = 1
BY_SCORE: Final = 2
BY_GONE: Final = 3  # number of absent members of a march

# What a contact may end, in ascending order
ENDS_NOTHING: Final = 0
ENDS_LIFE: Final = 1
ENDS_ROUND: Final = 2
ENDS_GAME: Final = 3

# Quantities that a condition of the game tests
INPUT: Final = 0  # known before the step ends: an action, a stick
MEASURE: Final = 1  # a value of a craft
AT_EDGE: Final = 2
TOUCHES: Final = 3
COUNT_OF: Final = 4  # number of present craft
SCORE_OF: Final = 5
LIVES_LEFT: Final = 6
PLAY_TIME: Final = 7
HAPPENS: Final = 8  # an event
EVERY: Final = 9
COMBINED: Final = 10  # all of some conditions, any of some, and none of some
LATCH: Final = 11  # on after some have begun, off after others have

CHANCES: Final = 4096
"""Length of the cycle of a spawner's random places."""
DRAWS: Final = 6
"""Random numbers of a spawner per entry: member, origin, vx, vy, angle around."""


class Life(Record):
    """Lifetime and return of a craft; a row for each craft."""

    lifetime: float  # 0: for ever
    lifetime_counted: int  # 1 if in steps
    respawn: float  # below 0: never
    respawn_counted: int
    respawn_times: float
    respawn_elsewhere: int  # whether it comes back at a place of its own
    respawn_x: float
    respawn_y: float
    gone: int  # whether its absence was noticed
    was_gone: int  # whether it was absent at the end of the last step
    losses: float  # number of removals
    died: float  # when that was
    respawns: float  # so far


class Interval(Record):
    """An interval, which may change during the game."""

    every: float
    counted: int  # 1 if in steps
    first: float
    ramp_to: float  # its last length
    ramp_over: float  # amount of its quantity at which that is reached
    ramp_by: int
    due: float  # when the next is due, relative to the first
    width: float  # largest random extension
    chances: Floats
    drawn: int  # random numbers so far
    exact: int  # whether its length is that at the due moment, not at the step's end


class Spawner(Record):
    """Sends craft of pools, one of each of its parts at a time."""

    interval: Interval
    low_x: float
    high_x: float
    low_y: float
    high_y: float
    faster_to: float  # last factor of velocities
    faster_over: float  # amount of its quantity at which that is reached
    faster_by: int
    clearance: float  # clearance from those craft
    repeats: int  # 1 if it sends repeatedly, 0 if once as its gate opens
    from_sent: int  # 1 if a wait begins when the last was sent
    picks_one: int  # 1 if only one of its parts is sent at a time
    ring: int  # 1 if around a place
    ring_low: float
    ring_high: float
    vx_low: float  # velocities that it sets; NaN if it sets none
    vx_high: float
    vy_low: float
    vy_high: float
    first_owner: int  # craft at which it sends
    past_owner: int
    first_on: int  # conditions that must be on
    past_on: int
    past_off: int  # and behind them conditions that must be off
    was_on: int  # whether its gate was open in the previous step
    draws: Floats  # DRAWS random numbers for each entry
    sent: int
    puts_ahead: int  # 1 if a craft due between two steps is put ahead
    chances: Floats  # random shares of the range of places, x and y in turn
    tried: int  # random places so far
    first_part: int
    past_part: int
    first_clear: int
    past_clear: int


class Match(Record):
    """Events that a condition matches."""

    kind: int
    cause: int  # or -1
    first_craft: int
    past_craft: int
    other: int  # or -1


class Condition(Record):
    """Tests one quantity of the game."""

    kind: int
    quantity: int  # of a craft; or an edge of the arena, or the side that scores
    above: float
    below: float
    first: int  # first and last row of its members, touches or matches
    past: int
    past_all: int  # of a combined condition: index behind the members of which all must be on
    past_any: int  # and behind those of which any must be on; the rest must be off
    to_craft: int  # to which a distance or bearing is measured, or -1: to the place
    to_x: float
    to_y: float
    sign: float  # 1 where the arena counts angles as kernels do, else -1
    interval: Interval
    delay: float
    delay_counted: int
    number: int  # its index in the file
    acts: int  # whether it has actions
    side: int  # that scores, or -1
    points: float
    ends: int
    restarts: int
    late: int  # whether its events may happen after it was evaluated
    given: float  # its value, if computed elsewhere
    since: float  # since when it is met; until when a latch stays on at least
    happened: int  # whether it happened since the last evaluation; whether a latch is to be on
    on: float  # 1 if it is on
    before: float  # whether it was on in the previous step


class SpawnerPart(Record):
    """A member of a spawner."""

    pool: int  # first craft of it
    pool_size: int
    offset_x: float
    offset_y: float


class March(Record):
    """A group that steps sideways together."""

    interval: Interval
    step: float
    down: float  # at each end, in the arena's own axis
    least_x: float
    most_x: float
    first_marcher: int
    past_marcher: int
    turned: int  # 1 while it goes the other way


class Tempo(Record):
    """A tempo: slows down or stops time."""

    factor: float
    first_on: int  # conditions that must be on, and that must be off
    past_on: int
    past_off: int
    first_of: int  # craft whose time it scales; all if there are none
    past_of: int
    lasts: float  # real time, or frames; 0 as long as its conditions are on
    counted: int
    change: float  # change of the pace per unit of real time; 0: at once
    pace: float  # by now
    until: float  # when it is over
    was_on: int


class Stage(Record):
    """Root record of the stage, with the state of the game."""

    tempos: Tempo
    tempo_count: int
    looked: int  # whether conditions have been evaluated

    lives: Life
    life_count: int
    spawners: Spawner
    spawner_count: int
    parts: SpawnerPart
    clear: Ints  # craft that spawners keep clear of
    owners: Ints  # craft at which spawners send
    waits: Ints  # conditions that gate spawners
    paced: Ints  # craft whose own time may slow down
    conditions: Condition
    condition_count: int
    members: Ints  # craft, or other conditions, that conditions are about
    touches: Ints  # bodies that craft may be in contact with
    matches: Match
    unit: float  # units of time in a second
    marches: March
    march_count: int
    marchers: Ints
    scores: Floats  # of each side
    sides: int
    resets: Ints  # craft that go back to their starts when a round begins
    reset_count: int
    first_to: float  # points; 0 if they decide nothing
    time_limit: float  # 0 if there is none
    lives_given: float  # 0 if they are not counted
    living: int  # the craft whose removal costs a life
    pause: float
    by_score: int  # 1 if each score ends a round
    pause_ends: float  # when; 0 while there is no pause
    pause_began: float
    pause_began_count: float
    paused_for: float  # all pauses that are over
    paused_count: float  # and their steps
    lives_lost: float
    end_requested: int  # what contacts and conditions of this step request to end
    events_seen: int  # the events that conditions have seen in this step
    restart_asked: int
    restarts: int  # whether anything may request a restart
    saved: Floats  # the state as it began
    begun: Floats  # and where it is
    cells: int  # number of its cells
    restored: Ints  # bodies that return as a round begins
    restored_count: int
    is_over: int
    scored: int  # number of scores
    scored_seen: int  # the number at the last test
    losses_seen: float  # removals of the craft with lives, at the last test


@kernel
def score(stage: Stage, side: int, points: float) -> None:
    """Give a side points."""
    stage.scores[side] += points
    stage.scored += 1


@kernel
def point_total(stage: Stage) -> float:
    """Return the points of all sides together."""
    total = 0.0
    for side in range(stage.sides):
        total += stage.scores[side]
    return total
