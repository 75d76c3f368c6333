"""Compare what a game printed at three frame rates, and fit a scenario to it.

The game here is twelve lines that forget about dt; print the same from yours.
Run it with: python examples/game_logs.py
"""

import math
from pathlib import Path

import tinrocket as tr

HERE = Path(__file__).parent


def play(fps: int, log: Path) -> None:
    """Play six seconds of a game and print t, x, y and the key after each frame."""
    x, y, vx, vy, t = 90.0, 300.0, 0.0, 0.0, 0.0
    lines = ["t,x,y,thrust"]
    for _frame in range(6 * fps):
        thrust = 0.3 <= t < 2.2
        if thrust:
            vx += math.cos(math.radians(-15)) * 4.2
            vy += math.sin(math.radians(-15)) * 4.2
        vx, vy = vx * 0.984, vy * 0.984
        x, y = (x + vx / fps) % 720, (y + vy / fps) % 420
        t += 1 / fps
        lines.append(f"{t:.5f},{x:.3f},{y:.3f},{thrust:d}")
    log.parent.mkdir(exist_ok=True)
    log.write_text("\n".join(lines) + "\n")


logs = {str(fps): HERE / "logs" / f"{fps}.csv" for fps in (60, 30, 144)}
for fps, log in logs.items():
    play(int(fps), log)
bath = tr.LogFormat(wrap_x=(0, 720), wrap_y=(0, 420))
compared = tr.compare_logs(logs, log_format=bath)
print(compared)

# which half-life of the scenario is the game's 0.984 a frame?
tug = tr.read_scenario(HERE / "tug.toml")
tried = {"tug.drag.half_life": [0.6, 0.7, 0.716, 0.8], "tug.thrust.accel": [252.0]}
fitted = tr.compare_with_logs(tug, {"60": logs["60"]}, vary=tried)
off = fitted.table.set_index("variant")["drift_max"]
print(off.round(2).to_string())
best = str(off.idxmin())

picture = tr.save_figure(tr.plot_paths(compared), HERE / "game_logs.png")
print(f"wrote {picture.name}")
