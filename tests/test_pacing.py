"""Clocks and tapes, against exact fractions and a loop that asks frame by frame."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tinrocket as tr

from .conftest import MOVE, THRUST, scenario

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
    one = scenario(MOVE, start={"vx": 1})
    flown = tr.simulate(one, clock=clock).frames
    steps = np.diff(flown["t"])
    np.testing.assert_allclose(np.diff(flown["x"]), steps, atol=1e-12)
    struck = np.searchsorted(flown["t"], at - 1e-9)
    assert steps[struck] == pytest.approx(length)
    others = np.delete(steps, struck)
    assert (np.abs(others - 1 / rate) <= jitter / rate + 1e-12).all()
    assert flown["t"].iloc[-2] < 2.0 <= flown["t"].iloc[-1] + 1e-9
    assert tr.simulate(one, clock=clock).frames.equals(flown)


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
def test_sampling_against_asking_every_frame(sampling, holds, taps, rate):
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
    lost = []
    for down, up in merged:
        after = [n for n, t in enumerate(begins) if t >= down]
        if after and not any(down <= t < up for t in begins):
            lost.append(down)
            if sampling == "buffered":
                seen[after[0]] = 1.0
    assert flown.frames["in.thrust"].tolist() == seen
    assert flown.lost_taps == (len(lost) if sampling == "polled" else 0)
    if sampling == "polled":
        assert flown.events["t"].tolist() == lost
        assert set(flown.events["action"]) <= {"thrust"}


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
