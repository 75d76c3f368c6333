"""Spoil scenarios, tapes, frame times, flights, logs and masks, and see what becomes of them.

Run ``python tools/fuzz.py scenario 10000 [SEED]``; kinds are scenario, mixed, named, judged, drawn,
bytes, tape, frames, flight, pin, log and mask.  Whatever a file holds, the answer must be a flight
or a `TinRocketError` whose lines can be read, within a few seconds and with some memory.  The first
of each kind that are not are printed, with the mutant that did it, and the counts at the end.
"""

import builtins
import json
import keyword
import random
import re
import resource
import signal
import sys
import tempfile
import tomllib
import traceback
import warnings
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import tomli_w

import tinrocket as tr
from tinrocket.demos import demo_names, demo_text
from tinrocket.feel_metrics.pin import difference
from tinrocket.scenario.toml_file import parse_scenario

SECONDS, WAITING, MEMORY = 4.0, 60, 6 * 2**30
"""Of the processor's time, of any [s], and bytes."""
ROWS_A_SECOND = 100_000
"""Rows of a flight, frames and events, that may take a second more to be compared, or kept."""
LONGEST_LINE = 500
SHOWN = 5
"""Mutants of each kind of violation that are printed."""
FOREIGN = ("Input should be", "pydantic", "validation error", "Traceback", "type=")
NASTY: tuple[Any, ...] = (
    *(
        "",
        " ",
        "x",
        "nan",
        "NA",
        "null",
        "001",
        "=1+1",
        "@x",
        "a\nb",
        "\x1b[31m",
        "\x00",
        "ü" * 300,
    ),
    *(0, 1, -1, 2, 7, 10**9, 10**18, 2**63, -(2**63), 10**400, True, False),
    *(0.0, -0.0, 0.5, -3.5, 1e-9, 5e-324, 1e9, 1e30, 1e308, -1e308),
    *(float("nan"), float("inf"), -float("inf")),
    *([], {}, [[]], [{}], [1, 2], [1, [2, [3]]], {"kind": "box"}, {"kind": 3}, {"radius": 8}),
    *("3 frames", "-1 frames", "1e99 frames", "wrap", "bounce", "rocket", "marble"),
)


Result = TypeVar("Result")


class TooLongError(Exception):
    """A mutant that took longer than it may."""


def spoiled(data: Any, chance: random.Random, others: list[Any]) -> Any:
    """Return plain data with one thing in it replaced, deleted, doubled or moved."""
    if isinstance(data, dict) and data and chance.random() < 0.9:
        key = chance.choice(list(data))
        roll = chance.random()
        if roll < 0.6:
            return data | {key: spoiled(data[key], chance, others)}
        rest = {name: value for name, value in data.items() if name != key}
        if roll < 0.72:
            return rest
        if roll < 0.8:
            return rest | {chance.choice(["", "x", key + "x", "é", "a.b"]): data[key]}
        if roll < 0.9:
            return data | {chance.choice(list(data)): data[key]}
        return data | {
            chance.choice(["on", "name", "at", "rate", "x", "kind"]): nasty(chance, others)
        }
    if isinstance(data, list) and data and chance.random() < 0.9:
        place = chance.randrange(len(data))
        roll = chance.random()
        if roll < 0.7:
            return [*data[:place], spoiled(data[place], chance, others), *data[place + 1 :]]
        if roll < 0.8:
            return data[:place] + data[place + 1 :]
        if roll < 0.9:
            return [*data, data[place]]
        return [*data[:place], nasty(chance, others), *data[place:]]
    return nasty(chance, others)


def nasty(chance: random.Random, others: list[Any]) -> Any:
    """Return something that is hardly meant, or a value from elsewhere."""
    return chance.choice(others) if chance.random() < 0.3 else chance.choice(NASTY)


def values_in(data: Any) -> list[Any]:
    """Return all values at any depth."""
    if isinstance(data, dict):
        return [data, *(value for part in data.values() for value in values_in(part))]
    if isinstance(data, list):
        return [data, *(value for part in data for value in values_in(part))]
    return [data]


