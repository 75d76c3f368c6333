"""Inline kernels: replace parameters in their text, fold constants, rename locals.

An inlined kernel must not return early. Fields of the craft that is being moved become variables,
so that they stay in registers.
"""

import ast
import keyword
import unicodedata
from collections.abc import Callable, Collection, Iterable, Mapping
from functools import cache
from typing import Any

from tinrocket.language.records import Record
from tinrocket.language.subset import KERNELS, source_of

RESIDENT = ("x", "y", "vx", "vy", "heading")
"""Fields of a body that are variables while its rules run."""
FACE = ("faced", "face_x", "face_y")
"""Further fields of a body that only its rules move: the last heading used, and its direction."""
CLOCK = ("now", "count", "dt")
"""Fields of the world that are variables in a step."""


OWN = "own"
"""The parameter that holds a rule's numbers and choices, each as a field."""


OF_RECORDS = frozenset(dir(Record))
"""Names that every record has, so that none of its fields may."""


class Names:
    """Names in use in one composed function, and the values of its global names.

    A requested name may come from the user (craft, rule, action, condition): it is used only if it
    is free.
    """

    def __init__(self, taken: Iterable[str]) -> None:
        self._taken = {*OF_RECORDS, *taken}
        self.globals: dict[str, Any] = {}

    def new(self, wanted: str) -> str:
        """Return an unused name similar to the requested one."""
        # NFKC, as Python normalises identifiers
        letters = unicodedata.normalize("NFKC", wanted)
        name = "".join(letter if f"_{letter}".isidentifier() else " " for letter in letters)
        name = "_".join(name.split()).strip("_") or "it"
        if not name.isidentifier() or keyword.iskeyword(name):
            name = f"_{name}"
        unique, number = name, 2
        while unique in self._taken:
            unique, number = f"{name}_{number}", number + 1
        self._taken.add(unique)
        return unique

    def of_global(self, wanted: str, value: Any) -> str:
        """Return the name under which a function or number is known."""
        for name, known in self.globals.items():
            if known is value:
                return name
        name = self.new(wanted)
        self.globals[name] = value
        return name


class Inliner:
    """Inlines kernels into one composed function, and keeps their names apart."""

    def __init__(self, names: Names, resident: Collection[str] = RESIDENT) -> None:
        self.names, self.resident = names, resident

    def statements(
        self,
        kernel: Callable[..., Any],
        given: Mapping[str, ast.expr],
        targets: list[ast.expr] | None = None,
    ) -> list[ast.stmt]:
        """Return a kernel's statements with its parameters replaced.

        Parameters
        ----------
        given
            An expression for each parameter.
        targets
            What its results are given to.
        """
        source = source_of(kernel)
        replaced = dict(given) | {OWN: ast.Name(OWN)}
        before: list[ast.stmt] = []
        for name in _assigned_in(kernel):
            fresh = ast.Name(self.names.new(name))
            if name in replaced:
                before.append(_assigned([fresh], replaced[name]))
            replaced[name] = fresh
        visitor = _Replacer(self, source.names, replaced)
        return [*before, *self._block(_fresh_body(kernel), visitor, targets)]

    def expression(
        self, kernel: Callable[..., Any], given: Mapping[str, ast.expr]
    ) -> ast.expr | None:
        """Return the one expression that a kernel returns, if that is all it does."""
        used = _names_of_the_one(kernel)
        if used is None:
            return None
        for name, value in given.items():
            if (
                not isinstance(value, ast.Name | ast.Constant | ast.Attribute)
                and used.count(name) > 1
            ):
                return None
        returned = _fresh_body(kernel)[0]
        assert isinstance(returned, ast.Return)
        assert returned.value is not None
        replaced: ast.expr = _Replacer(self, source_of(kernel).names, dict(given)).visit(
            returned.value
        )
        return replaced

    def _block(
        self, body: list[ast.stmt], visitor: "_Replacer", targets: list[ast.expr] | None
    ) -> list[ast.stmt]:
        return [done for statement in body for done in self._statement(statement, visitor, targets)]

    def _statement(
        self, statement: ast.stmt, visitor: "_Replacer", targets: list[ast.expr] | None
    ) -> list[ast.stmt]:
        match statement:
            case ast.Return(value=value):
                if value is None or targets is None:
                    raise TypeError("a kernel in line returns at its end or not at all")
                return [_assigned(targets, visitor.visit(value))]
            case ast.Expr(value=ast.Call() as call):
                inner = visitor.called(call)
                if inner is not None and visitor.hands_on_body(call):
                    return self.statements(inner, visitor.arguments(inner, call))
                return [ast.Expr(visitor.visit(call))]
            case ast.If(test=test, body=yes, orelse=no):
                folded = visitor.visit(test)
                if isinstance(folded, ast.Constant):
                    return self._block(yes if folded.value else no, visitor, targets)
                yes = self._block(yes, visitor, targets)
                no = self._block(no, visitor, targets)
                return [ast.If(folded, yes or [ast.Pass()], no)]
            case ast.For(target=target, iter=over, body=inside):
                inside = self._block(inside, visitor, targets)
                return [ast.For(visitor.visit(target), visitor.visit(over), inside, [], lineno=1)]
        changed = visitor.visit(statement)
        if (
            isinstance(changed, ast.AugAssign)
            and isinstance(changed.op, ast.Add | ast.Sub)
            and isinstance(changed.value, ast.Constant)
            and changed.value.value == 0.0
        ):
            return []
        return [changed]


