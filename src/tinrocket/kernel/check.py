"""Checking: from a function's source to a tree in which every expression has a type.

A variable has the type of the first value it is given.  Whole numbers become floats where a
float is wanted, as in Python.  What is not in the subset is refused with its file and line.
"""

import ast
from collections.abc import Callable, Iterable, Mapping, Sequence
from types import ModuleType
from typing import Any, NoReturn, get_args, get_origin

from tinrocket.kernel import tree
from tinrocket.kernel.intrinsics import INTRINSICS
from tinrocket.kernel.names import SUBSTITUTES
from tinrocket.kernel.records import CELL, Floats, Ints, Pointer, Record
from tinrocket.kernel.subset import KERNELS, Source, SubsetError, source_of
from tinrocket.kernel.tree import Kind

OPERATORS: Mapping[type, str] = {
    ast.Add: "+",
    ast.Sub: "-",
    ast.Mult: "*",
    ast.Div: "/",
    ast.Mod: "%",
    ast.BitAnd: "&",
    ast.BitOr: "|",
    ast.LShift: "<<",
    ast.RShift: ">>",
}
COMPARISONS: Mapping[type, str] = {
    ast.Lt: "<",
    ast.LtE: "<=",
    ast.Gt: ">",
    ast.GtE: ">=",
    ast.Eq: "==",
    ast.NotEq: "!=",
}
OF_WHOLE = ("%", "&", "|", "<<", ">>")
INSTEAD: Mapping[type, str] = {
    ast.Pow: "write x * x, or pow(x, y) of tinrocket.kernel.maths",
    ast.FloorDiv: "write floor(x / y)",
    ast.While: "write 'for ... in range(...)' with a 'break'",
    ast.Lambda: "write a function of its own and declare it a kernel",
    ast.List: "keep numbers in fields of a record",
    ast.Dict: "keep numbers in fields of a record",
    ast.ListComp: "write a loop",
    ast.Try: "test before you compute",
    ast.With: "leave it out",
    ast.Raise: "leave it out",
    ast.Global: "keep what must last in a field of a record",
    ast.JoinedStr: "kernels know no text",
}
TAKES: Mapping[str, tuple[Kind, ...]] = {
    "sqrt": (float,),
    "floor": (float,),
    "exponent": (float,),
    "power_of_two": (int,),
    "copysign": (float, float),
    "copy_cells": (Pointer, Pointer, int),
}
GIVES: Mapping[str, Kind] = {"exponent": int, "copy_cells": None}
"""What an intrinsic gives, if it is not a float."""


class Checker:
    """Checks functions and all that they call, each once."""

    def __init__(self) -> None:
        self.functions: dict[str, tree.Function] = {}
        self.known: dict[Callable[..., Any], tree.Function] = {}
        """What other functions call, checked already."""

    def function(
        self, source: Source, parameters: Mapping[str, Kind] | None = None
    ) -> tree.Function:
        """Return a function as a tree, from now on under its own name.

        Parameters
        ----------
        source
            The function.
        parameters
            Types of its parameters, where it does not say them itself.

        Raises
        ------
        SubsetError
            If it leaves the subset, or calls something that does.
        """
        signature = _Signature(source, parameters or {})
        name = source.tree.name
        while name in self.functions:
            name += "_"
        function = tree.Function(name, signature.parameters, signature.results)
        self.functions[name] = function
        _Body(self, source, function).check()
        return function

    def called(self, function: Callable[..., Any]) -> tree.Function:
        """Return a kernel that another one calls."""
        if function not in self.known:
            source = source_of(function)
            signature = _Signature(source, {})
            name = source.tree.name
            while name in self.functions:
                name += "_"
            found = tree.Function(name, signature.parameters, signature.results)
            self.functions[name] = self.known[function] = found
            _Body(self, source, found).check()
        return self.known[function]


class _Signature:
    """Types of parameters and results, as a function's annotations say them."""

    def __init__(self, source: Source, given: Mapping[str, Kind]) -> None:
        self.parameters = {}
        for one in source.tree.args.args:
            kind = given.get(one.arg)
            if kind is None:
                if one.annotation is None:
                    raise SubsetError(source, one, f"say the type of the parameter '{one.arg}'")
                kind = _annotated(source, one.annotation)
            self.parameters[one.arg] = kind
        returns = source.tree.returns
        self.results: tuple[Kind, ...] = ()
        if returns is not None and not (
            isinstance(returns, ast.Constant) and returns.value is None
        ):
            kind = _annotated(source, returns)
            origin: object = get_origin(kind)
            self.results = get_args(kind) if origin is tuple else (kind,)


