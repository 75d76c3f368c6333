"""What one flight came to, in a few lines."""

import numpy as np

from tinrocket.analysis.trajectory import SCORE, Trajectory


def flight_lines(flight: Trajectory) -> list[str]:
    """Return a line for each craft, and for how the game stands and what was lost."""
    return [
        *(line for family in flight.families.items() for line in _family(flight, *family)),
        *_game(flight),
        *_lags(flight),
    ]


def _family(flight: Trajectory, craft: str, members: tuple[str, ...]) -> list[str]:
    unit = flight.arena.unit if flight.arena else "px"
    if members != (craft,):
        last_of = [flight.of(name).iloc[-1] for name in members]
        there = sum(int(last.get("alive", 1)) for last in last_of)
        return [f"{craft}: {there} of {len(members)} are there at the end"]
    track = flight.of(craft)
    world = (flight.world or flight).of(craft)
    way = np.hypot(world["x_unwrapped"].diff(), world["y_unwrapped"].diff()).sum()
    last = track.iloc[-1]
    end = f"({last['x']:.1f}, {last['y']:.1f}) with {last['speed']:.1f} {unit}/s"
    lines = [f"{craft}: flew {way:.1f} {unit}, ends at {end}, heading {last['heading']:.1f}°"]
    if way > 0.0:
        told = flight.extremes(craft)
        high, low, fast = (told.loc[name] for name in ("highest", "lowest", "fastest"))
        places = [
            f"{name} at ({one['x']:.1f}, {one['y']:.1f}) after {one['t']:.2f} s"
            for name, one in (("highest", high), ("lowest", low))
        ]
        places.append(f"fastest {fast['value']:.1f} {unit}/s after {fast['t']:.2f} s")
        lines.append(f"  {', '.join(places)}")
    if "alive" in track and not track["alive"].iloc[-1]:
        lines.append(f"{craft}: gone")
    return lines


def _game(flight: Trajectory) -> list[str]:
    last, lines = flight.frames.iloc[-1], []
    scores = {
        str(name).removeprefix(SCORE): last[name]
        for name in flight.frames.columns
        if str(name).startswith(SCORE)
    }
    if scores:
        told = ", ".join(f"{side} {points:g}" for side, points in scores.items())
        lines.append(f"score: {told}")
    if "lives" in flight.frames:
        lines.append(f"lives: {last['lives']:g} left")
    over = flight.events[flight.events["kind"] == "over"]
    if len(over):
        end = over.iloc[-1]
        who = f", won by {end['other']}" if end["other"] else ""
        lines.append(f"the game is over after {end['t']:.2f} s{who}")
    return lines


def _lags(flight: Trajectory) -> list[str]:
    lines = []
    if flight.lag:
        worst = flight.frames["lag"].max()
        lines.append(
            f"what is shown lies {flight.lag * 1000:.1f} ms behind on average, "
            f"{worst * 1000:.1f} ms at most"
        )
    if flight.lost_taps:
        taps = "1 tap" if flight.lost_taps == 1 else f"{flight.lost_taps} taps"
        lines.append(f"{taps} lost: down and up again between two frames")
    return lines
