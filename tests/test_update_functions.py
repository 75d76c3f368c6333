"""Update functions as games write them, against the same written down as scenarios.

Each is a plain loop with its own numbers per frame; the scenario in `frame` timing gives the same
places to 1e-9 over a thousand frames, at whatever rate the frames come.
"""

import math
from collections.abc import Iterator

import pytest

from tests.games import FRAMES, clamp, flies_as_the_game, held


def eight_ways() -> Iterator[tuple[float, ...]]:
    """A tin ladybird: eight ways with friction, kept on the table; the art is turned, not it."""
    x, y, vx, vy = 60.0, 60.0, 0.0, 0.0
    for n in range(FRAMES):
        dx: float = held(n, 90, 40) - held(n, 130, 30, 45)
        dy: float = held(n, 70, 25, 10) - held(n, 160, 50, 80)
        length = math.sqrt(dx * dx + dy * dy)
        if length > 1:
            dx, dy = dx / length, dy / length
        vx += dx * 0.3
        vy += dy * 0.3
        if dx == 0:
            vx = max(vx - 0.2, 0) if vx > 0 else min(vx + 0.2, 0)
        if dy == 0:
            vy = max(vy - 0.2, 0) if vy > 0 else min(vy + 0.2, 0)
        vx, vy = clamp(vx, -4, 4), clamp(vy, -3, 3)
        x, y = x + vx, y + vy
        if not 8 <= x <= 292:
            x, vx = clamp(x, 8, 292), 0.0
        if not 8 <= y <= 192:
            y = clamp(y, 8, 192)  # the speed goes on pushing along this axis
        yield x, y, vx, vy


EIGHT_WAYS = {
    "arena": {
        "width": 300,
        "height": 200,
        "edges": {
            "left": "clamp",
            "right": "clamp",
            "top": {"kind": "clamp", "keeps_velocity": True},
            "bottom": {"kind": "clamp", "keeps_velocity": True},
        },
    },
    "start": {"x": 60, "y": 60},
    "radius": 8,
    "art_offset": 90,
    "rules": [
        {"rule": "drive", "accel": 0.3, "brake": 0.2},
        {"rule": "limit", "x": 4, "y": 3},
        {"rule": "move"},
    ],
    "hands": {"right": (90, 40), "left": (130, 30, 45), "down": (70, 25, 10), "up": (160, 50, 80)},
}


def flapper() -> Iterator[tuple[float, ...]]:
    """A paper bird: flaps are added up to a limit, with a cooldown; it glides while asked to."""
    x, y, vy, ready = 20.0, 100.0, 0.0, 0
    down_before = False
    for n in range(FRAMES):
        down = held(n, 13, 5)
        if down and not down_before and n >= ready:
            vy = max(vy - 3.1, -4.0)
            ready = n + 20
        down_before = down
        vy += 0.17
        if held(n, 100, 30, 50) and vy > 0.8:
            vy = 0.8
        x, y = (x + 1.25) % 400, y + vy
        yield x, y, 1.25, vy


FLAPPER = {
    "arena": {
        "width": 400,
        "height": 300,
        "edges": {"left": "wrap", "right": "wrap", "top": "open", "bottom": "open"},
    },
    "start": {"x": 20, "y": 100, "vx": 1.25},
    "rules": [
        {"rule": "flap", "speed": 3.1, "adds": True, "max_speed": 4.0, "cooldown": "20 frames"},
        {"rule": "fall", "accel": 0.17, "glide": 0.8},
        {"rule": "move"},
    ],
    "hands": {"flap": (13, 5), "glide": (100, 30, 50)},
}


def stepper() -> Iterator[tuple[float, ...]]:
    """A wind-up mouse: quarter turns and fixed strides; while wound up, it creeps by itself."""
    x, y, angle, before, until = 200.0, 150.0, 0.0, (False,) * 4, -1
    for n in range(FRAMES):
        down = held(n, 41, 3), held(n, 67, 9, 5), held(n, 17, 4), held(n, 200, 2, 30)
        left, right, step, wind = (a and not b for a, b in zip(down, before, strict=True))
        before = down
        angle += (right - left) * 90
        face = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        if step:
            x, y = x + 24 * face[0], y + 24 * face[1]
        if wind:
            until = n + 60
        if n < until:
            x, y = x + 0.5 * face[0], y + 0.5 * face[1]
        x, y = x % 400, y % 300
        yield x, y, angle


STEPPER = {
    "arena": {"width": 400, "height": 300},
    "start": {"x": 200, "y": 150},
    "columns": ["x", "y", "heading"],
    "rules": [
        {"rule": "turn_by", "angle": 90},
        {"rule": "move_by", "distance": 24},
        {"rule": "timer", "name": "wound", "action": "wind", "duration": "60 frames"},
        {"rule": "cruise", "speed": 0.5, "during": "wound"},
        {"rule": "cruise", "speed": 0, "unless": "wound", "name": "rest"},
        {"rule": "move"},
    ],
    "hands": {"left": (41, 3), "right": (67, 9, 5), "move_by": (17, 4), "wind": (200, 2, 30)},
}


