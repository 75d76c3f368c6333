"""Games as practitioners write them: hands by frame, and the scenario that says the same."""

from collections.abc import Callable, Iterable

import numpy as np

import tinrocket as tr

FRAMES = 1000


def held(n: int, period: int, length: int, begins: int = 0) -> bool:
    """Whether an action is down in frame n: for a while, again and again."""
    return n >= begins and (n - begins) % period < length


def presses(rate: float, period: int, length: int, begins: int = 0) -> list[list[float]]:
    """The same as intervals on a tape."""
    starts = range(begins, FRAMES, period)
    return [[(n - 0.5) / rate, (n + length - 0.5) / rate] for n in starts]


def clamp(value: float, low: float, high: float) -> float:
    return max(low, min(high, value))


def scene(told: dict, rate: float, timing: str = "frame") -> tr.Scenario:
    """Return the scenario of a game whose inputs change with the frames of a rate."""
    rules = [dict(rule) for rule in told["rules"]]
    for rule in rules:
        if isinstance(rule.get("during"), tuple):
            rule["during"] = [(n - 0.5) / rate for n in rule["during"]]
        if "lag" in rule:
            rule["lag"] = rule["lag"] / 60  # so that a tuned frame covers the same share
    tape = {
        "holds": {action: presses(rate, *when) for action, when in told.get("hands", {}).items()},
        "values": {
            action: [[(n - 0.5) / rate if n else 0, value(n)] for n in range(FRAMES)]
            for action, value in told.get("values", {}).items()
        },
    }
    if "pointer" in told:
        tape["pointers"] = {"hand": [[n / rate, x, y] for n, x, y in told["pointer"]]}
    craft = {"name": "toy", "rules": rules, "timing": timing} | told.get("craft", {})
    keys = ("sticks", "view", "obstacle", "contact", "condition", "spawner", "rounds", "clock")
    return tr.Scenario.from_data(
        {key: told[key] for key in keys if key in told}
        | {
            "units": "per_frame",
            "duration": FRAMES / rate,
            "arena": told["arena"],
            "craft": [
                craft | {k: told[k] for k in ("start", "radius", "art_offset") if k in told},
                *told.get("others", ()),
            ],
            "tape": tape,
        }
    )


def flies_as_the_game(update: Callable[[], Iterable], told: dict, rate: float) -> None:
    """Assert that a scenario is where the game's own update function says, frame by frame."""
    flown = tr.simulate(scene(told, rate), rate=rate).frames
    columns = told.get("columns", ["x", "y", "vx", "vy"])
    got = flown[flown["craft"] == "toy"][columns].to_numpy(copy=True)[1:]
    got[:, [column in ("vx", "vy") for column in columns]] /= 60  # as the games count: per frame
    truth = np.array(list(update()))
    assert len(np.unique(truth[:, :2], axis=0)) > FRAMES / 4  # it does move
    np.testing.assert_allclose(got, truth, rtol=0, atol=1e-9)
    places = [column in ("x", "y", "height") for column in columns]
    if told.get("same_bits", True):  # where no sine, power or difference of its own comes in
        np.testing.assert_array_equal(got[:, places], truth[:, places])
