"""Putting small functions in line, because a call costs more than they do.

A function can be put in line if it neither loops nor returns early.  Around a call the machine
keeps no float in a register, so that a sum and its rounding error would cost ten sums.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from itertools import islice
from typing import Any

from tinrocket.kernel import tree

NODES = (tree.Expression, tree.Statement)
LARGEST = 160
"""Nodes of a function that is put in line."""


def put_in_line(functions: Iterable[tree.Function]) -> None:
    """Replace calls of small functions by what these do, in all functions, in place."""
    known: dict[int, bool] = {}
    pure: dict[int, bool] = {}
    for function in functions:
        _Caller(function, known, pure).work()


class _Caller:
    """One function, whose calls are looked at; what it calls has its turn before it."""

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
        return [done for one in body for done in self.statement(one)]

    def statement(self, one: tree.Statement) -> list[tree.Statement]:
        before: list[tree.Statement] = []
        match one:
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
        return [one]

    def arguments(self, call: tree.Call, before: list[tree.Statement]) -> tree.Call:
        """Return a call whose arguments have been looked at, and what it calls too."""
        _Caller(call.function, self.known, self.pure).work()
        return replace(call, arguments=[self.hoisted(one, before) for one in call.arguments])

    def hoisted(self, one: tree.Expression, before: list[tree.Statement]) -> tree.Expression:
        """Return an expression with calls that are always made put in line before it."""
        match one:
            case tree.Call():
                one = self.arguments(one, before)
                single = isinstance(one.kind, type)
                if self.fits(one) and single and _is_pure(one.function, self.pure):
                    name = self.variable("result", one.kind)
                    before += self.opened(one, (name,))
                    return tree.Local(one.kind, name)
                return one
            case tree.Logic(kind, word, left, right):
                return tree.Logic(kind, word, self.hoisted(left, before), right)
            case tree.Choose(kind, test, yes, no):
                return tree.Choose(kind, self.hoisted(test, before), yes, no)
            case tree.Instruction(kind, name, arguments):
                return tree.Instruction(kind, name, [self.hoisted(v, before) for v in arguments])
        changed: tree.Expression = _changed(one, lambda inner: self.hoisted(inner, before))
        return changed

    def fits(self, call: tree.Call) -> bool:
        """Whether what is called can be put in line, here as anywhere."""
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
        """Return what a called function does, with variables of its own."""
        inner = call.function
        renamed = {
            name: self.variable(name, kind)
            for name, kind in (inner.parameters | inner.variables).items()
        }
        lines: list[tree.Statement] = [
            tree.Assign([renamed[name]], [value])
            for name, value in zip(inner.parameters, call.arguments, strict=True)
        ]
        for one in inner.body:
            copy = _renamed(one, renamed)
            if not isinstance(copy, tree.Return):
                lines.append(copy)
            elif names:
                lines.append(tree.Assign(list(names), copy.values))
        return lines


def _fits(function: tree.Function) -> bool:
    body = function.body
    last = body[-1]
    rest = body[:-1] if isinstance(last, tree.Return) else body
    if function.results and not isinstance(last, tree.Return):
        return False
    return _size(body) <= LARGEST and not any(map(_returns_or_loops, rest))


def _named(kind: Any) -> Sequence[str]:
    """Return the fields of a kind of node, in their order."""
    names: Sequence[str] = kind.__match_args__
    return names


def _changed(one: Any, change: Callable[[tree.Expression], tree.Expression]) -> Any:
    """Return a node with its direct expressions changed."""
    values = [getattr(one, name) for name in _named(type(one))]
    if not any(isinstance(value, tree.Expression) for value in values):
        return one
    return type(one)(*(change(v) if isinstance(v, tree.Expression) else v for v in values))


def _renamed(one: Any, names: dict[str, str]) -> Any:
    """Return a copy of a statement or expression with other variables."""
    if isinstance(one, list | tuple):
        return [_renamed(inner, names) for inner in one]
    if not isinstance(one, tree.Expression | tree.Statement):
        return one
    if isinstance(one, tree.Local):
        return tree.Local(one.kind, names[one.name])
    if isinstance(one, tree.Assign):
        return tree.Assign([names[name] for name in one.names], _renamed(one.values, names))
    if isinstance(one, tree.Expression):
        parts = (getattr(one, name) for name in _named(type(one))[1:])
        return type(one)(one.kind, *(_renamed(part, names) for part in parts))
    return type(one)(*(_renamed(getattr(one, name), names) for name in _named(type(one))))


def _parts(one: Any) -> Iterable[Any]:
    """Yield a node, or several, and all within, in no order."""
    left = [one]
    while left:
        node = left.pop()
        if isinstance(node, (list, tuple)):
            left += node
        elif isinstance(node, NODES):
            yield node
            left += [getattr(node, name) for name in _named(type(node))]


def _size(body: Sequence[tree.Statement]) -> int:
    """Return how many nodes there are, as far as that matters."""
    nodes = (part for one in body for part in _parts(one))
    return sum(1 for _ in islice(nodes, LARGEST + 1))


def _returns_or_loops(one: tree.Statement) -> bool:
    return any(isinstance(part, tree.Return | tree.Loop | tree.Leave) for part in _parts(one))


def _is_pure(function: tree.Function, known: dict[int, bool]) -> bool:
    """Whether a function changes nothing but its own variables; what is known is looked up."""
    if id(function) not in known:
        known[id(function)] = not any(
            isinstance(part, tree.Store | tree.Do)
            or (isinstance(part, tree.Call) and not _is_pure(part.function, known))
            for part in _parts(function.body)
        )
    return known[id(function)]
