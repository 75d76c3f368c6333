"""Replacements of amounts, shares and factors that count frames."""

import ast
import re

from tinrocket.own_update.expressions import (
    called,
    contains,
    factors,
    in_brackets,
    line_in,
    names_in,
    number,
    replaced,
    same,
    tidy,
)
from tinrocket.own_update.finding import STEP, frames_text, power_text, step_rate
from tinrocket.own_update.routines import Code, Routine

EXACT_CALLS = ("exp", "pow", "expm1", "exp2")
BOUNDING = ("min", "max", "clamp", "clip", "limit", "bound")


def is_number_like(node: ast.expr) -> bool:
    """Return whether an expression may be a number or a vector."""
    if isinstance(node, ast.Constant):
        return isinstance(node.value, int | float | complex) and not isinstance(node.value, bool)
    wrong = ast.List | ast.Tuple | ast.Set | ast.Dict | ast.JoinedStr | ast.ListComp | ast.Compare
    return not isinstance(node, wrong | ast.BoolOp | ast.Lambda | ast.GeneratorExp)


def is_exact(code: Code, routine: Routine, node: ast.AST) -> bool:
    """Return whether time is in an exponent, as in ``exp(-k * dt)`` or ``0.5 ** (dt / t)``."""
    for inner in ast.walk(node):
        timed: list[ast.expr] = []
        if isinstance(inner, ast.BinOp) and isinstance(inner.op, ast.Pow):
            timed = [inner.right]
        if isinstance(inner, ast.Call) and called(inner) in EXACT_CALLS:
            timed = inner.args
        if any(code.uses_time(routine, part) for part in timed):
            return True
    return any(
        isinstance(below, ast.Name)
        and below.id in routine.time
        and is_exact_in_dt(routine.time[below.id])
        for below in ast.walk(node)
    )


def is_exact_in_dt(node: ast.expr) -> bool:
    """Return whether the expression of a time variable has dt in an exponent."""
    return any(
        (isinstance(inner, ast.BinOp) and isinstance(inner.op, ast.Pow))
        or (isinstance(inner, ast.Call) and called(inner) in EXACT_CALLS)
        for inner in ast.walk(node)
    )


def scaled(code: Code, routine: Routine, amount: ast.expr) -> str:
    """Return an amount for each frame as one for each step: ``2.5`` becomes ``150 * dt``."""
    rate = step_rate(code, routine)
    value = number(amount)
    if value is not None:
        return f"{tidy(value * rate)} * {STEP}"
    parts = factors(amount)
    first = number(parts[0])
    if first is not None and len(parts) > 1:
        rest = " * ".join(in_brackets(code.source(part), part) for part in parts[1:])
        return f"{tidy(first * rate)} * {rest} * {STEP}"
    return f"{in_brackets(code.source(amount), amount)} * {frames_text(code, routine)}"


LONG = 8
"""Most characters of a computed number; a longer one is left as arithmetic."""


def readable(node: ast.expr) -> ast.expr:
    """Return constant arithmetic as one number, if that is short, else unchanged."""
    value = number(node)
    if value is None or len(tidy(value)) > LONG:
        return node
    return ast.parse(tidy(value), mode="eval").body


def unparsed(node: ast.expr) -> str:
    """Return the text of an expression, with ``0.8 / 60`` for ``0.8 * (1 / 60)``."""
    return re.sub(r"\* \(1 / (\d+)\)", r"/ \1", ast.unparse(node))


def powered(code: Code, routine: Routine, factor: ast.expr) -> str:
    """Return a factor for each frame as one for each step: ``0.98 ** (dt * 60)``."""
    shown = readable(factor)
    base = in_brackets(unparsed(shown), shown, power=True)
    return f"{base} ** {power_text(code, routine)}"


def kept_share(code: Code, routine: Routine, share: ast.expr) -> str | None:
    """Return ``1 - (1 - share) ** n``, for a share of each frame; None if it overshoots."""
    value = number(share)
    if value is not None:
        if not 0.0 < value < 1.0:
            return None
        if len(tidy(1.0 - value)) <= LONG:
            return f"1 - {tidy(1.0 - value)} ** {power_text(code, routine)}"
    return f"1 - (1 - {in_brackets(unparsed(share), share)}) ** {power_text(code, routine)}"


def tuned(code: Code, routine: Routine, node: ast.expr) -> ast.expr:
    """Return an expression with dt replaced by a tuned step, and constants computed."""
    return readable(code.at_tuned(routine, node))


