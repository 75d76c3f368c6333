"""The benchmark scenario as a game would write it in plain Python, one frame after another."""

import math
from collections.abc import Sequence

TURN, RATE, TOP = 3.1, 1.2, 320.0  # rad/s, 1/s, px/s
WIDTH, HEIGHT = 960.0, 540.0
DT = 1.0 / 60.0

Row = tuple[float, float, float, float, float]


def fly(thrust: float, inputs: Sequence[Sequence[float]]) -> list[Row]:
    """Return x, y, vx, vy and heading after each frame; `inputs` are left, right, thrust."""
    x, y, vx, vy, heading = WIDTH / 2, HEIGHT / 2, 0.0, 0.0, 0.0
    angle, gain, kept = TURN * DT, thrust * DT, math.exp(-RATE * DT)
    rows = []
    for left, right, burn in inputs:
        heading += (right - left) * angle
        push = burn * gain
        if push:
            vx += push * math.cos(heading)
            vy += push * math.sin(heading)
        vx *= kept
        vy *= kept
        speed = math.hypot(vx, vy)
        if speed > TOP:
            vx *= TOP / speed
            vy *= TOP / speed
        x = (x + vx * DT) % WIDTH
        y = (y + vy * DT) % HEIGHT
        rows.append((x, y, vx, vy, heading))
    return rows