def garbled(text: bytes, chance: random.Random) -> bytes:
    """Return bytes with a few of them changed, taken out, put in or doubled."""
    spoilt = bytearray(text)
    for _ in range(chance.choice([1, 1, 2, 5])):
        place = chance.randrange(len(spoilt) + 1)
        roll = chance.random()
        if roll < 0.3 and place < len(spoilt):
            spoilt[place] = chance.randrange(256)
        elif roll < 0.5:
            del spoilt[place : place + chance.choice([1, 3, 40])]
        elif roll < 0.8:
            bits = (
                b"\x00",
                b"[",
                b"]",
                b"{",
                b'"',
                b"=",
                b",",
                b"\n",
                b"9" * 30,
                b"-",
                b"e308",
                b".",
            )
            spoilt[place:place] = chance.choice(bits)
        else:
            spoilt[place:place] = spoilt[place : place + 60]
    return bytes(spoilt)


RICH = """
title = "Everything at once"
duration = 1.5
tuned_at = 50
timing = "dt"
detection = "swept"

[arena]
width = 300
height = 200
edges = { left = "bounce", right = "bounce", top = "clamp", bottom = "bounce" }
[clock]
rate = 60
jitter = 0.002
seed = 4
hitches = [{ at = 0.5, length = 0.1 }]
max_dt = 0.05
fixed_rate = 120
[view]
width = 120
height = 90
follow = "cart"
half_life = 0.2
[sticks.thumb]
x = "sx"
y = "sy"
dead_zone = 0.2
[[craft]]
name = "cart"
start = { x = 50, y = 60, vx = 30, vy = -10, heading = 20 }
shape = { kind = "circle", radius = 6 }
mass = 2
rules = [
    { rule = "turn", rate = 90 },
    { rule = "thrust", accel = 200 },
    { rule = "drive", accel = 100, stick = "thumb" },
    { rule = "drag", half_life = 0.5 },
    { rule = "dash", speed = 200, duration = "6 frames", cooldown = 0.4 },
    { rule = "limit", speed = 300 },
    { rule = "move", method = "half" },
    { rule = "fire", shots = "peas", speed = 150, cooldown = "7 frames" },
]
[[craft]]
name = "peas"
pool = 4
lifetime = 0.6
shape = { kind = "box", width = 4, height = 3, turns = true }
rules = [{ rule = "move" }]
[[craft]]
name = "cups"
grid = { columns = 3, rows = 2, step = [30, 20] }
start = { x = 150, y = 30 }
shape = { kind = "polygon", points = [[-8, -6], [8, -6], [0, 8]] }
rules = [{ rule = "fall", accel = 200 }, { rule = "move" }]
[[obstacle]]
name = "ramp"
at = [150, 160]
shape = { kind = "segment", to = [80, -20] }
[[contact]]
between = ["peas", "cups"]
response = "remove"
removes = "both"
scores = "player"
[[contact]]
between = ["cart", "cups"]
restitution = 0.6
[[contact]]
between = ["cups", "ramp"]
response = "block"
[[spawner]]
name = "drip"
spawns = ["peas"]
every = [0.2, 0.4]
x = [20, 280]
y = 10
vy = 40
seed = 3
[[condition]]
name = "late"
every = 0.5
[rounds]
lives = 3
lives_of = "cart"
[tape]
sampling = "buffered"
holds = { thrust = [[0.1, 0.6]], left = [[0.2, 0.3]], fire = [["3 frames", "60 frames"]] }
taps = { dash = [0.2, 0.9] }
values = { sx = [[0.1, 0.7]], sy = [[0.3, -0.4]] }
pointers = { hand = [[0, 10, 10], [1, 90, 40]] }
"""
FED = """
duration = 1.5
timing = "dt"
arena = { width = 300, height = 200, edges = "wrap" }
tempo = [
    { name = "thud", on = "met", lasts = "4 frames" },
    { name = "lull", of = ["moon", "cart"], factor = 0.5, on = "held", lasts = 0.2 },
    { name = "focus", factor = 0.4, on = "held", unless = "not thrust", ease = 0.1 },
]
[[craft]]
name = "cart"
start = { x = 50, y = 60, vx = 30, heading = 20 }
radius = 6
resources = [{ name = "fuel", most = 9, start = 4 }, { name = "heat", start = 0 }]
rules = [
    { rule = "latch", name = "lit", switches = "lamp", stops = "late", lasts = 0.2 },
    { rule = "thrust", accel = 200, direction = 30, costs = [{ resource = "fuel", rate = 3 }] },
    { rule = "dash", speed = 200, duration = 0.1, costs = [{ resource = "fuel", amount = 2 }] },
    { rule = "gain", resource = "heat", rate = 40, on = ["thrust", "not low"] },
    { rule = "turn", rate = 90, follows = [
        { key = "rate", by = "speed", points = [[0, 180], [300, 40]] },
    ] },
    { rule = "drag", rate = 1, axis = "across", follows = [
        { key = "rate", by = "resource", resource = "heat", power = 2, at = 50, most = 3 },
    ] },
    { rule = "friction", decel = 20, axis = "ahead", unless = "not lit" },
    { rule = "move" },
]
[[craft]]
name = "moon"
start = { x = 150, y = 30 }
[[craft.rules]]
rule = "ease"
target = "cart"
rate = 6
offset = [20, 5]
offset_turns = true
offset_rate = 90
delay = 0.1
lead = 0.05
across_edges = true
[[craft]]
name = "hook"
start = { x = 150, y = 90 }
radius = 5
rules = [
    { rule = "spring", target = "moon", frequency = 2, damping_ratio = 0.3, length = 20 },
    { rule = "swing", axis = "heading", amplitude = 30, period = "20 frames" },
]
[[craft]]
name = "tray"
start = { x = 200, y = 90 }
radius = 8
rules = [{ rule = "path", points = [[200, 90], [240, 90], [240, 40]], duration = 0.7 }]
[[contact]]
between = ["cart", "tray"]
[[condition]]
name = "low"
measure = "resource"
resource = "fuel"
below = 1
[[condition]]
name = "late"
measure = "distance"
to = "tray"
below = 60
[[condition]]
name = "met"
event = "bounce"
of = "cart"
[[condition]]
name = "held"
starts = "not left"
switches = "met"
lasts = 0.1
[tape.holds]
thrust = [[0.1, 0.6]]
left = [[0.2, 0.3]]
lamp = [[0.3, 0.4]]
dash = [[0.5, 0.6]]
"""
TEXTS = [*(demo_text(name) for name in demo_names()), *[FED] * 9, *[RICH] * 9]
DATA = [tomllib.loads(text) for text in TEXTS]
VALUES = [value for data in DATA for value in values_in(data)]