class _Replacer(ast.NodeTransformer):
    """Replaces parameters, fields and constants in the text of one kernel, and folds."""

    def __init__(
        self, inliner: Inliner, known: Mapping[str, Any], replaced: Mapping[str, ast.expr]
    ) -> None:
        self.inliner, self.known, self.replaced = inliner, known, replaced

    def called(self, call: ast.Call) -> Callable[..., Any] | None:
        """Return the kernel that is called."""
        function = self.known.get(call.func.id) if isinstance(call.func, ast.Name) else None
        return function if function in KERNELS else None

    def hands_on_body(self, call: ast.Call) -> bool:
        """Whether the current craft is passed on; its fields are variables here."""
        return any(
            _is_body(self.replaced.get(argument.id))
            for argument in call.args
            if isinstance(argument, ast.Name)
        )

    def arguments(self, kernel: Callable[..., Any], call: ast.Call) -> dict[str, ast.expr]:
        """Return the arguments of a call by their parameters."""
        parameters = [argument.arg for argument in source_of(kernel).tree.args.args]
        passed = dict(zip(parameters, call.args, strict=False))
        passed |= {keyword.arg: keyword.value for keyword in call.keywords if keyword.arg}
        return {name: self.visit(value) for name, value in passed.items()}

    def visit_Name(self, node: ast.Name) -> ast.expr:  # the order in which ast evaluates them
        if node.id in self.replaced:
            return self.replaced[node.id]
        value = self.known.get(node.id)
        if isinstance(value, bool | int) or (
            isinstance(value, float) and abs(value) < float("inf")
        ):
            return ast.Constant(value)
        if value is None or node.id in _BUILTINS:
            return node
        return ast.Name(self.inliner.names.of_global(node.id, value))

    def visit_Attribute(self, node: ast.Attribute) -> ast.expr:
        base = self.visit(node.value)
        if isinstance(base, ast.Name):
            if base.id == "body" and node.attr in self.inliner.resident:
                return ast.Name(node.attr)
            if base.id == "world" and node.attr in CLOCK:
                return ast.Name(node.attr)
            if base.id == OWN:
                return self.replaced[node.attr]
        return ast.Attribute(base, node.attr)

    def visit_Call(self, node: ast.Call) -> ast.expr:
        inner = self.called(node)
        if inner is not None:
            if _names_of_the_one(inner) is not None:
                passed = self.arguments(inner, node)
                shown = self.inliner.expression(inner, passed)
                if shown is not None:
                    return shown
                return _folded_call(ast.Call(self.visit(node.func), list(passed.values()), []))
            if self.hands_on_body(node):
                raise TypeError(f"{inner.__name__} takes a body, and returns early")
        self.generic_visit(node)
        return _folded_call(node)

    def visit_BinOp(self, node: ast.BinOp) -> ast.expr:
        self.generic_visit(node)
        return _folded_sum(node)

    def visit_Compare(self, node: ast.Compare) -> ast.expr:
        self.generic_visit(node)
        parts = [node.left, *node.comparators]
        if all(isinstance(part, ast.Constant) for part in parts):
            return ast.Constant(bool(_value(node)))
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.expr:
        self.generic_visit(node)
        return ast.Constant(_value(node)) if isinstance(node.operand, ast.Constant) else node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.expr:
        self.generic_visit(node)
        decides = isinstance(node.op, ast.Or)
        left = []
        for value in node.values:
            if not isinstance(value, ast.Constant):
                left.append(value)
            elif bool(value.value) == decides:
                left.append(ast.Constant(decides))
                break
        if not left:
            return ast.Constant(not decides)
        if isinstance(left[0], ast.Constant) or len(left) == 1:
            return left[0]
        return ast.BoolOp(node.op, left)

    def visit_IfExp(self, node: ast.IfExp) -> ast.expr:
        self.generic_visit(node)
        if isinstance(node.test, ast.Constant):
            return node.body if node.test.value else node.orelse
        return node


