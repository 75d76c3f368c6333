"""Test whether a statement runs on an event only: a bounce, a score, a shot or a press."""

import ast

from tinrocket.own_update.expressions import contains, number, same
from tinrocket.own_update.keys import EDGES
from tinrocket.own_update.routines import Code, Routine, statements
from tinrocket.own_update.signature import KEYS

PRESSES = {*EDGES["pressed"], *EDGES["released"]}
COUNTED = (
    *("score", "points", "lives", "hits", "count", "combo", "level", "ammo", "coins", "shots"),
    *("wins", "misses", "laps", "bounces", "kills", "index", "total", "health", "damage"),
)
"""Words in the names of values that change by events."""


class Surroundings:
    """The branches around the statements of a routine."""

    def __init__(self, code: Code, routine: Routine) -> None:
        self.code, self.routine = code, routine
        self._branches: dict[int, list[tuple[ast.If | ast.While, list[ast.stmt]]]] = {}
        self._branches_of: list[ast.stmt] = []
        self._walk(routine.node.body, [])

    def _walk(
        self, body: list[ast.stmt], around: list[tuple[ast.If | ast.While, list[ast.stmt]]]
    ) -> None:
        for statement in body:
            self._branches[id(statement)] = around
            self._branches_of.append(statement)
            if isinstance(statement, ast.If):
                self._walk(statement.body, [*around, (statement, statement.body)])
                self._walk(statement.orelse, [*around, (statement, statement.orelse)])
            elif isinstance(statement, ast.While):
                self._walk(statement.body, [*around, (statement, statement.body)])
            elif isinstance(statement, ast.For | ast.With):
                self._walk(statement.body, around)
            elif isinstance(statement, ast.Try):
                for part in (statement.body, statement.orelse, statement.finalbody):
                    self._walk(part, around)

    def branches(self, statement: ast.stmt) -> list[tuple[ast.If | ast.While, list[ast.stmt]]]:
        """Return the branches around a statement, the outermost first."""
        return self._branches.get(id(statement), [])

    def is_event(self, statement: ast.stmt, target: ast.expr, op: str, value: ast.expr) -> bool:
        """Return whether a statement runs on an event only, as far as its text shows."""
        branches = self.branches(statement)
        if not branches:
            return False
        if op in "+-" and _is_counted(target):
            return True
        if op in "+-" and self._is_lap(statement, target, value):
            return True
        for test, body in branches:
            if isinstance(test, ast.If) and self._is_press(test.test):
                return True
            if isinstance(test, ast.If) and self._is_wall(test, body, target):
                return True
        return False

    def _is_lap(self, statement: ast.stmt, target: ast.expr, amount: ast.expr) -> bool:
        """Return whether a value beyond a limit is moved back by a lap, as at a wrapping edge.

        A lap is as long as the limit, or is taken back at another limit the other way.  Friction
        takes the same amount both ways too, but at one limit.
        """
        mine = self._limit(statement, target)
        if mine is None:
            return False
        if same(mine, amount):
            return True
        for other in self._branches_of:
            if not isinstance(other, ast.AugAssign) or not isinstance(other.op, ast.Add | ast.Sub):
                continue
            if other is statement or not same(other.target, target):
                continue
            limit = self._limit(other, target)
            if limit is not None and not same(limit, mine) and same(other.value, amount):
                return True
        return False

    def _limit(self, statement: ast.stmt, target: ast.expr) -> ast.expr | None:
        """Return the limit of a value in the test around a statement."""
        for test, _body in reversed(self.branches(statement)):
            comparison = test.test
            if (
                isinstance(comparison, ast.Compare)
                and len(comparison.ops) == 1
                and same(comparison.left, target)
            ):
                return comparison.comparators[0]
        return None

    def _is_press(self, test: ast.expr) -> bool:
        for node in ast.walk(test):
            if isinstance(node, ast.Attribute) and node.attr in PRESSES:
                return True
            if isinstance(node, ast.Name) and node.id in PRESSES and node.id.lower() not in KEYS:
                return True
        return False

    def _is_wall(self, test: ast.If, body: list[ast.stmt], target: ast.expr) -> bool:
        """Return whether a branch handles a passed limit: it sets the value that it tests."""
        tested = [node for node in ast.walk(test.test) if isinstance(node, ast.Attribute)]
        inside = [inner for statement in body for inner in (statement, *statements(statement))]
        for inner in inside:
            if isinstance(inner, ast.Assign) and len(inner.targets) == 1:
                place = inner.targets[0]
                answers = any(same(place, name) for name in tested)
                if answers and not contains(inner.value, place) and not same(place, target):
                    return True
                if isinstance(inner.value, ast.UnaryOp) and same(inner.value.operand, place):
                    return True
            if isinstance(inner, ast.AugAssign) and isinstance(inner.op, ast.Mult):
                factor = number(inner.value)
                negative = factor is not None and factor < 0.0
                if negative or isinstance(inner.value, ast.UnaryOp):
                    return True
        return False


def _is_counted(target: ast.expr) -> bool:
    name = ast.unparse(target).rpartition(".")[2].strip("'\"[]").lower()
    return any(word in name.split("_") for word in COUNTED)
