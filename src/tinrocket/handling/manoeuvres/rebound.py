"""The rebound: what is kept by each side, and from hit to hit."""

import math

import numpy as np

from tinrocket.handling.answers import NEVER, NO_CONTACT, NOT_THIS, Answer, Answers
from tinrocket.handling.controls import WAYS
from tinrocket.handling.course import Course, Flown
from tinrocket.handling.manoeuvres.straight import MOVES
from tinrocket.handling.metric import Manoeuvre, Metric
from tinrocket.handling.response import peak
from tinrocket.scenario.arena import SIDES

THROWN = 200.0
"""How fast a craft is thrown at a side that does not move by itself [px/s]."""
HITS = 5


def _fly(course: Course) -> Answers:
    answers = dict(_sides(course)) | dict(_hits(course))
    return answers if any(one is not NOT_THIS for one in answers.values()) else {}


def _sides(course: Course) -> Answers:
    edges = course.whole.arena_of(course.craft).edges
    bouncing = [side for side in SIDES if getattr(edges, side).kind == "bounce"]
    kept: list[tuple[float, float]] = []
    for side in bouncing:
        toward = {"top": "up", "bottom": "down"}.get(side, side)
        x, y = WAYS[toward]  # type: ignore[index]
        # at half a right angle to the side
        vx, vy = (x or 1.0) * THROWN / math.sqrt(2), (y or 1.0) * THROWN / math.sqrt(2)
        flown = course.in_arena(velocity=(vx, vy))
        happened = flown.flight.happened
        mine = (happened["kind"] == "bounce") & (happened["craft"] == flown.craft)
        bounce = _kept(flown, int(np.argmax(mine))) if mine.any() else None
        if bounce is not None:
            kept.append(bounce)
    drop = NOT_THIS
    if "bottom" in bouncing:
        drop = _dropped(course)
    if not kept:
        return {"speed kept": NOT_THIS, "angle kept": NOT_THIS, "height kept": drop}
    return {
        "speed kept": Answer(100.0 * min(speed for speed, _angle in kept)),
        "angle kept": Answer(max((angle for _speed, angle in kept), key=abs)),
        "height kept": drop,
    }


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
    """Drop it onto the bottom, and see how high it comes up again."""
    flown = course.in_arena()
    happened = flown.flight.happened
    rows = np.flatnonzero((happened["kind"] == "bounce") & (happened["edge"] == "bottom"))
    if not rows.size or flown.y[0] - flown.y.min() <= MOVES:
        return NOT_THIS
    begin = int(happened["frame"][rows[0]]) + 1
    end = int(happened["frame"][rows[1]]) + 1 if rows.size > 1 else flown.t.size
    floor = float(happened["y"][rows[0]]) * course.up
    _moment, apex = peak(flown.t[begin:end], flown.y[begin:end])
    return Answer(100.0 * (apex - floor) / (float(flown.y[0]) - floor))


def _hits(course: Course) -> Answers:
    """Look at the game itself, by its own tape: how hits with others change the speed."""
    names = [metric.name for metric in REBOUND.metrics[3:]]
    contacts = [one for one in course.whole.contact if one.response == "bounce"]
    mine = [one for one in contacts if one.between[0] in course.craft.called]
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
    caps = [one.max_speed for one in mine if one.max_speed is not None]
    cap = max(caps, default=None)
    unit = course.whole.tuned_at if course.whole.units == "per_frame" else 1.0
    reached = np.flatnonzero(speeds >= (cap or math.inf) * unit * (1.0 - 1e-6))
    pairs = [kept for row in rows.tolist() if (kept := _kept(game, row)) is not None]
    return {
        "speed kept by a hit": Answer(100.0 * float(np.mean([speed for speed, _angle in pairs])))
        if pairs
        else NO_CONTACT,
        f"speed after {HITS} hits": Answer(float(speeds[HITS - 1])) if rows.size >= HITS else NEVER,
        "hits until the cap": NOT_THIS
        if cap is None
        else Answer(float(reached[0]) + 1.0)
        if reached.size
        else NEVER,
        "time between hits": Answer(float(np.diff(moments).mean())) if rows.size > 1 else NEVER,
    }


REBOUND = Manoeuvre(
    "rebound",
    (
        Metric(
            "speed kept",
            "%",
            "The least share of its speed that it keeps, thrown at half a right angle at a side "
            "that bounces, from the frame before to the frame after.",
        ),
        Metric("angle kept", "deg", "The largest change of its angle from the normal there."),
        Metric("height kept", "%", "Dropped onto the bottom: the share of the height it regains."),
        Metric(
            "speed kept by a hit",
            "%",
            "In the game by its own tape: the share of its speed that a hit with another leaves, "
            "on average; above 100 each hit is faster.",
        ),
        Metric(
            f"speed after {HITS} hits", "px/s", "In the game by its own tape, after so many hits."
        ),
        Metric("hits until the cap", "", "In the game: hits until no hit makes it faster."),
        Metric("time between hits", "s", "In the game: between two hits, on average."),
    ),
    _fly,
)
