"""Fly a rule of your own: a magnet that pulls as a spring does.

Run it with: python examples/own_rule.py
"""

from pathlib import Path

import numpy as np

import tinrocket as tr

HERE = Path(__file__).parent


@tr.motion_rule
def magnet(craft, dt, x=240.0, y=150.0, pull=4.0):
    """Pull toward a place with `pull` px/s^2 for each px of distance."""
    craft.vx += (x - craft.x) * pull * dt
    craft.vy += (y - craft.y) * pull * dt


boat = tr.read_scenario(HERE / "own_rule.toml")
rates = (30, 60, 240)
flights = {rate: tr.simulate(boat, rate=rate) for rate in rates}

# a spring with pull k swings in 2 pi / sqrt(k) seconds around the magnet
t = 2 * np.pi / np.sqrt(4.0)
back = {rate: flight.at(t)[["x", "y"]].tolist() for rate, flight in flights.items()}
for rate, (x, y) in back.items():
    print(f"{rate} fps: after one swing of {t:.3f} s at ({x:.2f}, {y:.2f}); it began at (60, 80)")
compared = tr.compare(boat, rates=list(rates))
print(compared)
picture = tr.save_figure(tr.plot_paths(compared), HERE / "own_rule.png")
print(f"wrote {picture.name}")