def scenario(chance: random.Random, _folder: Path) -> tuple[Any, Callable[[], object]]:
    """Spoil a scenario by its structure."""
    data = chance.choice(DATA)
    for _ in range(chance.choice([1, 1, 1, 2, 3])):
        data = spoiled(data, chance, VALUES)
    return data, lambda: flown(tr.Scenario.from_data(data))


def mixed(chance: random.Random, _folder: Path) -> tuple[Any, Callable[[], object]]:
    """Put tables of one scenario into another, and names that are there in place of names."""
    data, other = (json.loads(json.dumps(chance.choice(DATA))) for _ in range(2))
    for key in chance.sample(sorted(other), min(chance.choice([1, 2, 4]), len(other))):
        if isinstance(other[key], list) and isinstance(data.get(key, []), list):
            some = chance.sample(other[key], chance.randint(1, len(other[key])))
            data[key] = [*data.get(key, []), *some]
        else:
            data[key] = other[key]
    named = [one for part in data.values() if isinstance(part, list) for one in part]
    many = [one["name"] for one in named if "grid" in one or "pool" in one or "columns" in one]
    names = [one["name"] for one in named if "name" in one] + [f"{name} 2" for name in many]
    names += [group for one in named for group in one.get("groups", ())]
    return renamed(data, names, chance), lambda: flown(tr.Scenario.from_data(data))


