"""Clocks and tapes, against exact fractions and a loop that polls frame by frame."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.flight import frame_schedule as kept_clocks
from tinrocket.flight import sampled_tape as kept_tapes
from tinrocket.flight.frame_schedule import lower_clock
from tinrocket.scenario.toml_file import format_scenario, parse_scenario

from .conftest import MOVE, THRUST, scenario

LATE = (tr.Hitch(at=0.5, length=0.2),)
LISTENING = ({"rule": "turn", "rate": 1}, THRUST, MOVE)


@pytest.mark.parametrize("rate", [10, 30, 60, 144])
def test_time_comes_from_the_index_and_is_never_summed(rate):
    """After an hour, frame n still begins at the float nearest to n / rate."""
    flown = tr.simulate(scenario(MOVE, duration=3600.0), rate=rate).frames
    truth = [float(Fraction(n, rate)) for n in range(3600 * rate + 1)]
    assert flown["t"].tolist() == truth


@given(
    rate=st.floats(5, 300),
    jitter=st.floats(0, 0.9),
    seed=st.integers(0, 99),
    at=st.floats(0, 1.5),
    length=st.floats(0.2, 0.5),
)
def test_jitter_and_hitch(rate, jitter, seed, at, length):
    """Every frame but the hitch is as long as the jitter allows; the game sees each length."""
    hitch = tr.Hitch(at=at, length=length)
    clock = tr.Clock(rate=rate, jitter=jitter / rate, seed=seed, hitches=(hitch,))
    game = scenario(MOVE, start={"vx": 1})
    flown = tr.simulate(game, clock=clock).frames
    steps = np.diff(flown["t"])
    np.testing.assert_allclose(np.diff(flown["x"]), steps, atol=1e-12)
    struck = np.searchsorted(flown["t"], at - 1e-9)
    assert steps[struck] == pytest.approx(length)
    others = np.delete(steps, struck)
    assert (np.abs(others - 1 / rate) <= jitter / rate + 1e-12).all()
    assert flown["t"].iloc[-2] < 2.0 <= flown["t"].iloc[-1] + 1e-9
    assert tr.simulate(game, clock=clock).frames.equals(flown)


def test_captured_frames_repeat_and_a_cap_slows_the_game():
    lengths = (0.1, 0.3, 0.2)
    clock = tr.Clock(frame_times=lengths, max_dt=0.15)
    flown = tr.simulate(scenario(MOVE, start={"vx": 1}), clock=clock)
    ends = np.cumsum([0, *lengths, *lengths, *lengths, 0.1, 0.3][: len(flown.frames)])
    np.testing.assert_allclose(flown.frames["t"], ends, atol=1e-12)
    game = np.cumsum([0, *np.tile([0.1, 0.15, 0.15], 4)][: len(flown.frames)])
    np.testing.assert_allclose(flown.frames["x"], game, atol=1e-12)
    assert flown.rate == pytest.approx(5)


TIMES = st.floats(0, 2).map(lambda t: round(t, 3))
INTERVALS = st.lists(st.tuples(TIMES, st.floats(0.001, 0.5)), max_size=6)


@given(holds=INTERVALS, taps=st.lists(TIMES, max_size=4), rate=st.sampled_from([7, 30, 144]))
@pytest.mark.parametrize("sampling", ["polled", "buffered"])
def test_sampling_equals_polling_in_every_frame(sampling, holds, taps, rate):
    """Buffered, a tap between two frames counts for the later; polled, it is lost and counted."""
    pressed = [(down, down + length) for down, length in holds]
    tape = {"sampling": sampling, "holds": {"thrust": pressed}, "taps": {"thrust": taps}}
    flown = tr.simulate(scenario(*LISTENING, tape=tape), rate=rate)
    merged: list[list[float]] = []
    for down, up in sorted(pressed + [(t, t + 0.02) for t in taps]):
        if merged and down <= merged[-1][1]:
            merged[-1][1] = max(up, merged[-1][1])
        else:
            merged.append([down, up])
    begins = [n / rate for n in range(2 * rate + 1)]
    seen = [float(any(down <= t < up for down, up in merged)) for t in begins]
    lost, told = [], set()
    for down, up in merged:
        after = [n for n, t in enumerate(begins) if t >= down]
        if not after:
            continue
        if sampling == "buffered":
            seen[after[0]] = 1.0
            if after[0] in told:  # a frame sees at most one press
                lost.append(down)
            told.add(after[0])
        elif not any(down <= t < up for t in begins):
            lost.append(down)
    assert flown.frames["in.thrust"].tolist() == seen
    assert flown.events["t"].tolist() == lost
    assert set(flown.events["action"]) <= {"thrust"}


def test_buffered_taps_in_neighbouring_frames_are_two_presses():
    tape = {"sampling": "buffered", "taps": {"flap": [0.11, 0.21, 0.31, 0.5]}}
    flap = {"rule": "flap", "speed": 1.0, "adds": True}
    flown = tr.simulate(scenario(flap, tape=tape), rate=10)
    assert flown.frames["in.flap"].tolist() == [0, 0, 1, 1, 1, 1, *[0] * 15]
    assert flown.events.query("kind == 'flap'")["frame"].tolist() == [2, 3, 4, 5]
    again = tr.simulate(scenario(flap | {"when": "released"}, tape=tape), rate=10).events
    assert again["frame"].tolist() == [3, 4, 5, 6]


def test_analog_values_hold_until_they_change():
    tape = {"values": {"thrust": [[0.25, 0.5], [1.0, -1.0]]}}
    flown = tr.simulate(scenario(*LISTENING, tape=tape), rate=8).frames
    assert flown["in.thrust"].tolist() == [0.0] * 2 + [0.5] * 6 + [-1.0] * 9
    gained = 300 / 8 * (6 * 0.5 - 8)
    assert flown["vx"].iloc[-1] == pytest.approx(gained)


def test_tapes_and_frame_times_from_csv(tmp_path):
    tape = tr.Tape.from_data(
        {
            "holds": {"thrust": [[0.1, 0.4], [1, 2]], "früh": [[0, 0.3]]},
            "values": {"stick": [[0, 0.25], [1.5, -1]]},
        }
    )
    tr.write_tape(tape, tmp_path / "tape.csv")
    assert tr.read_tape(tmp_path / "tape.csv") == tape
    pointing = tr.Tape(pointers={"hand": ((0.0, 1.0, 2.0), (0.5, 3.0, 4.0))})
    tr.write_tape(pointing, tmp_path / "hand.csv")
    assert tr.read_tape(tmp_path / "hand.csv", ["hand"]) == pointing
    with pytest.raises(tr.OptionError, match="'hand x' is an action, and a place of a pointer too"):
        tr.write_tape(pointing.replaced(taps={"hand x": (1.0,)}), tmp_path / "lost.csv")
    assert not (tmp_path / "lost.csv").exists()
    (tmp_path / "held.csv").write_text("t,action,value\n0.5,thrust,1\n")
    assert tr.read_tape(tmp_path / "held.csv").changes("thrust")[0] == (0.5, 1.0)
    (tmp_path / "frames.csv").write_text("frame (ms)\n16.5\n20\n")
    assert tr.read_frame_times(tmp_path / "frames.csv") == pytest.approx((0.0165, 0.02))
    (tmp_path / "one.toml").write_text(
        'duration = 1\narena = { width = 9, height = 9 }\ntape = { file = "held.csv" }\n'
        'clock = { frame_times_file = "frames.csv" }\n[[craft]]\nname = "a"\n'
        'start = { x = 1, y = 1 }\nrules = [{ rule = "thrust", accel = 1 }]\n'
    )
    read = tr.read_scenario(tmp_path / "one.toml")
    assert read.tape.holds["thrust"][0][0] == 0.5
    assert len(tr.simulate(read).frames) == 1 + 55


TURNED = (
    {"rule": "turn", "rate": 200},
    THRUST,
    {"rule": "drag", "half_life": 0.5},
    {"rule": "flap", "speed": 90, "cooldown": 0.2, "when": "held"},
    MOVE,
)
TWISTED = {"holds": {"thrust": [[0.3, 9]], "left": [[0.5, 1.1]], "flap": [[0.2, 1.6]]}}


@pytest.mark.parametrize("rate", [30, 60, 144, 250])
def test_fixed_steps_are_the_same_states_at_every_frame_rate(rate):
    """What 60 steps a second fly does not depend on the screen: it only shows them later."""
    held = {"holds": {"thrust": [[0, 9]], "left": [[0, 9]], "flap": [[0, 9]]}}
    game = scenario(*TURNED, tape=held, timing="frame")
    truth = tr.simulate(game, rate=60).frames
    for blend in (False, True):
        clock = tr.Clock(rate=rate, fixed_rate=60, interpolate=blend)
        flown = tr.simulate(game, clock=clock).frames
        done = np.array([Fraction(n, rate) * 60 for n in range(len(flown))])
        whole = np.array([int(d) for d in done])
        part = np.array([float(d - int(d)) for d in done])
        before = np.maximum(whole - 1, 0) if blend else whole
        weight = part if blend else np.zeros(len(done))
        for column in ("x", "y", "vx", "heading"):
            states = truth[column].to_numpy()
            shown = states[before] + weight * (states[whole] - states[before])
            np.testing.assert_allclose(flown[column], shown, atol=1e-9)
        if "lag" in flown:
            late = np.minimum(flown["t"], 1 / 60) if blend else part / 60
            np.testing.assert_allclose(flown["lag"], late, atol=1e-9)
        else:
            assert not blend
            assert 60 % rate == 0


@example(rate=60, steps=50, most=2, kept="kept", at=0.0, length=0.359)  # as many steps as frames
@given(
    rate=st.sampled_from([20, 45, 60, 144]),
    steps=st.sampled_from([50, 60, 120]),
    most=st.integers(1, 4),
    kept=st.sampled_from(["dropped", "kept", "cleared"]),
    at=st.floats(0, 1),
    length=st.floats(0.05, 0.4),
)
def test_accumulator_against_a_loop_of_exact_fractions(rate, steps, most, kept, at, length):
    """At most so many steps a frame; whole steps past them are dropped, or wait."""
    clock = tr.Clock(
        rate=rate,
        hitches=(tr.Hitch(at=at, length=round(length, 3)),),
        fixed_rate=steps,
        max_steps_per_frame=most,
        backlog=kept,
    )
    flown = tr.simulate(scenario(MOVE, start={"vx": steps}), clock=clock).frames
    lengths = [Fraction(x).limit_denominator(1000 * rate) for x in np.diff(flown["t"])]
    rest, taken, shown = Fraction(0), 0, [0]
    for frame in lengths:
        rest += frame
        whole = int(rest * steps)
        now = min(whole, most)
        taken += now
        rest -= Fraction(now, steps)
        if kept == "dropped":
            rest -= Fraction(whole - now, steps)
        elif kept == "cleared" and whole > most:
            rest = Fraction(0)
        shown.append(taken)
    np.testing.assert_allclose(flown["x"], shown, atol=1e-9)  # one px a step
    if "lag" in flown:
        behind = flown["t"].to_numpy() - np.array(shown) / steps
        np.testing.assert_allclose(flown["lag"], behind, atol=1e-9)


def test_fixed_steps_with_the_frames_dt_run_too_fast():
    """A loop that spends 1/60 s a step and hands the drawn frame's dt on."""
    for rate in (24, 60, 100):
        clock = tr.Clock(rate=rate, fixed_rate=60, step_dt="frame")
        flown = tr.simulate(scenario({"rule": "force", "x": 30}, MOVE), clock=clock).frames
        x, v, left, wanted = 0.0, 0.0, 0.0, [0.0]
        for _ in range(2 * rate):
            left += 1 / rate
            while left > 1 / 60 - 1e-9:
                left -= 1 / 60
                v += 30 / rate
                x += v / rate
            wanted.append(x)
        np.testing.assert_allclose(flown["x"], wanted, atol=1e-9)


