"""Pins: what is written down, what a change of it is, and the plugin of pytest."""

import json
import tomllib
from pathlib import Path

import pytest

import tinrocket as tr
from tests.conftest import Cli, scenario
from tinrocket.demos import demo_names
from tinrocket.feel_metrics.pin import changes, difference
from tinrocket.feel_metrics.pin_file import format_pin

PINS = Path(__file__).parent / "pins"
RULES: list[dict[str, object]] = [
    {"rule": "thrust", "accel": 300},
    {"rule": "drag", "keep": 0.98},
    {"rule": "move"},
]


def tug(**thrust: float) -> tr.Scenario:
    tape = {"holds": {"thrust": [[0.1, 0.9]]}}
    rules = [{**RULES[0], **thrust}, *RULES[1:]]
    return scenario(*rules, arena={"edges": "wrap"}, tape=tape, timing="frame")


@pytest.mark.parametrize("demo", demo_names())
def test_each_demo_matches_its_pin(demo: str, assert_pinned) -> None:
    assert_pinned(tr.read_demo(demo), PINS / f"{demo}.pin.toml")


def test_a_pin_is_read_as_it_was_written(tmp_path: Path) -> None:
    awkward = tug().replaced(title='A "tin" \\ tug\n\U000e0001' + "é")
    pinned = tr.pin(awkward, [25])
    path = tr.write_pin(pinned, tmp_path / "tug.pin.toml")
    assert tr.read_pin(path) == pinned
    assert format_pin(tr.read_pin(path)) == path.read_text(encoding="utf-8")
    assert pinned.rates == (25.0, 60.0)  # the tuned rate is always there
    bad = tmp_path / "bad.pin.toml"
    bad.write_text(path.read_text(encoding="utf-8").replace("25 fps", "slow"), encoding="utf-8")
    with pytest.raises(tr.ScenarioError, match="ends.slow: must be a rate such as '60 fps'"):
        tr.read_pin(bad)
    told = tomllib.loads(path.read_text(encoding="utf-8"))
    assert told["scenario"]["top.thrust.accel"] == "300"
    flown = tr.simulate(awkward, rate=25).at(2.0)
    assert told["ends"]["25 fps"]["top"] == pytest.approx(flown[["x", "y", "speed"]], rel=1e-3)


def test_a_changed_value_is_reported_with_the_changed_numbers() -> None:
    before, now = tr.pin(tug(), [60]), tr.pin(tug(accel=330), [60])
    done, said = changes(before, now)
    top = next(change for change in done if change.where == "60 fps: top, straight run: top speed")
    assert top.percent == pytest.approx(10.0, abs=0.1)
    assert [(change.where, change.was, change.now) for change in said] == [
        ("top.thrust.accel", "300", "330")
    ]
    assert not any("rise time" in change.where for change in done)  # which the thrust leaves alone
    assert difference(before, tr.pin(tug(accel=300.3), [60])) == ""
    assert "top.thrust.accel: 300 -> 330" in difference(before, now)
    fewer = tr.pin(tug(accel=20), [60])
    kinds = [change.where for change in changes(tr.pin(tug(accel=3000), [60]), fewer)[0]]
    assert kinds[0] == "60 fps: top, wrap"  # outcomes come first


def test_the_command_pins_checks_and_renews(cli: Cli) -> None:
    tr.write_scenario(tug(), "tug.toml")
    assert cli("pin", "tug.toml", "--rates", "30,60").stdout == "wrote tug.pin.toml\n"
    kept = Path("tug.pin.toml").read_text(encoding="utf-8")
    asked = ("check", "tug.toml", "--pinned", "tug.pin.toml")
    assert "does what tug.pin.toml records" in cli(*asked).stdout
    assert "is there already" in cli("pin", "tug.toml", ok=False).stderr
    assert Path("tug.pin.toml").read_text(encoding="utf-8") == kept
    told = json.loads(cli("pin", "tug.toml", "--rates", "30,60", "--accept", "--json").stdout)
    assert told["rates"] == [30, 60]
    assert told["file"] == "tug.pin.toml"
    assert Path("tug.pin.toml").read_text(encoding="utf-8") == kept
    tr.write_scenario(tug(accel=360), "tug.toml")
    done = cli(*asked, ok=False)
    assert done.returncode == 1
    assert "60 fps: top, straight run: top speed: 245 -> 294 (+20 %)" in done.stdout
    assert "top.thrust.accel: 300 -> 360" in done.stdout
    found = json.loads(cli(*asked, "--json", ok=False).stdout)
    changed = {change["where"]: change for change in found["changes"]}
    top = changed["60 fps: top, straight run: top speed"]
    assert top == {"where": top["where"], "was": "245", "now": "294", "percent": 20.0}
    assert [change["where"] for change in found["scenario"]] == ["top.thrust.accel"]
    assert cli(*asked, "--tolerance", "300").returncode == 0
    assert Path("tug.pin.toml").read_text(encoding="utf-8") == kept
    assert "wrote" in cli(*asked, "--accept").stdout
    assert cli(*asked).returncode == 0
    for wrong, said in (("rates = 3", "is no pin"), ("rates = [", "line 1"), ("", "is missing")):
        Path("bad.pin.toml").write_text(wrong, encoding="utf-8")
        refused = cli("check", "tug.toml", "--pinned", "bad.pin.toml", ok=False)
        assert refused.returncode == 2, said
    assert cli("check", "tug.toml", "--accept", ok=False).returncode == 2


TESTS = """
import tinrocket as tr

def tug(accel):
    thrust, drag = {{"rule": "thrust", "accel": accel}}, {{"rule": "drag", "rate": 2.0}}
    rules = [thrust, drag, {{"rule": "move"}}]
    craft = {{"name": "tug", "start": {{"x": 9, "y": 9}}, "rules": rules}}
    arena = {{"width": 90, "height": 90}}
    return tr.Scenario.from_data({{"duration": 1.0, "arena": arena, "craft": [craft]}})

def test_pinned(assert_pinned):
    assert_pinned(tug({accel}), "tug.pin.toml", rates=[60])

def test_same(assert_same_feel):
    assert_same_feel(tug(300), tug({accel}), tolerance=0.05)
    assert_same_feel(tug(300).with_timing("exact"), tug({accel}), rates=[60, 240])
"""


def test_the_plugin_asserts_and_renews(
    pytester: pytest.Pytester, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("CI", raising=False)
    pytester.makepyfile(test_feel=TESTS.format(accel=300))
    pytester.runpytest().assert_outcomes(passed=2)  # and so the pin is written
    pytester.runpytest().assert_outcomes(passed=2)
    pytester.makepyfile(test_feel=TESTS.format(accel=360))
    failed = pytester.runpytest()
    failed.assert_outcomes(failed=2)
    failed.stdout.fnmatch_lines(
        [
            "*60 fps: tug, straight run: top speed: 145 -> 174 (+20 %)*",
            "*tug.thrust.accel: 300 -> 360*",
            "*feel metrics differ by more than 5 %*",
            "*60 fps: tug, straight run, top speed [[]px/s]: 145 and 174*",
        ],
        consecutive=False,
    )
    pytester.runpytest("--tinrocket-update", "-k", "pinned").assert_outcomes(passed=1, deselected=1)
    pytester.runpytest("-k", "pinned").assert_outcomes(passed=1, deselected=1)
    monkeypatch.setenv("CI", "1")
    (pytester.path / "tug.pin.toml").unlink()
    missing = pytester.runpytest("-k", "pinned")
    missing.assert_outcomes(failed=1, deselected=1)
    missing.stdout.fnmatch_lines(["*there is no pin*"])
