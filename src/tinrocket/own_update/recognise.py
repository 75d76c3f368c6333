"""Recognising statements of an update that count frames where they should count time."""

import ast
from collections.abc import Iterator

from tinrocket.own_update.amounts import (
    bounds_step,
    expanded,
    is_exact,
    is_number_like,
    kept_share,
    locals_of,
    powered,
    scaled,
    split_gap,
    tuned,
    without_signs,
)
from tinrocket.own_update.chances import chances
from tinrocket.own_update.clamps import clamps
from tinrocket.own_update.counters import Counters
from tinrocket.own_update.expressions import (
    called,
    contains,
    factors,
    in_brackets,
    line_in,
    number,
    replaced,
    same,
)
from tinrocket.own_update.finding import Edit, Finding
from tinrocket.own_update.moves import moves
from tinrocket.own_update.routines import Code, Routine, fixed_loops, statements
from tinrocket.own_update.seams import seams
from tinrocket.own_update.surroundings import Surroundings

WRAPPING = ("min", "max", "clamp", "clip", "limit", "bound", "round", "int", "float")
LERPING = ("lerp", "mix", "ease", "damp", "smooth", "interpolate", "blend")
APPROACHING = ("approach", "move_toward", "move_towards", "step_toward", "step_towards", "toward")
ADDS = "adds the same in every frame, however long it is"
KEEPS = "keeps the same share in every frame"
EASES = "covers the same share of the way in every frame"
LINEAR = "is a share that is linear in dt: right only for short frames"
CAPPED = "moves by at most the same in every frame"
OPERATORS = {ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/"}

NO_MISTAKE = ("clamp", "moves")
"""Kinds that may make runs differ without being mistakes: only `why` names them."""

Found = tuple[str, str, list[Edit]]


def findings_of(code: Code) -> tuple[list[Finding], list[int]]:
    """Return the findings, and the lines that are not recognised, both sorted by line.

    A line is not recognised if it makes a lasting value of itself in a way that has no counterpart.
    """
    counters = Counters(code)
    findings: list[Finding] = []
    unknown: list[int] = []
    for routine in code.routines:
        if routine.in_fixed_steps:
            continue
        reader = _Reader(code, routine, counters)
        findings += reader.findings()
        unknown += reader.unknown
    findings += counters.findings()
    for routine in code.routines:
        if not routine.in_fixed_steps:
            findings += chances(code, routine)
            findings += seams(code, routine, counters.keys)
            findings += moves(code, routine)
            findings += clamps(code, routine)
    order = sorted(findings, key=lambda finding: (finding.kind in NO_MISTAKE, finding.line))
    return order, sorted(set(unknown))


class _Reader:
    """Reader of the statements of one routine."""

    def __init__(self, code: Code, routine: Routine, counters: Counters) -> None:
        self.code, self.routine, self.counters = code, routine, counters
        self.known = locals_of(code, routine)
        self.around = Surroundings(code, routine)
        self.unknown: list[int] = []
        self.carried = self._carried()
        self.outer = {
            name
            for node in ast.walk(routine.node)
            if isinstance(node, ast.Global | ast.Nonlocal)
            for name in node.names
        }

    def findings(self) -> Iterator[Finding]:
        """Yield the findings of the routine."""
        fixed = {
            id(node) for loop in fixed_loops(self.code, self.routine) for node in ast.walk(loop)
        }
        for statement in statements(self.routine.node):
            if id(statement) in fixed:
                continue
            readings: list[Found] = []
            target_text = ""
            for target, op, value in self._steps(statement):
                if not self._lasts(target) or self.counters.counts(target, statement):
                    continue
                if self.around.is_event(statement, target, op, value):
                    continue
                finding = self._read(target, op, value)
                if finding is None:
                    continue
                readings.append(finding)
                target_text = target_text or ast.unparse(target)
            edits = tuple(edit for read in readings for edit in read[2])
            if edits:
                kind, why, _edits = readings[0]
                yield Finding(kind, why, self.routine, statement, target_text, edits)
            elif readings and readings[0][0] == "unknown":
                self.unknown.append(statement.lineno)

    def _steps(self, statement: ast.stmt) -> Iterator[tuple[ast.expr, str, ast.expr]]:
        """Yield target, operator and value of each assignment in a statement."""
        if isinstance(statement, ast.AugAssign):
            op = OPERATORS.get(type(statement.op))
            if op is not None:
                yield statement.target, op, statement.value
        elif isinstance(statement, ast.Assign) and len(statement.targets) == 1:
            target, value = statement.targets[0], statement.value
            if isinstance(target, ast.Tuple | ast.List):
                if isinstance(value, ast.Tuple | ast.List):
                    for element, part in zip(target.elts, value.elts, strict=False):
                        yield element, "=", part
            else:
                yield target, "=", value
                yield from self._by_name(value)
        elif isinstance(statement, ast.AnnAssign) and statement.value is not None:
            yield statement.target, "=", statement.value
        elif isinstance(statement, ast.Return) and statement.value is not None:
            yield from self._by_name(statement.value)

    def _by_name(self, value: ast.expr) -> Iterator[tuple[ast.expr, str, ast.expr]]:
        """Yield new values of a state that is made anew, such as ``replace(tug, x=tug.x + 3)``."""
        pairs: list[tuple[str, ast.expr]] = []
        if isinstance(value, ast.Call):
            pairs = [(keyword.arg, keyword.value) for keyword in value.keywords if keyword.arg]
        elif isinstance(value, ast.Dict):
            pairs = [
                (key.value, part)
                for key, part in zip(value.keys, value.values, strict=True)
                if isinstance(key, ast.Constant) and isinstance(key.value, str)
            ]
        for name, part in pairs:
            for node in ast.walk(part):
                own = isinstance(node, ast.Attribute) and node.attr == name
                item = (
                    isinstance(node, ast.Subscript)
                    and isinstance(node.slice, ast.Constant)
                    and node.slice.value == name
                )
                if own or item:
                    assert isinstance(node, ast.expr)
                    yield node, "=", part
                    break

    def _carried(self) -> set[str]:
        """Return local variables that are read from the state and stored in it again."""
        read, stored = set[str](), set[str]()
        for node in ast.walk(self.routine.node):
            if not isinstance(node, ast.Assign):
                continue
            for target in node.targets:
                pairs = [(target, node.value)]
                if isinstance(target, ast.Tuple) and isinstance(node.value, ast.Tuple):
                    pairs = list(zip(target.elts, node.value.elts, strict=False))
                elif isinstance(target, ast.Tuple):
                    pairs = [(inner, node.value) for inner in target.elts]
                for place, value in pairs:
                    lasting = isinstance(place, ast.Attribute | ast.Subscript)
                    names = {n.id for n in ast.walk(value) if isinstance(n, ast.Name)}
                    if lasting:
                        stored |= names
                    elif isinstance(place, ast.Name):
                        parts = list(ast.walk(value))
                        if any(isinstance(n, ast.Attribute | ast.Subscript) for n in parts):
                            read.add(place.id)
        return read & stored

    def _lasts(self, target: ast.expr) -> bool:
        if isinstance(target, ast.Attribute):
            return True
        if isinstance(target, ast.Subscript):
            return not isinstance(target.slice, ast.Slice)
        if isinstance(target, ast.Name):
            return target.id in self.outer or target.id in self.carried
        return False

    def _read(self, target: ast.expr, op: str, value: ast.expr) -> Found | None:
        """Return the finding of a new value, if any."""
        if not is_number_like(value):
            return None
        if op in "+-":
            return self._added(target, value, 1.0 if op == "+" else -1.0)
        if op in "*/":
            return self._multiplied(target, value)
        return self._assigned(target, value)

    # --- amounts that are added -------------------------------------------------------------

    def _added(self, target: ast.expr, amount: ast.expr, sign: float) -> Found | None:
        code, routine = self.code, self.routine
        gap = split_gap(amount, target, sign, self.known)
        if gap is not None:
            return self._eased(gap[0], gap[1], amount)
        whole = without_signs(expanded(amount, self.known, target), target)
        bounded = bounds_step(code, routine, amount, target, self.known)
        if bounded is not None and contains(whole, target):
            return "capped", CAPPED, [Edit(amount, bounded)]
        line = line_in(whole, target)
        if line is None:
            return self._not_known(whole)
        share, rest = line
        if number(share) == 0.0:
            if code.uses_time(routine, amount) or number(amount) == 0.0:
                return None
            return "adds", ADDS, [Edit(amount, scaled(code, routine, amount))]
        kept = ast.BinOp(ast.Constant(1), ast.Add() if sign > 0 else ast.Sub(), share)
        if number(share) is not None:
            kept_value = 1.0 + sign * (number(share) or 0.0)
            return self._toward(target, ast.Constant(kept_value), rest, amount, sign)
        return self._toward(target, kept, rest, amount, sign)

    def _toward(
        self, target: ast.expr, kept: ast.expr, rest: ast.expr, amount: ast.expr, sign: float
    ) -> Found | None:
        """Return the change of a value that keeps a share of itself and gains a rest."""
        code, routine = self.code, self.routine
        timed = code.uses_time(routine, kept)
        if timed and is_exact(code, routine, kept):
            return None
        kept, rest = tuned(code, routine, kept), tuned(code, routine, rest)
        value = number(kept)
        if value is not None and value <= 0.0:
            return self._not_known(amount)
        place, power = code.source(target), powered(code, routine, kept)
        if number(rest) == 0.0:
            text = f"{place} * (1 - {power})" if sign < 0 else f"{place} * ({power} - 1)"
        else:
            lost = ast.BinOp(ast.Constant(1), ast.Sub(), kept)
            divisor = number(lost)
            below = f"{divisor:.12g}" if divisor is not None else f"({ast.unparse(lost)})"
            goal = f"{in_brackets(ast.unparse(rest), rest)} / {below}"
            text = (
                f"({goal} - {place}) * (1 - {power})"
                if sign > 0
                else f"({place} + {goal}) * (1 - {power})"
            )
        kind, why = ("linear", LINEAR) if timed else ("keeps", KEEPS)
        return kind, why, [Edit(amount, text)]

    def _eased(self, gap: ast.expr, share: ast.expr, amount: ast.expr) -> Found | None:
        code, routine = self.code, self.routine
        timed = code.uses_time(routine, share)
        if timed and is_exact(code, routine, share):
            return None
        share = tuned(code, routine, share)
        if number(share) == 1.0:
            return None
        kept = kept_share(code, routine, share)
        if kept is None:
            return self._not_known(amount)
        text = f"{in_brackets(self.code.source(gap), gap)} * ({kept})"
        kind, why = ("linear", LINEAR) if timed else ("eases", EASES)
        return kind, why, [Edit(amount, text)]

    # --- factors ------------------------------------------------------------------------------

    def _multiplied(self, target: ast.expr, factor: ast.expr) -> Found | None:
        if contains(expanded(factor, self.known, target), target):
            return None  # a corrected length, such as v *= limit / speed
        code, routine = self.code, self.routine
        timed = code.uses_time(routine, factor)
        if timed and is_exact(code, routine, factor):
            return None
        share = tuned(code, routine, factor)
        value = number(share)
        if value is not None and (value <= 0.0 or value == 1.0):
            return None
        if isinstance(share, ast.UnaryOp) and value is None:  # a reversed sign is an event
            return None
        text = powered(code, routine, share if timed else factor)
        kind, why = ("linear", LINEAR) if timed else ("keeps", KEEPS)
        return kind, why, [Edit(factor, text)]

    # --- whole new values ---------------------------------------------------------------------

    def _assigned(self, target: ast.expr, value: ast.expr) -> Found | None:
        if isinstance(value, ast.Name) and value.id in self.known:
            inner = self.known[value.id]
            if contains(inner, target):
                return self._assigned(target, inner)
        if not contains(expanded(value, self.known, target), target):
            return None
        if isinstance(value, ast.IfExp):
            parts = [self._assigned(target, branch) for branch in (value.body, value.orelse)]
            readings = [part for part in parts if part is not None]
            if not readings:
                return None
            return (
                readings[0][0],
                readings[0][1],
                [edit for finding in readings for edit in finding[2]],
            )
        if isinstance(value, ast.BinOp) and isinstance(value.op, ast.Mod):
            return self._assigned(target, value.left)
        if isinstance(value, ast.Call):
            return self._called(target, value)
        if isinstance(value, ast.BinOp):
            return self._operated(target, value)
        return None

    def _called(self, target: ast.expr, value: ast.Call) -> Found | None:
        code, routine = self.code, self.routine
        name = called(value)
        holding = [
            argument
            for argument in value.args
            if contains(expanded(argument, self.known, target), target)
        ]
        if name in WRAPPING and len(holding) == 1:
            return self._assigned(target, holding[0])
        callee = next((other for call, other in routine.calls if call is value), None)
        body = _single_return(callee) if callee is not None else None
        if callee is not None and body is not None:
            names = dict(zip(callee.parameters, value.args, strict=False))
            inlined = replaced(body, names)
            line = line_in(expanded(inlined, self.known, target), target)
            if line is not None:
                return self._lerped(target, value, line)
        if len(value.args) == 3 and same(value.args[0], target):
            step = value.args[2]
            if code.uses_time(routine, step):
                timed_lerp = name in LERPING and not is_exact(code, routine, step)
                return self._shared(step) if timed_lerp else None
            if name in LERPING:
                return self._shared(step)
            if name in APPROACHING:
                return "capped", CAPPED, [Edit(step, scaled(code, routine, step))]
        return self._not_known(value) if holding else None

    def _shared(self, step: ast.expr) -> Found | None:
        code, routine = self.code, self.routine
        timed = code.uses_time(routine, step)
        if timed and is_exact(code, routine, step):
            return None
        kept = kept_share(code, routine, tuned(code, routine, step))
        if kept is None:
            return None
        kind, why = ("linear", LINEAR) if timed else ("eases", EASES)
        return kind, why, [Edit(step, kept)]

    def _lerped(
        self, target: ast.expr, value: ast.Call, line: tuple[ast.expr, ast.expr]
    ) -> Found | None:
        """Return a call of a helper whose body is linear in the target."""
        code, routine = self.code, self.routine
        kept, rest = line
        if number(kept) == 0.0:
            return None
        if number(kept) == 1.0:
            if code.uses_time(routine, rest) or number(rest) == 0.0:
                return None
            amount = scaled(code, routine, rest)
            return "adds", ADDS, [Edit(value, f"{code.source(target)} + {amount}")]
        for argument in value.args:
            complement = ast.BinOp(ast.Constant(1), ast.Sub(), argument)
            value_of = number(kept)
            alike = same(kept, complement) or (
                value_of is not None
                and number(argument) is not None
                and abs(value_of + (number(argument) or 0.0) - 1.0) < 1e-12
            )
            if alike:
                return self._shared(argument)
        return self._mixed(target, value, kept, rest)

    def _operated(self, target: ast.expr, value: ast.BinOp) -> Found | None:
        if isinstance(value.op, ast.Add | ast.Sub):
            terms = list(_terms(value, 1.0))
            own = [term for term, sign in terms if same(term, target) and sign > 0]
            others = [(term, sign) for term, sign in terms if not same(term, target)]
            if len(own) == 1:
                readings = [self._added(target, term, sign) for term, sign in others]
                right = [term for term in readings if term is not None]
                if not right:
                    return None
                holding = [term for term, _sign in others if contains(term, target)]
                if len(holding) <= 1:
                    edits = [edit for term in right for edit in term[2]]
                    return right[0][0], right[0][1], edits
        if isinstance(value.op, ast.Mult | ast.Div):
            sides = [value.left, value.right] if isinstance(value.op, ast.Mult) else [value.left]
            for side in sides:
                if same(side, target):
                    other = value.right if side is value.left else value.left
                    return self._multiplied(target, other)
        line = line_in(expanded(value, self.known, target), target)
        if line is None:
            return self._not_known(value)
        return self._mixed(target, value, *line)

    def _mixed(
        self, target: ast.expr, value: ast.expr, kept: ast.expr, rest: ast.expr
    ) -> Found | None:
        """Return a weighted sum ``kept * target + rest`` with weights for each step."""
        code, routine = self.code, self.routine
        if number(kept) in (0.0, 1.0):
            return None
        timed = code.uses_time(routine, kept)
        if timed and is_exact(code, routine, kept):
            return None
        share = ast.BinOp(ast.Constant(1), ast.Sub(), kept)
        goal = _goal(kept, rest)
        kept, rest = tuned(code, routine, kept), tuned(code, routine, rest)
        kept_value = number(kept)
        if kept_value is not None and kept_value <= 0.0:
            return self._not_known(value)
        place, power = code.source(target), powered(code, routine, kept)
        if goal is None and number(rest) == 0.0:
            text = f"{place} * {power}"
        else:
            if goal is not None and not code.uses_time(routine, goal):
                aim = in_brackets(code.source(goal), goal)
            else:
                lost = tuned(code, routine, share)
                divisor = number(lost)
                below = f"{divisor:.12g}" if divisor is not None else f"({ast.unparse(lost)})"
                aim = f"({in_brackets(ast.unparse(rest), rest)} / {below})"
            text = f"{aim} + ({place} - {aim}) * {power}"
        kind, why = ("linear", LINEAR) if timed else ("eases", EASES)
        if goal is None and number(rest) == 0.0 and not timed:
            kind, why = "keeps", KEEPS
        return kind, why, [Edit(value, text)]

    def _not_known(self, value: ast.expr) -> Found | None:
        """Record that a value depends on itself in a way that has no counterpart."""
        if self.code.uses_time(self.routine, value):
            return None
        return "unknown", "", []


def _terms(node: ast.expr, sign: float) -> Iterator[tuple[ast.expr, float]]:
    """Yield the terms of a sum with their signs."""
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add | ast.Sub):
        yield from _terms(node.left, sign)
        yield from _terms(node.right, sign if isinstance(node.op, ast.Add) else -sign)
    else:
        yield node, sign


def _single_return(routine: Routine) -> ast.expr | None:
    """Return the expression of a function that consists of a return."""
    body = [
        statement
        for statement in routine.node.body
        if not (isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant))
    ]
    if len(body) == 1 and isinstance(body[0], ast.Return):
        return body[0].value
    return None


def _goal(kept: ast.expr, rest: ast.expr) -> ast.expr | None:
    """Return the goal of ``kept * x + (1 - kept) * goal``, if it has that form."""
    parts = factors(rest)
    kept_value = number(kept)
    for part in parts:
        value = number(part)
        complement = ast.BinOp(ast.Constant(1), ast.Sub(), part)
        alike = same(kept, complement) or same(part, ast.BinOp(ast.Constant(1), ast.Sub(), kept))
        if value is not None and kept_value is not None:
            alike = abs(value + kept_value - 1.0) < 1e-12
        if alike:
            others = [other for other in parts if other is not part]
            if not others:
                return ast.Constant(1)
            goal = others[0]
            for other in others[1:]:
                goal = ast.BinOp(goal, ast.Mult(), other)
            return goal
    return None
