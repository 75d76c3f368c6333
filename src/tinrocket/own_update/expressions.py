"""Arithmetic on syntax trees: constants, sameness, and linear forms of expressions."""

import ast
import math
from collections.abc import Callable

ONE = ast.Constant(1)
ZERO = ast.Constant(0)
Pair = tuple[ast.expr, ast.expr]

CALLS: dict[str, Callable[..., float]] = {
    "min": min,
    "max": max,
    "abs": abs,
    "exp": math.exp,
    "pow": math.pow,
    "sqrt": math.sqrt,
    "radians": math.radians,
    "degrees": math.degrees,
    "float": float,
}


def text_of(node: ast.AST) -> str:
    """Return the canonical text of an expression; cached in the node."""
    known: str | None = getattr(node, "_text", None)
    if known is None:
        known = ast.unparse(node)
        node._text = known  # type: ignore[attr-defined]
    return known


def same(node: ast.AST, other: ast.AST) -> bool:
    """Return whether two expressions are equal, apart from blanks and parentheses."""
    return type(node) is type(other) and text_of(node) == text_of(other)


def contains(node: ast.AST, part: ast.AST) -> bool:
    """Return whether an expression contains another one."""
    kind, text = type(part), text_of(part)
    return any(type(inner) is kind and text_of(inner) == text for inner in ast.walk(node))


def names_in(node: ast.AST) -> set[str]:
    """Return all variables that are read in an expression."""
    return {inner.id for inner in ast.walk(node) if isinstance(inner, ast.Name)}


def called(node: ast.Call) -> str:
    """Return the last part of the name of a called function; empty if it has none."""
    if isinstance(node.func, ast.Name):
        return node.func.id
    return node.func.attr if isinstance(node.func, ast.Attribute) else ""


def number(node: ast.AST, known: dict[str, float] | None = None) -> float | None:
    """Return the value of constant arithmetic; None if anything in it is not known."""
    if isinstance(node, ast.Constant):
        if isinstance(node.value, bool) or not isinstance(node.value, int | float):
            return None
        return float(node.value)
    if isinstance(node, ast.Name):
        return (known or {}).get(node.id)
    if isinstance(node, ast.UnaryOp):
        value = number(node.operand, known)
        if value is None or not isinstance(node.op, ast.USub | ast.UAdd):
            return None
        return -value if isinstance(node.op, ast.USub) else value
    if isinstance(node, ast.BinOp):
        left, right = number(node.left, known), number(node.right, known)
        return None if left is None or right is None else _operated(node.op, left, right)
    if isinstance(node, ast.Call) and called(node) in CALLS and not node.keywords:
        values = [number(argument, known) for argument in node.args]
        if any(value is None for value in values):
            return None
        try:
            return float(CALLS[called(node)](*values))
        except (ArithmeticError, TypeError, ValueError):
            return None
    return None


def _operated(op: ast.operator, left: float, right: float) -> float | None:
    try:
        if isinstance(op, ast.Add):
            return left + right
        if isinstance(op, ast.Sub):
            return left - right
        if isinstance(op, ast.Mult):
            return left * right
        if isinstance(op, ast.Div):
            return left / right
        if isinstance(op, ast.Pow):
            value = left**right
            return value if isinstance(value, float) else None
    except (ArithmeticError, ValueError):
        return None
    return None


def _joined(left: ast.expr, op: ast.operator, right: ast.expr) -> ast.expr:
    """Return an operation without neutral operands."""
    a, b = number(left), number(right)
    if isinstance(op, ast.Add | ast.Sub) and b == 0.0:
        return left
    if isinstance(op, ast.Add) and a == 0.0:
        return right
    if isinstance(op, ast.Mult):
        if a == 1.0:
            return right
        if a == 0.0 or b == 0.0:
            return ZERO
    if isinstance(op, ast.Mult | ast.Div) and b == 1.0:
        return left
    if isinstance(op, ast.Div) and a == 0.0:
        return ZERO
    return ast.BinOp(left, op, right)


