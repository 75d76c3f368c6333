"""A whole little game: a wind-up tug fetches corks on the workshop's pond.

It is written as small games often are, and was tuned by hand at 60 frames per second.  Five of its
lines count frames.  Find them, see what they do, and print the patch:

    tinrocket compare examples/whole_game.py:update
    tinrocket why examples/whole_game.py:update
    tinrocket why examples/whole_game.py:update --diff
"""

import math
import random
from dataclasses import dataclass, field

WIDTH, HEIGHT = 760, 420
POWER = 200.0  # px/s^2 along the bow
REACH = 14.0  # px, from the bow to a cork


@dataclass
class Tug:
    x: float = 120.0
    y: float = 210.0
    vx: float = 0.0
    vy: float = 0.0
    angle: float = 0.0  # degrees, clockwise
    spring: float = 100.0  # percent wound up
    whistle: int = 0  # frames until it may blow again

    def steer(self, keys):
        if keys.left:
            self.angle -= 1.2
        if keys.right:
            self.angle += 1.2

    def push(self, keys, dt):
        if keys.ahead and self.spring > 0:
            bow = math.radians(self.angle)
            self.vx += math.cos(bow) * POWER * dt
            self.vy += math.sin(bow) * POWER * dt
            self.spring = max(0.0, self.spring - 9.0 * dt)

    def glide(self, dt):
        self.vx *= 0.985
        self.vy *= 0.985
        self.x += self.vx * dt
        self.y += self.vy * dt


@dataclass
class Cork:
    x: float
    y: float
    bob: float = 0.0  # px, how far it rides above the water


@dataclass
class Gull:
    """Drifts after the tug."""

    x: float = 600.0
    y: float = 60.0


@dataclass
class Pond:
    tug: Tug = field(default_factory=Tug)
    gull: Gull = field(default_factory=Gull)
    corks: list = field(default_factory=lambda: [Cork(250, 213), Cork(330, 236), Cork(500, 300)])
    score: int = 0
    time: float = 0.0
    calls: int = 0


def ease(value, goal, share):
    return value + (goal - value) * share


def bank(tug):
    """Hold the tug between the banks, and turn it back softly."""
    if tug.x < 20:
        tug.x = 20
        tug.vx = -tug.vx * 0.4
    elif tug.x > WIDTH - 20:
        tug.x = WIDTH - 20
        tug.vx = -tug.vx * 0.4
    if tug.y < 20:
        tug.y = 20
        tug.vy = -tug.vy * 0.4
    elif tug.y > HEIGHT - 20:
        tug.y = HEIGHT - 20
        tug.vy = -tug.vy * 0.4


def fetch(pond):
    """Take the corks that the bow reaches."""
    bow = math.radians(pond.tug.angle)
    x, y = pond.tug.x + math.cos(bow) * 10, pond.tug.y + math.sin(bow) * 10
    for cork in list(pond.corks):
        if math.hypot(cork.x - x, cork.y - y) < REACH:
            pond.corks.remove(cork)
            pond.score += 1


def update(pond, keys, dt):
    """Move everything on by one frame."""
    pond.time += dt
    tug = pond.tug
    tug.steer(keys)
    tug.push(keys, dt)
    tug.glide(dt)
    bank(tug)

    if tug.whistle > 0:
        tug.whistle -= 1
    if keys.whistle and tug.whistle == 0:
        pond.calls += 1
        tug.whistle = 45

    gull = pond.gull
    gull.x = ease(gull.x, tug.x, 0.02)
    gull.y = ease(gull.y, tug.y - 60, 0.02)

    for number, cork in enumerate(pond.corks):
        cork.bob = 3 * math.sin(2.0 * pond.time + number)
    fetch(pond)


def new_pond():
    random.seed(4)
    return Pond()


# How Tin Rocket flies it: the start, the player's hands, and the rate at which it was tuned.
FLIGHT = {
    "start": new_pond,
    "tape": {
        "ahead": [(0.5, 1.5), (2.5, 3.5)],
        "right": [(1.0, 1.5)],
        "left": [(2.5, 3.0)],
        "whistle": [(0.5, 4.5)],
    },
    "tuned_at": 60,
    "duration": 5.0,
    "arena": (WIDTH, HEIGHT),
    "watch": ["calls"],
}
