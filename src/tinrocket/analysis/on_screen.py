"""A flight as the player sees it, in the coordinates of the screen."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from tinrocket.scenario.arena import AXES, Edges

if TYPE_CHECKING:
    from tinrocket.analysis.trajectory import Trajectory


def seen_on_screen(flight: Trajectory) -> Trajectory:
    """Return a flight with places counted from the view's corner; its own without a view."""
    if flight.view is None or flight.arena is None:
        return flight
    frames, events, first = flight.frames.copy(), flight.events.copy(), flight.of(flight.craft[0])
    bound = {name: replace(body, in_view=False) for name, body in flight.bodies.items()}
    bound = {name: body for name, body in bound.items() if flight.bodies[name].in_view}
    for axis in AXES:
        corner = f"view_{axis}"
        frames[axis] -= frames[corner]
        periods = {name: body.arena.period(axis) for name, body in bound.items()}
        laps = frames[f"wraps_{axis}"] * frames["craft"].map(periods).astype(float).fillna(0.0)
        frames[f"{axis}_unwrapped"] = frames[axis] + laps
        events[axis] -= np.interp(events["t"], first["t"], first[corner])
    seen = {
        "width": flight.view[0],
        "height": flight.view[1],
        "edges": Edges.from_data("open"),
    }
    return replace(
        flight,
        frames=frames.drop(columns=["view_x", "view_y"]),
        make_events=lambda: events,
        title=f"{flight.title or 'Flight'}, as seen in the view",
        arena=flight.arena.model_copy(update=seen),
        bodies=bound,
        obstacles=(),
        view=None,
    )