def test_semi_fixed_steps_cut_a_frame_into_equal_parts():
    lengths = (0.01, 0.05, 0.031)
    cut = tr.Clock(frame_times=lengths, substep=0.015)
    parts = (0.01, *[0.0125] * 4, *[0.031 / 3] * 3)
    game = scenario(*TURNED, tape=TWISTED, duration=0.182)
    flown = tr.simulate(game, clock=cut).frames.iloc[:: len(lengths)]
    whole = tr.simulate(game, clock=tr.Clock(frame_times=parts)).frames.iloc[:: len(parts)]
    for column in ("t", "x", "y", "vx"):
        np.testing.assert_allclose(flown[column], whole[column], atol=1e-6)


def test_events_have_real_time_in_every_stepping():
    """A wall is met at the same moment on fixed, cut and plain frames."""
    arena = {"width": 100, "height": 100, "edges": "bounce"}
    game = scenario(MOVE, start={"x": 40, "y": 50, "vx": 100}, arena=arena, duration=3.0)
    for clock in (
        tr.Clock(rate=31),
        tr.Clock(rate=144, fixed_rate=60, interpolate=True),
        tr.Clock(rate=20, substep=0.013),
    ):
        met = tr.simulate(game, clock=clock).events["t"]
        np.testing.assert_allclose(met, [0.6, 1.6, 2.6], atol=1e-9)


