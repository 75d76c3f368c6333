"""Let random crowds meet, and see that every way to fly them gives the same bits.

Run ``python tools/crowds.py 1000 [SEED]``.  Each crowd is flown with its couples listed and with a
grid, and every tenth in plain Python too.  Where something pushes, bodies that hardly lie on each
other any more may differ by a last digit between the first two, so that only others are held to
it.  What differs, or ends in anything but a flight or a sentence, is printed with its number, and
the counts at the end.
"""

import sys
import traceback
from collections import Counter
from typing import Any
from unittest import mock

import numpy as np

import tinrocket as tr
from tinrocket.compile import broad_phase_tables

GROUPS = ("cans", "tops", "cogs")
RESPONSES = ("bounce", "bounce", "block", "count", "stop", "remove")
SIDES = ("bounce", "wrap", "clamp", "remove", "open")


def crowd(draw: np.random.Generator) -> dict[str, Any]:
    """Return a scenario of some toys of many shapes, with contacts of all kinds."""

    def between(low: float, high: float) -> float:
        return float(draw.uniform(low, high))

    def pick(values: Any) -> Any:
        return values[int(draw.integers(len(values)))]

    def shape() -> dict[str, Any]:
        return pick(
            (
                {"kind": "circle", "radius": between(2, 14)},
                {"kind": "box", "width": between(4, 30), "height": between(4, 30)},
                {"kind": "diamond", "width": between(6, 24), "height": between(6, 24)},
                {"kind": "box", "width": 14.0, "height": 8.0, "turns": True},
                {"kind": "polygon", "points": [[-8, -6], [9, -4], [2, 10]]},
                {"kind": "mask", "rows": ["###", "#..", "###"], "scale": 5},
            )
        )

    craft, falls = [], draw.random() < 0.4
    for n in range(int(draw.integers(2, 14))):
        start = {"x": between(20, 240), "y": between(20, 150), "heading": between(0, 360)}
        start |= {"vx": between(-300, 300), "vy": between(-300, 300)}
        rules: list[dict[str, Any]] = []
        if falls:
            rules.append({"rule": "fall", "accel": between(50, 900)})
        if draw.random() < 0.3:
            rules.append({"rule": "drag", "rate": between(0.1, 3)})
        rules.append({"rule": "move"} | ({"method": "half"} if draw.random() < 0.3 else {}))
        one: dict[str, Any] = {"name": f"toy {n}", "start": start, "shape": shape()}
        one |= {"groups": [pick(GROUPS)], "rules": rules}
        if draw.random() < 0.4:
            one["mass"] = pick((0.5, 1.0, 3.0, "immovable"))
        if draw.random() < 0.15:
            one["grid"] = {"columns": 3, "rows": 2, "step": [20, 20]}
        craft.append(one)
    groups = sorted({one["groups"][0] for one in craft})
    contacts = []
    for _ in range(int(draw.integers(1, 5))):
        contact = {"between": [pick(groups), pick([*groups, "pegs"])], "response": pick(RESPONSES)}
        if contact["response"] == "bounce":
            contact["restitution"] = pick((0.0, 0.3, 0.9, 1.0))
        contacts.append(contact | ({"detection": "overlap"} if draw.random() < 0.3 else {}))
    pegs = {"name": "pegs", "at": [40, 150], "columns": 4, "rows": 2, "step": [60, 25]}
    arena = {"width": 300, "height": 200, "edges": pick(SIDES)}
    arena["edges_act"] = pick(("before_contacts", "after_contacts"))
    clock = {"rate": pick((15, 30, 60, 144))}
    one = {"duration": 0.5, "timing": pick(("frame", "dt", "exact")), "arena": arena}
    return one | {
        "clock": clock,
        "craft": craft,
        "obstacle": [pegs | {"shape": shape()}],
        "contact": contacts,
    }


def flown(data: dict[str, Any], couples: int) -> tuple[bytes, bytes]:
    """Return the bits of a flight: its frames, and when its events are."""
    with mock.patch.object(broad_phase_tables, "COUPLES", couples):
        flight = tr.simulate(tr.Scenario.from_data(data))
    return flight.recorded.block.tobytes(), flight.happened["t"].tobytes()


def differs(data: dict[str, Any], *, plainly: bool) -> str:
    """Return in which ways the bits of a crowd differ; nothing if they do not."""
    pushed = any(rule["rule"] == "fall" for one in data["craft"] for rule in one["rules"])
    if not pushed and flown(data, broad_phase_tables.COUPLES) != flown(data, 0):
        return "a list of couples and a grid differ"
    if plainly:
        one = tr.Scenario.from_data(data)
        flights = [tr.Flight(one, plain=plain).run() for plain in (False, True)]
        if len({flight.snapshot().state.tobytes() for flight in flights}) > 1:
            return "compiled and plain differ"
    return ""


def main() -> None:
    """Fly as many crowds as asked for."""
    count, seed = int(sys.argv[1]), int((sys.argv[2:] or ["0"])[0])
    ended = Counter[str]()
    for number in range(count):
        data = crowd(np.random.default_rng([seed, number]))
        try:
            told = differs(data, plainly=number % 10 == 0)
        except tr.TinRocketError:
            ended["sentences"] += 1
            continue
        except Exception:
            told = traceback.format_exc()
        ended["violations" if told else "flown"] += 1
        if told:
            print(f"crowd {number}: {told}", flush=True)
    print(f"{count:,} crowds: {dict(ended)}")


if __name__ == "__main__":
    main()
