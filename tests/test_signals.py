"""What rules wait for, against plain loops: ground, landings, timers after timers, sticks."""

from collections.abc import Callable, Iterator

import pytest

from tests.games import FRAMES, clamp, flies_as_the_game, held

MOVE = {"rule": "move"}


def jumper() -> Iterator[tuple[float, ...]]:
    """A tin frog: jumps from the ground alone, and is dazed for 12 frames after each landing."""
    x, y, vx, vy, dazed, stood = 50.0, 280.0, 0.0, 0.0, 0, False
    for n in range(FRAMES):
        vy += 0.4
        stands = y >= 290.0
        if stands and not stood:
            dazed = 12
        stood = stands
        if held(n, 37, 3) and not held(n - 1, 37, 3) and stands:
            vy = -7.0
        if dazed == 0:
            vx += 0.3 * (held(n, 200, 120) - held(n, 200, 60, 130))
        else:
            dazed -= 1
        vx *= 0.9 if stands else 0.98
        if vy > 6.0:
            vx *= 0.5
        x, y = x + vx, y + vy
        if not 10 <= x <= 490:
            x, vx = clamp(x, 10, 490), 0.0
        if y > 290:
            y, vy = 290.0, min(vy, 0.0)
        yield x, y, vx, vy


JUMPER = {
    "arena": {"width": 500, "height": 300, "edges": "clamp"},
    "start": {"x": 50, "y": 280},
    "radius": 10,
    "rules": [
        {"rule": "fall", "accel": 0.4},
        {
            "rule": "timer",
            "name": "dazed",
            "duration": "12 frames",
            "on": "ground",
            "when": "begins",
        },
        {"rule": "flap", "speed": 7, "action": "jump", "on": "ground"},
        {"rule": "drive", "accel": 0.3, "axis": "x", "unless": "dazed"},
        {"rule": "drag", "keep": 0.9, "axis": "x", "on": "ground"},
        {"rule": "drag", "keep": 0.98, "axis": "x", "unless": "ground", "name": "air"},
        {"rule": "drag", "keep": 0.5, "axis": "x", "on": "plunging", "name": "brake"},
        MOVE,
    ],
    "condition": [
        {"name": "ground", "at_edge": "bottom"},
        {"name": "plunging", "measure": "vy", "above": 6},
    ],
    "hands": {"jump": (37, 3), "right": (200, 120), "left": (200, 60, 130)},
}


def burster() -> Iterator[tuple[float, ...]]:
    """A tin shrew: bursts as it lets go, not again for 90 frames, and limps after each burst."""
    x, vx = 40.0, 0.0
    burst_until = wait_until = limp_until = 0
    bursting = False
    for n in range(FRAMES):
        let_go = n > 0 and held(n - 1, 61, 20) and not held(n, 61, 20)
        if let_go and wait_until <= n:
            burst_until, wait_until = n + 15, n + 90
        before, bursting = bursting, burst_until > n
        if bursting:
            vx += 0.5
        if before and not bursting:
            limp_until = n + 25
        if limp_until > n and not bursting:
            vx *= 0.9
        vx *= 0.99
        x = (x + vx) % 600
        yield x, vx


BURSTER = {
    "arena": {"width": 600, "height": 100},
    "start": {"x": 40, "y": 50},
    "columns": ["x", "vx"],
    "rules": [
        {"rule": "timer", "name": "burst", "duration": "15 frames", "unless": "wait"}
        | {"action": "wind", "when": "released"},
        {"rule": "timer", "name": "wait", "duration": "90 frames", "unless": "wait"}
        | {"action": "wind", "when": "released"},
        {"rule": "force", "x": 0.5, "on": "burst"},
        {"rule": "timer", "name": "limp", "duration": "25 frames", "on": "burst", "when": "ends"},
        {"rule": "drag", "keep": 0.9, "on": ["limp"], "unless": ["burst"]},
        {"rule": "drag", "keep": 0.99, "name": "always"},
        MOVE,
    ],
    "hands": {"wind": (61, 20)},
}


