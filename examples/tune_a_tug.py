"""Tune how far a tug glides: vary, look, vary again.

Run it with: python examples/tune_a_tug.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent
GLIDE = 130.0
"""How far the tug should glide after the push ends [px]."""

tug = tr.read_scenario(HERE / "tug.toml").with_timing("exact")
tug = tug.model_copy(update={"tape": tr.Tape(holds={"thrust": ((0.0, 4.0),)}), "duration": 20.0})


def glide(half_life: float) -> float:
    """Return how far the tug goes on after the push [px]."""
    flight = tr.simulate(tr.with_value(tug, "tug.drag.half_life", half_life))
    push, end = flight.at(4.0), flight.at(20.0)
    return float(end["x_unwrapped"] - push["x_unwrapped"]) / 0.9659258262890683  # cos 15 deg


# first look: which half-life is about right?
wide = {half_life: glide(half_life) for half_life in (0.3, 0.5, 0.7, 0.9)}
for half_life, way in wide.items():
    print(f"half-life {half_life} s glides {way:.0f} px")

# and again, closer: halve the span until it is a thousandth of a second
low, high = 0.3, 0.9
while high - low > 0.001:
    middle = (low + high) / 2
    low, high = (middle, high) if glide(middle) < GLIDE else (low, middle)
best = round(high, 3)
print(f"half-life {best} s glides {glide(best):.1f} px; {GLIDE:g} were wanted")

# what the change does to the tape that was tuned with
compared = tr.compare(
    tr.read_scenario(HERE / "tug.toml"), rates=[30, 60, 144], vary={"tug.drag.half_life": [best]}
)
print(compared)
picture = tr.save_figure(tr.plot_variants(compared), HERE / "tune_a_tug.png")
print(f"wrote {picture.name}")
