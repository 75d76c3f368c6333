"""Rules that count frames are blamed and cured, and what does not fit is refused."""

import pytest

import tinrocket as tr

from .toys import BENCH, toy

FED = {"name": "top", "resources": [{"name": "fuel", "most": 4}]}
FAULTS = {
    "gain": [
        {"rule": "gain", "resource": "fuel", "rate": -3, "on": "go", "timing": "frame"},
        {"rule": "force", "x": 400, "on": ["go", "some"]},
        {"rule": "gain", "name": "leak", "resource": "fuel", "rate": 0.1},
    ],
    "thrust": [
        {"rule": "thrust", "accel": 300, "action": "go", "timing": "frame", "direction": 60}
        | {"costs": [{"resource": "fuel", "rate": 2}]},
    ],
    "friction": [{"rule": "friction", "decel": 30, "timing": "frame"}],
    "drag": [
        {"rule": "drag", "rate": 2.0, "timing": "frame"}
        | {"follows": [{"key": "rate", "by": "speed", "points": [[0, 0.5], [60, 4]]}]},
    ],
    "swing": [{"rule": "swing", "amplitude": 50, "period": 1.1, "timing": "frame"}],
    "path": [
        {"rule": "path", "points": [[0, 0], [90, 300]], "duration": 3, "timing": "frame"},
    ],
    "spring": [
        {"rule": "spring", "target": [500, 200], "stiffness": 9, "damping": 1, "timing": "frame"}
    ],
}


@pytest.mark.parametrize("name", FAULTS)
def test_one_fault_is_blamed_and_its_cure_agrees(name):
    """Each rule counts frames in a game that is exact otherwise; its own cure mends it."""
    places = name in ("swing", "path", "spring")
    game = toy(
        FAULTS[name],
        ["go"] if name in ("gain", "thrust") else [],
        timing="exact",
        craft=FED
        | {"start": {"x": 100, "y": 300, "vx": 60 if name in ("friction", "drag") else 0}},
        moves=[] if places else [{"rule": "move"}],
        condition=[{"name": "some", "measure": "resource", "resource": "fuel", "above": 0}],
    )
    causes = tr.explain(game, rates=[30, 144])
    worst = max(causes.runs, key=lambda run: run.whole)
    assert worst.causes[0].suspect.name == f"top.{name}"
    assert worst.causes[0].share > 0.85
    cured, _clock = worst.causes[0].suspect.off((game, tr.Clock()))
    drifts = [
        tr.measure_drift(tr.simulate(cured, rate=rate), tr.simulate(game, rate=60), "top").largest
        for rate in (30, 60, 144)
    ]
    assert max(drifts) < 0.15 * worst.whole


def test_fixed_steps_with_the_frames_dt_are_blamed():
    game = toy([], timing="exact", clock={"fixed_rate": 60, "step_dt": "frame"})
    worst = tr.explain(game, rates=[30, 144]).runs[0]
    assert worst.causes[0].suspect.name == "fixed steps with the drawn frame's dt"
    assert worst.causes[0].share > 0.95


TANK = {"resources": [{"name": "oil", "most": 9.0}]}
SAID = {
    "has no resource 'oli'; did you mean 'oil'": {
        "rules": [{"rule": "gain", "resource": "oli", "rate": 1}]
    },
    "there is no resource|has no resource 'fuel'": {
        "rules": [{"rule": "force", "x": 1, "costs": [{"resource": "fuel", "rate": 1}]}]
    },
    "give either 'rate', per second, or 'amount'": {
        "rules": [{"rule": "force", "x": 1, "costs": [{"resource": "oil"}]}]
    },
    "acts at single moments; give the 'amount'": {
        "rules": [{"rule": "flap", "speed": 9, "costs": [{"resource": "oil", "rate": 1}]}]
    },
    "'start' must lie between 0 and 9": {"resources": [{"name": "oil", "most": 9, "start": 10}]},
    "'least' must be below 'most'": {"resources": [{"name": "oil", "least": 9, "most": 9}]},
    "two are named 'oil'": {"resources": [{"name": "oil"}, {"name": "oil"}]},
    "there may be 6": {"resources": [{"name": f"oil {n}"} for n in range(7)]},
    "'y' is no number|'z' is no number of this rule": {
        "rules": [
            {"rule": "force", "x": 1}
            | {"follows": [{"key": "z", "by": "speed", "points": [[0, 1], [1, 2]]}]}
        ]
    },
    "at least two pairs": {
        "rules": [
            {"rule": "force", "x": 1}
            | {"follows": [{"key": "x", "by": "speed", "points": [[1, 1], [1, 2]]}]}
        ]
    },
    "'power' needs 'at'": {
        "rules": [{"rule": "force", "x": 1, "follows": [{"key": "x", "by": "speed", "power": 2}]}]
    },
    "'to' belongs to by = 'distance'": {
        "rules": [
            {"rule": "force", "x": 1}
            | {"follows": [{"key": "x", "by": "distance", "points": [[0, 1], [1, 2]]}]}
        ]
    },
    "give either 'stiffness' and 'damping', or 'frequency'": {
        "rules": [{"rule": "spring", "target": [1, 1]}]
    },
    "not all the same": {"rules": [{"rule": "path", "points": [[1, 1], [1, 1]], "duration": 1}]},
    "a latch needs a 'name'": {"rules": [{"rule": "latch", "switches": "go"}]},
    "would mean that 'late' is off": {
        "rules": [{"rule": "timer", "name": "not late", "action": "go", "duration": 1}]
    },
}


@pytest.mark.parametrize("message", SAID)
def test_invalid_rules_and_resources_are_refused_with_a_reason(message):
    craft = {"name": "top", "start": {"x": 1, "y": 1}, "rules": [{"rule": "move"}]} | TANK
    with pytest.raises(tr.ScenarioError, match=message):
        tr.Scenario.from_data({"duration": 1, "arena": BENCH, "craft": [craft | SAID[message]]})


STAGED = {
    "it waits for what belongs to a craft; give that craft a rule 'latch'": {
        "condition": [
            {"name": "near", "measure": "x", "above": 3},
            {"name": "on", "starts": "near"},
        ]
    },
    "'to' names what a 'distance'": {
        "condition": [{"name": "d", "measure": "distance", "above": 1}]
    },
    "there is no craft or pointer 'tpo'": {
        "condition": [{"name": "d", "measure": "distance", "to": "tpo", "above": 1}]
    },
    "a latch has no 'delay'": {"condition": [{"name": "d", "starts": "go", "delay": 1}]},
    "'stops' and 'lasts' belong to a latch": {
        "condition": [{"name": "d", "all_of": "go", "stops": "go"}]
    },
    "what eases never stops quite": {"tempo": [{"name": "t", "on": "go", "ease": 1.0}]},
    "no craft has 'fuel'": {
        "condition": [{"name": "d", "measure": "resource", "resource": "fuel", "above": 1}]
    },
}


@pytest.mark.parametrize("message", STAGED)
def test_invalid_conditions_and_tempos_are_refused_with_a_reason(message):
    craft = {"name": "top", "start": {"x": 1, "y": 1}, "rules": [{"rule": "move"}]}
    with pytest.raises(tr.ScenarioError, match=message):
        tr.Scenario.from_data({"duration": 1, "arena": BENCH, "craft": [craft]} | STAGED[message])
