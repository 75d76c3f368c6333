"""Moves by the velocity at the end of a step, which leave a rest that no other statement mends.

A move ``p += v * dt`` after ``v += a * dt`` is semi-implicit Euler: beside the tuned run it is off
by ``a dt (dt - h) / 2`` in each step, with h the length of a tuned step.  Moving by ``v dt -
(v - v0) (dt - h) / 2``, with v0 the velocity before the step, is the tuned run's own parabola.
"""

import ast
from collections.abc import Iterator

from tinrocket.own_update.expressions import factors, names_in, number, same, tidy
from tinrocket.own_update.finding import Edit, Finding
from tinrocket.own_update.routines import Code, Routine, fixed_loops, statements

WHY = "moves by the velocity at the end of the step"


def moves(code: Code, routine: Routine) -> Iterator[Finding]:
    """Yield the moves by velocities that change before them in the same function, as one."""
    edits: list[Edit] = []
    first: ast.AugAssign | None = None
    fixed = {id(one) for loop in fixed_loops(code, routine) for one in ast.walk(loop)}
    for statement in statements(routine.node):
        if not isinstance(statement, ast.AugAssign) or id(statement) in fixed:
            continue
        if not isinstance(statement.op, ast.Add):
            continue
        found = _velocity(code, routine, statement.value)
        if found is None:
            continue
        velocity, time = found
        body = _body(routine, velocity)
        if not _changes_before(body, velocity, statement):
            continue
        name = _name(routine, velocity)
        tuned = number(code.at_tuned(routine, time))
        if tuned is None:
            continue
        frame = 1.0 / tuned
        whole = abs(frame - round(frame)) < 1e-9 and frame > 1.0
        length = f"1 / {round(frame)}" if whole else tidy(tuned)
        speed, amount = code.source(velocity), code.source(statement.value)
        text = f"{amount} - ({speed} - {name}) * ({ast.unparse(time)} - {length}) / 2"
        copied = speed if _is_component(velocity) else f"+{speed}"
        keeping = Edit(body[0], f"{name} = {copied}", before=True)
        edits += (keeping, Edit(statement.value, text))
        first = first or statement
    if first is not None:
        yield Finding("moves", WHY, routine, first, ast.unparse(first.target), tuple(edits))


def _velocity(code: Code, routine: Routine, amount: ast.expr) -> tuple[ast.expr, ast.expr] | None:
    """Return velocity and time of an amount ``v * dt``."""
    parts = factors(amount)
    timed = [one for one in parts if code.uses_time(routine, one)]
    others = [one for one in parts if one not in timed and number(one) is None]
    if len(timed) != 1 or len(others) != 1 or len(parts) != 2:
        return None
    lasting = isinstance(others[0], ast.Attribute | ast.Subscript)
    return (others[0], timed[0]) if lasting and isinstance(timed[0], ast.Name) else None


def _body(routine: Routine, velocity: ast.expr) -> list[ast.stmt]:
    """Return the block in which the velocity's object is known from the beginning on."""
    names = names_in(velocity)
    inner = routine.node.body
    for one in ast.walk(routine.node):
        if isinstance(one, ast.For) and names & names_in(one.target):
            inner = one.body
    first = inner[0]
    text = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
    return inner[1:] if text and len(inner) > 1 else inner


def _changes_before(body: list[ast.stmt], velocity: ast.expr, move: ast.stmt) -> bool:
    """Whether a velocity is changed in a block before a move by it."""
    for one in body:
        for inner in (one, *statements(one)):
            if inner is move:
                return False
            if isinstance(inner, ast.AugAssign) and same(inner.target, velocity):
                return _holds(body, move)
            if isinstance(inner, ast.Assign) and any(
                same(part, velocity)
                for target in inner.targets
                for part in (target.elts if isinstance(target, ast.Tuple) else [target])
            ):
                return _holds(body, move)
    return False


def _holds(body: list[ast.stmt], move: ast.stmt) -> bool:
    return any(inner is move for one in body for inner in (one, *statements(one)))


def _is_component(velocity: ast.expr) -> bool:
    """Whether it is one component, and no vector that changes in place."""
    name = velocity.attr if isinstance(velocity, ast.Attribute) else ""
    return name.lower().endswith(("x", "y", "z")) or isinstance(velocity, ast.Subscript)


def _name(routine: Routine, velocity: ast.expr) -> str:
    """Return an unused name for the velocity at the beginning of the step."""
    key = velocity.attr if isinstance(velocity, ast.Attribute) else "v"
    if isinstance(velocity, ast.Subscript) and isinstance(velocity.slice, ast.Constant):
        key = str(velocity.slice.value)
    key = key if key.isidentifier() else "v"
    if isinstance(velocity, ast.Attribute) and isinstance(velocity.value, ast.Attribute):
        key = f"{velocity.value.attr}_{key}"
    name, taken = f"{key}_before", names_in(routine.node)
    while name in taken:
        name += "_"
    return name
