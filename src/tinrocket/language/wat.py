"""Printing checked functions as WebAssembly text."""

from collections.abc import Collection, Iterable, Sequence

from tinrocket.language import tree
from tinrocket.language.inlining import put_in_line
from tinrocket.language.tree import Kind

FLOAT_OPERATORS = {"+": "add", "-": "sub", "*": "mul", "/": "div"}
INT_OPERATORS = {"+": "add", "-": "sub", "*": "mul", "&": "and", "|": "or"}
INT_OPERATORS |= {"<<": "shl", ">>": "shr_s"}
FLOAT_COMPARISONS = {"<": "lt", "<=": "le", ">": "gt", ">=": "ge", "==": "eq", "!=": "ne"}
INT_COMPARISONS = {"<": "lt_s", "<=": "le_s", ">": "gt_s", ">=": "ge_s", "==": "eq", "!=": "ne"}


def module(
    functions: Iterable[tree.Function],
    exports: Sequence[str],
    pages: int,
    imports: Collection[str] = (),
) -> str:
    """Return a module that imports its memory and exports some of its functions.

    Parameters
    ----------
    functions
        All candidate functions.  Those with no remaining call, after inlining, are left out.
    exports
        Names of those that are exported.
    pages
        Smallest size of the memory [pages].
    imports
        Names of those that another module exports.
    """
    every = {function.name: function for function in functions}
    put_in_line(every.values())
    left = [every[name] for name in exports]
    taken, printed = [], {}
    while left:
        one = left.pop()
        if one.name not in printed:
            if not one.text:
                _Printer(one).work()
            printed[one.name] = one.text
            for called in one.called:
                if called.name in imports:
                    taken.append(called)
                else:
                    left.append(called)
    lines = [f'(import "flight" "memory" (memory {pages}))']
    lines += [
        f'(import "kernels" "{function.name}" (func ${function.name}{_signature(function)}))'
        for function in {function.name: function for function in taken}.values()
    ]
    shown = [f'(export "{name}" (func ${identifier(name)}))' for name in exports]
    return "\n".join(["(module", *lines, *printed.values(), *shown, ")"])


def _signature(function: tree.Function) -> str:
    text = "".join(
        f" (param ${identifier(n)} {machine_type(k)})" for n, k in function.parameters.items()
    )
    if function.results:
        text += f" (result {' '.join(machine_type(kind) for kind in function.results)})"
    return text


def identifier(name: str) -> str:
    """Return a Python name in the text format: other letters become their numbers."""
    if name.isascii():
        return name
    return "".join(letter if letter.isascii() else f"~{ord(letter):x}~" for letter in name)


def machine_type(kind: Kind) -> str:
    """Return the machine type of a value: floats as f64, everything else as i32."""
    return "f64" if kind is float else "i32"


def _number(value: float) -> str:
    if value != value:  # noqa: PLR0124  # not a number
        return "nan"
    if value in (float("inf"), float("-inf")):
        return "inf" if value > 0 else "-inf"
    return float(value).hex()


