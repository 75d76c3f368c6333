"""Counters of frames: their steps, comparisons and resets, which are mended together."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, field

from tinrocket.own_update.expressions import addition, number, same, tidy
from tinrocket.own_update.finding import STEP, Edit, Finding, frames_text, step_rate
from tinrocket.own_update.routines import Code, Routine, statements
from tinrocket.own_update.signature import KEYS
from tinrocket.own_update.surroundings import Surroundings

MOVING = (
    *("x", "y", "vx", "vy", "z", "vz", "px", "py", "left", "top", "right", "bottom", "centerx"),
    *("centery", "angle", "heading", "rotation", "rot", "direction", "theta", "facing", "speed"),
    *("dx", "dy", "velocity", "spin", "pos", "position", "location", "xy", "p", "0", "1", "2"),
)
"""Names of positions and velocities, which are compared with places and count no frames."""
NEARLY = "1e-9"


@dataclass(eq=False)
class Counter:
    """The statements and expressions of one counter.

    Attributes
    ----------
    steps
        Statements that count: routine, statement, target, amount with its sign.
    timed
        Statements that add or subtract dt.
    tests
        Expressions that compare it.
    resets
        Statements that set it to a value.
    other
        Number of other reads.
    """

    steps: list[tuple[Routine, ast.stmt, ast.expr, float]] = field(default_factory=list)
    timed: list[tuple[Routine, ast.stmt, ast.expr, float]] = field(default_factory=list)
    tests: list[tuple[Routine, ast.expr, ast.expr]] = field(default_factory=list)
    resets: list[tuple[Routine, ast.stmt, ast.expr, ast.expr]] = field(default_factory=list)
    other: int = 0


def key_of(node: ast.expr) -> str:
    """Return the identity of a value in other functions: its attribute, key or name."""
    if isinstance(node, ast.Attribute):
        return node.attr
    if isinstance(node, ast.Subscript) and isinstance(node.slice, ast.Constant):
        return str(node.slice.value)
    if isinstance(node, ast.Subscript):
        return key_of(node.value)
    return node.id if isinstance(node, ast.Name) else ast.unparse(node)


def _is_input(node: ast.expr) -> bool:
    """Return whether a value is read from the keys, whose names may equal those of values."""
    inner: ast.expr = node
    while isinstance(inner, ast.Attribute | ast.Subscript):
        inner = inner.value
    return inner is not node and isinstance(inner, ast.Name) and inner.id.lower() in KEYS


class Counters:
    """All counters of an update."""

    def __init__(self, code: Code) -> None:
        self.code = code
        self.known: dict[str, Counter] = {}
        self.around = {id(callee): Surroundings(code, callee) for callee in code.routines}
        for routine in code.routines:
            for statement in statements(routine.node):
                self._step(routine, statement)
        for routine in code.routines:
            self._reads(routine)

    @property
    def keys(self) -> set[str]:
        """Names of the frame counters."""
        return {key for key, counter in self.known.items() if self._is_counter(key, counter)}

    def counts(self, target: ast.expr, statement: ast.stmt) -> bool:
        """Return whether a statement is a step of a counter, or has no reader."""
        key = key_of(target)
        counter = self.known.get(key)
        if counter is None or not any(step[1] is statement for step in counter.steps):
            return False
        return self._is_counter(key, counter) or (
            key not in MOVING and not counter.tests and not counter.other
        )

    def _is_counter(self, key: str, counter: Counter) -> bool:
        return bool(counter.steps and counter.tests) and not counter.other and key not in MOVING

    def _step(self, routine: Routine, statement: ast.stmt) -> None:
        step = addition(statement)
        if step is None:
            if isinstance(statement, ast.Assign) and len(statement.targets) == 1:
                target, value = statement.targets[0], statement.value
                if isinstance(target, ast.Attribute | ast.Subscript | ast.Name):
                    counter = self.known.setdefault(key_of(target), Counter())
                    counter.resets.append((routine, statement, target, value))
            return
        target, amount, sign = step
        if not isinstance(target, ast.Attribute | ast.Subscript | ast.Name):
            return
        value_of = number(amount)
        place = self.known.setdefault(key_of(target), Counter())
        if value_of is not None and value_of == int(value_of):
            place.steps.append((routine, statement, target, sign * value_of))
        elif self.code.uses_time(routine, amount) and self._is_dt(routine, amount):
            place.timed.append((routine, statement, target, sign))

    def _is_dt(self, routine: Routine, amount: ast.expr) -> bool:
        known = self.code.time_name(routine)
        return known is not None and isinstance(amount, ast.Name) and amount.id == known[0]

    def _reads(self, routine: Routine) -> None:
        """Store every read of a counter: in a comparison, or elsewhere."""
        own = {
            id(part)
            for counter in self.known.values()
            for _routine, statement, target, _value in (*counter.steps, *counter.timed)
            for part in ast.walk(statement)
            if isinstance(part, ast.expr) and same(part, target)
        }
        tested: set[int] = set()
        for node in ast.walk(routine.node):
            for part, whole in self._tested(node):
                counter = None if _is_input(part) else self.known.get(key_of(part))
                if counter is not None and id(part) not in tested:
                    tested.add(id(part))
                    counter.tests.append((routine, whole, part))
        for node in ast.walk(routine.node):
            if isinstance(node, ast.Attribute | ast.Subscript | ast.Name):
                loaded = isinstance(node.ctx, ast.Load)
                counter = None if _is_input(node) else self.known.get(key_of(node))
                if loaded and counter is not None and id(node) not in tested | own:
                    if isinstance(node, ast.Name) and not counter.steps:
                        continue
                    counter.other += 1

    def _tested(self, node: ast.AST) -> Iterator[tuple[ast.expr, ast.expr]]:
        """Yield the expressions that are compared, or tested for being other than zero."""
        places = ast.Attribute | ast.Subscript | ast.Name
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            for side in (node.left, node.comparators[0]):
                if isinstance(side, places):
                    yield side, node
                elif (
                    isinstance(side, ast.BinOp)
                    and isinstance(side.op, ast.Mod)
                    and isinstance(side.left, places)
                ):
                    yield side.left, node
        elif isinstance(node, ast.If | ast.While | ast.IfExp):
            tests = [node.test]
            while tests:
                test = tests.pop()
                if isinstance(test, ast.BoolOp):
                    tests += test.values
                elif isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
                    if isinstance(test.operand, places):
                        yield test.operand, test
                elif isinstance(test, places):
                    yield test, test

    # --- replacements ------------------------------------------------------------------

    def findings(self) -> Iterator[Finding]:
        """Yield each counter of frames, and each timer that loses its remainder."""
        for key, counter in self.known.items():
            if self._is_counter(key, counter):
                yield from self._counted(counter)
            elif counter.timed and counter.tests and key not in MOVING:
                yield from self._remainders(counter)

    def _counted(self, counter: Counter) -> Iterator[Finding]:
        steps = [
            step
            for step in counter.steps
            if not self.around[id(step[0])].is_event(step[1], step[2], "+", ast.Constant(1))
            and not step[0].in_fixed_steps
        ]
        if not steps or {step[3] > 0 for step in steps} != {steps[0][3] > 0}:
            return
        code, up = self.code, steps[0][3] > 0
        edits = []
        for routine, statement, _target, amount in steps:
            rate = step_rate(code, routine)
            text = f"{tidy(abs(amount) * rate)} * {STEP}"
            value = statement.value  # type: ignore[attr-defined]
            if isinstance(statement, ast.Assign):
                sign = "+" if amount > 0 else "-"
                text = f"{code.source(statement.targets[0])} {sign} {text}"
            edits.append(Edit(value, text))
        for routine, whole, part in counter.tests:
            tested = self._test(routine, whole, part, up, abs(steps[0][3]))
            if tested is not None:
                edits.append(Edit(whole, tested))
        edits += self._carried(counter, up)
        routine, statement, target, _amount = steps[0]
        why = "counts frames, and compares the count with a number"
        yield Finding("counter", why, routine, statement, ast.unparse(target), tuple(edits))

    def _test(
        self, routine: Routine, whole: ast.expr, part: ast.expr, up: bool, by: float
    ) -> str | None:
        """Return a comparison of a count as one that holds for parts of frames."""
        code, place = self.code, self.code.source(part)
        frames = frames_text(code, routine)
        if by != 1.0:
            frames = f"{tidy(by)} * {frames}"
        if not isinstance(whole, ast.Compare):
            is_not = isinstance(whole, ast.UnaryOp)
            return f"{place} {'<=' if is_not else '>'} {NEARLY}"
        left, op, right = whole.left, whole.ops[0], whole.comparators[0]
        if isinstance(left, ast.BinOp) and isinstance(left.op, ast.Mod):
            every, rest = code.source(left.right), code.source(right)
            since = place if number(right) == 0.0 else f"({place} - {rest})"
            now = f"({since} + {NEARLY}) // {every}"
            before = f"({since} + {NEARLY} - {frames}) // {every}"
            same_number = f"{now} > {before}" if up else f"{now} != {before}"
            if isinstance(op, ast.Eq):
                return same_number
            return f"not {same_number}" if isinstance(op, ast.NotEq) else None
        if same(right, part):  # 20 <= n
            turned = {ast.Lt: ast.Gt, ast.LtE: ast.GtE, ast.Gt: ast.Lt, ast.GtE: ast.LtE}
            op = turned.get(type(op), type(op))()
            left, right = right, left
        if not same(left, part):
            return None
        limit = code.source(right)
        return _compared(place, op, limit, number(right), up, frames, self._stops(part))

    def _stops(self, part: ast.expr) -> bool:
        """Return whether a counter that goes down stops at its end."""
        counter = self.known[key_of(part)]
        for routine, statement, target, _amount in (*counter.steps, *counter.timed):
            for test, _body in self.around[id(routine)].branches(statement):
                if any(
                    isinstance(node, ast.expr) and same(node, target)
                    for node in ast.walk(test.test)
                ):
                    return True
        return False

    def _carried(self, counter: Counter, up: bool) -> Iterator[Edit]:
        """Yield resets that keep the remainder beyond the limit."""
        for routine, statement, target, value in counter.resets:
            limit = self._limit(routine, statement, target)
            if limit is None or number(value) is None:
                continue
            op, other = limit
            far, new = number(other), number(value)
            text, place = self.code.source(other), self.code.source(target)
            if up and isinstance(op, ast.GtE | ast.Gt | ast.Eq) and new == 0.0:
                past = "" if not isinstance(op, ast.Gt) else " + 1"
                yield Edit(statement, f"{place} -= {text}{past}")
            elif not up and isinstance(op, ast.LtE | ast.Lt | ast.Eq) and far == 0.0:
                yield Edit(statement, f"{place} += {self.code.source(value)}")

    def _limit(
        self, routine: Routine, statement: ast.stmt, target: ast.expr
    ) -> tuple[ast.cmpop, ast.expr] | None:
        """Return the comparison that a reset answers: the nearest test of the same value.

        A cooldown that waits for a key as well runs on below its limit, so that nothing may be
        carried over, unless it stops there.
        """
        for test, body in reversed(self.around[id(routine)].branches(statement)):
            if not isinstance(test, ast.If) or body is not test.body:
                continue
            tests = test.test.values if isinstance(test.test, ast.BoolOp) else [test.test]
            if len(tests) > 1 and not self._stops(target):
                continue
            for comparison in tests:
                if (
                    isinstance(comparison, ast.Compare)
                    and len(comparison.ops) == 1
                    and same(comparison.left, target)
                ):
                    return comparison.ops[0], comparison.comparators[0]
        return None

    def _remainders(self, counter: Counter) -> Iterator[Finding]:
        """Yield resets of a timer in seconds that drop the remainder beyond its limit."""
        for routine, statement, target, value in counter.resets:
            limit = self._limit(routine, statement, target)
            if limit is None or number(value) is None or routine.in_fixed_steps:
                continue
            op, other = limit
            tests = [
                whole
                for where, whole, part in counter.tests
                if where is routine and same(part, target) and isinstance(whole, ast.Compare)
            ]
            place = self.code.source(target)
            up = counter.timed[0][3] > 0
            if len(counter.resets) > 1 and not up:
                continue  # a cooldown that a press starts
            text, nearly = "", ""
            if up and isinstance(op, ast.GtE | ast.Gt) and number(value) == 0.0:
                text = f"{place} -= {self.code.source(other)}"
                nearly = f"{place} >= {self.code.source(other)} - {NEARLY}"
            elif not up and isinstance(op, ast.LtE | ast.Lt) and number(other) == 0.0:
                text = f"{place} += {self.code.source(value)}"
                nearly = f"{place} <= {NEARLY}"
            if text:
                edits = [Edit(whole, nearly) for whole in tests if whole.ops[0] is op]
                yield Finding(
                    "remainder",
                    "drops what the timer is beyond its limit",
                    routine,
                    statement,
                    place,
                    (Edit(statement, text), *edits),
                )


def _compared(
    place: str, op: ast.cmpop, limit: str, value: float | None, up: bool, frames: str, stops: bool
) -> str | None:
    """Return a comparison of a count that holds for parts of frames, and the same in whole ones."""

    def moved(by: int, nearly: str) -> str:
        if value is not None and value + by == 0.0:
            return NEARLY if nearly == "+" else f"-{NEARLY}"
        base = tidy(value + by) if value is not None else limit
        if value is None and by:
            base = f"{limit} {'+' if by > 0 else '-'} 1"
        return f"{base} {nearly} {NEARLY}"

    if isinstance(op, ast.Eq | ast.NotEq):
        if up:
            text = f"{moved(0, '-')} <= {place} < {limit} + {frames} - {NEARLY}"
        elif stops:
            text = f"{place} <= {moved(0, '+')}"
        else:
            text = f"{limit} - {frames} + {NEARLY} < {place} <= {moved(0, '+')}"
        return text if isinstance(op, ast.Eq) else f"not {text}"
    written = {
        (ast.GtE, True): (">=", 0, "-"),
        (ast.Gt, True): (">=", 1, "-"),
        (ast.Lt, True): ("<", 0, "-"),
        (ast.LtE, True): ("<", 1, "-"),
        (ast.LtE, False): ("<=", 0, "+"),
        (ast.Lt, False): ("<=", -1, "+"),
        (ast.Gt, False): (">", 0, "+"),
        (ast.GtE, False): (">", -1, "+"),
    }.get((type(op), up))
    if written is None:
        return None
    sign, by, nearly = written
    return f"{place} {sign} {moved(by, nearly)}"