def cornered() -> Iterator[tuple[float, ...]]:
    """A tin crab: pushed only while the stick is in a corner; faces up as a key goes down."""
    x, y, vx, vy, heading = 100.0, 100.0, 0.0, 0.0, 0.0
    for n in range(FRAMES):
        tilt_x, tilt_y = (n // 40 % 5 - 2) / 2, (n // 30 % 7 - 3) / 3
        if abs(tilt_x) > 0.4 and abs(tilt_y) > 0.4:
            vx += 0.25
        if abs(tilt_x) > 0.9 or abs(tilt_y) > 0.9:
            vy += 0.125
        if tilt_y > 0.5:
            vy -= 0.25
        heading = 90.0 if held(n, 50, 20) else heading + 1.0
        if abs(vx) < 1.0 and x > 300:
            vx = 0.0
        vy = min(vy, 3.0)
        x, y = x + vx, y + vy
        if x > 500:  # the overshoot is lost
            x = 0.0
        if y > 400:
            y = 0.0
        elif y < 0:
            y = 400.0
        vx, vy = vx * 0.97, vy * 0.97
        yield x, y, heading


CORNERED = {
    "arena": {"width": 500, "height": 400, "edges": {"kind": "wrap", "snap": True}},
    "start": {"x": 100, "y": 100},
    "columns": ["x", "y", "heading"],
    "rules": [
        {"rule": "force", "x": 0.25, "on": "corner"},
        {"rule": "force", "y": 0.125, "on": "far", "name": "down"},
        {"rule": "force", "y": -0.25, "on": "high", "name": "up"},
        {"rule": "turn", "rate": 1.0, "left": "", "right": "always", "unless": "north"},
        {"rule": "face", "heading": 90, "on": "north"},
        {"rule": "stop_below", "below": 1.0, "axis": "x", "on": "beyond"},
        {"rule": "limit", "down": 3.0},
        MOVE,
        {"rule": "drag", "keep": 0.97},
    ],
    "sticks": {"thumb": {"x": "tilt x", "y": "tilt y"}},
    "condition": [
        {"name": "corner", "stick": "thumb", "tilt": "both", "above": 0.4},
        {"name": "far", "stick": "thumb", "tilt": "either", "above": 0.9},
        {"name": "high", "stick": "thumb", "tilt": "y", "above": 0.5},
        {"name": "beyond", "measure": "x", "above": 300},
    ],
    "hands": {"north": (50, 20), "always": (FRAMES, FRAMES)},
    "values": {
        "tilt x": lambda n: (n // 40 % 5 - 2) / 2,
        "tilt y": lambda n: (n // 30 % 7 - 3) / 3,
    },
}


def either_way() -> Iterator[tuple[float, ...]]:
    """A tin snail: left wins over right, of up and down the one pressed last; slips of its own."""
    x, y, vx, vy, last = 250.0, 200.0, 0.0, 0.0, 0
    for n in range(FRAMES):
        left, right = held(n, 80, 30), held(n, 50, 40)
        up, down = held(n, 70, 40), held(n, 45, 30, 5)
        if up and not (n > 0 and held(n - 1, 70, 40)):
            last = -1
        elif down and not (n > 0 and held(n - 1, 45, 30, 5)):
            last = 1
        old_vx, old_vy = vx, vy
        if left:
            vx -= 0.2
        elif right:
            vx += 0.2
        if up and down:
            vy += 0.1 * last
        else:
            vy += 0.1 * (down - up)
        vx *= 0.95
        vy *= 0.9
        x += vx + 0.5 * (vx - old_vx)
        y += 0.5 * (vy + old_vy)
        x, y = x % 500, y % 400
        yield x, y, vx, vy


EITHER_WAY = {
    "arena": {"width": 500, "height": 400},
    "start": {"x": 250, "y": 200},
    "rules": [
        {"rule": "drive", "accel": 0.2, "axis": "x", "opposing": "first"},
        {"rule": "drive", "accel": 0.1, "axis": "y", "opposing": "last", "name": "lift"},
        {"rule": "drag", "keep": 0.95, "axis": "x"},
        {"rule": "drag", "keep": 0.9, "axis": "y", "name": "thick"},
        {"rule": "move", "axis": "x", "method": "half_new"},
        {"rule": "move", "axis": "y", "method": "half", "name": "rise"},
    ],
    "hands": {"left": (80, 30), "right": (50, 40), "up": (70, 40), "down": (45, 30, 5)},
}


def rattler() -> Iterator[tuple[float, ...]]:
    """A tin rattle whose acceleration is never reset, and a burst along one axis alone."""
    x, y, vx, vy, ax, ay, until = 100.0, 50.0, 0.0, 1.0, 0.0, 0.0, 0
    for n in range(FRAMES):
        push = 0.125 * (held(n, 64, 8) - held(n, 64, 8, 32))
        ax += push - 0.0625 * vx
        ay += -0.0625 * vy
        vx, vy = vx + ax, vy + ay
        if held(n, 100, 1) and until <= n:
            until = n + 10
        x, y = (x + vx + (4.0 if until > n else 0.0)) % 300, (y + vy) % 200
        yield x, y, vx, vy


RATTLER = {
    "same_bits": False,
    "arena": {"width": 300, "height": 200},
    "start": {"x": 100, "y": 50, "vy": 1.0},
    "rules": [
        {"rule": "drag", "keep": 0.9375},
        {"rule": "drive", "accel": 0.125, "axis": "x"},
        {"rule": "accumulate"},
        MOVE,
        {"rule": "timer", "name": "kick", "action": "kick", "duration": "10 frames"},
        {"rule": "move_by", "distance": 4, "when": "held", "action": "kicking"},
    ],
    "condition": [{"name": "kicking", "all_of": ["kick"]}],
    "hands": {"right": (64, 8), "left": (64, 8, 32), "kick": (100, 1)},
}


def leaper() -> Iterator[tuple[float, ...]]:
    """A tin flea: hops by a speed and a gravity, counted in frames; a burst along x alone."""
    x, y, vx, vy, z, rise, aloft, until = 20.0, 100.0, 0.8, 0.3, 0.0, 0.0, 0, 0
    for n in range(FRAMES):
        if held(n, 90, 1, 7) and aloft == 0:
            aloft, rise = 40, 5.0  # 2 speed / gravity
        if aloft > 0:
            rise -= 0.25
            z = max(z + rise, 0.0)
            aloft = aloft - 1 if z > 0 else 0
        if held(n, 70, 1) and until <= n:
            until = n + 12
        vx = 3.0 if until > n else 0.8
        vy = clamp(vy + 0.01 * (1 if n % 200 < 100 else -1), -0.5, 0.5)
        x, y = (x + vx) % 300, (y + vy) % 200
        yield x, y, z if aloft > 0 else 0.0


LEAPER = {
    "arena": {"width": 300, "height": 200},
    "start": {"x": 20, "y": 100, "vx": 0.8, "vy": 0.3},
    "columns": ["x", "y", "height"],
    "rules": [
        {"rule": "hop", "speed": 5, "gravity": 0.25},
        {"rule": "dash", "speed": 3, "axis": "x", "duration": "12 frames", "after": "restore"},
        {"rule": "drive", "accel": 0.01, "axis": "y", "up": "rise", "down": "sink"},
        {"rule": "limit", "up": 0.5, "down": 0.5},
        MOVE,
    ],
    "hands": {
        "hop": (90, 1, 7),
        "dash": (70, 1),
        "sink": (200, 100),
        "rise": (200, 100, 100),
    },
}


def eased(easing: str) -> Callable[[], Iterator[tuple[float, ...]]]:
    def update() -> Iterator[tuple[float, ...]]:
        """A tin cricket: 10 frames up and 20 back, evenly or eased, to where it was."""
        x, left = 0.0, 0
        for n in range(FRAMES):
            if held(n, 50, 1, 3) and left == 0:
                left = 30
            z = 0.0
            if left > 0:
                left -= 1
                passed = 30 - left
                up, down = min(passed / 10, 1.0), max((passed - 10) / 20, 0.0)
                if easing == "eased":
                    up, down = 1 - (1 - up) ** 2, down**2
                z = 24 * (up - down) if left > 0 else 0.0
            x = (x + 1.5) % 400
            yield x, z

    return update


def cricket(easing: str) -> dict:
    return {
        "arena": {"width": 400, "height": 200},
        "start": {"x": 0, "y": 100, "vx": 1.5},
        "columns": ["x", "height"],
        "rules": [
            {"rule": "hop", "height": 24, "rise": "10 frames", "back": "20 frames"}
            | {"easing": easing},
            MOVE,
        ],
        "hands": {"hop": (50, 1, 3)},
    }


def slipper() -> Iterator[tuple[float, ...]]:
    """A tin top with a sign slipped: faster in each frame, turned round while held, stopped."""
    x, y, vx, vy = 200.0, 100.0, 0.5, 0.25
    for n in range(FRAMES):
        if held(n, 40, 5):
            vx = vx * -0.9375
        vx *= 1.0078125
        vy *= 1.0078125
        if held(n, 120, 1, 60):
            vx, vy = vx * 0.0, vy * 0.0
        vx = clamp(vx + (0.25 if vx == 0 else 0.0), -6, 6)
        vy = clamp(vy + (0.125 if vy == 0 else 0.0), -6, 6)
        x, y = (x + vx) % 400, (y + vy) % 200
        yield x, y, vx, vy


SLIPPER = {
    "arena": {"width": 400, "height": 200},
    "start": {"x": 200, "y": 100, "vx": 0.5, "vy": 0.25},
    "rules": [
        {"rule": "drag", "keep": -0.9375, "axis": "x", "on": "turn", "allow_gain": True},
        {"rule": "drag", "keep": 1.0078125, "allow_gain": True, "name": "grow"},
        {"rule": "drag", "keep": 0.0, "name": "halt", "on": "stop"},
        {"rule": "force", "x": 0.25, "on": "still x"},
        {"rule": "force", "y": 0.125, "on": "still y", "name": "push"},
        {"rule": "limit", "x": 6, "y": 6},
        MOVE,
    ],
    "condition": [
        {"name": f"still {axis}", "measure": f"v{axis}", "above": -1e-12, "below": 1e-12}
        for axis in "xy"
    ],
    "hands": {"turn": (40, 5), "stop": (120, 1, 60)},
}

GAMES = {
    "jumper": (jumper, JUMPER),
    "burster": (burster, BURSTER),
    "cornered": (cornered, CORNERED),
    "either way": (either_way, EITHER_WAY),
    "rattler": (rattler, RATTLER),
    "leaper": (leaper, LEAPER),
    "slipper": (slipper, SLIPPER),
    "cricket": (eased("linear"), cricket("linear")),
    "eased cricket": (eased("eased"), cricket("eased")),
}


@pytest.mark.parametrize("rate", [50.0, 144.0])
@pytest.mark.parametrize("game", GAMES)
def test_gated_rules_are_the_games_own_update_function(game, rate):
    flies_as_the_game(*GAMES[game], rate)
