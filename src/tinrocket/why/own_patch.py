"""The cure of an update function as a diff, and the changes of its caller."""

import ast

from tinrocket.errors import OptionError
from tinrocket.own_update.own_scenario import OwnScenario
from tinrocket.own_update.patching import as_diff, needs_parameter
from tinrocket.own_update.update import OwnUpdate
from tinrocket.scenario.scenario import Scenario
from tinrocket.why.cures import Cures


def diff_of(cured: Scenario | None) -> str:
    """Return the changes of a cure in the file of an update function, as a unified diff.

    Raises
    ------
    OptionError
        If it is a scenario, or the cure changes no line.
    """
    if cured is None:
        return ""
    if not isinstance(cured, OwnScenario):
        raise OptionError("--diff is for update functions, FILE.py:NAME; use --apply instead")
    if not cured.own.gone:
        raise OptionError("--diff: this cure is in the update's caller; no line changes")
    return as_diff(cured.own.code.text, cured.own.patched, cured.own.path)


def own_notes(cures: Cures) -> list[str]:
    """Return notes on callers that must pass the length of the step, and on unrecognised lines."""
    scenario, notes = cures.causes.scenario, []
    if not isinstance(scenario, OwnScenario):
        return []
    cured = cures.cured
    if isinstance(cured, OwnScenario):
        own = cured.own
        if needs_parameter(own.code, [own.findings[n] for n in sorted(own.gone)]):
            name = own.loaded.function.__name__
            lines = _callers(own, name)
            where = f" ({own.path.name}: line {', '.join(map(str, lines))})" if lines else ""
            notes.append(f"{name} gets the parameter dt [s]: pass the frame's length{where}.")
    unknown = scenario.own.unknown
    if unknown:
        lines_of = ", ".join(map(str, unknown))
        notes.append(f"Not recognised, and perhaps a cause too: line {lines_of}.")
    return notes


def _callers(own: OwnUpdate, name: str) -> list[int]:
    """Return the lines of the file that call the update, outside of its own routines."""
    inside = {id(node) for routine in own.code.routines for node in ast.walk(routine.node)}
    return [
        node.lineno
        for node in ast.walk(own.code.tree)
        if isinstance(node, ast.Call) and id(node) not in inside and _is_call_of(node, name)
    ]


def _is_call_of(node: ast.Call, name: str) -> bool:
    function = node.func
    if isinstance(function, ast.Name):
        return function.id == name
    return isinstance(function, ast.Attribute) and function.attr == name
