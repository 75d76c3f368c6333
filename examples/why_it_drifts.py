"""Why a tug differs from screen to screen, what cures it, and the line to write.

Run it with: python examples/why_it_drifts.py
"""

from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent
tug = tr.read_scenario(HERE / "tug.toml")

causes = tr.explain(tug, rates=[30, 60, 144])
print(causes)

cures = tr.find_cures(causes)
print(f"recommended: {cures.recommended.cure.name}; {cures.reason}")
for rule in tug.craft[0].rules:
    line = tr.rule_line(tug, tug.craft[0], rule)
    if line is not None:
        print(f"{line.before}  ->  {line.after}")

# what each cure leaves of the drift, and what it costs
print(cures.table[["cure", "drift", "changed", "latency_ms"]].round(2).to_string(index=False))
picture = tr.save_figure(tr.plot_cures(cures), HERE / "why_it_drifts.png")
print(f"wrote {picture.name}")
