"""The scene of a page: the arena, obstacles, and shapes of craft."""

from collections.abc import Sequence
from typing import Any

from tinrocket.motion.angles import Heading
from tinrocket.scenario.arena import SIDES, Arena
from tinrocket.scenario.outlines import Outline, hit_outlines_of, outlines
from tinrocket.show.scene import Scene
from tinrocket.trajectory.trajectory import Trajectory

UNKNOWN_SHARE = 0.012
"""Radius of the circle of a craft without a shape, as a share of the scene."""


def scene_data(flights: Sequence[Trajectory]) -> dict[str, Any]:
    """Return the scene of some flights, and the shapes of their craft."""
    first = flights[0]
    scene = Scene.of(flights)
    arena = first.arena
    # a scrolling game is shown as the player sees it
    (low_x, low_y), (high_x, high_y) = scene.low, scene.high
    if arena is not None:
        low_x, low_y, high_x, high_y = 0.0, 0.0, arena.width, arena.height
    shown = max(first.view) if first.view is not None else scene.size
    return {
        "low": [low_x, low_y],
        "high": [high_x, high_y],
        "up": scene.up,
        "unit": first.unit,
        "edges": {} if arena is None else {side: arena.edges.at(side).kind for side in SIDES},
        "view": None if first.view is None else list(first.view),
        "obstacles": [
            {
                "parts": [_part(outline) for outline in outlines(obstacle.shape, scene.up)],
                "places": [list(place) for place in obstacle.places],
                "passed": obstacle.name in first.passed,
            }
            for obstacle in first.obstacles
        ],
        "craft": [
            _craft(flights, name, scene.up, arena) | {"radius": UNKNOWN_SHARE * shown}
            for name in first.craft
        ],
    }


def _craft(
    flights: Sequence[Trajectory], name: str, up: float, arena: Arena | None
) -> dict[str, Any]:
    flight = flights[0]
    body = flight.bodies.get(name)
    drawn: list[Outline] = []
    hit: list[Outline] = []
    if body is not None and body.shape is not None:
        drawn = outlines(body.shape, up)
        hit = hit_outlines_of(body.shape, body.hit, up)
    turns = any(_turns(run, name) for run in flights)
    heading = Heading.of(arena) if arena is not None and turns else None
    seams = [flight.seam(axis, name) for axis in ("x", "y")]
    return {
        "name": name,
        "family": body.family if body is not None else "",
        "drawn": [_part(outline) for outline in drawn],
        "hit": [_part(outline) for outline in hit],
        "seams": [None if seam is None else list(seam) for seam in seams],
        # from degrees as the arena counts them to radians along (cos, sin)
        "heading": None if heading is None else [heading.zero, heading.sign],
    }


def _turns(flight: Trajectory, name: str) -> bool:
    """Return whether a craft's heading matters: it changes, or is not 0 at first."""
    track = flight.track(name) if name in flight.recorded else {}
    return "heading" in track and bool((track["heading"] != 0.0).any())


def _part(outline: Outline) -> dict[str, Any]:
    return {
        "corners": [list(corner) for corner in outline.corners],
        "radius": outline.radius,
        "turns": outline.turns,
    }
