"""How much real time hit-stop and slow motion take from a rally, at three frame rates.

Run it with: python examples/thud.py
"""

from pathlib import Path

import numpy as np

import tinrocket as tr

HERE = Path(__file__).parent
thud = tr.read_scenario(HERE / "thud.toml")

for rate in (30, 60, 144):
    ball = tr.simulate(thud, rate=rate).track("ball")
    still = np.hypot(np.diff(ball["x"]), np.diff(ball["y"])) == 0.0
    print(f"{rate} fps: {still.sum()} frames stand still, {still.sum() / rate:.3f} s")

# four frames are longer at 30 fps: a stop in seconds is as long everywhere
seconds = tr.with_value(thud, "tempo.hit stop.lasts", 4 / 60)
print(tr.compare(thud, rates=[30, 144]).table[["clock", "drift_max"]].round(1).to_dict("records"))
compared = tr.compare(seconds, rates=[30, 60, 144])
print(compared.table[["clock", "drift_max"]].round(1).to_dict("records"))
picture = tr.save_figure(tr.plot_series(compared, craft="ball"), HERE / "thud.png")
print(f"wrote {picture.name}")
