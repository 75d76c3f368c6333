"""Rules of the user's own as kernels: their craft is a body, with a record of its own beside."""

import ast
from collections.abc import Callable, Mapping
from copy import deepcopy
from typing import Any

from tinrocket.errors import OptionError, nearest
from tinrocket.kernel.records import Record
from tinrocket.kernel.subset import Source, source_of
from tinrocket.kernel.tree import Kind
from tinrocket.motion.body import Body
from tinrocket.scenario.registry import SEEN


def in_subset(
    function: Callable[..., Any], memory: type[Record] | None
) -> tuple[Source, Mapping[str, Kind]]:
    """Return a user's rule as the source of a kernel, and the types of its parameters.

    What it remembers lies in a record of its own: ``craft.fuel`` becomes ``memory.fuel``.
    """
    source = source_of(function)
    tree = deepcopy(source.tree)
    tree.decorator_list = []
    parameters = [one.arg for one in tree.args.args]
    kinds: dict[str, Kind] = dict.fromkeys(parameters, float)
    kinds[parameters[0]] = Body
    tree.args.defaults = []
    tree.returns = None
    if memory is not None:
        _Remembered(parameters[0], memory).visit(tree)
        tree.args.args.insert(1, ast.arg("memory"))
        kinds["memory"] = memory
    return Source(tree, source.names, source.file, source.first_line, foreign=True), kinds


def described(function: Callable[..., Any]) -> str:
    """Return a rule's text, and the numbers that it takes from around it."""
    source = source_of(function)
    used = {one.id for one in ast.walk(source.tree) if isinstance(one, ast.Name)}
    numbers = {
        name: source.names[name]
        for name in sorted(used)
        if isinstance(source.names.get(name), int | float)
    }
    return f"{ast.unparse(source.tree)} {numbers}"


class _Remembered(ast.NodeTransformer):
    """Reads and writes what is remembered where it lies."""

    def __init__(self, craft: str, memory: type[Record]) -> None:
        self.craft, self.memory = craft, memory

    def visit_Attribute(self, node: ast.Attribute) -> ast.expr:  # as ast wants it
        self.generic_visit(node)
        of_craft = isinstance(node.value, ast.Name) and node.value.id == self.craft
        if of_craft and node.attr in self.memory.fields:
            node.value = ast.copy_location(ast.Name("memory", ast.Load()), node)
        return node


class SeenCraft:
    """A craft as a user's rule sees it in plain Python."""

    __slots__ = ("_body", "_memory")

    def __init__(self, body: Body, memory: Record | None) -> None:
        object.__setattr__(self, "_body", body)
        object.__setattr__(self, "_memory", memory)

    def _place(self, name: str) -> Record:
        memory: Record | None = self._memory
        if memory is not None and name in memory.fields:
            return memory
        if name not in SEEN:
            known = (*SEEN, *(memory.fields if memory is not None else ()))
            raise OptionError(f"a craft has no '{name}'{nearest(name, known)}")
        body: Body = self._body
        return body

    def __getattr__(self, name: str) -> Any:
        """Return a field of the craft, or what the rule remembers."""
        return getattr(self._place(name), name)

    def __setattr__(self, name: str, value: float) -> None:
        """Change it."""
        setattr(self._place(name), name, float(value))


def called_plainly(
    function: Callable[..., Any], memory: type[Record] | None
) -> Callable[..., None]:
    """Return a user's rule as the composed text calls it, in plain Python."""
    if memory is None:
        return lambda body, *given: function(SeenCraft(body, None), *given)
    return lambda body, own, *given: function(SeenCraft(body, own), *given)
