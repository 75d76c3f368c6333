"""Numbers that change while a flight goes on, against scenarios that are planned anew with them."""

import numpy as np
import pytest

import tinrocket as tr
from tinrocket.compile.build import make_plan
from tinrocket.compile.number_cells import cells_of
from tinrocket.compile.retuning import retuning_of

RULES = {
    "drag, kept": {"rule": "drag", "keep": 0.9, "at": 50.0},
    "drag, half-life": {"rule": "drag", "half_life": 0.3},
    "drag, rate": {"rule": "drag", "rate": 2.0},
    "ease": {"rule": "ease", "target": [50, 60], "fraction": 0.1, "fraction_at": 30.0},
    "follow": {"rule": "follow", "target": [90, 90], "lag": 0.2},
    "turn": {"rule": "turn", "rate": 120.0},
    "torque": {"rule": "torque", "accel": 90.0},
    "fall": {"rule": "fall", "accel": 800.0, "terminal": 300.0},
    "dash": {"rule": "dash", "speed": 300.0, "duration": "9 frames", "cooldown": 0.5},
    "hop": {"rule": "hop", "duration": 0.5, "height": 20.0},
}


def of_rule(rule, timing, units):
    return {
        "timing": timing,
        "units": units,
        "duration": 1.0,
        "arena": {"width": 400, "height": 300},
        "craft": [
            {
                "name": "mouse",
                "start": {"x": 200, "y": 150, "vx": 3},
                "rules": [rule, {"rule": "move"}],
            }
        ],
    }


def scenarios():
    for name in tr.demo_names():
        yield pytest.param(tr.read_demo(name), id=name)
    for name, rule in RULES.items():
        for timing in ("frame", "dt", "exact"):
            for units in ("per_second", "per_frame"):
                try:
                    game = tr.Scenario.from_data(of_rule(rule, timing, units))
                except tr.ScenarioError:  # a rule that has no such timing
                    continue
                yield pytest.param(game, id=f"{name}, {timing}, {units}")


@pytest.mark.parametrize("game", list(scenarios()))
def test_a_number_that_is_changed_leaves_the_memory_of_a_new_plan(game):
    plan, random = make_plan(game), np.random.default_rng(3)
    numbers = retuning_of(plan).numbers
    assert numbers
    for number in numbers:
        low, high = number.within.low, number.within.high
        value = float(random.uniform(low, high))
        typed = f"{value!r} frames" if number.counts_frames else value
        image = plan.image.copy()
        for cell in cells_of(plan, {number.path: typed}):
            image[cell.cell] = cell.values
        anew = make_plan(tr.with_value(game, number.path, typed))
        assert anew.source == plan.source, number.path
        assert image.tobytes() == anew.image.tobytes(), number.path