class _Printer:
    def __init__(self, function: tree.Function) -> None:
        self.function = function
        self.lines: list[str] = []
        self.extra: dict[str, str] = {}
        self.loops: list[int] = []
        self.called: dict[str, tree.Function] = {}
        self.count = 0

    def work(self) -> None:
        """Store the text in the function, and the functions that it calls."""
        self.block(self.function.body)
        function = self.function
        head = f"(func ${identifier(function.name)}{_signature(function)}"
        if function.results:
            self.lines.append("unreachable")
        names = {n: machine_type(kind) for n, kind in function.variables.items()} | self.extra
        head += "".join(f" (local ${identifier(name)} {kind})" for name, kind in names.items())
        function.text = "\n".join([head, *self.lines, ")"])
        function.called = tuple(self.called.values())

    def emit(self, *words: object) -> None:
        self.lines.append(" ".join(map(str, words)))

    def spare(self, kind: str) -> str:
        self.count += 1
        name = f".{self.count}"
        self.extra[name] = kind
        return name

    # Statements

    def block(self, body: Iterable[tree.Statement]) -> None:
        for statement in body:
            self.statement(statement)

    def statement(self, node: tree.Statement) -> None:
        match node:
            case tree.Assign(names, values):
                for value in values:
                    self.expression(value)
                for name in reversed(names):
                    self.emit(f"local.set ${identifier(name)}")
            case tree.Store(address, offset, value):
                self.expression(address)
                self.expression(value)
                self.emit(f"{machine_type(value.kind)}.store offset={offset}")
            case tree.If(test, yes, no):
                self.expression(test)
                self.emit("if")
                self.block(yes)
                if no:
                    self.emit("else")
                    self.block(no)
                self.emit("end")
            case tree.Loop():
                self.loop(node)
            case tree.Leave(again):
                self.emit(f"br ${'next' if again else 'out'}{self.loops[-1]}")
            case tree.Return(values):
                for value in values:
                    self.expression(value)
                self.emit("return")
            case tree.Do(call):
                self.expression(call)
                results = call.kind if isinstance(call.kind, tuple) else (call.kind,)
                for kind in results:
                    if kind is not None:
                        self.emit("drop")

    def loop(self, statement: tree.Loop) -> None:
        self.count += 1
        number = self.count
        counter, past = self.spare("i32"), self.spare("i32")
        self.expression(statement.first)
        self.emit(f"local.set ${counter}")
        self.expression(statement.past)
        self.emit(f"local.tee ${past} local.get ${counter} i32.gt_s")
        self.emit(f"if block $out{number} loop $again{number} block $next{number}")
        self.emit(f"local.get ${counter} local.set ${identifier(statement.name)}")
        self.loops.append(number)
        self.block(statement.body)
        self.loops.pop()
        self.emit(f"end local.get ${counter} i32.const 1 i32.add local.tee ${counter}")
        self.emit(f"local.get ${past} i32.lt_s br_if $again{number} end end end")

    # Expressions

    def expression(self, node: tree.Expression) -> None:
        match node:
            case tree.Constant(kind, value):
                shown = _number(value) if kind is float else int(value)
                self.emit(f"{machine_type(kind)}.const {shown}")
            case tree.Local(_kind, name):
                self.emit(f"local.get ${identifier(name)}")
            case tree.Load(kind, address, offset):
                self.expression(address)
                self.emit(f"{machine_type(kind)}.load offset={offset}")
            case tree.Binary(kind, word, left, right):
                self.binary(kind, word, left, right)
            case tree.Compare(_kind, word, left, right):
                self.expression(left)
                self.expression(right)
                if left.kind is float:
                    self.emit(f"f64.{FLOAT_COMPARISONS[word]}")
                else:
                    self.emit(f"i32.{INT_COMPARISONS[word]}")
            case tree.Logic(_kind, word, left, right):
                self.logic(word, left, right)
            case tree.Not(_kind, of):
                self.expression(of)
                self.emit("i32.eqz")
            case tree.Convert(kind, of):
                self.expression(of)
                change = "f64.convert_i32_s" if kind is float else "i32.trunc_f64_s"
                self.emit(change)
            case tree.Choose():
                self.choose(node)
            case tree.Instruction(_kind, name, arguments):
                self.instruction(name, arguments)
            case tree.Call(_kind, function, arguments):
                for argument in arguments:
                    self.expression(argument)
                self.called[function.name] = function
                self.emit(f"call ${identifier(function.name)}")

    def binary(self, kind: Kind, word: str, left: tree.Expression, right: tree.Expression) -> None:
        if isinstance(right, tree.Constant) and kind is not float:
            if word == "+" and right.value == 0:
                self.expression(left)
                return
            if word == "*" and right.value > 0 and right.value & (right.value - 1) == 0:  # type: ignore[operator]
                self.expression(left)
                self.emit(f"i32.const {int(right.value).bit_length() - 1} i32.shl")
                return
        if word == "%":  # the remainder has the sign of the divisor, as in Python
            divisor = self.held(right)
            self.expression(left)
            self.emit(f"{divisor} i32.rem_s {divisor} i32.add {divisor} i32.rem_s")
            return
        self.expression(left)
        self.expression(right)
        if kind is float:
            self.emit(f"f64.{FLOAT_OPERATORS[word]}")
        else:
            self.emit(f"i32.{INT_OPERATORS[word]}")

    def logic(self, word: str, left: tree.Expression, right: tree.Expression) -> None:
        self.expression(left)
        if _is_plain(right):  # as fast to evaluate as to skip
            self.expression(right)
            self.emit(f"i32.{word}")
            return
        self.emit("if (result i32)")
        if word == "and":
            self.expression(right)
            self.emit("else i32.const 0 end")
        else:
            self.emit("i32.const 1 else")
            self.expression(right)
            self.emit("end")

    def choose(self, choice: tree.Choose) -> None:
        if _is_plain(choice.yes) and _is_plain(choice.no):
            for part in (choice.yes, choice.no, choice.test):
                self.expression(part)
            self.emit("select")
            return
        self.expression(choice.test)
        self.emit(f"if (result {machine_type(choice.kind)})")
        self.expression(choice.yes)
        self.emit("else")
        self.expression(choice.no)
        self.emit("end")

    def instruction(self, name: str, arguments: Sequence[tree.Expression]) -> None:
        kind = machine_type(arguments[0].kind)
        if name in ("min", "max"):
            # as in Python: the first, unless the second is beyond it
            one, other = (self.held(value) for value in arguments)
            word = "lt" if name == "min" else "gt"
            word += "" if kind == "f64" else "_s"
            self.emit(f"{other} {one} {other} {one} {kind}.{word} select")
            return
        if name == "abs" and kind == "i32":
            whole = self.held(arguments[0])
            self.emit(f"{whole} i32.const 0 {whole} i32.sub {whole} i32.const 0 i32.ge_s select")
            return
        if name == "divisor":  # as in Python, division by 0.0 traps
            divisor = self.held(arguments[0])
            self.emit(f"{divisor} f64.const 0 f64.eq if i32.const 0 i32.const 0 i32.div_s drop end")
            self.emit(divisor)
            return
        if name == "negative" and kind == "i32":
            self.emit("i32.const 0")
        for value in arguments:
            self.expression(value)
        instructions = {
            "copy_cells": "i32.const 3 i32.shl memory.copy",
            "copysign": "f64.copysign",
            "sqrt": "f64.sqrt",
            "floor": "f64.floor",
            "abs": "f64.abs",
            "negative": "f64.neg" if kind == "f64" else "i32.sub",
            "exponent": "i64.reinterpret_f64 i64.const 52 i64.shr_u i32.wrap_i64 "
            "i32.const 2047 i32.and i32.const 1023 i32.sub",
            "power_of_two": "i32.const 1023 i32.add i64.extend_i32_s i64.const 52 i64.shl "
            "f64.reinterpret_i64",
        }
        self.emit(instructions[name])

    def held(self, value: tree.Expression) -> str:
        """Return the text of a value that is computed once."""
        if isinstance(value, tree.Local):
            return f"local.get ${identifier(value.name)}"
        if isinstance(value, tree.Constant):
            shown = _number(value.value) if value.kind is float else int(value.value)
            return f"{machine_type(value.kind)}.const {shown}"
        name = self.spare(machine_type(value.kind))
        self.expression(value)
        self.emit(f"local.set ${name}")
        return f"local.get ${name}"


def _is_plain(expression: tree.Expression) -> bool:
    """Return whether an expression is cheap and cannot fail."""
    match expression:
        case tree.Constant() | tree.Local():
            return True
        case tree.Compare(_kind, _word, left, right):
            return _is_plain(left) and _is_plain(right)
        case tree.Instruction(_kind, "negative" | "abs", [of]):
            return of.kind is float and _is_plain(of)
        case tree.Not(_kind, of):
            return _is_plain(of)
    return False
