"""Moves by the velocity at the end of a step, whose error no other statement mends.

A move ``p += v * dt`` after ``v += a * dt`` is semi-implicit Euler: beside the tuned run it is off
by ``a dt (dt - h) / 2`` in each step, with h the length of a tuned step.  Moving by ``v dt -
(v - v0) (dt - h) / 2``, with v0 the velocity before the step, is the tuned run's own parabola.
"""

import ast
from collections.abc import Iterator

from tinrocket.own_update.expressions import factors, names_in, number, text_of, tidy
from tinrocket.own_update.finding import Edit, Finding
from tinrocket.own_update.routines import Code, Routine, fixed_loops, statements

WHY = "moves by the velocity at the end of the step"


def moves(code: Code, routine: Routine) -> Iterator[Finding]:
    """Yield moves by velocities that change before them in the same function, as one finding."""
    edits: list[Edit] = []
    first: ast.AugAssign | None = None
    fixed = {id(node) for loop in fixed_loops(code, routine) for node in ast.walk(loop)}
    blocks, taken, names = _Blocks(routine), names_in(routine.node), dict[str, str]()
    for statement in statements(routine.node):
        if not isinstance(statement, ast.AugAssign) or id(statement) in fixed:
            continue
        if not isinstance(statement.op, ast.Add):
            continue
        moved = _velocity(code, routine, statement.value)
        if moved is None:
            continue
        velocity, time = moved
        body = blocks.body_of(velocity)
        tuned = number(code.at_tuned(routine, time))
        if tuned is None or not blocks.changes_before(body, velocity, statement):
            continue
        key = text_of(velocity)
        name = names.get(key) or _name(taken, velocity)
        frame = 1.0 / tuned
        whole = abs(frame - round(frame)) < 1e-9 and frame > 1.0
        length = f"1 / {round(frame)}" if whole else tidy(tuned)
        speed, amount = code.source(velocity), code.source(statement.value)
        text = f"{amount} - ({speed} - {name}) * ({ast.unparse(time)} - {length}) / 2"
        copied = speed if _is_component(velocity) else f"+{speed}"
        if key not in names:
            edits.append(Edit(body[0], f"{name} = {copied}", before=True))
        names[key] = name
        taken.add(name)
        edits.append(Edit(statement.value, text))
        first = first or statement
    if first is not None:
        yield Finding("moves", WHY, routine, first, ast.unparse(first.target), tuple(edits))


def _velocity(code: Code, routine: Routine, amount: ast.expr) -> tuple[ast.expr, ast.expr] | None:
    """Return velocity and time of an amount ``v * dt``."""
    parts = factors(amount)
    timed = [part for part in parts if code.uses_time(routine, part)]
    others = [part for part in parts if part not in timed and number(part) is None]
    if len(timed) != 1 or len(others) != 1 or len(parts) != 2:
        return None
    lasting = isinstance(others[0], ast.Attribute | ast.Subscript)
    return (others[0], timed[0]) if lasting and isinstance(timed[0], ast.Name) else None


class _Blocks:
    """Blocks of a routine in which an object is known from the beginning on."""

    def __init__(self, routine: Routine) -> None:
        first = routine.node.body[0]
        text = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
        whole = routine.node.body
        self.whole = whole[1:] if text and len(whole) > 1 else whole
        self.loops = [
            (names_in(statement.target), statement.body)
            for statement in statements(routine.node)
            if isinstance(statement, ast.For)
        ]
        self._orders: dict[int, tuple[dict[int, int], dict[str, int]]] = {}

    def body_of(self, velocity: ast.expr) -> list[ast.stmt]:
        """Return the innermost block that begins where the velocity's object is known."""
        names, inner = names_in(velocity), self.whole
        for targets, body in self.loops:
            if names & targets:
                inner = body
        return inner

    def changes_before(self, body: list[ast.stmt], velocity: ast.expr, move: ast.stmt) -> bool:
        """Return whether a velocity is changed in a block before a move by it."""
        if id(body) not in self._orders:
            self._orders[id(body)] = _order(body)
        places, changes = self._orders[id(body)]
        at = places.get(id(move))
        return at is not None and changes.get(text_of(velocity), at) < at


def _order(body: list[ast.stmt]) -> tuple[dict[int, int], dict[str, int]]:
    """Return the order of all statements of a block, and the first change of each value."""
    every = [inner for one in body for inner in (one, *statements(one))]
    changes: dict[str, int] = {}
    for at, statement in enumerate(every):
        targets: list[ast.expr] = []
        if isinstance(statement, ast.AugAssign):
            targets = [statement.target]
        elif isinstance(statement, ast.Assign):
            targets = [
                part
                for target in statement.targets
                for part in (target.elts if isinstance(target, ast.Tuple) else [target])
            ]
        for target in targets:
            changes.setdefault(text_of(target), at)
    return {id(line): at for at, line in enumerate(every)}, changes


def _is_component(velocity: ast.expr) -> bool:
    """Return whether an expression is one component, not a vector that changes in place."""
    name = velocity.attr if isinstance(velocity, ast.Attribute) else ""
    return name.lower().endswith(("x", "y", "z")) or isinstance(velocity, ast.Subscript)


def _name(taken: set[str], velocity: ast.expr) -> str:
    """Return an unused name for the velocity at the beginning of the step."""
    key = velocity.attr if isinstance(velocity, ast.Attribute) else "v"
    if isinstance(velocity, ast.Subscript) and isinstance(velocity.slice, ast.Constant):
        key = str(velocity.slice.value)
    key = key if key.isidentifier() else "v"
    if isinstance(velocity, ast.Attribute) and isinstance(velocity.value, ast.Attribute):
        key = f"{velocity.value.attr}_{key}"
    name = f"{key}_before"
    while name in taken:
        name += "_"
    return name
