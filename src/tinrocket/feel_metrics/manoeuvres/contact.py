"""Contacts: gaps in a freeze-frame, bodies passed through, and false hits."""

import math
from itertools import chain

import numpy as np

from tinrocket.feel_metrics.answers import NEVER, NO_CONTACT, NOT_THIS, Answer, Answers
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.scenario.contact import Contact
from tinrocket.scenario.outlines import Outline, hit_outlines, outlines

LASTING = ("bounce", "block", "stop")
"""Responses that remove neither body, so that a freeze-frame shows both."""


def _fly(course: Course) -> Answers:
    mine = [contact for contact in course.whole.contact if _is_mine(course, contact)]
    if not mine:
        return {}
    return {**_frozen(course, mine), "tunnels from": _tunnels(course, mine), **_fair(course)}


def _is_mine(course: Course, contact: Contact) -> bool:
    return course.craft.goes_by(*contact.between) and contact.detection != "sight"


def _frozen(course: Course, mine: list[Contact]) -> Answers:
    responds = any(
        contact.response in LASTING and course.craft.goes_by(contact.between[0]) for contact in mine
    )
    if course.game is None or not responds:
        return {"largest gap": NOT_THIS, "largest depth": NOT_THIS}
    happened = course.game.flight.happened
    lasting = np.isin(happened["kind"], [*LASTING, "hard_hit"])
    met = lasting & (happened["craft"] == course.craft.name)
    gaps = happened["gap"][met & (happened["other"] != "")].astype(float)
    gaps = gaps[np.isfinite(gaps)]
    if not gaps.size:
        return dict.fromkeys(("largest gap", "largest depth"), NO_CONTACT)
    return {
        "largest gap": Answer(max(float(gaps.max()), 0.0)),
        "largest depth": Answer(max(0.0, -float(gaps.min()))),
    }


def _tunnels(course: Course, mine: list[Contact]) -> Answer:
    """Return the speed at which a frame takes it past the thinnest body that it meets."""
    least = math.inf
    for contact in mine:
        if course.whole.detection_of(contact) == "swept":
            continue
        other = contact.between[course.craft.goes_by(contact.between[0])]
        own = _thinnest(hit_outlines(course.craft, course.up))
        for thick in _thickness(course, other):
            least = min(least, own + thick)
    return NEVER if math.isinf(least) else Answer(least * course.rate)


def _thickness(course: Course, name: str) -> list[float]:
    pieces = [
        _thinnest(hit_outlines(craft, course.up))
        for craft in course.whole.craft
        if craft.goes_by(name)
    ]
    pieces += [
        _thinnest(outlines(obstacle.shape, course.up))
        for obstacle in course.whole.obstacle
        if obstacle.goes_by(name)
    ]
    return pieces


def _thinnest(shape: list[Outline]) -> float:
    """Return the smallest thickness of a shape along an axis [px]."""
    sides = [outline.sides for outline in shape]
    spans = [
        max(side[axis][0] for side in sides) + max(side[axis][1] for side in sides)
        for axis in (0, 1)
    ]
    return min(spans)


def _fair(course: Course) -> Answers:
    """Compare the drawn shape with the hit shape."""
    if course.craft.shape is None or course.craft.hit is None:
        return {"near misses that hit": NOT_THIS}
    drawn = _area(outlines(course.craft.shape, course.up))
    hit = _area(hit_outlines(course.craft, course.up))
    return {"near misses that hit": Answer(100.0 * max(1.0 - drawn / hit, 0.0))}


def _area(shape: list[Outline]) -> float:
    """Return the area of convex pieces with rounded corners: Steiner's formula."""
    total = 0.0
    for outline in shape:
        turned = chain(outline.corners[1:], outline.corners[:1])
        edges = list(zip(outline.corners, turned, strict=True))
        inside = 0.5 * sum(ax * by - bx * ay for (ax, ay), (bx, by) in edges)
        around = sum(math.dist(a, b) for a, b in edges)
        total += abs(inside) + around * outline.radius + math.pi * outline.radius**2
    return total


CONTACT = Manoeuvre(
    "contact",
    (
        Metric(
            "largest gap",
            "px",
            "In the game by its own tape: the widest gap between two that touch, on the frame "
            "that shows the contact.",
        ),
        Metric("largest depth", "px", "Largest depth of overlap on such a frame."),
        Metric(
            "tunnels from",
            "px/s",
            "The speed at which one frame takes it past the thinnest body it meets; never where "
            "contacts are swept.",
        ),
        Metric(
            "near misses that hit",
            "%",
            "Share of the area in which it is hit where nothing of it is drawn.",
        ),
    ),
    _fly,
)
