"""Inline small functions, because a call costs more than their bodies.

A function can be inlined if it neither loops nor returns early. The machine keeps no float in a
register across a call, so that a sum with its rounding error would cost ten sums.
"""

from collections.abc import Iterable, Mapping, Sequence

from tinrocket.language import tree

LARGEST = 160
"""Largest number of nodes of an inlined function."""


def put_in_line(functions: Iterable[tree.Function]) -> None:
    """Replace calls of small functions by their bodies, in all functions, in place."""
    known: dict[int, bool] = {}
    pure: dict[int, bool] = {}
    for function in functions:
        _Caller(function, known, pure).work()


class _Caller:
    """Inliner of the calls in one function; its callees are inlined first."""

    def __init__(
        self, function: tree.Function, known: dict[int, bool], pure: dict[int, bool]
    ) -> None:
        self.function, self.known, self.pure = function, known, pure
        self.count = 0

    def work(self) -> None:
        if not self.function.in_line:
            self.function.in_line = True
            self.function.body = self.block(self.function.body)

    def block(self, body: Sequence[tree.Statement]) -> list[tree.Statement]:
        return [done for statement in body for done in self.statement(statement)]

    def statement(self, node: tree.Statement) -> list[tree.Statement]:
        before: list[tree.Statement] = []
        match node:
            case tree.Assign(names, [tree.Call() as call]):
                call = self.arguments(call, before)
                if self.fits(call):
                    return [*before, *self.opened(call, names)]
                return [*before, tree.Assign(names, [call])]
            case tree.Assign(names, values):
                values = [self.hoisted(one_of_them, before) for one_of_them in values]
                return [*before, tree.Assign(names, values)]
            case tree.Store(address, offset, value):
                address, value = self.hoisted(address, before), self.hoisted(value, before)
                return [*before, tree.Store(address, offset, value)]
            case tree.If(test, yes, no):
                test = self.hoisted(test, before)
                return [*before, tree.If(test, self.block(yes), self.block(no))]
            case tree.Loop(name, first, past, inside):
                first, past = self.hoisted(first, before), self.hoisted(past, before)
                return [*before, tree.Loop(name, first, past, self.block(inside))]
            case tree.Return(values):
                values = [self.hoisted(one_of_them, before) for one_of_them in values]
                return [*before, tree.Return(values)]
            case tree.Do(tree.Call() as call):
                call = self.arguments(call, before)
                if self.fits(call) and not call.function.results:
                    return [*before, *self.opened(call, ())]
                return [*before, tree.Do(call)]
        return [node]

    def arguments(self, call: tree.Call, before: list[tree.Statement]) -> tree.Call:
        """Return a call with inlined arguments, and its callee."""
        _Caller(call.function, self.known, self.pure).work()
        inner = [self.hoisted(argument, before) for argument in call.arguments]
        return tree.Call(call.kind, call.function, inner)

    def hoisted(self, expression: tree.Expression, before: list[tree.Statement]) -> tree.Expression:
        """Return an expression whose unconditional calls are inlined before it."""
        return self.without_calls(expression, before) if _calls(expression) else expression

    def without_calls(
        self, expression: tree.Expression, before: list[tree.Statement]
    ) -> tree.Expression:
        match expression:
            case tree.Call():
                expression = self.arguments(expression, before)
                single = isinstance(expression.kind, type)
                if self.fits(expression) and single and _is_pure(expression.function, self.pure):
                    name = self.variable("result", expression.kind)
                    before += self.opened(expression, (name,))
                    return tree.Local(expression.kind, name)
                return expression
            case tree.Logic(kind, word, left, right):
                return tree.Logic(kind, word, self.without_calls(left, before), right)
            case tree.Choose(kind, test, yes, no):
                return tree.Choose(kind, self.without_calls(test, before), yes, no)
        return tree.made_of(
            expression, [self.without_calls(part, before) for part in tree.parts(expression)]
        )

    def fits(self, call: tree.Call) -> bool:
        """Return whether the callee can be inlined."""
        function = call.function
        if not function.body or function is self.function:
            return False
        if id(function) not in self.known:
            self.known[id(function)] = _fits(function)
        return self.known[id(function)]

    def variable(self, name: str, kind: tree.Kind) -> str:
        self.count += 1
        unique = f"{name}.{self.count}"
        self.function.variables[unique] = kind
        return unique

    def opened(self, call: tree.Call, names: Sequence[str]) -> list[tree.Statement]:
        """Return the body of a called function, with renamed variables."""
        inner = call.function
        renamed = {
            name: self.variable(name, kind)
            for name, kind in (inner.parameters | inner.variables).items()
        }
        lines: list[tree.Statement] = [
            tree.Assign([renamed[name]], [value])
            for name, value in zip(inner.parameters, call.arguments, strict=True)
        ]
        for statement in inner.body:
            copy = _with_names(statement, renamed)
            if not isinstance(copy, tree.Return):
                lines.append(copy)
            elif names:
                lines.append(tree.Assign(list(names), copy.values))
        return lines


