"""Toys with hands that are given: their scenarios, and the keys that a plain loop polls."""

import tinrocket as tr

KEYS = {"go": [[0.1037, 1.3021], [1.6013, 2.4]], "left": [[0.5071, 0.9049]]}
KEYS |= {"mode": [[0.2033, 0.3], [0.7044, 0.8], [1.1077, 1.2]], "drop": [[1.4091, 1.5]]}
BENCH = {"width": 800, "height": 600, "edges": "open", "y_axis": "down"}
BENCH |= {"angles": {"zero": "right", "positive": "clockwise"}}


def toy(rules, keys=(), **rest):
    craft = {"name": "toy", "start": {"x": 100, "y": 300, "vx": 40}} | rest.pop("craft", {})
    others = rest.pop("others", [])
    return tr.Scenario.from_data(
        {
            "duration": 2.4,
            "timing": "dt",
            "arena": BENCH | rest.pop("arena", {}),
            "craft": [craft | {"rules": [*rules, *rest.pop("moves", [{"rule": "move"}])]}, *others],
            "tape": {"holds": {name: KEYS[name] for name in keys}},
        }
        | rest
    )


class Keys:
    """The keys of a frame, as a game polls them."""

    def __init__(self, t, before):
        self.down = {k: any(a <= t + 1e-9 < b for a, b in spans) for k, spans in KEYS.items()}
        self.before = before

    def __getattr__(self, name):
        return self.down[name]

    def pressed(self, name):
        return self.down[name] and not self.before.get(name, False)

    def released(self, name):
        return not self.down[name] and self.before.get(name, False)
