"""Bodies over the arena: what stands still, and what craft look like where they begin."""

import math
from itertools import product
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.patches import Circle, Patch, Polygon

from tinrocket.analysis.trajectory import Trajectory
from tinrocket.motion.angles import Heading
from tinrocket.scenario.outlines import Outline, hit_outlines_of, outlines
from tinrocket.scenario.shapes import Shape
from tinrocket.show import theme
from tinrocket.show.lines import comings
from tinrocket.show.scene import Scene

STILL = "#dcd6c8"
ZONE = "#8a8270"


def draw_bodies(ax: Axes, trajectory: Trajectory, scene: Scene) -> None:
    """Draw obstacles, and the drawn and the hit shape of each craft at its start."""
    up = scene.up
    for obstacle in trajectory.obstacles:
        for part, (x, y) in product(outlines(obstacle.shape, up), obstacle.places):
            style: dict[str, Any] = {"facecolor": STILL, "edgecolor": "none"}
            if len(part.corners) == 2:
                style["edgecolor"] = theme.INK
            if obstacle.name in trajectory.passed:  # a zone, open to everybody
                style = {"facecolor": "none", "edgecolor": ZONE, "linestyle": (0, (4, 2))}
            ax.add_patch(_patch(part, x, y, 0.0, zorder=1.2, **style))
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
        place = *scene.place(track, 0), angle
        drawn: dict[str, Any] = {
            "facecolor": "none",
            "edgecolor": theme.INK,
            "linewidth": 1.0,
            "zorder": 3,
        }
        for part in outlines(body.shape, up):
            ax.add_patch(_patch(part, *place, **drawn))
        for part in hit_outlines_of(body.shape, body.hit, up):
            ax.add_patch(_patch(part, *place, **(drawn | {"linestyle": ":"})))


def _draw_passing(ax: Axes, trajectory: Trajectory, craft: str, shape: Shape, scene: Scene) -> None:
    """Draw what scrolls past where it stands in the picture, each time it comes anew."""
    track = trajectory.track(craft)
    for row in comings(track).tolist():
        x, y = scene.place(track, row)
        for part in outlines(shape, scene.up):
            ax.add_patch(_patch(part, x, y, 0.0, zorder=1.2, facecolor=STILL, edgecolor="none"))


def _patch(shape: Outline, x: float, y: float, angle: float, **style: Any) -> Patch:
    corners = np.array(shape.corners)
    if shape.turns:
        cos_a, sin_a = math.cos(angle), math.sin(angle)
        corners = corners @ np.array([[cos_a, sin_a], [-sin_a, cos_a]])
    if len(corners) == 1:
        return Circle((x, y), shape.radius, **style)
    return Polygon(corners + np.array([x, y]), closed=len(corners) > 2, **style)
