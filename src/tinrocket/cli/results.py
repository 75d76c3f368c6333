"""The folder of `--out`: what a command writes there, and what an earlier one left behind."""

import json
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

from tinrocket.errors import FileError
from tinrocket.files import make_directory, read_text, sweep_partial, write_text

if TYPE_CHECKING:
    from tinrocket.analysis.comparison import Comparison
    from tinrocket.cli.studio import Studio

LIST = ".tinrocket-files.json"
"""The list of what was written; nothing else in the folder is ever touched.

While a run writes, its key ``complete`` is false: if it still is, a run was killed, and what is in
the folder is of two runs.
"""


@contextmanager
def result_folder(out: Path) -> Iterator[list[Path]]:
    """Make a folder and take what is written; then delete what an earlier run alone wrote."""
    for folder in (make_directory(out), out / "trajectories"):
        sweep_partial(folder)
    written: list[Path] = []
    before = _listed(out / LIST)
    _write_list(out, before, complete=False)
    yield written
    names = sorted(path.relative_to(out).as_posix() for path in written)
    for name in before:
        # a list that leads out of the folder is not one of ours
        if name not in names and not Path(name).is_absolute() and ".." not in Path(name).parts:
            with suppress(OSError, ValueError):  # of a list that is spoilt
                (out / name).unlink()
    _write_list(out, names, complete=True)


def _write_list(out: Path, names: list[str], *, complete: bool) -> None:
    told = {"complete": complete, "files": names}
    write_text(out / LIST, json.dumps(told, indent=1) + "\n")


def _listed(path: Path) -> list[str]:
    """Return what an earlier run wrote; nothing if the list is none."""
    if not path.is_file():
        return []
    try:
        told = json.loads(read_text(path))
    except (FileError, ValueError, RecursionError):
        return []
    names = told.get("files") if isinstance(told, dict) else None
    return [name for name in names if isinstance(name, str)] if isinstance(names, list) else []


@contextmanager
def writing(
    comparison: "Comparison", out: Path | None, studio: "Studio", *, flights: bool = True
) -> Iterator[list[Path]]:
    """Write tables, pictures and trajectories into a folder, if there is one.

    Pictures are drawn while something else is done; the rest is written after it, and what to tell
    of is then in the list.  Trajectories are numbered, because what was varied may be too long for
    the name of a file; ``runs.csv`` says which is which.
    """
    from tinrocket.analysis.csv_text import columns_of_rows, write_csv
    from tinrocket.show.choice import pictures_of

    shown: list[Path] = []
    unread: BaseException | None = None
    if out is None:
        yield shown
        return
    with result_folder(out) as written:
        pictures = pictures_of(comparison)
        studio.draw(comparison, pictures, out)
        try:
            yield shown
        except (BrokenPipeError, SystemExit) as error:  # who reads no more still wants the files
            unread = error
        written += [out / f"{name}.png" for name in sorted(pictures)]
        written.append(write_csv(columns_of_rows(comparison.rows), out / "drift.csv"))
        written.append(write_csv(comparison.matched, out / "events.csv"))
        shown += sorted(written)
        if flights:
            shown += _write_flights(comparison, out, written)
        studio.finish()
    if unread is not None:
        raise unread


def _write_flights(comparison: "Comparison", out: Path, written: list[Path]) -> list[Path]:
    from tinrocket.analysis.csv_text import columns_of_rows, write_csv
    from tinrocket.analysis.trajectory_file import write_trajectory

    folder = make_directory(out / "trajectories")
    width = len(str(len(comparison.runs)))
    rows = []
    for number, run in enumerate(comparison.runs, start=1):
        name = f"run-{number:0{width}}.csv"
        written += write_trajectory(run.flight, folder / name)
        rows.append({"file": name, "variant": run.variant, "clock": run.clock, "fps": run.rate})
    written.append(write_csv(columns_of_rows(rows), folder / "runs.csv"))
    return [folder]
