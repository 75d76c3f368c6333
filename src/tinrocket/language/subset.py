"""Kernels, the place of their source, and the error for code outside the subset."""

import ast
import builtins
import inspect
import linecache
import textwrap
from collections import ChainMap
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, TypeVar

Function = TypeVar("Function", bound=Callable[..., Any])

PACKAGE = __name__.partition(".")[0]

KERNELS: set[Callable[..., Any]] = set()
"""Every function that was declared a kernel."""


class SubsetError(TypeError):
    """A function leaves the subset; the message says where, why, and what to write instead."""

    def __init__(self, source: "Source", node: ast.AST, why: str) -> None:
        line = source.first_line + getattr(node, "lineno", 1) - 1
        super().__init__(f"{source.file}, line {line}, in {source.tree.name}: {why}")
        self.why = why


@dataclass(frozen=True, slots=True, eq=False)
class Source:
    """A function's source.

    Attributes
    ----------
    tree
        The function itself.
    names
        Values of its global names.
    file, first_line
        Place of its source, for messages.
    foreign
        Whether it was not written for 32-bit integers, which then must not wrap around.
    """

    tree: ast.FunctionDef
    names: Mapping[str, Any]
    file: str
    first_line: int = 1
    foreign: bool = False


def kernel(function: Function) -> Function:
    """Declare a function a kernel: other kernels may call it; it stays plain Python."""
    KERNELS.add(function)
    return function


def is_own(function: Callable[..., Any]) -> bool:
    """Return whether a function is one of the package's own, which do not change."""
    return (function.__module__ or "").startswith(f"{PACKAGE}.")


_read: dict[Callable[..., Any], Source] = {}


def source_of(function: Callable[..., Any]) -> Source:
    """Return the source of a function.

    Raises
    ------
    OSError
        If it has none, as of a function typed at a prompt.
    """
    if function not in _read:
        tree, first = _standing(function) or _anywhere(function)
        held = (cell.cell_contents for cell in function.__closure__ or ())
        free = dict(zip(function.__code__.co_freevars, held, strict=True))
        names = ChainMap(free, function.__globals__, vars(builtins))
        file = inspect.getsourcefile(function) or "?"
        _read[function] = Source(tree, names, file, first)
    return _read[function]


@cache
def _functions_of(file: str) -> dict[tuple[str, int], ast.FunctionDef]:
    """Return the functions of a module, by name and first line."""
    tree = ast.parse("".join(linecache.getlines(file)))
    functions = (statement for statement in tree.body if isinstance(statement, ast.FunctionDef))
    return {
        (
            function.name,
            min([function.lineno, *(part.lineno for part in function.decorator_list)]),
        ): function
        for function in functions
    }


def _standing(function: Callable[..., Any]) -> tuple[ast.FunctionDef, int] | None:
    """Return a function of the package's own modules."""
    if not is_own(function):
        return None
    code = function.__code__
    tree = _functions_of(code.co_filename).get((code.co_name, code.co_firstlineno))
    return (tree, 1) if tree else None


def _anywhere(function: Callable[..., Any]) -> tuple[ast.FunctionDef, int]:
    lines, first = inspect.getsourcelines(function)
    tree = ast.parse(textwrap.dedent("".join(lines))).body[0]
    if not isinstance(tree, ast.FunctionDef):
        raise OSError(f"{function.__qualname__} is no plain function")
    return tree, first


def parsed(text: str, names: dict[str, Any], file: str) -> list[Source]:
    """Return the functions of a text, which share some global names."""
    trees = [
        statement for statement in ast.parse(text).body if isinstance(statement, ast.FunctionDef)
    ]
    seen = ChainMap(names, vars(builtins))
    return [Source(tree, seen, file) for tree in trees]