def _annotated(source: Source, annotation: ast.expr) -> Kind:
    if isinstance(annotation, ast.Constant) and isinstance(annotation.value, str):
        annotation = ast.parse(annotation.value, mode="eval").body
    if isinstance(annotation, ast.Name) and annotation.id in source.names:
        return source.names[annotation.id]
    if isinstance(annotation, ast.Subscript) and isinstance(annotation.slice, ast.Tuple):
        return tuple[tuple(_annotated(source, one) for one in annotation.slice.elts)]  # type: ignore[misc]
    raise SubsetError(source, annotation, f"'{ast.unparse(annotation)}' is no type of a kernel")


class _Body:
    """Checks one function's statements in order."""

    def __init__(self, checker: Checker, source: Source, function: tree.Function) -> None:
        self.checker, self.source, self.into = checker, source, function
        self.kinds: dict[str, Kind] = dict(function.parameters)
        self.loops = 0

    def check(self) -> None:
        self.into.body = self.block(self.source.tree.body)
        self.into.variables = {
            name: kind for name, kind in self.kinds.items() if name not in self.into.parameters
        }

    def refuse(self, node: ast.AST, why: str) -> NoReturn:
        raise SubsetError(self.source, node, why)

    def unknown(self, node: ast.AST, part: ast.AST | None = None) -> NoReturn:
        kind = type(part or node)
        instead = INSTEAD.get(kind, "do without it")
        self.refuse(node, f"'{kind.__name__}' is not in the subset; {instead}")

    # Statements

    def block(self, body: Iterable[ast.stmt]) -> list[tree.Statement]:
        return [done for one in body for done in self.statement(one)]

    def statement(self, node: ast.stmt) -> list[tree.Statement]:
        match node:
            case ast.Pass() | ast.Expr(value=ast.Constant()):
                return []
            case ast.Assign(targets=targets, value=value):
                return self.assign(targets, value)
            case ast.AnnAssign(target=target, value=ast.expr() as value):
                return self.assign([target], value)
            case ast.AugAssign(target=target, op=op, value=value):
                again = ast.copy_location(ast.BinOp(_loaded(target), op, value), node)
                return self.assign([target], again)
            case ast.If(test=test, body=yes, orelse=no):
                return [tree.If(self.truth(test), self.block(yes), self.block(no))]
            case ast.For():
                return [self.loop(node)]
            case ast.Break() | ast.Continue():
                return [tree.Leave(isinstance(node, ast.Continue))]
            case ast.Return(value=value):
                return [self.returned(node, value)]
            case ast.Expr(value=ast.Call() as call):
                return [tree.Do(self.call(call))]
        self.unknown(node)

    def assign(self, targets: Sequence[ast.expr], value: ast.expr) -> list[tree.Statement]:
        if len(targets) > 1:
            first = self.assign([targets[-1]], value)
            return first + [
                done for one in targets[:-1] for done in self.assign([one], _loaded(targets[-1]))
            ]
        target = targets[0]
        if isinstance(target, ast.Tuple):
            return self.assign_many(target.elts, value)
        if isinstance(target, ast.Name):
            name, given = self.variable(target), self.expression(value)
            return [tree.Assign([name], [self.declared(target, name, given)])]
        place, offset, kind = self.place(target)
        return [tree.Store(place, offset, self.wanted(value, self.expression(value), kind))]

    def assign_many(self, targets: Sequence[ast.expr], value: ast.expr) -> list[tree.Statement]:
        if isinstance(value, ast.Tuple):
            if len(value.elts) != len(targets):
                self.refuse(value, f"{len(targets)} names for {len(value.elts)} values")
            given = [self.expression(one) for one in value.elts]
        else:
            call = self.expression(value)
            if not isinstance(call, tree.Call) or not isinstance(call.kind, tuple):
                self.refuse(value, "only a kernel with several results gives several values")
            if len(call.kind) != len(targets):
                self.refuse(value, f"{len(targets)} names for {len(call.kind)} results")
            given = [call]
        kinds = [one.kind for one in given] if len(given) > 1 else list(given[0].kind)
        names, after = [], []
        for index, (target, kind) in enumerate(zip(targets, kinds, strict=True)):
            if isinstance(target, ast.Name):
                name = self.variable(target)
                if len(given) > 1:
                    given[index] = self.declared(target, name, given[index])
                else:
                    self.declared(target, name, tree.Expression(kind))
            else:  # a field: through a variable of its own
                name = f"_value{len(self.kinds)}"
                self.kinds[name] = kind
                place, offset, wanted = self.place(target)
                if wanted is not kind:
                    self.refuse(target, f"give it a {wanted.__name__}")
                after.append(tree.Store(place, offset, tree.Local(kind, name)))
            names.append(name)
        return [tree.Assign(names, given), *after]

    def variable(self, target: ast.Name) -> str:
        return target.id

    def declared(self, node: ast.AST, name: str, value: tree.Expression) -> tree.Expression:
        """Return a value as the type that a variable has, or has from now on."""
        if name not in self.kinds:
            if value.kind is None or isinstance(value.kind, tuple):
                self.refuse(node, f"'{name}' would be no single value")
            self.kinds[name] = value.kind
            return value
        return self.wanted(node, value, self.kinds[name], name)

    def loop(self, node: ast.For) -> tree.Statement:
        call = node.iter
        if not (
            isinstance(node.target, ast.Name)
            and isinstance(call, ast.Call)
            and isinstance(call.func, ast.Name)
            and call.func.id == "range"
            and len(call.args) in (1, 2)
            and not node.orelse
        ):
            self.refuse(node, "a loop is 'for n in range(count)' or 'range(first, past)'")
        bounds = [self.wanted(one, self.expression(one), int) for one in call.args]
        first = bounds[0] if len(bounds) > 1 else tree.Constant(int, 0)
        self.declared(node, node.target.id, tree.Expression(int))
        return tree.Loop(node.target.id, first, bounds[-1], self.block(node.body))

    def returned(self, node: ast.stmt, value: ast.expr | None) -> tree.Statement:
        results = self.into.results
        if value is None:
            if results:
                self.refuse(node, "it returns values elsewhere; return them here too")
            return tree.Return([])
        parts = value.elts if isinstance(value, ast.Tuple) else [value]
        if len(parts) == 1 and len(results) > 1:
            call = self.expression(value)
            if call.kind == results:
                return tree.Return([call])
        if len(parts) != len(results):
            self.refuse(node, f"it says that it returns {len(results)} values")
        return tree.Return(
            [
                self.wanted(one, self.expression(one), kind)
                for one, kind in zip(parts, results, strict=True)
            ]
        )

    # Expressions

    def expression(self, node: ast.expr) -> tree.Expression:
        match node:
            case ast.Constant(value=bool() as value):
                return tree.Constant(bool, int(value))
            case ast.Constant(value=int() | float() as value):
                return tree.Constant(type(value), value)
            case ast.Name():
                return self.name(node)
            case ast.Attribute() | ast.Subscript():
                return self.loaded(node)
            case ast.BinOp(left=left, op=op, right=right):
                return self.binary(node, left, op, right)
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return tree.Not(bool, self.truth(operand))
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                of = self.expression(operand)
                if isinstance(of, tree.Constant):
                    return tree.Constant(of.kind, -of.value)
                return tree.Instruction(of.kind, "negative", [of])
            case ast.Compare(left=left, ops=ops, comparators=others):
                return self.compare(node, left, ops, others)
            case ast.BoolOp(op=op, values=values):
                word = "and" if isinstance(op, ast.And) else "or"
                all_of_them = [self.truth(one) for one in values]
                result = all_of_them[-1]
                for one in reversed(all_of_them[:-1]):
                    result = tree.Logic(bool, word, one, result)
                return result
            case ast.IfExp(test=test, body=yes, orelse=no):
                one, other = self.alike(node, self.expression(yes), self.expression(no))
                return tree.Choose(one.kind, self.truth(test), one, other)
            case ast.Call():
                return self.call(node)
        self.unknown(node)

    def name(self, node: ast.Name) -> tree.Expression:
        if node.id in self.kinds:
            return tree.Local(self.kinds[node.id], node.id)
        if node.id not in self.source.names:
            self.refuse(node, f"'{node.id}' is not known here")
        return self.constant(node, self.source.names[node.id])

    def constant(self, node: ast.expr, value: object) -> tree.Expression:
        if isinstance(value, bool | int | float):
            kind = type(value)
            return tree.Constant(kind, int(value) if kind is bool else value)
        if isinstance(value, Pointer):
            return tree.Constant(type(value), value.address)
        self.refuse(node, f"'{ast.unparse(node)}' is no number that a kernel can use")

    def global_value(self, node: ast.expr) -> object:
        """Return what a name, or a name of a module, stands for; None if it is neither."""
        if isinstance(node, ast.Name) and node.id not in self.kinds:
            return self.source.names.get(node.id)
        if isinstance(node, ast.Attribute):
            base = self.global_value(node.value)
            if isinstance(base, ModuleType):
                return getattr(base, node.attr, None)
        return None

    def place(self, node: ast.expr) -> tuple[tree.Expression, int, Kind]:
        """Return where a field or a member lies: an address, an offset, and what is there."""
        if isinstance(node, ast.Attribute):
            base = self.expression(node.value)
            if isinstance(base.kind, type) and issubclass(base.kind, Record):
                if node.attr not in base.kind.offsets:
                    self.refuse(node, f"a {base.kind.__name__} has no '{node.attr}'")
                offset = CELL * base.kind.offsets[node.attr]
                return base, offset, base.kind.fields[node.attr]
            self.refuse(node, f"'{ast.unparse(node.value)}' is no record")
        if isinstance(node, ast.Subscript):
            base = self.expression(node.value)
            if base.kind in (Floats, Ints):
                address, offset = self.member(base, node.slice)
                return address, offset, float if base.kind is Floats else int
        self.refuse(node, f"'{ast.unparse(node)}' is no place in a record")

    def member(self, base: tree.Expression, index: ast.expr) -> tuple[tree.Expression, int]:
        """Return address and offset of the n-th member of a row or table."""
        size, offset = CELL * base.kind.size, 0
        if (
            isinstance(index, ast.BinOp)
            and isinstance(index.op, ast.Add)
            and isinstance(index.right, ast.Constant)
            and isinstance(index.right.value, int)
        ):
            offset, index = size * index.right.value, index.left
        at = self.wanted(index, self.expression(index), int)
        if isinstance(at, tree.Constant) and at.value >= 0:
            return base, offset + size * int(at.value)
        way = tree.Binary(int, "*", at, tree.Constant(int, size))
        return tree.Binary(base.kind, "+", base, way), offset

    def loaded(self, node: ast.Attribute | ast.Subscript) -> tree.Expression:
        if isinstance(node, ast.Attribute):
            value = self.global_value(node)
            if value is not None:
                return self.constant(node, value)
        else:
            base = self.expression(node.value)
            if isinstance(base.kind, type) and issubclass(base.kind, Record):
                address, offset = self.member(base, node.slice)
                if offset == 0:
                    return tree.Binary(base.kind, "+", address, tree.Constant(int, 0))
                return tree.Binary(base.kind, "+", address, tree.Constant(int, offset))
        address, offset, kind = self.place(node)
        return tree.Load(kind, address, offset)

    def binary(
        self, node: ast.expr, left: ast.expr, op: ast.operator, right: ast.expr
    ) -> tree.Expression:
        if type(op) not in OPERATORS:
            self.unknown(node, op)
        word = OPERATORS[type(op)]
        one, other = self.expression(left), self.expression(right)
        if word == "/":
            one, other = self.wanted(left, one, float), self.wanted(right, other, float)
        one, other = self.alike(node, one, other)
        if one.kind is bool:
            one, other = self.wanted(left, one, int), self.wanted(right, other, int)
        if one.kind not in (float, int):
            self.refuse(node, f"'{word}' is for numbers")
        if word in OF_WHOLE and one.kind is not int:
            self.refuse(node, f"'{word}' is for whole numbers; write x - floor(x / y) * y")
        return tree.Binary(one.kind, word, one, other)

    def compare(
        self,
        node: ast.expr,
        left: ast.expr,
        ops: Sequence[ast.cmpop],
        others: Sequence[ast.expr],
    ) -> tree.Expression:
        parts: list[ast.expr] = [left, *others]
        result: tree.Expression | None = None
        for index, op in enumerate(ops):
            if type(op) not in COMPARISONS:
                self.refuse(node, "compare with < <= > >= == or !=")
            if index > 0 and not isinstance(parts[index], ast.Name | ast.Constant | ast.Attribute):
                self.refuse(node, "give the value between two comparisons a name")
            one, other = self.alike(
                node, self.expression(parts[index]), self.expression(parts[index + 1])
            )
            both = tree.Compare(bool, COMPARISONS[type(op)], one, other)
            result = both if result is None else tree.Logic(bool, "and", result, both)
        assert result is not None
        return result

    def call(self, node: ast.Call) -> tree.Expression:
        function = self.global_value(node.func)
        if function is None:
            self.refuse(node, f"'{ast.unparse(node.func)}' is not known here")
        function = SUBSTITUTES.get(function, function) if callable(function) else function
        if function in (abs, min, max, float, int, bool):
            return self.builtin(node, function)
        if function in INTRINSICS:
            return self.intrinsic(node, function.__name__)
        if function not in KERNELS and function not in self.checker.known:
            self.refuse(
                node, f"'{ast.unparse(node.func)}' is no kernel; declare it one, or do without it"
            )
        called = self.checker.called(function)
        given = dict(zip(called.parameters, node.args, strict=False))
        given |= {one.arg: one.value for one in node.keywords if one.arg}
        if len(node.args) + len(node.keywords) != len(called.parameters) or set(given) != set(
            called.parameters
        ):
            self.refuse(node, f"'{called.name}' takes {', '.join(called.parameters)}")
        arguments = [
            self.wanted(given[name], self.expression(given[name]), kind)
            for name, kind in called.parameters.items()
        ]
        results = called.results
        kind = results[0] if len(results) == 1 else results or None
        return tree.Call(kind, called, arguments)

    def builtin(self, node: ast.Call, function: object) -> tree.Expression:
        given = [self.expression(one) for one in node.args]
        if function in (min, max):
            if len(given) != 2:
                self.refuse(node, "give min and max two values")
            one, other = self.alike(node, *given)
            word = "min" if function is min else "max"
            return tree.Instruction(one.kind, word, [one, other])
        if len(given) != 1:
            self.refuse(node, "it takes one value")
        if function is abs:
            return tree.Instruction(given[0].kind, "abs", given)
        if function is bool:
            return self.truth(node.args[0])
        wanted = float if function is float else int
        if given[0].kind is wanted:
            return given[0]
        return tree.Convert(wanted, given[0])

    def intrinsic(self, node: ast.Call, name: str) -> tree.Expression:
        takes = TAKES[name]
        if len(node.args) != len(takes):
            self.refuse(node, f"'{name}' takes {len(takes)} values")
        given = [
            self.wanted(one, self.expression(one), kind)
            for one, kind in zip(node.args, takes, strict=True)
        ]
        return tree.Instruction(GIVES.get(name, float), name, given)

    def truth(self, node: ast.expr) -> tree.Expression:
        value = self.expression(node)
        if value.kind is bool:
            return value
        if value.kind in (float, int):  # as Python has it, a number other than 0 is true
            return tree.Compare(bool, "!=", value, tree.Constant(value.kind, 0))
        self.refuse(node, "a condition is a comparison or a number")

    def alike(
        self, node: ast.AST, one: tree.Expression, other: tree.Expression
    ) -> tuple[tree.Expression, tree.Expression]:
        if one.kind is other.kind:
            return one, other
        for kind in (float, int):
            if kind in (one.kind, other.kind):
                return self.wanted(node, one, kind), self.wanted(node, other, kind)
        self.refuse(node, "the two are of different kinds")

    def wanted(
        self, node: ast.AST, value: tree.Expression, kind: Kind, name: str = ""
    ) -> tree.Expression:
        if value.kind is kind or (kind is Pointer and issubclass(value.kind, Pointer)):
            return value
        if kind is float and value.kind in (int, bool):
            if isinstance(value, tree.Constant):
                return tree.Constant(float, float(value.value))
            return tree.Convert(float, value)
        if kind is int and value.kind is bool:
            value.kind = int
            return value
        subject = f"'{name}' is" if name else "this is"
        if kind is int and value.kind is float:
            self.refuse(node, f"{subject} a whole number; write 0.0 at first, or int(...) here")
        self.refuse(node, f"{subject} of another kind than what it is given")


def _loaded(target: ast.expr) -> ast.expr:
    """Return a target of an assignment as the expression that reads it."""
    copy = ast.parse(ast.unparse(target), mode="eval").body
    for node in ast.walk(copy):
        ast.copy_location(node, target)
    return copy
