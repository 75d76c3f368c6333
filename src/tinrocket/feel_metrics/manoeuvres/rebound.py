"""The rebound: restitution of each edge, and speed from hit to hit."""

import math

import numpy as np

from tinrocket.feel_metrics.answers import NEVER, NO_CONTACT, NOT_THIS, Answer, Answers
from tinrocket.feel_metrics.controls import WAYS
from tinrocket.feel_metrics.course import Course, Flown
from tinrocket.feel_metrics.manoeuvres.straight import MOVES
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.response import peak
from tinrocket.scenario.arena import SIDES, Side
from tinrocket.scenario.contact import Contact

THROWN = 200.0
"""Speed at which a craft without speed of its own is thrown at an edge [px/s]."""
HITS = 5


def _fly(course: Course) -> Answers:
    answers = dict(_sides(course)) | dict(_hits(course))
    return answers if any(answer is not NOT_THIS for answer in answers.values()) else {}


def _sides(course: Course) -> Answers:
    edges = course.whole.arena_of(course.craft).edges
    bouncing = [side for side in SIDES if edges.at(side).kind == "bounce"]
    answers: Answers = {}
    for side in bouncing:
        toward = {"top": "up", "bottom": "down"}.get(side, side)
        x, y = WAYS[toward]  # type: ignore[index]
        # at 45 degrees to the edge
        vx, vy = (x or 1.0) * THROWN / math.sqrt(2), (y or 1.0) * THROWN / math.sqrt(2)
        flown = course.thrown(_before(course, side), (vx, vy))
        happened = flown.flight.happened
        mine = (happened["edge"] == side) & (happened["craft"] == flown.craft)
        share = _kept(flown, int(np.argmax(mine))) if mine.any() else None
        if share is not None:
            answers[f"speed kept: {side}"] = Answer(100.0 * share[0])
            answers[f"angle kept: {side}"] = Answer(share[1])
    if "bottom" in bouncing:
        answers["height kept"] = _dropped(course)
    return answers


def _before(course: Course, side: Side) -> tuple[float, float]:
    """Return a place from which a throw at 45 degrees meets this edge first."""
    arena = course.whole.arena_of(course.craft)
    near = min(arena.width, arena.height) / 4
    for axis, across in (("x", False), ("y", True)):
        if side in arena.sides(axis):  # type: ignore[arg-type]
            length = arena.height if across else arena.width
            along = near if side == arena.sides(axis)[0] else length - near  # type: ignore[arg-type]
            return (arena.width / 2, along) if across else (along, arena.height / 2)
    raise AssertionError(side)


def _kept(flown: Flown, row: int) -> tuple[float, float] | None:
    """Return the share of its speed that a bounce keeps, and how its angle changes [deg].

    `row` is that of the event.
    """
    happened = flown.flight.happened
    frame = int(happened["frame"][row])
    if frame + 2 >= flown.t.size:
        return None
    before, after = ((float(flown.vx[n]), float(flown.vy[n])) for n in (frame, frame + 2))
    speeds = math.hypot(*before), math.hypot(*after)
    if speeds[0] <= MOVES:
        return None
    edge = happened["edge"][row]
    sideways = edge in ("left", "right")

    def steep(velocity: tuple[float, float]) -> float:
        x, y = map(abs, velocity)
        return math.degrees(math.atan2(*((y, x) if sideways else (x, y))))

    return speeds[1] / speeds[0], steep(after) - steep(before)


def _dropped(course: Course) -> Answer:
    """Drop it onto the bottom, and measure how high it rises again."""
    flown = course.in_arena()
    happened = flown.flight.happened
    rows = np.flatnonzero((happened["kind"] == "bounce") & (happened["edge"] == "bottom"))
    if not rows.size or flown.y[0] - flown.y.min() <= MOVES:
        return NOT_THIS
    frames = happened["frame"][rows].astype(int) + 1
    begin, later = int(frames[0]), frames[frames > frames[0]]
    end = int(later[0]) if later.size else flown.t.size
    if begin >= end:  # it lands just as the flight ends
        return NOT_THIS
    floor = float(happened["y"][rows[0]]) * course.up
    _moment, apex = peak(flown.t[begin:end], flown.y[begin:end])
    return Answer(100.0 * (apex - floor) / (float(flown.y[0]) - floor))


def _hits(course: Course) -> Answers:
    """Measure, in the game by its own tape, how hits with others change the speed."""
    names = [metric.name for metric in REBOUND.metrics[4:]]
    contacts = [contact for contact in course.whole.contact if contact.response == "bounce"]
    mine = [contact for contact in contacts if course.craft.goes_by(contact.between[0])]
    if not mine or course.game is None:
        return dict.fromkeys(names, NOT_THIS)
    game, happened = course.game, course.game.flight.happened
    rows = np.flatnonzero(
        np.isin(happened["kind"], ["bounce", "hard_hit"])
        & (happened["craft"] == game.craft)
        & (happened["other"] != "")
    )
    if not rows.size:
        return dict.fromkeys(names, NO_CONTACT)
    frames = np.minimum(happened["frame"][rows].astype(int) + 2, game.t.size - 1)
    speeds = game.speed[frames]
    moments = happened["t"][rows].astype(float)
    caps = [contact.max_speed for contact in mine if contact.max_speed is not None]
    cap = max(caps, default=None)
    unit = course.whole.tuned_at if course.whole.units == "per_frame" else 1.0
    reached = np.flatnonzero(speeds >= (cap or math.inf) * unit * (1.0 - 1e-6))
    return {
        **_kept_by(course, mine, game, rows.tolist()),
        f"speed after {HITS} hits": Answer(float(speeds[HITS - 1])) if rows.size >= HITS else NEVER,
        "hits until the cap": NOT_THIS
        if cap is None
        else Answer(float(reached[0]) + 1.0)
        if reached.size
        else NEVER,
        "time between hits": Answer(float(np.diff(moments).mean())) if rows.size > 1 else NEVER,
    }


def _kept_by(course: Course, mine: list[Contact], game: Flown, rows: list[int]) -> Answers:
    """Return the mean share of the speed that hits of each contact leave."""
    met = game.flight.happened["other"][rows].tolist()
    names = [course.whole.bodies.known_as(name) for name in met]
    answers: Answers = {}
    for contact in mine:
        hits = [
            share[0]
            for row, its in zip(rows, names, strict=True)
            if contact.between[1] in its and (share := _kept(game, row)) is not None
        ]
        if hits:
            answers[f"kept by a hit: {contact.between[1]}"] = Answer(100.0 * sum(hits) / len(hits))
    return answers


REBOUND = Manoeuvre(
    "rebound",
    (
        Metric(
            "speed kept",
            "%",
            "The share of its speed that it keeps, thrown at 45 degrees at each edge that "
            "bounces, from the frame before to the frame after.",
            several=True,
        ),
        Metric(
            "angle kept",
            "deg",
            "By how much its angle from the normal changes there.",
            several=True,
        ),
        Metric("height kept", "%", "Dropped onto the bottom: the share of the height it regains."),
        Metric(
            "kept by a hit",
            "%",
            "In the game by its own tape: the share of its speed that hits of each contact leave, "
            "on average; above 100 each hit is faster.",
            several=True,
        ),
        Metric(f"speed after {HITS} hits", "px/s", "In the game by its own tape."),
        Metric("hits until the cap", "", "In the game: hits until no hit makes it faster."),
        Metric("time between hits", "s", "In the game: between two hits, on average."),
    ),
    _fly,
)
