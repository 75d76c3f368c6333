"""What a kernel is, where its source stands, and what is said when it leaves the subset."""

import ast
import builtins
import inspect
import textwrap
from collections import ChainMap
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

Function = TypeVar("Function", bound=Callable[..., Any])

KERNELS: set[Callable[..., Any]] = set()
"""Every function that was declared a kernel."""


class SubsetError(TypeError):
    """A function that leaves the subset: where, why, and what to write instead."""

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
        What its global names stand for.
    file, first_line
        Where it stands, for messages.
    """

    tree: ast.FunctionDef
    names: Mapping[str, Any]
    file: str
    first_line: int = 1


def kernel(function: Function) -> Function:
    """Declare a function a kernel: other kernels may call it; it stays plain Python."""
    KERNELS.add(function)
    return function


_read: dict[Callable[..., Any], Source] = {}


def source_of(function: Callable[..., Any]) -> Source:
    """Return the source of a function.

    Raises
    ------
    OSError
        If it has none, as of a function typed at a prompt.
    """
    if function not in _read:
        lines, first = inspect.getsourcelines(function)
        tree = ast.parse(textwrap.dedent("".join(lines))).body[0]
        if not isinstance(tree, ast.FunctionDef):
            raise OSError(f"{function.__qualname__} is no plain function")
        free = inspect.getclosurevars(function).nonlocals
        names = {**vars(builtins), **function.__globals__, **free}
        file = inspect.getsourcefile(function) or "?"
        _read[function] = Source(tree, names, file, first)
    return _read[function]


def parsed(text: str, names: dict[str, Any], file: str) -> list[Source]:
    """Return the functions of a text, which see each other and some names."""
    trees = [one for one in ast.parse(text).body if isinstance(one, ast.FunctionDef)]
    seen = ChainMap(names, vars(builtins))
    return [Source(tree, seen, file) for tree in trees]
