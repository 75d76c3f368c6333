"""What a change of the drag does to the feel of a tug, in numbers and in a picture.

Run it with: python examples/feel_of_a_tug.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent
tug = tr.read_scenario(HERE / "tug.toml")

# every feel metric at each screen, beside what it was tuned to
sheet = tr.feel(tug, rates=[30, 60, 144])
for row in sheet.differing[:5]:
    print(
        f"{row.metric.name}: {row.answer.value:.3g} {row.metric.unit} at {row.clock}, "
        f"tuned {row.tuned.value:.3g}"
    )

# two changes, at the rate it was tuned at: what do they do?
half_lives = [0.5, 2.0]
changed = tr.feel(tug, rates=[60], vary={"tug.drag.half_life": half_lives})
rest = {row.variant: row.tuned.value for row in changed.rows if row.metric.name == "time to rest"}
for variant, seconds in rest.items():
    print(f"{variant}: at rest after {seconds:.2f} s")
picture = tr.save_figure(tr.plot_feel_changes(changed), HERE / "feel_of_a_tug.png")
print(f"wrote {picture.name}")
