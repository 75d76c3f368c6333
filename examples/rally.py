"""Count the hits of a rally that gets ever faster, found by overlap and swept.

Run it with: python examples/rally.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent

rally = tr.read_scenario(HERE / "rally.toml")
compared = tr.compare(rally, rates=[30, 60, 144], vary={"detection": ["overlap", "swept"]})
print(compared)
hits = {}
for run in compared.runs:
    met = run.flight.events.query("kind == 'bounce' and craft == 'ball' and other != ''")
    hits[run.variant, run.clock] = len(met)
    top = run.flight.of("ball")["speed"].max()
    print(f"{run.variant:18} {run.clock:8} {len(met)} hits, at last {top:.0f} px/s")
picture = tr.save_figure(tr.plot_timeline(compared), HERE / "rally.png")
print(f"wrote {picture.name}")
