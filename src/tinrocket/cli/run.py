"""`tinrocket run`: one flight of one scenario."""

from pathlib import Path
from typing import Annotated

import typer


def run(
    scenario: Annotated[Path, typer.Argument(help="A scenario file (TOML).")],
    rate: Annotated[
        float | None, typer.Option(help="Frames per second, instead of the scenario's clock.")
    ] = None,
    screen: Annotated[
        bool, typer.Option("--view", help="Places as seen in the view, not in the world.")
    ] = False,
    csv: Annotated[
        Path | None, typer.Option(help="Write the trajectory here (.csv or .parquet).")
    ] = None,
    plot: Annotated[
        Path | None, typer.Option(help="Draw the path here (.png, .svg or .pdf).")
    ] = None,
) -> None:
    """Fly a scenario once and print what happened."""
    import numpy as np

    from tinrocket.analysis.simulate import simulate
    from tinrocket.analysis.trajectory_file import write_trajectory
    from tinrocket.cli.output import console, parse_rates
    from tinrocket.scenario.toml_file import read_scenario

    chosen = read_scenario(scenario)
    flight = simulate(chosen, rate=None if rate is None else parse_rates(f"{rate:g}", "--rate")[0])
    flight = flight.on_screen() if screen else flight
    written = list(write_trajectory(flight, csv)) if csv else []
    if plot:
        from tinrocket.show.paths import plot_path
        from tinrocket.show.theme import save_figure

        written.append(save_figure(plot_path(flight), plot))
    out, unit = console(), chosen.arena.unit
    frames = len(flight.frames) // len(flight.craft) - 1
    out.print(
        f"{chosen.title or scenario.stem}: {frames} frames in {flight.duration:.4g} s, "
        f"{flight.clock}",
        markup=False,
    )
    for craft, members in flight.families.items():
        if members != (craft,):
            last_of = [flight.of(name).iloc[-1] for name in members]
            there = sum(int(last.get("alive", 1)) for last in last_of)
            out.print(f"{craft}: {there} of {len(members)} are there at the end", markup=False)
            continue
        track = flight.of(craft)
        way = np.hypot(track["x_unwrapped"].diff(), track["y_unwrapped"].diff()).sum()
        last = track.iloc[-1]
        out.print(
            f"{craft}: flew {way:.1f} {unit}, top speed {track['speed'].max():.1f} {unit}/s, "
            f"ends at ({last['x']:.1f}, {last['y']:.1f}) with {last['speed']:.1f} {unit}/s, "
            f"heading {last['heading']:.1f}°",
            markup=False,
            soft_wrap=True,
        )
        if "alive" in track and not track["alive"].iloc[-1]:
            out.print(f"{craft}: gone", markup=False)
    if flight.lag:
        worst = flight.frames["lag"].max()
        out.print(
            f"what is shown lies {flight.lag * 1000:.1f} ms behind on average, "
            f"{worst * 1000:.1f} ms at most"
        )
    if flight.lost_taps:
        taps = "1 tap" if flight.lost_taps == 1 else f"{flight.lost_taps} taps"
        out.print(f"{taps} lost: down and up again between two frames")
    if len(flight.events):
        from tinrocket.show.tables import event_table

        out.print(event_table(flight))
    for path in written:
        out.print(f"wrote {path}", markup=False, soft_wrap=True)
