"""Mistakes at edges and in contacts."""

import math
from collections.abc import Iterator

import numpy as np

from tinrocket.checks.finding import Checks, Found
from tinrocket.checks.subject import Subject, at, fps
from tinrocket.scenario.arena import AXES, SIDES, Arena, Axis, Side
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.event_kinds import HOLDING
from tinrocket.scenario.outlines import outlines, reach_of
from tinrocket.scenario.rules import Follow, MotionRule
from tinrocket.scenario.rules.base import Axes

CHECKS = Checks([])


def _edges(craft: Craft, arena: Arena) -> str:
    return at(craft, None, "edges") if craft.edges is not None else "arena.edges"


@CHECKS.add(
    "clamp-throws",
    "What holds the craft puts it much farther away in one frame than it flies: to the other side "
    "of what it met, as by a slip of a sign, or of the wrong bound.",
    "check the sign of the place that it is clamped to, and the side on which it is put out",
)
def clamp_throws(subject: Subject) -> Iterator[Found]:
    for rate in sorted({subject.scenario.tuned_at, *subject.rates}):
        game = subject.game(rate)
        if game is None:
            continue
        happened, thrown = game.happened, set[str]()
        for n in np.flatnonzero(np.isin(happened["kind"], HOLDING)).tolist():
            name, frame = str(happened["craft"][n]), int(happened["frame"][n])
            track = game.track(name)
            if frame + 1 >= track["t"].size or name in thrown:
                continue
            now = slice(frame, frame + 2)
            laps = [np.diff(track[f"wraps_{axis}"][now])[0] for axis in AXES]
            if any(laps):  # a wrap brings it back on the other side
                continue
            axis = _across(subject, str(happened["edge"][n]), name, str(happened["other"][n]))
            if axis is None:
                continue
            edge = str(happened["edge"][n])
            way = float(np.diff(track[axis][now])[0])
            if edge:  # count only what leads away from the wall: a step toward it may be as long
                low = edge == subject.scenario.arena.sides(axis)[0]
                way = max(way if low else -way, 0.0)
            way = abs(way)
            most = float(track["speed"][now].max()) * max(float(np.diff(track["t"][now])[0]), 0.0)
            most *= max(rate / subject.scenario.tuned_at, 1.0)  # numbers counted in frames
            if way > 2.0 * most + 2.0:
                thrown.add(name)
                met = str(happened["other"][n] or happened["edge"][n])
                yield Found(
                    f"craft.{name}",
                    f"at '{met}' it is thrown {way:.3g} px in one frame, after "
                    f"{float(happened['t'][n]):.2f} s at {rate:g} fps",
                )
        if thrown:
            return


def _across(subject: Subject, edge: str, name: str, other: str) -> Axis | None:
    """Return the axis along which a wall, or a contact that names a side, puts a craft out."""
    if edge:
        return "x" if edge in ("left", "right") else "y"
    mine, its = map(subject.scenario.bodies.known_as, (name, other))
    for contact in subject.scenario.contact:
        if contact.between[0] in mine and contact.between[1] in its:
            side = contact.push_out
            if isinstance(side, str):
                return "x" if side in ("left", "right", "x") else "y"
    return None


