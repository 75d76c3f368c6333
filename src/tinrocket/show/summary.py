"""Summary of a flight in a few lines, and the table of its events."""

import math

import numpy as np
from rich.table import Table
from rich.text import Text

from tinrocket.trajectory.columns import SCORE
from tinrocket.trajectory.trajectory import Trajectory

WITH = ("other", "edge", "rule", "action")
"""Columns of `events`, of which the printed table shows the most specific."""
MOST_EVENTS = 12
"""Events that a printed table shows before the count of the others."""


def flight_lines(flight: Trajectory) -> list[str]:
    """Return a line for each craft, for the score and lives, and for lost presses."""
    return [
        *(line for family in flight.families.items() for line in _family(flight, *family)),
        *_game(flight),
        *_lags(flight),
    ]


def _family(flight: Trajectory, craft: str, members: tuple[str, ...]) -> list[str]:
    unit = flight.unit
    if members != (craft,):
        tracks = [flight.track(name) for name in members]
        there = sum(int(flown["alive"][-1]) if "alive" in flown else 1 for flown in tracks)
        return [f"{craft}: {there} of {len(members)} are there at the end"]
    track, world = flight.track(craft), (flight.world or flight).track(craft)
    way = np.hypot(np.diff(world["x_unwrapped"]), np.diff(world["y_unwrapped"])).sum()
    x, y, speed, heading = (float(track[name][-1]) for name in ("x", "y", "speed", "heading"))
    end = f"({x:.1f}, {y:.1f}) with {speed:.1f} {unit}/s"
    pointing = f", heading {heading:.1f}°" if math.isfinite(heading) else ""
    lines = [f"{craft}: flew {way:.1f} {unit}, ends at {end}{pointing}"]
    if way > 0.0:
        extremes = flight.extreme_points(craft)
        fast = extremes["fastest"]
        extreme = {name: extremes[name] for name in ("highest", "lowest")}
        places = [
            f"{name} at ({value.x:.1f}, {value.y:.1f}) after {value.t:.2f} s"
            for name, value in extreme.items()
        ]
        places.append(f"fastest {fast.value:.1f} {unit}/s after {fast.t:.2f} s")
        lines.append(f"  {', '.join(places)}")
    if "alive" in track and not track["alive"][-1]:
        lines.append(f"{craft}: gone")
    return lines


def _game(flight: Trajectory) -> list[str]:
    last, lines = {name: column[-1] for name, column in flight.track(flight.craft[-1]).items()}, []
    scores = {
        name.removeprefix(SCORE): points for name, points in last.items() if name.startswith(SCORE)
    }
    if scores:
        counted = ", ".join(f"{side} {points:g}" for side, points in scores.items())
        lines.append(f"score: {counted}")
    if "lives" in last:
        lines.append(f"lives: {last['lives']:g} left")
    over = np.flatnonzero(flight.happened["kind"] == "over")
    if over.size:
        winner = flight.happened["other"][over[-1]]
        who = f", won by {winner}" if winner else ""
        lines.append(f"the game is over after {flight.happened['t'][over[-1]]:.2f} s{who}")
    return lines


def _lags(flight: Trajectory) -> list[str]:
    lines = []
    if flight.lag:
        worst = flight.recorded.column("lag").max()
        lines.append(
            f"mean display latency {flight.lag * 1000:.1f} ms, {worst * 1000:.1f} ms at most"
        )
    if flight.lost_taps:
        taps = "1 tap" if flight.lost_taps == 1 else f"{flight.lost_taps} taps"
        lines.append(f"{taps} lost: down and up again between two frames")
    return lines


def event_table(trajectory: Trajectory, *, every: bool = False) -> Table:
    """Return the first events of a flight, or every one, as a table."""
    table = Table(
        title=Text("Events"),
        title_justify="left",
        title_style="bold",
        box=None,
        padding=(0, 2, 0, 0),
    )
    unit = trajectory.unit
    happened = trajectory.happened
    count = happened["t"].size
    most = count if every else min(MOST_EVENTS, count)
    for name in (
        "t [s]",
        "kind",
        "craft",
        "with",
        f"x [{unit}]",
        f"y [{unit}]",
        f"speed [{unit}/s]",
    ):
        table.add_column(Text(name), justify="right" if "[" in name else "left", no_wrap=True)
    for n in range(most):
        event = {name: column[n] for name, column in happened.items()}
        table.add_row(
            f"{event['t']:.4f}",
            Text(str(event["kind"])),
            Text(str(event["craft"])),
            Text(next((f"{name} {event[name]}" for name in WITH if event[name]), "")),
            *(number(event[name]) for name in ("x", "y", "speed")),
        )
    if count > most:
        table.caption = f"and {count - most} more; --events prints all"
    return table


def number(value: float, unit: str = "") -> Text:
    """Return a number with two decimals, none from a thousand on; a dash for a missing one."""
    shown = f"{value:.2f}{unit}" if abs(value) < 1000 else f"{value:.0f}{unit}"
    return Text("–" if math.isnan(value) else shown, justify="right")