@pytest.mark.parametrize(
    ("rate", "refresh", "shown"), [(60, 60, 60), (50, 60, 30), (144, 60, 60), (45, 144, 36)]
)
def test_a_frame_that_misses_the_screen_waits_for_the_next(rate, refresh, shown):
    flown = tr.simulate(scenario(MOVE, duration=1.0), clock=tr.Clock(rate=rate, refresh=refresh))
    assert flown.frames["t"].tolist() == [n / shown for n in range(shown + 1)]
    uneven = tr.Clock(frame_times=(0.010, 0.020), refresh=50)
    times = tr.simulate(scenario(MOVE, duration=0.16), clock=uneven).frames["t"]
    np.testing.assert_allclose(times, np.arange(len(times)) / 50, atol=1e-12)


@pytest.mark.parametrize("sampling", ["polled", "buffered"])
def test_taps_between_steps_are_lost_or_kept(sampling):
    """At 240 fps and 60 steps a second most frames take no step: a short tap may fall there."""
    taps = [0.1 + 0.001 * n + 0.05 * n for n in range(20)]
    tape = {"sampling": sampling, "taps": {"move_by": taps}, "tap_length": 0.005}
    rule = {"rule": "move_by", "distance": 1}
    clock = tr.Clock(rate=240, fixed_rate=60)
    flown = tr.simulate(scenario(rule, tape=tape), clock=clock)
    looks = [n / 240 for n in range(480) if (n + 1) % 4 == 0]  # frames that complete a step
    seen = [any(t <= look + 1e-12 < t + 0.005 for look in looks) for t in taps]
    assert 0 < sum(seen) < len(taps)
    went = round(flown.frames["x"].iloc[-1])
    assert went == (len(taps) if sampling == "buffered" else sum(seen))
    assert flown.lost_taps == len(taps) - went


