"""Draw bodies over the arena: obstacles, and the shapes of craft at their start."""

import math
from collections.abc import Sequence
from itertools import product
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.collections import PatchCollection
from matplotlib.patches import Circle, Patch, Polygon

from tinrocket.motion.angles import Heading
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.outlines import Outline, hit_outlines_of, outlines
from tinrocket.scenario.shapes import Shape
from tinrocket.show import theme
from tinrocket.show.lines import comings
from tinrocket.show.scene import Scene
from tinrocket.trajectory.trajectory import Trajectory

STILL = "#dcd6c8"
ZONE = "#8a8270"
BEHIND, BEFORE = 1.2, 3.0
"""Drawing order: still bodies behind paths, and outlines of craft before them."""


def draw_bodies(ax: Axes, trajectory: Trajectory, scene: Scene) -> None:
    """Draw obstacles, and the drawn and the hit shape of each craft at its start."""
    up = scene.up
    still: list[Patch] = []
    at_start: list[Patch] = []
    arena = trajectory.arena
    around = [arena.images_at(axis) if arena else None for axis in AXES]
    for obstacle in trajectory.obstacles:
        for part, (x, y) in product(outlines(obstacle.shape, up), obstacle.places):
            style: dict[str, Any] = {"facecolor": STILL, "edgecolor": "none"}
            if len(part.corners) == 2:
                style["edgecolor"] = theme.INK
            if obstacle.name in trajectory.passed:  # a zone that all craft pass
                style = {"facecolor": "none", "edgecolor": ZONE, "linestyle": (0, (4, 2))}
            still += [_patch(part, *at, 0.0, **style) for at in _images(part, x, y, around)]
    _add(ax, still, BEHIND)
    if trajectory.arena is None:
        return
    for craft, body in trajectory.bodies.items():
        track = trajectory.track(craft)
        if body.shape is None:
            continue
        if body.pooled:
            if any(scene.scroll):
                _draw_passing(ax, trajectory, craft, body.shape, scene)
            continue
        angle = Heading.of(trajectory.arena).to_core(float(track["heading"][0]))
        x, y = scene.place(track, 0)
        seams = [trajectory.seam(axis, craft) for axis in AXES]
        drawn: dict[str, Any] = {
            "facecolor": "none",
            "edgecolor": theme.INK,
            "linewidth": 1.0,
        }
        for dashes, parts in (
            ("-", outlines(body.shape, up)),
            (":", hit_outlines_of(body.shape, body.hit, up)),
        ):
            at_start += [
                _patch(part, *at, angle, **drawn, linestyle=dashes)
                for part in parts
                for at in _images(part, x, y, seams)
            ]
    _add(ax, at_start, BEFORE)


def _images(
    part: Outline, x: float, y: float, seams: Sequence[tuple[float, float] | None]
) -> list[tuple[float, float]]:
    """Return the places at which a part is drawn, its images across wrapping edges included."""
    places = []
    for at, seam in zip((x, y), seams, strict=True):
        low, high = seam or (-math.inf, math.inf)
        beside = (at, at + high - low, at + low - high) if seam else (at,)
        places.append([p for p in beside if p == at or low - part.reach < p < high + part.reach])
    xs, ys = places
    return list(product(xs, ys))


def _add(ax: Axes, patches: list[Patch], order: float) -> None:
    """Draw many at once, because the layout would query the extent of each."""
    if patches:
        ax.add_collection(
            PatchCollection(patches, match_original=True, zorder=order), autolim=False
        )


def _draw_passing(ax: Axes, trajectory: Trajectory, craft: str, shape: Shape, scene: Scene) -> None:
    """Draw scrolling obstacles at their place in the picture, once for each time around."""
    track = trajectory.track(craft)
    places = [scene.place(track, row) for row in comings(track).tolist()]
    style = {"facecolor": STILL, "edgecolor": "none"}
    each = product(outlines(shape, scene.up), places)
    _add(ax, [_patch(part, x, y, 0.0, **style) for part, (x, y) in each], BEHIND)


def _patch(shape: Outline, x: float, y: float, angle: float, **style: Any) -> Patch:
    corners = np.array(shape.corners)
    if shape.turns:
        cos_a, sin_a = math.cos(angle), math.sin(angle)
        corners = corners @ np.array([[cos_a, sin_a], [-sin_a, cos_a]])
    if len(corners) == 1:
        return Circle((x, y), shape.radius, **style)
    return Polygon(corners + np.array([x, y]), closed=len(corners) > 2, **style)
