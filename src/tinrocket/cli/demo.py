"""`tinrocket demo`: the main job, on a bundled scenario."""

from pathlib import Path
from typing import Annotated

import typer

from tinrocket.cli import completion


def demo(
    name: Annotated[
        str, typer.Argument(help="Name of a bundled scenario.", autocompletion=completion.demos)
    ] = "rocket",
    out: Annotated[
        Path, typer.Option(help="Directory for tables, trajectories and pictures.")
    ] = Path("tinrocket-out"),
) -> None:
    """Fly a bundled scenario at 30, 60 and 144 fps, in each timing, and compare."""
    from tinrocket.cli.draw.pool import Studio
    from tinrocket.cli.output import print_comparison, print_written
    from tinrocket.cli.results import writing
    from tinrocket.comparison.compare import compare
    from tinrocket.demos import read_demo
    from tinrocket.files import make_directory
    from tinrocket.scenario.vary import Vary

    scenario = read_demo(name)
    make_directory(out)
    timings = ("frame", "dt", "exact")
    vary: Vary = {"timing": timings}
    if scenario.contact:  # first as games begin, per frame and by overlap; then with both mended
        vary = {"timing": ("frame", "exact"), "detection": ("overlap", "swept")}
    with Studio() as studio:
        comparison = compare(scenario, vary=vary)
        with writing(comparison, out, studio) as written:
            print_comparison(comparison)
    print_written(written)