@pytest.mark.parametrize("rate", [24, 60, 144])
def test_a_tape_in_frames_is_that_of_the_frames_at_every_rate(rate):
    tape = {"holds": {"go": [["3 frames", "7 frames"]], "up": [["2 frames", "3 frames"]]}}
    tape |= {"taps": {"up": ["9 frames"]}, "values": {"tilt": [["4 frames", 0.5], ["6 frames", 0]]}}
    rules = [{"rule": "thrust", "accel": 1, "action": name} for name in ("go", "up", "tilt")]
    for number, rule in enumerate(rules):
        rule["name"] = f"r{number}"
    flown = tr.simulate(scenario(*rules, MOVE, tape=tape), rate=rate).frames
    assert flown.index[flown["in.go"] != 0].tolist() == [3, 4, 5, 6]
    assert flown.index[flown["in.up"] != 0].tolist() == [2, 9]
    assert flown["in.tilt"].tolist()[3:7] == [0, 0.5, 0.5, 0]
    hand = {"hand": [["2 frames", 0, 0], ["6 frames", 40, 0]]}
    follow = {"rule": "follow", "target": "hand", "axis": "x"}
    led = tr.simulate(scenario(follow, tape={"pointers": hand}), rate=rate).frames
    assert led["x"].tolist()[1:9] == pytest.approx([0, 0, 0, 10, 20, 30, 40, 40])
    again = parse_scenario(format_scenario(scenario(*rules, MOVE, tape=tape)))
    assert again.tape.holds["go"] == (("3 frames", "7 frames"),)


