"""The functions of the file that an update runs, and which of their variables hold time."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

from tinrocket.own_update.expressions import contains, names_in, number, replaced, same
from tinrocket.own_update.text_places import Places

DT = "__dt__"
"""Placeholder for the length of the step in expressions of time variables."""
ROUNDS = 8
"""Rounds in which bindings of time spread from callers to callees."""
Function = ast.FunctionDef


@dataclass(eq=False)
class Routine:
    """A function that an update runs, or the update itself.

    Attributes
    ----------
    name
        Its name, with that of its class.
    node
        Its definition.
    owner
        Name of its class, or None.
    time
        For each variable that holds time the expression in `DT`.
    calls
        Its calls of other routines.
    in_fixed_steps
        Whether it runs in a loop that takes fixed steps.
    """

    name: str
    node: Function
    owner: str | None
    time: dict[str, ast.expr] = field(default_factory=dict)
    calls: list[tuple[ast.Call, "Routine"]] = field(default_factory=list)
    in_fixed_steps: bool = False

    @property
    def parameters(self) -> list[str]:
        """Names of its parameters, in order."""
        arguments = self.node.args
        return [argument.arg for argument in (*arguments.posonlyargs, *arguments.args)]


@dataclass(eq=False)
class Code:
    """All routines of an update.

    Attributes
    ----------
    text
        Text of the file.
    tree
        Its syntax tree.
    entry
        The update.
    routines
        The update and every function of the file that it runs.
    tuned_dt
        The value of dt in a tuned frame, in its own unit.
    time_attributes
        Attributes that hold time, such as ``dt`` of ``game.dt``.
    """

    text: str
    tree: ast.Module
    entry: Routine
    routines: list[Routine]
    tuned_dt: float
    time_attributes: set[str] = field(default_factory=set)

    def source(self, node: ast.expr) -> str:
        """Return the text of an expression as typed, or as it would be typed."""
        if id(node) not in self._typed:
            return ast.unparse(node)
        begin, end = self.places.of(node)
        return self.text[begin:end]

    @cached_property
    def places(self) -> Places:
        """Places of nodes in the text."""
        return Places(self.text)

    @cached_property
    def _typed(self) -> set[int]:
        """The nodes of the file; others were made from parts of it."""
        return {id(node) for node in ast.walk(self.tree)}

    def uses_time(self, routine: Routine, node: ast.AST) -> bool:
        """Return whether an expression depends on the length of the step."""
        for inner in ast.walk(node):
            if isinstance(inner, ast.Name) and inner.id in routine.time:
                return True
            if isinstance(inner, ast.Attribute) and inner.attr in self.time_attributes:
                return True
        return False

    def at_tuned(self, routine: Routine, node: ast.expr) -> ast.expr:
        """Return an expression with the length of a tuned step in the place of dt."""
        frames = 1.0 / self.tuned_dt
        step: ast.expr = ast.Constant(self.tuned_dt)
        if frames > 1.0 and abs(frames - round(frames)) < 1e-9:
            step = ast.BinOp(ast.Constant(1), ast.Div(), ast.Constant(round(frames)))
        names = {
            name: replaced(expression, {DT: step}) for name, expression in routine.time.items()
        }
        return replaced(node, names)

    def time_name(self, routine: Routine) -> tuple[str, float] | None:
        """Return a variable that is proportional to dt, and its value in a tuned step."""
        parameters = set(routine.parameters)
        ordered = sorted(routine.time, key=lambda name: (name not in parameters, name != "dt"))
        for name in ordered:
            value = number(routine.time[name], {DT: self.tuned_dt})
            two = number(routine.time[name], {DT: 0.5 * self.tuned_dt})
            if value and two and abs(two - 0.5 * value) < 1e-9 * abs(value):
                return name, value
        return None


def read_code(text: str, entry: str, dt: str | None, tuned_dt: float) -> Code:
    """Return the routines of an update with their time variables.

    Parameters
    ----------
    text
        Text of the file.
    entry
        Name of the update in it; of a method with its class.
    dt
        The parameter that is the length of the step, or None.
    tuned_dt
        Its value in a tuned frame.
    """
    tree = ast.parse(text)
    functions = dict(_functions(tree))
    first = functions[entry]
    if dt is not None:
        first.time[dt] = ast.Name(DT, ast.Load())
    code = Code(text, tree, first, [first], tuned_dt)
    for routine in code.routines:  # the loop appends to this list
        for call, name in _calls(routine, functions):
            other = functions[name]
            routine.calls.append((call, other))
            if other not in code.routines:
                code.routines.append(other)
    for _ in range(ROUNDS):
        before = [dict(callee.time) for callee in code.routines], set(code.time_attributes)
        for routine in code.routines:
            _bind_variables(code, routine)
            _pass_on(code, routine)
        if before == ([dict(callee.time) for callee in code.routines], code.time_attributes):
            break
    _mark_fixed(code)
    return code


def _functions(tree: ast.Module) -> Iterator[tuple[str, Routine]]:
    for node in tree.body:
        if isinstance(node, ast.FunctionDef):
            yield node.name, Routine(node.name, node, None)
        elif isinstance(node, ast.ClassDef):
            for inner in node.body:
                if isinstance(inner, ast.FunctionDef):
                    name = f"{node.name}.{inner.name}"
                    yield name, Routine(name, inner, node.name)


def _calls(routine: Routine, functions: dict[str, Routine]) -> Iterator[tuple[ast.Call, str]]:
    for node in ast.walk(routine.node):
        if not isinstance(node, ast.Call):
            continue
        if isinstance(node.func, ast.Name) and node.func.id in functions:
            yield node, node.func.id
        elif isinstance(node.func, ast.Attribute):
            name = node.func.attr
            own = f"{routine.owner}.{name}"
            mine = isinstance(node.func.value, ast.Name) and node.func.value.id == "self"
            if mine and own in functions:
                yield node, own
                continue
            for function in functions:  # of any class that has such a method
                if function.endswith(f".{name}"):
                    yield node, function


def statements(node: ast.AST) -> Iterator[ast.stmt]:
    """Yield all statements of a function, without those of nested functions."""
    for _name, value in ast.iter_fields(node):
        for item in value if isinstance(value, list) else (value,):
            if isinstance(item, ast.stmt):
                yield item
                if not isinstance(item, ast.FunctionDef | ast.ClassDef | ast.AsyncFunctionDef):
                    yield from statements(item)
            elif isinstance(item, ast.ExceptHandler | ast.match_case):
                yield from statements(item)


def _bind_variables(code: Code, routine: Routine) -> None:
    for statement in statements(routine.node):
        if not isinstance(statement, ast.Assign | ast.AnnAssign) or statement.value is None:
            continue
        targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]
        for target in targets:
            if not code.uses_time(routine, statement.value):
                continue
            if isinstance(target, ast.Name):
                if target.id in routine.time and target.id in names_in(statement.value):
                    continue  # dt = min(dt, longest)
                routine.time.setdefault(target.id, _in_dt(routine, statement.value))
            elif isinstance(target, ast.Attribute) and not contains(statement.value, target):
                value = number(_in_dt(routine, statement.value), {DT: code.tuned_dt})
                if value is not None:  # dt itself, or a multiple of it
                    code.time_attributes.add(target.attr)


def _in_dt(routine: Routine, node: ast.expr) -> ast.expr:
    return replaced(node, dict(routine.time))


def _pass_on(code: Code, routine: Routine) -> None:
    for call, other in routine.calls:
        names = other.parameters
        if other.owner is not None and isinstance(call.func, ast.Attribute):
            names = names[1:]
        passed = [*zip(names, call.args, strict=False)]
        passed += [(keyword.arg, keyword.value) for keyword in call.keywords if keyword.arg]
        for name, value in passed:
            if code.uses_time(routine, value) and name not in other.time:
                other.time[name] = _in_dt(routine, value)


def _mark_fixed(code: Code) -> None:
    """Mark routines that run in a loop of fixed steps, and what these run."""
    waiting = []
    for routine in code.routines:
        for loop in fixed_loops(code, routine):
            inside = set(map(id, ast.walk(loop)))
            waiting += [other for call, other in routine.calls if id(call) in inside]
    while waiting:
        callee = waiting.pop()
        if not callee.in_fixed_steps and callee is not code.entry:
            callee.in_fixed_steps = True
            waiting += [other for _call, other in callee.calls]


def fixed_loops(code: Code, routine: Routine) -> Iterator[ast.While]:
    """Yield loops that spend an accumulator of dt in fixed steps."""
    growing = [
        statement.target
        for statement in statements(routine.node)
        if isinstance(statement, ast.AugAssign)
        and isinstance(statement.op, ast.Add)
        and code.uses_time(routine, statement.value)
    ]
    for following in statements(routine.node):
        if isinstance(following, ast.While):
            tested = [part for part in ast.walk(following.test) if isinstance(part, ast.expr)]
            spent = [
                inner.target
                for inner in statements(following)
                if isinstance(inner, ast.AugAssign) and isinstance(inner.op, ast.Sub)
            ]
            if any(
                any(same(target, part) for part in tested)
                and any(same(target, other) for other in spent)
                for target in growing
            ):
                yield following
