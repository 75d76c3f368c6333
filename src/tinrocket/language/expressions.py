"""Check expressions: determine their types, and refuse Python outside the subset."""

import ast
from collections.abc import Callable, Mapping, Sequence
from types import ModuleType
from typing import Any, NoReturn, Protocol

from tinrocket.language import tree
from tinrocket.language.intrinsics import INTRINSICS
from tinrocket.language.names import SUBSTITUTES
from tinrocket.language.records import CELL, Floats, Ints, Pointer, Record
from tinrocket.language.subset import KERNELS, Source, SubsetError
from tinrocket.language.tree import Kind

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
    ast.Pow: "write x * x, or pow(x, y) of tinrocket.language.maths",
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
    ast.JoinedStr: "kernels have no text",
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
"""Result types of intrinsics that do not return a float."""


class Functions(Protocol):
    """Interface of the checker of called functions."""

    known: dict[Callable[..., Any], tree.Function]

    def called(self, function: Callable[..., Any]) -> tree.Function:
        """Return a kernel that another one calls."""


class Expressions:
    """Checker of the expressions of one function."""

    def __init__(self, checker: Functions, source: Source, function: tree.Function) -> None:
        self.checker, self.source, self.into = checker, source, function
        self.kinds: dict[str, Kind] = dict(function.parameters)
        self.loops = 0

    def refuse(self, node: ast.AST, why: str) -> NoReturn:
        """Refuse the code at a node."""
        raise SubsetError(self.source, node, why)

    def unknown(self, node: ast.AST, part: ast.AST | None = None) -> NoReturn:
        """Refuse a node, or a part of it, outside the subset."""
        kind = type(part or node)
        instead = INSTEAD.get(kind, "do without it")
        self.refuse(node, f"'{kind.__name__}' is not in the subset; {instead}")

    def expression(self, node: ast.expr) -> tree.Expression:
        """Return an expression with its type."""
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
                of = self.number(operand)
                if isinstance(of, tree.Constant):
                    return tree.Constant(of.kind, -of.value)
                return tree.Instruction(of.kind, "negative", [of])
            case ast.Compare(left=left, ops=ops, comparators=others):
                return self.compare(node, left, ops, others)
            case ast.BoolOp():
                return self.logic(node, self.comparison)
            case ast.IfExp(test=test, body=yes, orelse=no):
                one, other = self.alike(node, self.expression(yes), self.expression(no))
                return tree.Choose(one.kind, self.truth(test), one, other)
            case ast.Call():
                return self.call(node)
        self.unknown(node)

    def name(self, node: ast.Name) -> tree.Expression:
        """Return the value of a name: a variable, or a global of the function."""
        if node.id in self.kinds:
            return tree.Local(self.kinds[node.id], node.id)
        if node.id not in self.source.names:
            self.refuse(node, f"'{node.id}' is not known here")
        return self.constant(node, self.source.names[node.id])

    def constant(self, node: ast.expr, value: object) -> tree.Expression:
        """Return a global of the function: a number, or the place of a record."""
        if isinstance(value, bool | int | float):
            kind = type(value)
            return tree.Constant(kind, int(value) if kind is bool else value)
        if isinstance(value, Pointer):
            return tree.Constant(type(value), value.address)
        self.refuse(node, f"'{ast.unparse(node)}' is no number that a kernel can use")

    def global_value(self, node: ast.expr) -> object:
        """Return the value of a name, or of a module's attribute; None if it is neither."""
        if isinstance(node, ast.Name) and node.id not in self.kinds:
            return self.source.names.get(node.id)
        if isinstance(node, ast.Attribute):
            base = self.global_value(node.value)
            if isinstance(base, ModuleType):
                return getattr(base, node.attr, None)
        return None

    def place(self, node: ast.expr) -> tuple[tree.Expression, int, Kind]:
        """Return the place of a field or a member: address, offset and type."""
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
        """Return the value of a field or a member."""
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
        """Return an operation on two numbers."""
        if type(op) not in OPERATORS:
            self.unknown(node, op)
        word = OPERATORS[type(op)]
        one, other = self.expression(left), self.expression(right)
        if word == "/":
            one, other = self.wanted(left, one, float), self.wanted(right, other, float)
            if self.source.foreign and not (isinstance(other, tree.Constant) and other.value):
                other = tree.Instruction(float, "divisor", [other])
        one, other = self.alike(node, one, other)
        if one.kind is bool:
            one, other = self.wanted(left, one, int), self.wanted(right, other, int)
        if self.source.foreign and one.kind is int:
            return self.of_any_size(node, word, one, other)
        if one.kind not in (float, int):
            self.refuse(node, f"'{word}' is for numbers")
        if word in OF_WHOLE and one.kind is not int:
            self.refuse(node, f"'{word}' is for whole numbers; write x - floor(x / y) * y")
        return tree.Binary(one.kind, word, one, other)

    def of_any_size(
        self, node: ast.expr, word: str, expression: tree.Expression, other: tree.Expression
    ) -> tree.Expression:
        """Return an operation on whole numbers that never wraps around.

        A float holds every sum and product of two of 32 bits as well as it holds Python's own:
        a product stays one, and a sum that is too large for a whole number is a trap.
        """
        if word in ("<<", ">>"):
            self.refuse(node, f"'{word}' would end at 32 bits")
        if word not in ("+", "-", "*"):
            return tree.Binary(int, word, expression, other)
        whole = isinstance(expression, tree.Constant) and isinstance(other, tree.Constant)
        floats = self.wanted(node, expression, float), self.wanted(node, other, float)
        result = tree.Binary(float, word, *floats)
        return result if word == "*" and not whole else tree.Convert(int, result)

    def compare(
        self,
        node: ast.expr,
        left: ast.expr,
        ops: Sequence[ast.cmpop],
        others: Sequence[ast.expr],
    ) -> tree.Expression:
        """Return a comparison, or a chain of them."""
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
        """Return a call of a kernel, an intrinsic or a builtin."""
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
        self.into.calls[called.name] = called
        passed = dict(zip(called.parameters, node.args, strict=False))
        passed |= {keyword.arg: keyword.value for keyword in node.keywords if keyword.arg}
        if len(node.args) + len(node.keywords) != len(called.parameters) or set(passed) != set(
            called.parameters
        ):
            self.refuse(node, f"'{function.__name__}' takes {', '.join(called.parameters)}")
        arguments = [
            self.wanted(passed[name], self.expression(passed[name]), kind)
            for name, kind in called.parameters.items()
        ]
        results = called.results
        kind = results[0] if len(results) == 1 else results or None
        return tree.Call(kind, called, arguments)

    def builtin(self, node: ast.Call, function: object) -> tree.Expression:
        """Return one of the builtins that are instructions."""
        if function in (min, max):
            if len(node.args) != 2:
                self.refuse(node, "give min and max two values")
            one, other = self.alike(node, *(self.number(one) for one in node.args))
            word = "min" if function is min else "max"
            return tree.Instruction(one.kind, word, [one, other])
        if len(node.args) != 1:
            self.refuse(node, "it takes one value")
        if function is bool:
            return self.truth(node.args[0])
        argument = self.number(node.args[0])
        if function is abs:
            return tree.Instruction(argument.kind, "abs", [argument])
        wanted = float if function is float else int
        return argument if argument.kind is wanted else tree.Convert(wanted, argument)

    def intrinsic(self, node: ast.Call, name: str) -> tree.Expression:
        """Return an instruction of the machine."""
        takes = TAKES[name]
        if len(node.args) != len(takes):
            self.refuse(node, f"'{name}' takes {len(takes)} values")
        arguments = [
            self.wanted(argument, self.expression(argument), kind)
            for argument, kind in zip(node.args, takes, strict=True)
        ]
        return tree.Instruction(GIVES.get(name, float), name, arguments)

    def number(self, node: ast.expr) -> tree.Expression:
        """Return an expression as a number, which a comparison is too: 0 or 1."""
        value = self.expression(node)
        return self.wanted(node, value, int) if value.kind is bool else value

    def logic(self, node: ast.BoolOp, of: Callable[[ast.expr], tree.Expression]) -> tree.Expression:
        """Return ``and`` or ``or`` of what its operands are read as."""
        word = "and" if isinstance(node.op, ast.And) else "or"
        *others, result = [of(value) for value in node.values]
        for other in reversed(others):
            result = tree.Logic(bool, word, other, result)
        return result

    def comparison(self, node: ast.expr) -> tree.Expression:
        """Return an operand of `and` or `or` where its value is used, not only its truth."""
        value = self.expression(node)
        if value.kind is not bool:  # in Python, `and` and `or` return one of their operands
            self.refuse(
                node, "'and' and 'or' give one of two numbers here; write '... if ... else'"
            )
        return value

    def truth(self, node: ast.expr) -> tree.Expression:
        """Return an expression as a condition."""
        if isinstance(node, ast.BoolOp):
            return self.logic(node, self.truth)
        value = self.expression(node)
        if value.kind is bool:
            return value
        if value.kind in (float, int):  # as in Python, a number other than 0 is true
            return tree.Compare(bool, "!=", value, tree.Constant(value.kind, 0))
        self.refuse(node, "a condition is a comparison or a number")

    def alike(
        self, node: ast.AST, expression: tree.Expression, other: tree.Expression
    ) -> tuple[tree.Expression, tree.Expression]:
        """Return two expressions with one type."""
        if expression.kind is other.kind:
            return expression, other
        for kind in (float, int):
            if kind in (expression.kind, other.kind):
                return self.wanted(node, expression, kind), self.wanted(node, other, kind)
        self.refuse(node, "the two are of different kinds")

    def wanted(
        self, node: ast.AST, value: tree.Expression, kind: Kind, name: str = ""
    ) -> tree.Expression:
        """Return an expression converted to another type, if the conversion is exact."""
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