def _calls(expression: tree.Expression) -> bool:
    """Return whether an expression contains a call."""
    return isinstance(expression, tree.Call) or any(map(_calls, tree.parts(expression)))


def _renamed(expression: tree.Expression, names: Mapping[str, str]) -> tree.Expression:
    """Return an expression with renamed variables."""
    if isinstance(expression, tree.Local):
        return tree.Local(expression.kind, names[expression.name])
    inner = tree.parts(expression)
    return (
        tree.made_of(expression, [_renamed(part, names) for part in inner]) if inner else expression
    )


def _with_names(statement: tree.Statement, names: Mapping[str, str]) -> tree.Statement:
    """Return a statement of the inlined function with renamed variables."""
    match statement:
        case tree.Assign():
            values = [_renamed(value, names) for value in statement.values]
            return tree.Assign([names[name] for name in statement.names], values)
        case tree.Store():
            value = _renamed(statement.value, names)
            return tree.Store(_renamed(statement.address, names), statement.offset, value)
        case tree.If():
            yes = [_with_names(inner, names) for inner in statement.yes]
            no = [_with_names(inner, names) for inner in statement.no]
            return tree.If(_renamed(statement.test, names), yes, no)
        case tree.Return():
            return tree.Return([_renamed(value, names) for value in statement.values])
        case tree.Do():
            return tree.Do(_renamed(statement.call, names))
    raise TypeError(statement)


def _fits(function: tree.Function) -> bool:
    body = function.body
    last = body[-1]
    if not isinstance(last, tree.Return):
        return not function.results and _cost(body) <= LARGEST
    return _cost(body[:-1]) + 1 + sum(map(_size, last.values)) <= LARGEST


def _size(expression: tree.Expression) -> int:
    return 1 + sum(map(_size, tree.parts(expression)))


def _cost(body: Iterable[tree.Statement]) -> int:
    """Return the number of nodes, or more than the limit if a node loops or returns early."""
    total = 0
    for statement in body:
        if isinstance(statement, tree.Return | tree.Loop | tree.Leave):
            return LARGEST + 1
        total += 1 + sum(map(_size, _expressions(statement)))
        if isinstance(statement, tree.If):
            total += _cost(statement.yes) + _cost(statement.no)
        if total > LARGEST:
            break
    return total


def _expressions(statement: tree.Statement) -> Sequence[tree.Expression]:
    """Return the expressions of a statement, without those in its blocks."""
    match statement:
        case tree.Assign() | tree.Return():
            return statement.values
        case tree.Store():
            return (statement.address, statement.value)
        case tree.If():
            return (statement.test,)
        case tree.Loop():
            return (statement.first, statement.past)
        case tree.Do():
            return (statement.call,)
    return ()


def _blocks(statement: tree.Statement) -> Sequence[Sequence[tree.Statement]]:
    match statement:
        case tree.If():
            return (statement.yes, statement.no)
        case tree.Loop():
            return (statement.body,)
    return ()


def _is_pure(function: tree.Function, known: dict[int, bool]) -> bool:
    """Return whether a function is pure; results are cached."""

    def pure(statement: tree.Statement) -> bool:
        if isinstance(statement, tree.Store | tree.Do):
            return False
        return all(map(quiet, _expressions(statement))) and all(
            pure(inner) for block in _blocks(statement) for inner in block
        )

    def quiet(expression: tree.Expression) -> bool:
        if isinstance(expression, tree.Call) and not _is_pure(expression.function, known):
            return False
        return all(map(quiet, tree.parts(expression)))

    if id(function) not in known:
        known[id(function)] = all(map(pure, function.body))
    return known[id(function)]
