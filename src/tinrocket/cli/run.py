"""`tinrocket run`: one flight of one scenario, or of each of its variants."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tinrocket.cli.session import (
    AllowOutside,
    AsJson,
    Duration,
    FrameTimes,
    Rate,
    RulesFile,
    ScenarioFile,
    Session,
    TapeFile,
    Varied,
)

if TYPE_CHECKING:
    from tinrocket.trajectory.trajectory import Trajectory


def run(
    scenario: ScenarioFile,
    rate: Rate = None,
    frame_times: FrameTimes = None,
    vary: Varied = None,
    tape: TapeFile = None,
    duration: Duration = None,
    screen: Annotated[
        bool, typer.Option("--view", help="Print positions as seen in the view, not in the world.")
    ] = False,
    events: Annotated[bool, typer.Option("--events", help="Print all events.")] = False,
    csv: Annotated[
        Path | None, typer.Option(help="Write the trajectory here (.csv or .parquet).")
    ] = None,
    plot: Annotated[
        Path | None, typer.Option(help="Draw the path here (.png, .svg or .pdf).")
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Fly a scenario once, and print a summary and its events."""
    from tinrocket.cli.output import echo, print_flight, print_warnings, progress_bar
    from tinrocket.errors import OptionError
    from tinrocket.texts import json_text
    from tinrocket.trajectory.simulate import simulate

    session = Session(
        scenario,
        rules,
        allow_outside,
        rate=rate,
        frame_times=frame_times,
        vary=vary,
        tape=tape,
        duration=duration,
    )
    chosen, clock = session.scenario, session.clock
    if screen and chosen.view is None:
        raise OptionError("--view: this scenario has no view; add a table [view]")
    variants = session.variants()
    if len(variants) > 1 and (csv or plot):
        raise OptionError("--csv and --plot are of one flight; give one value for each --vary")
    flights: list[dict[str, Any]] = []
    for name, variant in variants:
        with progress_bar("flying") as progress:
            flight = simulate(variant, clock=clock, progress=progress)
        flight = flight.on_screen() if screen else flight
        written = _written(flight, csv, plot)
        if json:
            flights.append(_as_data(name, flight))
            continue
        title = f"{chosen.title or scenario.stem}{', ' if name else ''}{name}"
        print_flight(title, flight, written, every=events)
        print_warnings(flight.warnings)
    if json:
        echo(json_text(flights[0] if not vary else flights))


def _written(flight: "Trajectory", csv: Path | None, plot: Path | None) -> list[Path]:
    written: list[Path] = []
    if csv:
        from tinrocket.trajectory.file import write_trajectory

        written += write_trajectory(flight, csv)
    if plot:
        from tinrocket.show.paths import plot_path
        from tinrocket.show.theme import save_figure

        written.append(save_figure(plot_path(flight), plot))
    return written


def _as_data(variant: str, flight: "Trajectory") -> dict[str, Any]:
    """Return a flight as plain data: last state, extremes, and all events."""
    from json import loads

    def plain(table: Any, orient: str) -> Any:
        return loads(table.to_json(orient=orient, double_precision=15))

    ends = flight.frames.groupby("craft", observed=True, sort=False).tail(1).set_index("craft")
    moved = [family for family, members in flight.families.items() if members == (family,)]
    return {
        "variant": variant,
        "clock": flight.clock,
        "duration": flight.duration,
        "ends": plain(ends, "index"),
        "extremes": {craft: plain(flight.extremes(craft), "index") for craft in moved},
        "events": plain(flight.events, "records"),
        "warnings": list(flight.warnings),
    }
