"""What frame rates make of a crab on a rubber rope, and which numbers calm it.

Run it with: python examples/hook.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent
hook = tr.read_scenario(HERE / "hook.toml")

compared = tr.compare(hook, rates=[24, 60, 144])
print(compared)
for damping in (0.9, 4.0):
    calmer = tr.with_value(hook, "crab.spring.damping", damping)
    y = tr.simulate(calmer, rate=60).track("crab")["y"]
    print(f"damping {damping:g}: it bobs through {y[240:].max() - y[240:].min():.0f} px in the end")
picture = tr.save_figure(tr.plot_paths(compared), HERE / "hook.png")
print(f"wrote {picture.name}")
