"""Generated update functions, right but for the requested faults."""

import random
from collections.abc import Callable

PLACES: dict[str, Callable[[str], str]] = {
    "attributes": lambda name: f"tug.{name}",
    "keys": lambda name: f'tug["{name}"]',
    "nested": lambda name: {
        "x": "tug.pos.x",
        "y": "tug.pos.y",
        "vx": "tug.vel.x",
        "vy": "tug.vel.y",
    }.get(name, f"tug.{name}"),
}
SPACE = "types.SimpleNamespace"
REST = "angle=20.0, n=0, goal=300.0"
STARTS = {
    "attributes": f"{SPACE}(x=100.0, y=100.0, vx=40.0, vy=10.0, {REST})",
    "keys": f"dict(x=100.0, y=100.0, vx=40.0, vy=10.0, {REST})",
    "nested": f"{SPACE}(pos={SPACE}(x=100.0, y=100.0), vel={SPACE}(x=40.0, y=10.0), {REST})",
}
KEYS = ("keys.{}", 'keys["{}"]', '"{}" in keys', 'keys("{}")')
FAULTS = ("turn", "push", "fall", "drag", "linear", "ease", "share", "count", "cap", "move")


class Game:
    """The text of an update function, and the lines of its faults.

    Attributes
    ----------
    text
        Text of the file, with its declaration.
    lines
        For each fault the number of its line.
    """

    def __init__(self, seed: int, *faults: str) -> None:
        self.faults, self.chance = faults, random.Random(seed)
        style = self.chance.choice(list(PLACES))
        self.place = PLACES[style]
        self.dt = self.chance.choice(["dt", "delta", "elapsed", "dt_ms"])
        self.time = f"({self.dt} / 1000)" if self.dt == "dt_ms" else self.dt
        self.key = self.chance.choice(KEYS)
        self.helper = self.chance.random() < 0.4
        rest = [rule for rule in ("fall", "drag", "ease") if rule not in faults]
        wanted = ["turn", "push", *self.chance.sample(rest, min(2, len(rest)))]
        wanted += [fault for fault in faults if fault not in (*wanted, "move")]
        rows: list[tuple[str, str]] = [row for name in wanted for row in self.rows(name)]
        moves = self.rows("move")
        head = [("", line) for line in ("import types", "import math", "", "", LERP, "", "")]
        if self.helper:
            head += [("", f"def move(tug, {self.dt}):"), *moves, ("", ""), ("", "")]
            moves = [("", f"    move(tug, {self.dt})")]
        head.append(("", f"def update(tug, keys, {self.dt}):"))
        every = "\n".join(line for _name, line in head).split("\n")
        first = len(every)
        lines = {name: first + n for n, (name, _line) in enumerate([*rows, *moves], start=1)}
        offset = len(every) - len(head)
        lines |= {name: n + offset for n, (name, _line) in enumerate(head, start=1) if name}
        self.lines = {name: line for name, line in lines.items() if name in faults}
        body = [line for _name, line in (*rows, *moves)]
        self.text = "\n".join([*every, *body, "", "", flight(STARTS[style]), ""])

    def rows(self, name: str) -> list[tuple[str, str]]:
        """Return the lines of one part, of which the first may be faulty."""
        bad, place, per = name in self.faults, self.place, self.per
        keep, share = self.chance.choice([0.97, 0.98]), self.chance.choice([0.05, 0.08])
        frames = f"({self.time} * 60)"
        if name == "turn":
            amount = "2.0" if bad else per(120)
            key = self.key.format("right")
            return [("", f"    if {key}:"), (name, "    " + self.step(place("angle"), amount))]
        if name == "push":
            bow = f"math.radians({place('angle')})"
            key = self.key.format("ahead")
            along = self.step(place("vx"), f"math.cos({bow}) * {4.0 if bad else per(240)}")
            across = self.step(place("vy"), f"math.sin({bow}) * {per(240)}")
            return [("", f"    if {key}:"), (name, f"    {along}"), ("", f"    {across}")]
        if name == "fall":
            return [(name, self.step(place("vy"), "1.5" if bad else per(90)))]
        if name == "drag":
            return [(name, self.scaled(place("vx"), f"{keep}" if bad else f"{keep} ** {frames}"))]
        if name == "linear":
            return [(name, self.scaled(place("vx"), f"(1 - {per(round(60 - 60 * keep, 6))})"))]
        if name == "ease":
            right = f"    {place('vy')} += (60 - {place('vy')}) * (1 - {1 - share} ** {frames})"
            return [(name, f"    {self.eased(place('vy'), share)}" if bad else right)]
        if name == "share":
            amount = per(round(share * 60, 6))
            return [(name, f"    {place('vy')} += (60 - {place('vy')}) * {amount}")]
        if name == "count":
            test = self.chance.choice(["==", ">="])
            return [
                (name, self.step(place("n"), "1")),
                ("", f"    if {place('n')} {test} 30:"),
                ("", f"        {place('n')} = 0"),
                ("", f"        {place('vx')} = -{place('vx')}"),
            ]
        if name == "cap":
            gap = f"{place('goal')} - {place('y')}"
            return [(name, f"    {place('y')} += max(-1.5, min(1.5, {gap}))")]
        along = f"{place('vx')} / 60" if bad else f"{place('vx')} * {self.time}"
        return [
            (name, self.step(place("x"), along)),
            ("", self.step(place("y"), f"{place('vy')} * {self.time}")),
        ]

    def per(self, number: float) -> str:
        """Return a number per second as an amount for a step."""
        return f"{number} * {self.time}"

    def step(self, place: str, amount: str) -> str:
        """Return an addition in one of its forms."""
        form = self.chance.choice(["{0} += {1}", "{0} = {0} + {1}", "{0} = {1} + {0}"])
        return "    " + form.format(place, amount)

    def scaled(self, place: str, factor: str) -> str:
        """Return a multiplication in one of its forms."""
        form = self.chance.choice(["{0} *= {1}", "{0} = {0} * {1}", "{0} = {1} * {0}"])
        return "    " + form.format(place, factor)

    def eased(self, place: str, share: float) -> str:
        """Return an approach by a share of each frame in one of its forms."""
        form = self.chance.choice(
            [
                "{0} += (60 - {0}) * {1}",
                "{0} -= ({0} - 60) * {1}",
                "{0} = {0} + (60 - {0}) * {1}",
                "{0} = {0} * (1 - {1}) + 60 * {1}",
                "{0} = lerp({0}, 60, {1})",
            ]
        )
        return form.format(place, share)


LERP = "def lerp(a, b, f):\n    return a + (b - a) * f"


def flight(start: str) -> str:
    """Return a declaration; its presses are at frames of 30, 60 and 144 fps."""
    tape = '{"right": [(0.5, 1.0)], "ahead": [(0.5, 2.0)]}'
    return (
        f'FLIGHT = {{\n    "start": lambda: {start},\n    "tape": {tape},\n'
        f'    "tuned_at": 60,\n    "duration": 2.5,\n}}'
    )
