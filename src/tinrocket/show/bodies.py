"""Bodies over the arena: what stands still, and what craft look like where they begin."""

import math
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.patches import Circle, Patch, Polygon

from tinrocket.analysis.trajectory import Trajectory
from tinrocket.core.lower.angles import Heading
from tinrocket.core.lower.contacts import Outline, hit_outline_of, outline
from tinrocket.show import theme

STILL = "#dcd6c8"


def draw_bodies(ax: Axes, trajectory: Trajectory) -> None:
    """Draw obstacles, and the drawn and the hit shape of each craft at its start."""
    for obstacle in trajectory.obstacles:
        shape = outline(obstacle.shape)
        for _name, x, y in obstacle.pieces:
            thin = len(shape.corners) == 2
            edge = theme.INK if thin else "none"
            ax.add_patch(_patch(shape, x, y, 0.0, facecolor=STILL, edgecolor=edge, zorder=1.2))
    if trajectory.arena is None:
        return
    for craft, body in trajectory.bodies.items():
        first = trajectory.of(craft).iloc[0]
        if body.shape is None or body.pooled:
            continue
        angle = Heading.of(trajectory.arena).to_core(float(first["heading"]))
        place = float(first["x"]), float(first["y"]), angle
        drawn: dict[str, Any] = {
            "facecolor": "none",
            "edgecolor": theme.INK,
            "linewidth": 1.0,
            "zorder": 3,
        }
        ax.add_patch(_patch(outline(body.shape), *place, **drawn))
        hit = hit_outline_of(body.shape, body.hit)
        if hit is not None:
            ax.add_patch(_patch(hit, *place, **(drawn | {"linestyle": ":"})))


def _patch(shape: Outline, x: float, y: float, angle: float, **style: Any) -> Patch:
    corners = shape.corners
    if shape.turns:
        cos_a, sin_a = math.cos(angle), math.sin(angle)
        corners = corners @ np.array([[cos_a, sin_a], [-sin_a, cos_a]])
    if len(corners) == 1:
        return Circle((x, y), shape.radius, **style)
    return Polygon(corners + np.array([x, y]), closed=len(corners) > 2, **style)