def renamed(data: Any, names: list[str], chance: random.Random) -> Any:
    """Put, in place, other names where something is called by one."""
    for key, value in data.items() if isinstance(data, dict) else enumerate(data):
        if isinstance(value, dict | list):
            renamed(value, names, chance)
        elif value in names and key != "name" and chance.random() < 0.3:
            data[key] = chance.choice(names)
    return data


NAMING = {
    *("name", "groups", "between", "moves", "spawns", "shots", "follow", "lives_of", "target"),
    *("left", "right", "up", "down", "action", "reverse_action", "glide_action", "on", "unless"),
    *("stick", "x", "y"),
}
"""Keys of which a text is a name that the file chooses."""
NAMED_TABLES = ("sticks", "holds", "taps", "values", "pointers")
"""Tables of which each key is such a name."""


def named(chance: random.Random, _folder: Path) -> tuple[Any, Callable[[], object]]:
    """Give each thing in a scenario another name, of any letters or one of the library's own."""
    data = parse_scenario(chance.choice(TEXTS)).model_dump(mode="json", exclude_none=True)
    # a dash is also the timer of that name, for rules that wait for it
    names = sorted(names_in(data) - {"dash"})
    others: dict[str, str] = {}
    for name in names:
        while (new := any_name(chance)) in others.values():
            pass
        others[name] = new
    called = with_names(data, others)
    return called, lambda: _flies_alike(data, called)


def names_in(data: Any) -> set[str]:
    """Return the names that a scenario chooses."""
    if isinstance(data, list):
        return {name for part in data for name in names_in(part)}
    if not isinstance(data, dict):
        return set()
    found = {name for key, value in data.items() if key in NAMING for name in texts_of(value)}
    tables = [data[key] for key in NAMED_TABLES if isinstance(data.get(key), dict)]
    found |= {name for table in tables for name in table}
    return found | {name for value in data.values() for name in names_in(value)}


def texts_of(value: Any) -> list[str]:
    """Return a text, or the texts of a list, without those that are empty."""
    parts = value if isinstance(value, list) else [value]
    return [part for part in parts if isinstance(part, str) and part]


def with_names(data: Any, others: dict[str, str], naming: bool = False) -> Any:
    """Return a scenario in which everything that has a name is called otherwise."""
    if isinstance(data, list):
        return [with_names(part, others, naming) for part in data]
    if isinstance(data, str):
        return others.get(data, data) if naming else data
    if not isinstance(data, dict):
        return data
    renewed = {key: with_names(value, others, key in NAMING) for key, value in data.items()}
    for key in NAMED_TABLES:
        if isinstance(table := renewed.get(key), dict):
            renewed[key] = {others.get(name, name): value for name, value in table.items()}
    return renewed


def any_name(chance: random.Random) -> str:
    """Return a name of any letters of Unicode, or one that the library uses itself."""
    if chance.random() < 0.5:
        return chance.choice(IDENTIFIERS)
    return "".join(
        chr(chance.randrange(0x110000)) if chance.random() < 0.02 else chance.choice(PRINTABLE)
        for _ in range(chance.choice([1, 1, 2, 5]))
    )


def identifiers() -> list[str]:
    """Return every name in the library's own code, and Python's own words."""
    found = {*keyword.kwlist, *dir(builtins)}
    for path in Path(tr.__file__).parent.rglob("*.py"):
        found |= set(re.findall(r"[^\W\d]\w*", path.read_text()))
    return sorted(name for name in found if not any(word in name for word in FOREIGN))


IDENTIFIERS = identifiers()
PRINTABLE = [letter for letter in map(chr, range(0x110000)) if letter.isprintable()]


def _flies_alike(data: Any, called: Any) -> None:
    one = tr.Scenario.from_data(called)
    flown(one)
    flights = [tr.simulate(scenario) for scenario in (tr.Scenario.from_data(data), one)]
    first, second = (flight.frames[["x", "y"]].to_numpy() for flight in flights)
    assert np.array_equal(first, second, equal_nan=True), "another flight under other names"


