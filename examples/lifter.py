"""How long a lifter stays up on one winding of its motor, and what two frame rates make of it.

Run it with: python examples/lifter.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent
lifter = tr.read_scenario(HERE / "lifter.toml")

flown = tr.simulate(lifter, rate=60).track("lifter")
empty = flown["t"][flown["resource.spring"] <= 0.001]
print(f"run down at {empty[0]:.2f} s; highest at y = {flown['y'].min():.1f} px")

# as a game that takes the same from the motor in every frame
counted = tr.with_value(lifter, "lifter.lift.timing", "frame")
compared = tr.compare(lifter, rates=[30, 60, 144])
careless = tr.compare(counted, rates=[30, 60, 144])
print(f"with dt: within {compared.table['drift_max'].max():.1f} px")
print(f"by the frame: {careless.table['drift_max'].max():.0f} px apart")
picture = tr.save_figure(tr.plot_series(careless), HERE / "lifter.png")
print(f"wrote {picture.name}")
