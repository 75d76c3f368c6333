"""Reading an update function without executing its file: which lines depend on the frame rate."""

import ast
from pathlib import Path

from tinrocket.errors import OptionError, UnknownNameError, nearest
from tinrocket.files import read_text
from tinrocket.own_update.finding import Finding
from tinrocket.own_update.recognise import NO_MISTAKE, findings_of
from tinrocket.own_update.routines import Code, read_code
from tinrocket.own_update.signature import time_parameter

USUAL = 60.0
"""Tuned frames per second, if the file declares none."""


def read_lines(named: str | Path) -> tuple[Code, list[Finding], list[int]]:
    """Return the code of an update function, its findings, and lines that are not recognised.

    The file is read, not executed.

    Parameters
    ----------
    named
        ``FILE.py:NAME``, of a function or of a method ``Class.method``.

    Raises
    ------
    FileError, OptionError, UnknownNameError
        If the file cannot be read, is no Python, or has no such function.
    """
    file, _colon, name = str(named).rpartition(":")
    text = read_text(Path(file))
    try:
        tree = ast.parse(text)
    except (SyntaxError, ValueError, RecursionError) as error:
        line = getattr(error, "lineno", None)
        raise OptionError(f"{file}{f':{line}' if line else ''}: {error}") from None
    known = _definitions(tree)
    if name not in known:
        raise UnknownNameError(f"{file}: there is no function '{name}'{nearest(name, known)}")
    arguments = known[name].args
    parameters = [argument.arg for argument in (*arguments.posonlyargs, *arguments.args)]
    dt, unit = time_parameter(parameters)
    tuned = _tuned_at(tree)
    per_second = {"s": 1.0, "ms": 1000.0, "frames": tuned}[unit]
    code = read_code(text, name, dt, per_second / tuned)
    findings, unknown = findings_of(code)
    return code, [finding for finding in findings if finding.kind not in NO_MISTAKE], unknown


def _definitions(tree: ast.Module) -> dict[str, ast.FunctionDef]:
    changes = {}
    for node in tree.body:
        if isinstance(node, ast.FunctionDef):
            changes[node.name] = node
        elif isinstance(node, ast.ClassDef):
            for inner in node.body:
                if isinstance(inner, ast.FunctionDef):
                    changes[f"{node.name}.{inner.name}"] = inner
    return changes


def _tuned_at(tree: ast.Module) -> float:
    """Return the tuned rate of the file's declaration, if it is a plain number."""
    for node in tree.body:
        if not isinstance(node, ast.Assign) or not isinstance(node.value, ast.Dict):
            continue
        for key, value in zip(node.value.keys, node.value.values, strict=True):
            named = isinstance(key, ast.Constant) and key.value == "tuned_at"
            if named and isinstance(value, ast.Constant) and isinstance(value.value, int | float):
                return float(value.value) if value.value > 0 else USUAL
    return USUAL
