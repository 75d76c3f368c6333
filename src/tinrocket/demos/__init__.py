"""Bundled scenarios, with made-up numbers from a workshop of tin toys."""

from importlib.resources import files

from tinrocket.errors import UnknownNameError, nearest
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.toml_file import parse_scenario

STARTER = "starter"


def demo_names() -> tuple[str, ...]:
    """Return the names of the bundled scenarios.

    Examples
    --------
    >>> tr.demo_names()
    ('ladybird', 'marble', 'mouse', 'popgun', 'rocket', 'sparrow', 'tray', 'wren')
    """
    names = (file.name for file in files(__name__).iterdir() if file.name.endswith(".toml"))
    return tuple(sorted(name.removesuffix(".toml") for name in names if name != f"{STARTER}.toml"))


def demo_text(name: str) -> str:
    """Return a bundled scenario as it is written, comments included.

    Raises
    ------
    UnknownNameError
        If no demo has this name.
    """
    if name not in (*demo_names(), STARTER):
        raise UnknownNameError(f"there is no demo '{name}'{nearest(name, demo_names())}")
    return files(__name__).joinpath(f"{name}.toml").read_text(encoding="utf-8")


def read_demo(name: str) -> Scenario:
    """Return a bundled scenario; UnknownNameError if no demo has this name.

    Examples
    --------
    >>> tr.read_demo("popgun").title
    'Popgun under a shelf of tins'
    """
    return parse_scenario(demo_text(name), source=f"demo '{name}'")