def line_in(node: ast.expr, part: ast.expr) -> Pair | None:
    """Return (a, b) if an expression is a * part + b, neither of which contains the part."""
    if same(node, part):
        return ONE, ZERO
    if not contains(node, part):
        return ZERO, node
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        inner = line_in(node.operand, part)
        if inner is None or isinstance(node.op, ast.UAdd):
            return inner
        return _negative(inner[0]), _negative(inner[1])
    if not isinstance(node, ast.BinOp):
        return None
    left, right = line_in(node.left, part), line_in(node.right, part)
    if left is None or right is None:
        return None
    if isinstance(node.op, ast.Add | ast.Sub):
        return _joined(left[0], node.op, right[0]), _joined(left[1], node.op, right[1])
    if isinstance(node.op, ast.Mult):
        if number(left[0]) == 0.0:
            return _joined(left[1], node.op, right[0]), _joined(left[1], node.op, right[1])
        if number(right[0]) == 0.0:
            return _joined(left[0], node.op, right[1]), _joined(left[1], node.op, right[1])
    if isinstance(node.op, ast.Div) and number(right[0]) == 0.0:
        return _joined(left[0], node.op, right[1]), _joined(left[1], node.op, right[1])
    return None


def _negative(node: ast.expr) -> ast.expr:
    value = number(node)
    if value is not None:
        return ast.Constant(-value if value else 0)
    return ast.UnaryOp(ast.USub(), node)


def factors(node: ast.expr) -> list[ast.expr]:
    """Return the factors of a product."""
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult):
        return [*factors(node.left), *factors(node.right)]
    return [node]


class _Replacing(ast.NodeTransformer):
    def __init__(self, names: dict[str, ast.expr]) -> None:
        self.names = names

    def visit_Name(self, node: ast.Name) -> ast.AST:  # the name that ast requires
        return self.names.get(node.id, node) if isinstance(node.ctx, ast.Load) else node


def replaced(node: ast.expr, names: dict[str, ast.expr]) -> ast.expr:
    """Return an expression with some variables replaced by expressions."""
    fresh = ast.parse(ast.unparse(node), mode="eval").body
    result = _Replacing(names).visit(fresh)
    assert isinstance(result, ast.expr)
    return result


def tidy(value: float) -> str:
    """Return a number as a person would type it, to 12 digits."""
    return f"{value:.12g}"


def in_brackets(text: str, node: ast.expr, power: bool = False) -> str:
    """Return the text of a factor, or of the base of a power, in brackets where it needs them."""
    loose = isinstance(node, ast.IfExp | ast.Compare | ast.BoolOp | ast.Lambda | ast.NamedExpr)
    if isinstance(node, ast.BinOp):
        loose = power or isinstance(node.op, ast.Add | ast.Sub)
    if isinstance(node, ast.UnaryOp):
        loose = power
    if isinstance(node, ast.Constant) and power and text.startswith("-"):
        loose = True
    return f"({text})" if loose and not _wrapped(text) else text


def _wrapped(text: str) -> bool:
    """Return whether one pair of brackets encloses the whole text."""
    if not (text.startswith("(") and text.endswith(")")):
        return False
    depth = 0
    for place, letter in enumerate(text):
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if depth == 0 and place < len(text) - 1:
            return False
    return True


def addition(statement: ast.stmt) -> tuple[ast.expr, ast.expr, float] | None:
    """Return target, amount and sign of an addition."""
    if isinstance(statement, ast.AugAssign) and isinstance(statement.op, ast.Add | ast.Sub):
        return statement.target, statement.value, 1.0 if isinstance(statement.op, ast.Add) else -1.0
    if (
        isinstance(statement, ast.Assign)
        and len(statement.targets) == 1
        and isinstance(statement.value, ast.BinOp)
    ):
        target, value = statement.targets[0], statement.value
        if isinstance(value.op, ast.Add | ast.Sub) and text_of(value.left) == text_of(target):
            return target, value.right, 1.0 if isinstance(value.op, ast.Add) else -1.0
        if isinstance(value.op, ast.Add) and text_of(value.right) == text_of(target):
            return target, value.left, 1.0
    return None
