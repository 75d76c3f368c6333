"""A flight as the player sees it, in the coordinates of the screen."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from tinrocket.scenario.arena import AXES, SIDES, Edge, Edges
from tinrocket.trajectory.bodies import Body
from tinrocket.trajectory.frames import Frames

if TYPE_CHECKING:
    from tinrocket.trajectory.trajectory import Trajectory


def seen_on_screen(flight: Trajectory) -> Trajectory:
    """Return a flight with places relative to the view's corner; unchanged without a view.

    A column ``cut`` marks the frames in which the view has jumped by more than half of itself.
    """
    if flight.view is None or flight.arena is None:
        return flight
    frames, happened = flight.frames.copy(), dict(flight.happened)
    first = flight.track(flight.craft[0])
    cut = np.zeros(len(frames), dtype=bool)
    for axis, width in zip(AXES, flight.view, strict=True):
        corner = f"view_{axis}"
        jump = np.abs(np.diff(frames[corner], prepend=np.nan)) > width / 2
        cut |= jump & (np.diff(frames["t"], prepend=np.inf) > 0.0)
        frames[axis] -= frames[corner]
        happened[axis] = happened[axis] - np.interp(happened["t"], first["t"], first[corner])
        for name, body in flight.bodies.items():
            rows = (frames["craft"] == name).to_numpy()
            shown, period = frames.loc[rows, axis].to_numpy(), body.arena.period(axis)
            laps = frames.loc[rows, f"wraps_{axis}"].to_numpy()
            if period and not body.in_view:
                # the image of a wrapping craft nearest to the view's middle
                low = (width - period) / 2
                folded = low + (shown - low) % period
                laps = np.round((np.unwrap(folded, period=period) - folded) / period)
                frames.loc[rows, axis], frames.loc[rows, f"wraps_{axis}"] = folded, laps
                shown = folded
            frames.loc[rows, f"{axis}_unwrapped"] = shown + laps * period
    seen = {
        "width": flight.view[0],
        "height": flight.view[1],
        "edges": Edges.from_data("open"),
    }
    bodies = {name: _seen(body, flight.view) for name, body in flight.bodies.items()}
    table = frames.drop(columns=["view_x", "view_y"]).assign(cut=cut.astype(float))
    return replace(
        flight,
        recorded=Frames.from_table(table),
        make_events=partial(dict, happened),
        title=f"{flight.title or 'Flight'}, as seen in the view",
        arena=flight.arena.replaced(**seen),
        bodies=bodies,
        obstacles=(),
        view=None,
        world=flight,
    )


def _seen(body: Body, view: tuple[float, float]) -> Body:
    """Return a craft's data for the screen, whose arena is as wide as the world."""
    if body.in_view:
        return replace(body, in_view=False)
    edges = dict.fromkeys(SIDES, Edge(kind="open"))
    for axis, width in zip(AXES, view, strict=True):
        period = body.arena.period(axis)
        if period:
            margin = max((period - width) / 2, 0.0)
            edges |= dict.fromkeys(body.arena.sides(axis), Edge(kind="wrap", margin=margin))
    seen = {"width": view[0], "height": view[1], "edges": Edges(**edges)}
    return replace(body, arena=body.arena.replaced(**seen))