_BUILTINS = ("abs", "min", "max", "float", "int", "bool", "range")


def _is_body(node: ast.expr | None) -> bool:
    return isinstance(node, ast.Name) and node.id == "body"


def _value(node: ast.expr) -> Any:
    text = compile(ast.fix_missing_locations(ast.Expression(node)), "folded", "eval")
    return eval(text)  # noqa: S307  # constants alone


def _folded_call(node: ast.Call) -> ast.expr:
    """Return a call of a builtin with constants as its value."""
    known = isinstance(node.func, ast.Name) and node.func.id in ("abs", "min", "max", "float")
    if known and all(isinstance(argument, ast.Constant) for argument in node.args):
        return ast.Constant(_value(node))
    return node


def _folded_sum(node: ast.BinOp) -> ast.expr:
    """Return ``1.0 * x`` and ``x - 0.0`` as x, and constant expressions as their values."""
    left, right = node.left, node.right
    if isinstance(left, ast.Constant) and isinstance(right, ast.Constant):
        return ast.Constant(_value(node))
    if isinstance(node.op, ast.Mult):
        for one, other in ((left, right), (right, left)):
            if isinstance(one, ast.Constant) and one.value == 1.0:
                return other
    if isinstance(node.op, ast.Sub) and isinstance(right, ast.Constant) and right.value == 0.0:
        return left
    return node


def _assigned(targets: list[ast.expr], value: ast.expr) -> ast.stmt:
    target = targets[0] if len(targets) == 1 else ast.Tuple(targets)
    return ast.Assign([target], value, lineno=1)


@cache
def _text(kernel: Callable[..., Any]) -> str:
    return ast.unparse(source_of(kernel).tree)


def _fresh_body(kernel: Callable[..., Any]) -> list[ast.stmt]:
    """Return a fresh copy of a kernel's statements: parsing them again is faster than deepcopy."""
    tree = ast.parse(_text(kernel)).body[0]
    assert isinstance(tree, ast.FunctionDef)
    return _without_docstring(tree.body)


@cache
def _assigned_in(kernel: Callable[..., Any]) -> tuple[str, ...]:
    """Return the names to which a kernel assigns."""
    nodes = (node for inner in _fresh_body(kernel) for node in ast.walk(inner))
    stored = {n.id for n in nodes if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    return tuple(sorted(stored))


@cache
def _names_of_the_one(kernel: Callable[..., Any]) -> tuple[str, ...] | None:
    """Return the names in the one expression that a kernel returns, if that is all it does."""
    body = _fresh_body(kernel)
    if len(body) != 1 or not isinstance(body[0], ast.Return) or body[0].value is None:
        return None
    if isinstance(body[0].value, ast.Tuple):
        return None
    return tuple(n.id for n in ast.walk(body[0].value) if isinstance(n, ast.Name))


def _without_docstring(body: list[ast.stmt]) -> list[ast.stmt]:
    first = body[0]
    has_one = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
    return body[1:] if has_one else body