@CHECKS.add(
    "pushes-into-wall",
    "A clamp that acts on the place alone leaves the speed into the wall: the craft sticks to it "
    "for as long as it takes to brake that.",
    "take the speed into the wall away where the place is clamped",
)
def pushes_into_wall(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        arena = subject.scenario.arena_of(craft)
        sides = [side for side in SIDES if _keeps(arena, side)]
        if sides:
            yield Found(
                _edges(craft, arena), f"'{craft.name}' keeps its speed into {', '.join(sides)}"
            )


def _keeps(arena: Arena, side: Side) -> bool:
    edge = arena.edges.at(side)
    return edge.kind == "clamp" and bool(edge.keeps_velocity)


def _approaches(subject: Subject, craft: Craft, axis: Axis, end: int, reach: float) -> bool:
    """Return whether the shape of a craft reaches an edge in the tuned flight of the tape."""
    game = subject.tuned
    if game is None or craft.pool is not None:
        return True  # the flight blew up, so its path is unknown
    arena, fleet = subject.scenario.arena_of(craft), subject.scenario.fleet
    size = arena.width if axis == "x" else arena.height
    sign, side = (1.0, size) if end else (-1.0, 0.0)
    tracks = [game.track(fleet.names[number]) for number in fleet.numbers(craft.name)]
    nearest = max(float((sign * track[f"{axis}_unwrapped"]).max()) for track in tracks)
    return nearest >= sign * side - reach


@CHECKS.add(
    "crosses-edge",
    "The drawn shape reaches over the edge before the edge acts: it vanishes with half of it still "
    "in sight, or overlaps the wall.",
    "give a wrap a margin of the craft's extent, and a wall the shape that is drawn",
)
def crosses_edge(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        if craft.shape is None and not craft.radius:
            continue
        arena = subject.scenario.arena_of(craft)
        up = arena.up
        hit = reach_of(craft, up)
        drawn = hit
        if craft.shape is not None:
            sides = [outline.sides for outline in outlines(craft.shape, up)]
            drawn = tuple(  # type: ignore[assignment]
                (
                    max(passed_side[n][0] for passed_side in sides),
                    max(passed_side[n][1] for passed_side in sides),
                )
                for n in (0, 1)
            )
        reaches = []
        for number, axis in enumerate(AXES):
            for end, side in enumerate(arena.sides(axis)):
                edge = arena.edges.at(side)
                held = hit[number][end] if edge.kind in ("clamp", "bounce") else 0.0
                over = drawn[number][end] - held - edge.margin
                acts = edge.kind in ("wrap", "clamp", "bounce") and over > 1.0
                if acts and _approaches(subject, craft, axis, end, drawn[number][end]):
                    reaches.append((over, side))
        if reaches:
            over, side = max(reaches)
            what = arena.edges.at(side).kind
            yield Found(
                _edges(craft, arena),
                f"'{craft.name}' reaches {over:.3g} px over '{side}' before the {what} acts",
            )


@CHECKS.add(
    "cannot-bounce",
    "A bounce gives back nothing, or the velocity that it turned round is set anew in the next "
    "frame by a rule that ignores it.",
    "give it a restitution above 0, and turn the heading too if that sets the velocity",
)
def cannot_bounce(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        arena = subject.scenario.arena_of(craft)
        edges = {side: arena.edges.at(side) for side in SIDES}
        dead = [
            side for side, edge in edges.items() if edge.kind == "bounce" and edge.restitution == 0
        ]
        if dead:
            yield Found(
                _edges(craft, arena), f"'{craft.name}' keeps nothing of its speed at {dead[0]}"
            )
        bouncing = {side for side, edge in edges.items() if edge.kind == "bounce"}
        across = {axis for axis in AXES if bouncing & set(arena.sides(axis))}
        contacts = [pairing for pairing in subject.scenario.contact if pairing.response == "bounce"]
        mine = [pairing for pairing in contacts if craft.goes_by(pairing.between[0])]
        setter = next((rule for rule in craft.rules if _sets(rule)), None)
        along = set(AXES) if setter is None else _set_along(setter)
        if setter is not None and (across & along or (mine and along == set(AXES))):
            yield Found(
                at(craft, setter),
                f"a bounce turns the velocity of '{craft.name}' round, and '{setter.label}' sets "
                f"it anew in the next frame",
            )
    for contact in subject.scenario.contact:
        if contact.response == "bounce" and contact.restitution == 0.0:
            yield Found(f"contact.{contact.label}.restitution", "nothing of the speed comes back")


def _set_along(rule: MotionRule) -> set[Axis]:
    """Return along which axes a rule sets the velocity."""
    axis: Axes = getattr(rule, "axis", "both")
    return set(AXES) if axis == "both" else {axis}


def _sets(rule: MotionRule) -> bool:
    """Return whether a rule sets the velocity at once, in every step or while a key is down."""
    steered = bool(rule.own_actions or rule.sticks)
    at_once = bool(rule.sets_velocity_along) and rule.steering_accel is None
    return at_once and (steered or not (rule.on or rule.unless))


@CHECKS.add(
    "bounce-sticks",
    "Overlap is found after the fact and is not resolved: in the next frame the two still "
    "overlap, and the bounce is reversed again.",
    "push overlapping bodies apart, or bounce approaching ones only, or find contacts swept",
)
def bounce_sticks(subject: Subject) -> Iterator[Found]:
    for contact in subject.scenario.contact:
        detection = subject.scenario.detection_of(contact)
        if contact.response == "bounce" and detection == "overlap" and contact.push_out is False:
            yield Found(
                f"contact.{contact.label}.push_out",
                "overlap that is not pushed out is still there in the next frame",
            )


@CHECKS.add(
    "tunnels",
    "In one frame the craft goes farther than both are thick, so that no frame shows them "
    "overlapping: it passes through.",
    "find the contact swept, at the time of impact, or use substeps",
)
def tunnels(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        limits = {
            rate: answer.value
            for rate, answer in subject.numbers("tunnels from", craft.name)
            if not answer.note
        }
        through = [
            (rate, fast)
            for rate, limit in limits.items()
            if (fast := _fastest(subject, craft, rate)) > limit
        ]
        if through:
            rate, fast = max(through, key=lambda pair: pair[1] / limits[pair[0]])
            contact = next(
                pairing
                for pairing in subject.scenario.contact
                if craft.goes_by(*pairing.between)
                and subject.scenario.detection_of(pairing) == "overlap"
            )
            yield Found(
                f"contact.{contact.label}",
                f"at {fps([at_rate for at_rate, _fast in through])} '{craft.name}' flies "
                f"{fast:.4g} px/s and passes through from {limits[rate]:.4g} px/s on",
            )


def _fastest(subject: Subject, craft: Craft, rate: float) -> float:
    """Return the highest speed of a craft, on the tape or driven straight ahead [px/s]."""
    tops = [
        speed.value
        for at_rate, speed in subject.numbers("top speed", craft.name)
        if at_rate == rate
    ]
    game = subject.game(rate)
    fast = max([0.0, *(top for top in tops if math.isfinite(top))])
    if game is not None:
        for name in game.families.get(craft.name, ()):
            track = game.track(name)
            way = np.hypot(np.diff(track["x_unwrapped"]), np.diff(track["y_unwrapped"]))
            if "alive" in track:  # a craft that enters anew did not fly there
                way[(track["alive"][1:] == 0) | (track["alive"][:-1] == 0)] = 0.0
            put = np.isin(game.happened["kind"], HOLDING) & (game.happened["craft"] == name)
            frames = game.happened["frame"][put].astype(int)
            # a body that is pushed out of another did not fly there either
            way[frames[frames < way.size]] = 0.0
            fast = max(fast, float((way / np.diff(track["t"])).max(initial=0.0)))
    return fast


@CHECKS.add(
    "hit-larger-than-drawn",
    "The hit shape is larger than the drawn shape: visible misses count as hits.",
    "shrink the hit shape to the drawing, or a little less where it hurts",
)
def hit_larger(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        for _rate, answer in subject.numbers("near misses that hit", craft.name):
            if answer.value > 2.0:
                yield Found(
                    at(craft, None, "hit"),
                    f"{answer.value:.3g} % of what can be hit of '{craft.name}' is not drawn",
                )
                break


@CHECKS.add(
    "gap-at-contact",
    "On the frame that shows two held together they are visibly apart: the hit shape is larger "
    "than the drawing, or they were put out too far.",
    "shrink the hit shape to the drawing, and put them where they touch",
)
def gap_at_contact(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        arena = subject.scenario.arena
        up = arena.up
        mine = [
            contact
            for contact in subject.scenario.contact
            if craft.goes_by(contact.between[0]) and contact.response in ("bounce", "block", "stop")
        ]
        if not mine or craft.shape is None:
            continue
        drawn = [outline.sides for outline in outlines(craft.shape, up)]
        over = max(
            reach - max(outline[axis][end] for outline in drawn)
            for axis, both in enumerate(reach_of(craft, up))
            for end, reach in enumerate(both)
        )
        if over > 1.0:
            yield Found(
                at(craft, None, "hit"),
                f"'{craft.name}' is stopped by '{mine[0].between[1]}' with {over:.3g} px of air "
                f"between them",
            )
            continue
        gap, rate = max(_held_apart(subject, craft), default=(0.0, 0.0))
        if gap > 1.0:
            yield Found(
                at(craft), f"'{craft.name}' is held {gap:.3g} px away from it, at {rate:g} fps"
            )


def _held_apart(subject: Subject, craft: Craft) -> Iterator[tuple[float, float]]:
    """Yield the gap when a craft is blocked or stopped [px], and the frame rate."""
    for rate in subject.rates:
        game = subject.game(rate)
        if game is not None:
            happened = game.happened
            held = np.isin(happened["kind"], ["block", "stop"]) & (happened["other"] != "")
            held &= np.isin(happened["craft"], game.families.get(craft.name, ()))
            yield from ((float(gap), rate) for gap in happened["gap"][held] if np.isfinite(gap))


@CHECKS.add(
    "led-into-contacts",
    "A craft placed by a pointer has no velocity of its own to bounce with: it is moved "
    "through what it should meet.",
    "let it follow at a limited speed, or make what it meets respond",
)
def led_into_contacts(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Follow):
        if getattr(rule, "speed", None) is not None:
            continue  # a limited speed gives it a velocity to bounce with
        for contact in subject.scenario.contact:
            if craft.goes_by(contact.between[0]) and contact.response in ("bounce", "block"):
                yield Found(
                    at(craft, rule),
                    f"'{craft.name}' is put to its place, and should {contact.response}",
                )
