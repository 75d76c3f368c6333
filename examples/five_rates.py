"""Fly one tape at five frame rates and on uneven frames, before and after a cure.

Run it with: python examples/five_rates.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent

tug = tr.read_scenario(HERE / "tug.toml")
uneven = tr.Clock(rate=60, jitter=0.004, name="60 fps, uneven", seed=3)
compared = tr.compare(
    tug,
    rates=[24, 30, 60, 120, 144],
    clocks=[uneven],
    vary={"timing": ["frame", "exact"]},
)
print(compared)
worst = compared.table.groupby("variant", sort=False)["drift_max"].max()
print(worst.round(2).to_dict())
picture = tr.save_figure(tr.plot_paths(compared), HERE / "five_rates.png")
print(f"wrote {picture.name}")