def spinner() -> Iterator[tuple[float, ...]]:
    """A tin saucer: turned by torque with angular drag, lifted while held, wind from the left."""
    x, y, vx, vy, angle, spin = 100.0, 100.0, 0.0, 0.0, 0.0, 0.0
    for n in range(FRAMES):
        spin += (held(n, 80, 25) - held(n, 95, 35, 20)) * 0.4
        spin *= 0.96
        spin = clamp(spin, -5, 5)
        angle += spin
        if held(n, 60, 33):
            vx += 0.05 * math.cos(math.radians(angle))
            vy += 0.05 * math.sin(math.radians(angle))
        vx += 0.004
        vy += 0.08
        if held(n, 50, 30, 7):
            vy -= 0.13
        if 300 <= n < 400:
            vx += 0.02
        vx, vy = vx * 0.99, vy * 0.99
        if math.hypot(vx, vy) < 0.05:
            vx = vy = 0.0
        x, y = (x + vx) % 500, (y + vy) % 400
        yield x, y, vx, vy


SPINNER = {
    "same_bits": False,
    "arena": {"width": 500, "height": 400},
    "start": {"x": 100, "y": 100},
    "rules": [
        {"rule": "torque", "accel": 0.4},
        {"rule": "drag", "of": "spin", "keep": 0.96, "name": "bearing"},
        {"rule": "limit", "spin": 5},
        {"rule": "rotate"},
        {"rule": "thrust", "accel": 0.05},
        {"rule": "lift", "accel": 0.13, "forward": 0.004},
        {"rule": "fall", "accel": 0.08},
        {"rule": "force", "x": 0.02, "during": (300, 400)},  # in frames; see the test
        {"rule": "drag", "keep": 0.99},
        {"rule": "stop_below", "below": 0.05},
        {"rule": "move"},
    ],
    "hands": {"right": (80, 25), "left": (95, 35, 20), "thrust": (60, 33), "lift": (50, 30, 7)},
}


def hunter() -> Iterator[tuple[float, ...]]:
    """A magnet that heads for a place at a fixed speed, and steers there when wound up."""
    x, y, angle = 30.0, 40.0, 10.0
    for n in range(FRAMES):
        tx, ty = 933.0, 822.0
        if held(n, 150, 70):
            want = math.degrees(math.atan2(ty - y, tx - x))
            apart = (want - angle + 180) % 360 - 180
            angle += clamp(apart, -1.5, 1.5)
            vx, vy = 1.2 * math.cos(math.radians(angle)), 1.2 * math.sin(math.radians(angle))
        else:
            away = math.hypot(tx - x, ty - y)
            vx, vy = (tx - x) / away * 0.7, (ty - y) / away * 0.7
        x, y = x + vx, y + vy
        yield x, y, angle


HUNTER = {
    "same_bits": False,
    "arena": {"width": 400, "height": 300, "edges": "open"},
    "start": {"x": 30, "y": 40, "heading": 10},
    "columns": ["x", "y", "heading"],
    "rules": [
        {"rule": "chase", "target": [933, 822], "speed": 0.7},
        {"rule": "chase", "target": [933, 822], "speed": 1.2, "turn": 1.5, "on": "wind"}
        | {"name": "steered"},
        {"rule": "move"},
    ],
    "hands": {"wind": (150, 70)},
}


def dasher() -> Iterator[tuple[float, ...]]:
    """A clockwork car: direct speeds, and a dash along the last direction that locks them."""
    x, y, last, until, ready, armed = 50.0, 50.0, (1.0, 0.0), -1, 0, True
    vx = vy = 0.0
    way, dashing = (1.0, 0.0), False
    for n in range(FRAMES):
        dx = held(n, 60, 25) - held(n, 85, 20, 30)
        dy = held(n, 75, 30, 40) - held(n, 110, 35)
        length = math.hypot(dx, dy)
        if n >= until:
            vx, vy = dx / max(length, 1) * 2.0, dy / max(length, 1) * 2.0
        if length:
            last = dx / length, dy / length
        down = held(n, 50, 12, 3)
        if not down:
            armed = True
        if dashing and n >= until:
            dashing, vx, vy = False, 0.0, 0.0
        if down and armed and n >= ready and n >= until:
            way, until, ready, armed, dashing = last, n + 9, n + 40, False, True
        if n < until:
            vx, vy = way[0] * 7.0, way[1] * 7.0
        x, y = (x + vx) % 600, (y + vy) % 400
        yield x, y, vx, vy


