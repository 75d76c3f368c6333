"""Rules of the user as kernels: the craft is a body, and what the rule remembers a record."""

import ast
import dis
import math
from collections.abc import Callable, Mapping
from copy import deepcopy
from types import CellType, CodeType, FunctionType, SimpleNamespace
from typing import Any

from tinrocket.errors import OptionError, nearest
from tinrocket.language.names import SUBSTITUTES
from tinrocket.language.records import Record
from tinrocket.language.subset import Source, source_of
from tinrocket.language.tree import Kind
from tinrocket.motion.body import Body
from tinrocket.motion.rules.custom import field_of
from tinrocket.scenario.user_rules import SEEN


def in_subset(
    function: Callable[..., Any], memory: type[Record] | None
) -> tuple[Source, Mapping[str, Kind]]:
    """Return a user's rule as the source of a kernel, and the types of its parameters.

    Attributes that it adds are stored in a record of their own: ``craft.fuel`` becomes
    ``memory.fuel``.
    """
    source = source_of(function)
    tree = deepcopy(source.tree)
    tree.decorator_list = []
    parameters = [argument.arg for argument in tree.args.args]
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
    """Return a rule's text, and the numbers that it uses from its module."""
    source = source_of(function)
    used = {node.id for node in ast.walk(source.tree) if isinstance(node, ast.Name)}
    numbers = {
        name: source.names[name]
        for name in sorted(used)
        if isinstance(source.names.get(name), int | float)
    }
    return f"{ast.unparse(source.tree)} {numbers}"


class _Remembered(ast.NodeTransformer):
    """Reads and writes a rule's memory in its record."""

    def __init__(self, craft: str, memory: type[Record]) -> None:
        self.craft, self.memory = craft, memory

    # the order in which ast evaluates them
    def visit_Attribute(self, node: ast.Attribute) -> ast.expr:
        self.generic_visit(node)
        of_craft = isinstance(node.value, ast.Name) and node.value.id == self.craft
        if of_craft and field_of(node.attr) in self.memory.fields:
            node.attr = field_of(node.attr)
            node.value = ast.copy_location(ast.Name("memory", ast.Load()), node)
        return node


class SeenCraft:
    """A craft as a user's rule sees it in plain Python."""

    __slots__ = ("_body", "_memory")

    def __init__(self, body: Body, memory: Record | None) -> None:
        object.__setattr__(self, "_body", body)
        object.__setattr__(self, "_memory", memory)

    def _place(self, name: str) -> tuple[Record, str]:
        """Return the record in which an attribute lies, and its field there."""
        memory: Record | None = self._memory
        if memory is not None and field_of(name) in memory.fields:
            return memory, field_of(name)
        if name not in SEEN:
            own = (
                ()
                if memory is None
                else (field.removeprefix(field_of("")) for field in memory.fields)
            )
            raise OptionError(f"a craft has no '{name}'{nearest(name, (*SEEN, *own))}")
        body: Body = self._body
        return body, name

    def __getattr__(self, name: str) -> Any:
        """Return a field of the craft, or an attribute that the rule added."""
        return getattr(*self._place(name))

    def __setattr__(self, name: str, value: float) -> None:
        """Set a field of the craft, or an attribute that the rule adds."""
        setattr(*self._place(name), float(value))


def called_plainly(
    function: Callable[..., Any], memory: type[Record] | None
) -> Callable[..., None]:
    """Return a user's rule as the composed text calls it, in plain Python."""
    called = with_own_maths(function)
    if memory is None:
        return lambda body, *given: called(SeenCraft(body, None), *given)
    return lambda body, own, *given: called(SeenCraft(body, own), *given)


def with_own_maths(function: Callable[..., Any]) -> Callable[..., Any]:
    """Return a function with the library's own `math`, as in the compiled one.

    A function that rebinds global names is returned as it is: it could not see its own changes.
    """
    code = function.__code__
    changes = any(
        instruction.opname in ("STORE_GLOBAL", "DELETE_GLOBAL")
        for instruction in dis.get_instructions(code)
    )
    if changes or not isinstance(function, FunctionType):
        return function
    used = {
        name: function.__globals__[name] for name in _names_in(code) & function.__globals__.keys()
    }
    seen = function.__globals__ | {name: _own_maths(value) for name, value in used.items()}
    held = tuple(CellType(_own_maths(cell.cell_contents)) for cell in function.__closure__ or ())
    made = FunctionType(code, seen, function.__name__, function.__defaults__, held)
    made.__kwdefaults__ = function.__kwdefaults__
    return made


def _names_in(code: CodeType) -> set[str]:
    inner = (constant for constant in code.co_consts if isinstance(constant, CodeType))
    return set(code.co_names).union(*map(_names_in, inner))


def _own_maths(value: Any) -> Any:
    """Return the replacement of `math`, or of one of its functions, in a rule."""
    if value is math:
        shown = SimpleNamespace(**vars(math))
        for theirs, own in SUBSTITUTES.items():
            if theirs.__module__ == "math":
                setattr(shown, theirs.__name__, own)
        return shown
    try:
        return SUBSTITUTES.get(value, value)
    except TypeError:  # a value that cannot be hashed is no function
        return value