def judged(chance: random.Random, folder: Path) -> tuple[Any, Callable[[], object]]:
    """Spoil a scenario by its structure, and judge it: feel, checks, a pin, causes and cures."""
    data, _act = scenario(chance, folder)

    def act() -> None:
        one = tr.Scenario.from_data(data)
        one = one.replaced(duration=min(one.duration, 2.0))
        for command in (_judged_by_feel, _judged_by_checks, _pinned, _explained):
            _within_time(partial(command, one, folder))

    return data, act


def _judged_by_feel(one: tr.Scenario, _folder: Path) -> None:
    tr.feel(one, rates=[30, 60])


def _judged_by_checks(one: tr.Scenario, _folder: Path) -> None:
    for found in tr.check(one, rates=[30, 60]):
        assert "\n" not in str(found), "a finding of several lines"


def _pinned(one: tr.Scenario, folder: Path) -> None:
    pinned = tr.pin(one, [60])
    path = tr.write_pin(pinned, folder / "one.pin.toml")
    assert tr.read_pin(path) == pinned, "a pin that does not read back equal"


def _explained(one: tr.Scenario, folder: Path) -> None:
    causes = tr.explain(one, rates=[45])
    str(causes)
    cured = tr.find_cures(causes, felt=False).cured
    if cured is not None:
        tr.write_scenario(one, folder / "one.toml")
        tr.apply_cure(folder / "one.toml", cured, folder / "cured.toml")


def drawn(chance: random.Random, folder: Path) -> tuple[Any, Callable[[], object]]:
    """Spoil a scenario by its structure, and draw it."""
    data, _act = scenario(chance, folder)

    def act() -> None:
        from tinrocket.show.pictures import PICTURES, pictures_of

        one = tr.Scenario.from_data(data)
        compared = tr.compare(one.replaced(duration=min(one.duration, 2.0)), [30, 60])
        for name in pictures_of(compared):
            picture = partial(tr.save_figure, PICTURES[name].draw(compared), folder / "picture.png")
            _within_time(picture)
        tr.save_figure(tr.plot_path(compared.runs[0].flight), folder / "picture.png")
        assert compared._repr_html_()

    return data, act


def by_bytes(chance: random.Random, folder: Path) -> tuple[Any, Callable[[], object]]:
    """Spoil a scenario by its bytes."""
    text = garbled(chance.choice(TEXTS).encode(), chance)
    path = folder / "spoilt.toml"
    path.write_bytes(text)
    return text, lambda: flown(tr.read_scenario(path))


def of_text(texts: str | list[str], ending: str, read: Callable[[Path], object]) -> Any:
    """Return what spoils a text file of another kind, one of some."""
    several = [texts] if isinstance(texts, str) else texts

    def spoil(chance: random.Random, folder: Path) -> tuple[Any, Callable[[], object]]:
        path = folder / f"spoilt{ending}"
        spoilt = spoilt_text(chance.choice(several), ending, chance)
        path.write_bytes(spoilt)
        return spoilt, lambda: read(path)

    return spoil


def spoilt_text(text: str, ending: str, chance: random.Random) -> bytes:
    """Return a table with a cell in the wrong place, TOML spoiled by its structure, or bytes."""
    if chance.random() < 0.5:
        return garbled(text.encode(), chance)
    if ending == ".toml":
        return _shown(spoiled(tomllib.loads(text), chance, VALUES)).encode()
    lines = text.splitlines()
    cells = lines[chance.randrange(len(lines))].split(",")
    cells[chance.randrange(len(cells))] = str(chance.choice(NASTY))
    lines[chance.randrange(len(lines))] = ",".join(cells)
    return "\n".join(lines).encode("utf-8", "surrogatepass")


def of_flight(files: dict[str, str]) -> Any:
    """Return what spoils one of the files of a recorded flight: frames, events or note."""

    def spoil(chance: random.Random, folder: Path) -> tuple[Any, Callable[[], object]]:
        for name, text in files.items():
            (folder / name).write_text(text)
        name = chance.choice(sorted(files))
        spoilt = spoilt_text(files[name], Path(name).suffix, chance)
        (folder / name).write_bytes(spoilt)
        return spoilt, lambda: read_flight(folder / "flight.csv")

    return spoil