DASHER = {
    "same_bits": False,
    "arena": {"width": 600, "height": 400},
    "start": {"x": 50, "y": 50},
    "rules": [
        {"rule": "drive", "speed": 2.0},
        {"rule": "dash", "speed": 7.0, "along": "last", "duration": "9 frames"}
        | {"cooldown": "40 frames", "release": True, "when": "held", "after": "stop"}
        | {"steering": False},
        {"rule": "move"},
    ],
    "hands": {
        "right": (60, 25),
        "left": (85, 20, 30),
        "down": (75, 30, 40),
        "up": (110, 35),
        "dash": (50, 12, 3),
    },
}


def hopper() -> Iterator[tuple[float, ...]]:
    """A jumping jack: the hop is added frame by frame, over the ground that moves on below."""
    x, height, rise, until, ready = 10.0, 0.0, 0.0, -1, 0
    for n in range(FRAMES):
        if held(n, 37, 6) and n >= ready and n >= until:
            rise, until, ready = 4 * 30 / 24, n + 24, n + 40
        if n < until:
            rise -= 8 * 30 / 24**2
            height += rise
            if n + 1 == until or height <= 0:
                height, until = 0.0, -1
        x = (x + 1.5) % 300
        yield x, height


HOPPER = {
    "arena": {"width": 300, "height": 100},
    "start": {"x": 10, "y": 50, "vx": 1.5},
    "columns": ["x", "height"],
    "rules": [
        {"rule": "hop", "height": 30, "duration": "24 frames", "cooldown": "40 frames"}
        | {"when": "held"},
        {"rule": "move"},
    ],
    "hands": {"hop": (37, 6)},
}


def bat() -> Iterator[tuple[float, ...]]:
    """A bat at a fixed height: it follows the hand by a share of the way, up to a top speed."""
    y = 100.0
    for n in range(FRAMES):
        hand = 100 + 80 * ((n / 125) % 2 if (n / 125) % 2 < 1 else 2 - (n / 125) % 2)
        way = clamp((hand - y) * 0.25, -1.9, 1.9)
        y += way
        yield 40.0, y, 0.0, way


BAT = {
    "same_bits": False,
    "arena": {"width": 400, "height": 300, "edges": "clamp"},
    "start": {"x": 40, "y": 100},
    "rules": [
        {"rule": "follow", "target": "hand", "axis": "y", "lag": -math.log(2) / math.log(0.75)}
        | {"speed": 1.9}
    ],
    "pointer": [[125 * k, 0, 100 + 80 * (k % 2)] for k in range(9)],
}


def stick_flier() -> Iterator[tuple[float, ...]]:
    """A kite on a stick: dead zone, response and limit; always ahead, turned toward the tilt."""
    x, y, angle = 250.0, 200.0, 0.0
    for n in range(FRAMES):
        sx, sy = (n // 40 % 5 - 2) / 2, (n // 30 % 7 - 3) / 3
        tilt = math.hypot(sx, sy)
        if tilt > 0.2:
            want = math.degrees(math.atan2(-sy, sx))
            angle += clamp((want - angle + 180) % 360 - 180, -2.5, 2.5)
        ahead = clamp((tilt - 0.2) / 0.7, 0, 1) ** 1.5 / tilt if tilt else 0.0
        vx = 0.4 * math.cos(math.radians(angle)) + sx * ahead * 1.5
        vy = 0.4 * math.sin(math.radians(angle)) - sy * ahead * 1.5
        x, y = (x + vx) % 500, (y + vy) % 400
        yield x, y, angle


STICK_FLIER = {
    "same_bits": False,
    "arena": {"width": 500, "height": 400},
    "start": {"x": 250, "y": 200},
    "columns": ["x", "y", "heading"],
    "rules": [
        {"rule": "aim", "stick": "thumb", "rate": 2.5},
        {"rule": "cruise", "speed": 0.4},
        {"rule": "drive", "accel": 1.5, "stick": "thumb"},
        {"rule": "move"},
    ],
    "sticks": {
        "thumb": {
            "x": "tilt x",
            "y": "tilt y",
            "dead_zone": 0.2,
            "full_at": 0.9,
            "exponent": 1.5,
        }
    },
    "values": {
        "tilt x": lambda n: (n // 40 % 5 - 2) / 2,
        "tilt y": lambda n: (n // 30 % 7 - 3) / 3,
    },
}

GAMES = {
    "eight ways": (eight_ways, EIGHT_WAYS),
    "flapper": (flapper, FLAPPER),
    "stepper": (stepper, STEPPER),
    "spinner": (spinner, SPINNER),
    "hunter": (hunter, HUNTER),
    "dasher": (dasher, DASHER),
    "hopper": (hopper, HOPPER),
    "bat": (bat, BAT),
    "stick flier": (stick_flier, STICK_FLIER),
}


@pytest.mark.parametrize("rate", [50.0, 144.0])
@pytest.mark.parametrize("game", GAMES)
def test_frame_timing_is_the_games_own_update_function(game, rate):
    flies_as_the_game(*GAMES[game], rate)