def locals_of(code: Code, routine: Routine) -> dict[str, ast.expr]:
    """Return local variables that have one value, by which they can be replaced."""
    assigned: dict[str, list[ast.expr]] = {}
    for node in ast.walk(routine.node):
        if isinstance(node, ast.Assign) and len(node.targets) == 1:
            target = node.targets[0]
            if isinstance(target, ast.Name):
                assigned.setdefault(target.id, []).append(node.value)
            elif isinstance(target, ast.Tuple) and isinstance(node.value, ast.Tuple):
                for inner, value in zip(target.elts, node.value.elts, strict=False):
                    if isinstance(inner, ast.Name):
                        assigned.setdefault(inner.id, []).append(value)
        elif isinstance(node, ast.AugAssign | ast.For | ast.NamedExpr | ast.comprehension):
            for name in names_in(node.target):
                assigned.setdefault(name, []).extend((node.target, node.target))
    return {
        name: values[0]
        for name, values in assigned.items()
        if len(values) == 1 and name not in routine.parameters
    }


def expanded(node: ast.expr, known: dict[str, ast.expr], part: ast.expr) -> ast.expr:
    """Return an expression with the values of local variables that contain a part."""
    for _ in range(4):
        names = {
            inner.id: known[inner.id]
            for inner in ast.walk(node)
            if isinstance(inner, ast.Name) and inner.id in known and contains(known[inner.id], part)
        }
        if not names:
            break
        node = replaced(node, names)
    return node


def split_gap(
    amount: ast.expr, target: ast.expr, sign: float, known: dict[str, ast.expr]
) -> tuple[ast.expr, ast.expr] | None:
    """Return gap and share of an amount that moves its target by a share of its gap to a goal."""
    divisor: ast.expr | None = None
    product: ast.expr = amount
    if isinstance(amount, ast.BinOp) and isinstance(amount.op, ast.Div):
        product, divisor = amount.left, amount.right
    parts = factors(product)
    gaps = []
    for piece in parts:
        line = line_in(_unfolded(expanded(piece, known, target)), target)
        if (line is not None and number(line[0]) == -sign and number(line[1]) != 0.0) or (
            _is_gap_call(piece, target) and sign > 0.0
        ):
            gaps.append(piece)
    if len(gaps) != 1:
        return None
    rest = [part for part in parts if part is not gaps[0]]
    share: ast.expr = rest[0] if rest else ast.Constant(1)
    for piece in rest[1:]:
        share = ast.BinOp(share, ast.Mult(), piece)
    if divisor is not None:
        share = ast.BinOp(share, ast.Div(), divisor)
    return gaps[0], share


class _Unfolding(ast.NodeTransformer):
    """Removes the folding of an angle: ``(goal - angle + 180) % 360 - 180`` is a gap too."""

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:  # the name that ast requires
        self.generic_visit(node)
        return node.left if isinstance(node.op, ast.Mod) else node


def _unfolded(node: ast.expr) -> ast.expr:
    if not any(isinstance(inner, ast.Mod) for inner in ast.walk(node)):
        return node
    unfolded = _Unfolding().visit(ast.parse(ast.unparse(node), mode="eval").body)
    assert isinstance(unfolded, ast.expr)
    return unfolded


GAP_CALLS = ("diff", "delta", "short", "gap", "wrap", "between", "offset", "signed")
"""Words in the names of functions that return the way from one angle to another."""


def _is_gap_call(node: ast.expr, target: ast.expr) -> bool:
    if not isinstance(node, ast.Call) or not any(same(argument, target) for argument in node.args):
        return False
    return any(word in called(node).lower() for word in GAP_CALLS)


SIGNS = ("copysign", "sign", "sgn", "signum")


class _Unsigned(ast.NodeTransformer):
    """Replaces signs of a value, which do not depend on its size, by a name."""

    def __init__(self, part: ast.expr) -> None:
        self.part = part

    def visit_Call(self, node: ast.Call) -> ast.AST:  # the name that ast requires
        if called(node) in SIGNS and node.args and contains(node.args[-1], self.part):
            return ast.Name("__sign__", ast.Load())
        return self.generic_visit(node)

    def visit_IfExp(self, node: ast.IfExp) -> ast.AST:
        branches = contains(node.body, self.part) or contains(node.orelse, self.part)
        if contains(node.test, self.part) and not branches:
            return ast.Name("__sign__", ast.Load())
        return self.generic_visit(node)


def without_signs(node: ast.expr, part: ast.expr) -> ast.expr:
    """Return an expression in which only the size of a part counts."""
    unsigned = _Unsigned(part).visit(ast.parse(ast.unparse(node), mode="eval").body)
    assert isinstance(unsigned, ast.expr)
    return unsigned


def bounds_step(
    code: Code, routine: Routine, amount: ast.expr, target: ast.expr, known: dict[str, ast.expr]
) -> str | None:
    """Return ``max(-c, min(c, goal - x))`` with bounds for each step; None if it is none."""
    if not (isinstance(amount, ast.Call) and called(amount) in BOUNDING and amount.args):
        return None
    texts = []
    for argument in amount.args:
        if contains(expanded(argument, known, target), target):
            inner = bounds_step(code, routine, argument, target, known)
            texts.append(inner if inner is not None else code.source(argument))
        elif code.uses_time(routine, argument):
            return None
        else:
            texts.append("0" if number(argument) == 0.0 else scaled(code, routine, argument))
    return f"{code.source(amount.func)}({', '.join(texts)})"
