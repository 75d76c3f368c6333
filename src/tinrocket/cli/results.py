"""The folder of `--out`: the files of a command, and those of an earlier one."""

import json
import os
import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING

from tinrocket.errors import FileError
from tinrocket.files import (
    digest_of,
    make_directory,
    opened,
    read_text,
    sweep_partial,
    unlink_plain,
    write_text,
)

if TYPE_CHECKING:
    from tinrocket.cli.draw.pool import Studio
    from tinrocket.comparison.comparison import Comparison

LIST = ".tinrocket-files.json"
"""The list of written files, with a digest of each; no other file is ever deleted.

While a run writes, its key ``complete`` is false: if it still is, a run was killed, and the files
in the folder are of two runs.
"""

TRAJECTORIES = "trajectories"
"""The one folder below that of the results."""

OWN_NAME = re.compile(r"[A-Za-z0-9_-][A-Za-z0-9._-]*")
"""Patterns of the names of results."""


@contextmanager
def result_folder(out: Path) -> Iterator[list[Path]]:
    """Make a folder and record the files written; then delete files that only an earlier run wrote.

    Raises
    ------
    FileError
        If a folder is a link: nothing is written or deleted through links.
    """
    out = make_directory(out).resolve()
    folders = [out]
    if os.path.lexists(out / TRAJECTORIES):
        folders.append(out / TRAJECTORIES)
    for folder in folders:
        sweep_partial(folder)
    written: list[Path] = []
    before = _listed(out / LIST)
    _write_list(out, before, complete=False)
    yield written
    names = {path.resolve().relative_to(out).as_posix(): digest_of(path) for path in written}
    for folder in folders:
        _delete_old(out, folder, {name: before[name] for name in before.keys() - names.keys()})
    _write_list(out, dict(sorted(names.items())), complete=True)


def _delete_old(out: Path, folder: Path, files: Mapping[str, str]) -> None:
    """Delete the unchanged files that an earlier run wrote into a folder."""
    with opened(folder) as handle:
        for name, digest in files.items():
            path = PurePosixPath(name)
            if out / path.parent == folder and OWN_NAME.fullmatch(path.name):
                unlink_plain(path.name, handle, digest)


def _write_list(out: Path, files: Mapping[str, str], *, complete: bool) -> None:
    listing = {"complete": complete, "files": files}
    write_text(out / LIST, json.dumps(listing, indent=1) + "\n")


def _listed(path: Path) -> dict[str, str]:
    """Return what an earlier run wrote, with a digest of each; nothing if the list is spoilt."""
    if path.is_symlink() or not path.is_file():
        return {}
    try:
        listing = json.loads(read_text(path))
    except (FileError, ValueError, RecursionError):
        return {}
    files = listing.get("files") if isinstance(listing, dict) else None
    if not isinstance(files, dict):
        return {}
    return {name: digest for name, digest in files.items() if isinstance(digest, str)}


@contextmanager
def writing(
    comparison: "Comparison", out: Path | None, studio: "Studio", *, flights: bool = True
) -> Iterator[list[Path]]:
    """Write tables, pictures and trajectories into a folder, if there is one.

    Pictures are drawn in the background; the rest is written after them, and the list is then
    complete.  Trajectories are numbered, because the changes of a variant may be too long for
    a file name; ``runs.csv`` maps numbers to runs.
    """
    from tinrocket.show.pictures import first_picture, pictures_of
    from tinrocket.trajectory.csv_text import columns_of_rows, write_csv

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
        except (BrokenPipeError, SystemExit) as error:  # stdout is closed: write the files first
            unread = error
        written += [out / f"{name}.png" for name in sorted(pictures)]
        written.append(write_csv(columns_of_rows(comparison.rows), out / "drift.csv"))
        written.append(write_csv(comparison.matched, out / "events.csv"))
        first = out / f"{first_picture(comparison)}.png"
        shown += sorted(written, key=lambda path: (path != first, path))
        if flights:
            shown += _write_flights(comparison, out, written)
        studio.finish()
    if unread is not None:
        raise unread


def _write_flights(comparison: "Comparison", out: Path, written: list[Path]) -> list[Path]:
    from tinrocket.trajectory.csv_text import columns_of_rows, write_csv
    from tinrocket.trajectory.file import write_trajectory

    folder = make_directory(out / TRAJECTORIES)
    width = len(str(len(comparison.runs)))
    rows = []
    for number, run in enumerate(comparison.runs, start=1):
        name = f"run-{number:0{width}}.csv"
        written += write_trajectory(run.flight, folder / name)
        rows.append({"file": name, "variant": run.variant, "clock": run.clock, "fps": run.rate})
    written.append(write_csv(columns_of_rows(rows), folder / "runs.csv"))
    return [folder]
