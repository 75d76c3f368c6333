"""Fills the outputs of commands and programs on pages from real runs, of some pages or of all."""

import re
import shlex
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

PROJECT = Path(__file__).parent.parent
EXAMPLE = re.compile(r"(```python\n((?:(?!```).)*)```\n\n```\n)(.*?)(```)", re.DOTALL)
COMMAND = re.compile(r"(```\n\$ tinrocket ([^\n]*)\n)(.*?)(```)", re.DOTALL)


def ran(arguments: list[str], folder: Path) -> str:
    """Return what a program prints, without blanks at the ends of lines."""
    done = subprocess.run(  # noqa: S603  # the pages' own
        [sys.executable, *arguments], cwd=folder, capture_output=True, text=True, check=False
    )
    if done.returncode > 1:
        raise SystemExit(done.stderr)
    return "".join(f"{line.rstrip()}\n" for line in done.stdout.rstrip().splitlines())


def renewed(page: Path) -> str:
    """Return a page with what its programs and commands print now."""
    text = page.read_text(encoding="utf-8")
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(PROJECT / "examples", folder, dirs_exist_ok=True)

        def of_command(found: re.Match[str]) -> str:
            told = ran(["-m", "tinrocket", *shlex.split(found[2])], Path(folder))
            return f"{found[1]}{told}{found[4]}"

        def of_program(found: re.Match[str]) -> str:
            with tempfile.TemporaryDirectory() as own:
                (Path(own) / "example.py").write_text(found[2], encoding="utf-8")
                return f"{found[1]}{ran(['example.py'], Path(own))}{found[4]}"

        return EXAMPLE.sub(of_program, COMMAND.sub(of_command, text))


if __name__ == "__main__":
    named = [Path(name) for name in sys.argv[1:]]
    pages = named or [PROJECT / "README.md", *sorted((PROJECT / "docs").glob("*.md"))]
    for page in pages:
        if page.name not in ("design.md", "mechanisms.md"):  # which show no runs
            page.write_text(renewed(page), encoding="utf-8")
