"""Tune arcade motion and see how it feels at every frame rate.

The public names are declared in ``__init__.pyi``.  Each is loaded when it is first used, so that
importing the package, and asking the command line for help, costs next to nothing.
"""

import re
from importlib import import_module
from pathlib import Path

__version__ = "0.2.0"

_STUB = Path(__file__).with_suffix(".pyi").read_text(encoding="utf-8")
_HOME = {name: home for home, name in re.findall(r"^from (\S+) import (\w+) as", _STUB, re.M)}


def _rules() -> list[str]:
    """Return the names of the motion rules, which only their own files list."""
    rules = import_module("tinrocket.scenario.rules")
    return [kind.__name__ for kind in rules.KINDS]


def __getattr__(name: str) -> object:
    """Load a public name from its home and keep it."""
    if name == "__all__":
        return ["__version__", *sorted((*_HOME, *_rules()))]
    home = _HOME.get(name)
    if home is None and name[:1].isupper() and name in _rules():
        home = "tinrocket.scenario.rules"
    if home is None:
        raise AttributeError(f"module 'tinrocket' has no attribute '{name}'")
    value = getattr(import_module(home), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    """Return the public names, loaded or not."""
    names: list[str] = __getattr__("__all__")  # type: ignore[assignment]
    return names
