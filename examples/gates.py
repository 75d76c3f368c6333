"""Flap through gates: at which frame rates the same taps pass, and with which timing.

Run it with: python examples/gates.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent

owl = tr.read_scenario(HERE / "gates.toml")
compared = tr.compare(owl, rates=[30, 60, 120, 144], vary={"timing": ["frame", "dt", "exact"]})
passed = {}
for run in compared.runs:
    over = run.flight.events.query("kind == 'over'")["t"]
    passed[run.variant, run.clock] = over.empty
    end = "passes all gates" if over.empty else f"hits a shutter after {over.iloc[0]:.2f} s"
    print(f"{run.variant:13} {run.clock:8} {end}")
picture = tr.save_figure(tr.plot_paths(compared), HERE / "gates.png")
print(f"wrote {picture.name}")