def flown(one: tr.Scenario) -> None:
    """Do with a scenario what people do, one thing after the other."""
    rows = _within_time(partial(_simulated, one))
    for command in (_compared, _kept):
        _within_time(partial(command, one), SECONDS + rows / ROWS_A_SECOND)


def _simulated(one: tr.Scenario) -> int:
    flight = tr.simulate(one)
    times = flight.happened["t"]
    assert ((times >= 0.0) & (times <= flight.duration + 1e-9)).all(), "an event at no time"
    assert (flight.happened["count"] >= -1000).all()
    assert all(map(bool, flight.warnings))
    str(flight)
    if flight.view is not None:
        flight.on_screen()
    return len(flight.frames) + len(flight.happened["t"])


def _compared(one: tr.Scenario) -> None:
    assert _read_back(one) == one, "a scenario that does not read back equal"
    compared = tr.compare(one, rates=[47])
    assert str(compared)


def _kept(one: tr.Scenario) -> None:
    flight = tr.simulate(one)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "flight.csv"
        tr.write_trajectory(flight, path)
        again = tr.read_trajectory(path)
        assert again.frames.equals(flight.frames), "a flight that does not read back equal"
        assert again.events.equals(flight.events), "events that do not read back equal"


def _read_back(one: tr.Scenario) -> tr.Scenario:
    with tempfile.TemporaryDirectory() as folder:
        tr.write_scenario(one, Path(folder) / "one.toml")
        return tr.read_scenario(Path(folder) / "one.toml")


def read_flight(path: Path) -> None:
    """Do with a recorded flight what people do."""
    flight = tr.read_trajectory(path)
    str(flight)
    for name in flight.craft:
        flight.extremes(name)
        flight.at(flight.duration / 2, name)
        tr.measure_drift(flight, flight, name)
    written = path.with_name("again.csv")
    tr.write_trajectory(flight, written)
    assert tr.read_trajectory(written).frames.equals(flight.frames)
    tr.plot_path(flight)


def read_pin(path: Path) -> None:
    """Do with a pin what people do."""
    pinned = tr.read_pin(path)
    difference(pinned, pinned, 0.01)
    difference(pinned, replace(pinned, ends={}), 0.01)
    again = tr.write_pin(pinned, path.with_name("again.pin.toml"))
    tr.read_pin(again)


def mask(chance: random.Random, folder: Path) -> tuple[Any, Callable[[], object]]:
    """Spoil a picture of which the dark parts are a shape."""
    from PIL import Image

    path = folder / "mask.png"
    Image.new("L", (12, 9), 0).save(path)
    spoilt = garbled(path.read_bytes(), chance)
    path.write_bytes(spoilt)
    return spoilt, lambda: tr.read_mask(path)


def kinds() -> dict[str, Any]:
    """Return for each kind of file what spoils one."""
    tape = "t,action,value\n0.5,thrust,1\n1.5,thrust,0\n0.2,x,0.25\n1.0,x,-0.5\n"
    frames = "frame_ms\n" + "\n".join(str(16 + n % 3) for n in range(30)) + "\n"
    log = "t,x,y,fire\n" + "\n".join(f"{n / 60},{n * 3 % 90},{n},{n % 2}" for n in range(40)) + "\n"
    rows = [(n / 60, n * 3 % 90, n, n % 2) for n in range(40)]
    logs = [
        log,
        "\n".join(json.dumps({"t": t, "pos": {"x": x, "y": y}, "fire": f}) for t, x, y, f in rows),
        "\n".join(f"[info] t={t} pos=({x}, {y}) fire={f}" for t, x, y, f in rows),
        "# a log\nframe;a.x;a.y;b.x;b.y;event\n"
        + "\n".join(f"{n};{x},5;{y};1;2;hit|bounce" for n, (_t, x, y, _f) in enumerate(rows)),
        "clock\tcraft\tx\ty\n"
        + "\n".join(f"00:00:{t:06.3f}\tc{n % 3}\t{x}\t{y}" for n, (t, x, y, _f) in enumerate(rows)),
    ]
    with tempfile.TemporaryDirectory() as folder:
        rich = parse_scenario(RICH).model_copy(update={"duration": 0.4})
        parts = tr.write_trajectory(tr.simulate(rich), Path(folder) / "flight.csv")
        flight = {path.name: path.read_text() for path in parts}
        pinned = tr.write_pin(tr.pin(rich, [60]), Path(folder) / "one.pin.toml").read_text()
    return {
        "scenario": scenario,
        "mixed": mixed,
        "named": named,
        "judged": judged,
        "drawn": drawn,
        "bytes": by_bytes,
        "tape": of_text(tape, ".csv", tr.read_tape),
        "frames": of_text(frames, ".csv", tr.read_frame_times),
        "flight": of_flight(flight),
        "pin": of_text(pinned, ".toml", read_pin),
        "log": of_text(logs, ".csv", tr.read_log),
        "mask": mask,
    }


