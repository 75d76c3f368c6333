"""A checked kernel as a tree: every expression has its type, and every name is resolved.

Printers of kernels walk this tree.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

Kind = Any
"""``float``, ``int``, ``bool``, a subclass of `Pointer`, or None for nothing."""


@dataclass(slots=True)
class Expression:
    """An expression."""

    kind: Kind


@dataclass(slots=True)
class Constant(Expression):
    """A number, or the address of a record with a fixed place."""

    value: float | int


@dataclass(slots=True)
class Local(Expression):
    """A parameter or a variable."""

    name: str


@dataclass(slots=True)
class Load(Expression):
    """The value at an offset in bytes behind an address."""

    address: Expression
    offset: int


@dataclass(slots=True)
class Binary(Expression):
    """``+ - * /`` of two floats, or ``+ - * % & | << >>`` of two whole numbers."""

    operator: str
    left: Expression
    right: Expression


@dataclass(slots=True)
class Compare(Expression):
    """A comparison of two of the same kind."""

    operator: str
    left: Expression
    right: Expression


@dataclass(slots=True)
class Logic(Expression):
    """``and`` or ``or``; the right side is not evaluated if the left one decides."""

    operator: str
    left: Expression
    right: Expression


@dataclass(slots=True)
class Not(Expression):
    """Logical negation."""

    of: Expression


@dataclass(slots=True)
class Convert(Expression):
    """A whole number as a float, or a float cut off to a whole number."""

    of: Expression


@dataclass(slots=True)
class Choose(Expression):
    """A conditional expression."""

    test: Expression
    yes: Expression
    no: Expression


@dataclass(slots=True)
class Instruction(Expression):
    """A machine operation: an intrinsic, or ``abs``, ``min``, ``max``, ``negative``."""

    name: str
    arguments: Sequence[Expression]


@dataclass(slots=True)
class Call(Expression):
    """A call of another kernel; its kind is a tuple if it returns several values."""

    function: "Function"
    arguments: Sequence[Expression]


def parts(expression: Expression) -> Sequence[Expression]:
    """Return the operands of an expression."""
    match expression:
        case Local() | Constant():
            return ()
        case Load():
            return (expression.address,)
        case Binary() | Compare() | Logic():
            return (expression.left, expression.right)
        case Instruction() | Call():
            return expression.arguments
        case Not() | Convert():
            return (expression.of,)
        case Choose():
            return (expression.test, expression.yes, expression.no)
    raise TypeError(expression)


def made_of(expression: Expression, inner: Sequence[Expression]) -> Expression:
    """Return an expression with other operands."""
    match expression:
        case Load():
            return Load(expression.kind, inner[0], expression.offset)
        case Binary() | Compare() | Logic():
            return type(expression)(expression.kind, expression.operator, inner[0], inner[1])
        case Instruction():
            return Instruction(expression.kind, expression.name, inner)
        case Call():
            return Call(expression.kind, expression.function, inner)
        case Not() | Convert():
            return type(expression)(expression.kind, inner[0])
        case Choose():
            return Choose(expression.kind, *inner)
    return expression


@dataclass(slots=True)
class Statement:
    """A statement."""


@dataclass(slots=True)
class Assign(Statement):
    """Assignment to variables; all values are computed before the first is assigned."""

    names: Sequence[str]
    values: Sequence[Expression]


@dataclass(slots=True)
class Store(Statement):
    """Write a value at an offset in bytes behind an address."""

    address: Expression
    offset: int
    value: Expression


@dataclass(slots=True)
class If(Statement):
    """One of two branches."""

    test: Expression
    yes: Sequence[Statement]
    no: Sequence[Statement]


@dataclass(slots=True)
class Loop(Statement):
    """The body for each whole number from `first` to just before `past`."""

    name: str
    first: Expression
    past: Expression
    body: Sequence[Statement]


@dataclass(slots=True)
class Leave(Statement):
    """``break`` or ``continue``."""

    again: bool


@dataclass(slots=True)
class Return(Statement):
    """The function's values."""

    values: Sequence[Expression]


@dataclass(slots=True)
class Do(Statement):
    """A call as a statement; its value is not used."""

    call: Expression


@dataclass(slots=True)
class Function:
    """A checked kernel.

    Attributes
    ----------
    name
        Unique within a module.
    parameters, results
        Types; the results of a function that returns nothing are empty.
    variables
        The type of each variable that is not a parameter.
    body
        What it does.
    calls
        Functions that it calls, by their names.
    in_line
        Whether small functions that it calls are inlined.
    text, called
        Its printed text, once printed, and the functions that the text calls.
    """

    name: str
    parameters: dict[str, Kind]
    results: tuple[Kind, ...]
    variables: dict[str, Kind] = field(default_factory=dict)
    body: Sequence[Statement] = ()
    calls: "dict[str, Function]" = field(default_factory=dict)
    in_line: bool = False
    text: str = ""
    called: "tuple[Function, ...]" = ()
