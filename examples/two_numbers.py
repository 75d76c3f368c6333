"""Sweep two numbers at once and draw where the tug ends up.

Run it with: python examples/two_numbers.py
"""

from pathlib import Path

import numpy as np
from matplotlib.figure import Figure

import tinrocket as tr

HERE = Path(__file__).parent

tug = tr.read_scenario(HERE / "tug.toml").with_timing("exact")
accels, half_lives = np.linspace(120, 400, 57), np.linspace(0.2, 1.6, 57)
swept = tr.sweep(
    tug, {"tug.thrust.accel": accels.tolist(), "tug.drag.half_life": half_lives.tolist()}
)
speed = swept["speed"].to_numpy().reshape(accels.size, half_lives.size)
fastest = swept.loc[swept["speed"].idxmax()]
print(f"{len(swept):,} variants; the fastest at the end: {fastest['speed']:.1f} px/s with")
print(fastest[["tug.thrust.accel", "tug.drag.half_life"]].to_dict())

figure = Figure(figsize=(12.8, 8.0), dpi=100)
ax = figure.subplots()
filled = ax.contourf(half_lives, accels, speed, levels=16, cmap="cividis")
lines = ax.contour(half_lives, accels, speed, levels=[20, 50, 100, 150], colors="white")
ax.clabel(lines, fmt="%g px/s")
figure.colorbar(filled, label="speed at the end [px/s]")
ax.set_xlabel("half-life of the drag [s]")
ax.set_ylabel("thrust [px/s²]")
ax.set_title("Tin tug: how fast it still is after 8 s", loc="left")
picture = tr.save_figure(figure, HERE / "two_numbers.png")
print(f"wrote {picture.name}")