def unreadable(error: tr.TinRocketError) -> str:
    """Return what is wrong with a message, if anything is."""
    for line in str(error).split("\n"):
        if len(line) > LONGEST_LINE:
            return "a message with a line that is too long"
        if any(ord(letter) < 32 or ord(letter) == 127 for letter in line):
            return "a message with a control character"
        if not line.strip():
            return "a message with an empty line"
        for word in FOREIGN:
            if word in line:
                return f"a message that says '{word}'"
    return ""


def refused(act: Callable[[], object]) -> str:
    """Do something, and return what is wrong with how it is refused, if it is and anything is."""
    try:
        act()
    except tr.TinRocketError as error:
        return unreadable(error)
    return ""


def violation(act: Callable[[], object]) -> tuple[str, str]:
    """Return which kind of violation something is, and where; empty if it is none."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            _within_time(act)
    except tr.TinRocketError as error:
        return unreadable(error), str(error)[:300]
    except TooLongError:
        return "too long", "".join(traceback.format_exc().splitlines(keepends=True)[-9:-1])
    except BaseException as error:  # whatever it is, it should have been a sentence
        frames = [f for f in traceback.extract_tb(error.__traceback__) if "tinrocket" in f.filename]
        at = f"{Path(frames[-1].filename).name}:{frames[-1].lineno}" if frames else "?"
        return f"{type(error).__name__} at {at}", str(error)[:300]
    return "", ""


def _within_time(act: Callable[[], Result], seconds: float = SECONDS) -> Result:
    """Do something, with so much work or waiting at most."""
    signal.setitimer(signal.ITIMER_PROF, seconds)
    signal.alarm(WAITING)
    try:
        return act()
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0.0)
        signal.alarm(0)


def main() -> None:
    """Spoil as many files as asked for."""
    name, count, seed = sys.argv[1], int(sys.argv[2]), int((sys.argv[3:] or ["0"])[0])
    # what is only reserved, as the engine does, is not counted
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY, MEMORY))

    def too_long(_number: int, _frame: object) -> None:
        raise TooLongError

    for one in (signal.SIGPROF, signal.SIGALRM):
        signal.signal(one, too_long)
    spoil, found, ended = kinds()[name], Counter[str](), Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(count):
            chance = random.Random(f"{seed} {number}")  # noqa: S311
            mutant, act = spoil(chance, Path(folder))
            kind, what = violation(act)
            ended["violations" if kind else "answered"] += 1
            if kind and found[kind] < SHOWN:
                shown = mutant if isinstance(mutant, bytes) else _shown(mutant)
                (Path(tempfile.gettempdir()) / f"mutant-{name}-{number}").write_bytes(
                    shown if isinstance(shown, bytes) else shown.encode(errors="surrogatepass")
                )
                print(f"{kind}: {what}\n  mutant {number}", flush=True)
            found[kind] += bool(kind)
    for kind, times in found.most_common():
        if kind:
            print(f"{times:6} {kind}")
    print(f"{count:,} mutants: {dict(ended)}")


def _shown(data: Any) -> str:
    try:
        return tomli_w.dumps(data)
    except Exception:
        return json.dumps(data, default=str)


if __name__ == "__main__":
    main()