def test_a_key_that_repeats_turns_once_for_each_repeated_press():
    """Down for a second: at once, after 0.3 s, and then ten times a second."""
    tape = {"holds": {"right": [[0.5, 1.5]]}, "repeats": {"right": {"delay": 0.3, "rate": 10}}}
    turn = {"rule": "turn_by", "angle": 10, "left": ""}
    for rate in (30, 60, 144):
        flown = tr.simulate(scenario(turn, MOVE, tape=tape, duration=2.0), rate=rate).frames
        turned = flown["t"].to_numpy()[1:][np.diff(flown["heading"]) != 0] - 1 / rate
        due = np.array([0.5, *(0.8 + 0.1 * np.arange(7))])
        np.testing.assert_allclose(turned, np.ceil(due * rate - 1e-6) / rate, atol=1e-9)


@pytest.mark.parametrize("requests", ["last", "sum"])
def test_input_of_drawn_frames_is_carried_out_in_fixed_steps(requests):
    """144 frames and 60 steps a second: a step acts on its own frame, or once on all since."""
    holds = [[0.101, 0.352], [0.61, 0.622]]
    rule = {"rule": "move_by", "distance": 1, "when": "held", "action": "go", "timing": "frame"}
    clock = tr.Clock(rate=144, fixed_rate=60, input=requests)
    game = scenario(rule, tape={"holds": {"go": holds}}, duration=1.0)
    flown = tr.simulate(game, clock=clock).frames
    x, asked, steps = 0.0, 0, 0
    for frame in range(144):
        down = any(a <= frame / 144 < b for a, b in holds)
        asked += down
        due = int((frame + 1) / 144 * 60 + 1e-9) - steps
        steps += due
        if requests == "last":
            x += due * down
        elif due:
            x, asked = x + asked, 0
    assert flown["x"].iloc[-1] == pytest.approx(x)


def test_no_jitter_has_no_sign():
    flown = tr.simulate(scenario(MOVE), clock=tr.Clock(rate=30, jitter=-0.0, hitches=LATE))
    assert np.diff(flown.frames["t"]).max() == pytest.approx(0.2)


@given(st.integers(0, 500), st.floats(0.5, 200), st.floats(0, 0.9))
def test_no_step_begins_before_the_game(seed, steps, jitter):
    """Sums of uneven frames and of capped ones may differ in the last bit, either way."""
    clock = tr.Clock(rate=60, jitter=jitter / 60, seed=seed, max_dt=0.05, fixed_rate=steps)
    pacing = lower_clock(clock, 60.0, 2.0)
    assert (pacing.begins >= 0.0).all()
    assert (np.diff(pacing.begins) >= 0.0).all()


def test_cached_clocks_and_tapes_are_never_mixed_up():
    """Flown in any order and again and again, each is as it is by itself."""
    held = {"holds": {"thrust": [[0.2, 1.0]]}}, {"holds": {"thrust": [[0.4, 0.9], [1.2, 1.5]]}}
    tapes = [*held, held[0] | {"sampling": "buffered"}, {"taps": {"thrust": [0.3, 0.31]}}]
    paces = [tr.Clock(rate=30), tr.Clock(rate=75), tr.Clock(rate=75, jitter=0.004, seed=3)]
    paces += [tr.Clock(rate=75, jitter=0.004, seed=4), tr.Clock(rate=75, fixed_rate=60)]
    cases = [
        (scenario(THRUST, MOVE, tape=hands, duration=duration), pace)
        for hands in tapes
        for duration in (1.0, 2.0)
        for pace in paces
    ]
    alone = []
    for game, pace in cases:
        kept_tapes._kept.clear()
        kept_clocks._kept.cache_clear()
        alone.append(tr.simulate(game, clock=pace).frames)
    for index in np.random.default_rng(5).integers(len(cases), size=150).tolist():
        game, pace = cases[index]
        assert tr.simulate(game, clock=pace).frames.equals(alone[index])
