import math


def update(boat, keys, dt):
    if keys.right:
        boat["angle"] += 1.5  # degrees
    if keys.ahead:
        boat["vx"] += math.cos(math.radians(boat["angle"])) * 190 * dt
        boat["vy"] += math.sin(math.radians(boat["angle"])) * 190 * dt
    boat["vx"] *= 0.98  # the water
    boat["vy"] *= 0.98
    boat["x"] += boat["vx"] * dt
    boat["y"] += boat["vy"] * dt


FLIGHT = {
    "start": {"x": 80.0, "y": 90.0, "vx": 0.0, "vy": 0.0, "angle": 0.0},
    "tape": {"ahead": [(0.5, 2.0)], "right": [(1.0, 1.5)]},
    "tuned_at": 60,
    "duration": 3.0,
}
