"""See how a cooldown counted in frames changes the shots at every rate, and one in seconds.

Run it with: python examples/shots.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent

shelf = tr.read_scenario(HERE / "shelf.toml")
compared = tr.compare(
    shelf, rates=[30, 60, 144], vary={"gun.fire.cooldown": ["13 frames", 13 / 60]}
)
fired = {}
for run in compared.runs:
    shots = run.flight.events.query("kind == 'fire'")["t"]
    fired[run.variant, run.clock] = len(shots)
    print(f"{run.variant}, {run.clock}: {len(shots)} shots, one in {shots.diff().median():.3f} s")
picture = tr.save_figure(tr.plot_timeline(compared), HERE / "shots.png")
print(f"wrote {picture.name}")
