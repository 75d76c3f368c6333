"""Numbers derived from a changing number: a binding's arithmetic, recorded as an expression.

The ramped number follows a straight line; numbers derived from it (a rate of a half-life, a share
of a fraction) must be computed in each step.  A binding is run once with a recorder in place of
that number, which records the operations on it.
"""

import ast
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.lib.mixins import NDArrayOperatorsMixin

from tinrocket.language import maths
from tinrocket.language.intrinsics import sqrt

FUNCTIONS: dict[Any, Callable[..., Any]] = {
    np.exp: maths.exp,
    np.expm1: maths.expm1,
    np.log: maths.log,
    np.log1p: maths.log1p,
    np.radians: maths.radians,
    np.sqrt: sqrt,
    np.absolute: abs,
}
"""Kernel functions for the NumPy functions of a binding."""

OPERATORS: dict[Any, ast.operator] = {
    np.add: ast.Add(),
    np.subtract: ast.Sub(),
    np.multiply: ast.Mult(),
    np.true_divide: ast.Div(),
}


class Traced(NDArrayOperatorsMixin):
    """A number that changes, or one derived from such numbers.

    Attributes
    ----------
    value
        Its value at the start of the game, used by comparisons.
    build
        Function that returns its expression, given a function that names the kernels it calls.
    counts_frames
        Whether it is a span that counts frames.
    """

    __slots__ = ("build", "counts_frames", "value")

    def __init__(
        self,
        value: float,
        build: Callable[[Callable[[Callable[..., Any]], str]], ast.expr],
        *,
        counts_frames: bool = False,
    ) -> None:
        self.value, self.build, self.counts_frames = value, build, counts_frames

    @classmethod
    def of(cls, value: float, where: str, *, counts_frames: bool = False) -> "Traced":
        """Return a stored number as text of a composed function."""
        return cls(
            value, lambda _name: ast.parse(where, mode="eval").body, counts_frames=counts_frames
        )

    def __array_ufunc__(self, ufunc: Any, method: str, *inputs: Any, **options: Any) -> Any:
        """Record the operations that NumPy requests."""
        if method != "__call__" or options:
            return NotImplemented
        value = ufunc(*(_value(operand) for operand in inputs))
        if isinstance(value, np.bool_):
            return bool(value)
        if ufunc in OPERATORS:
            left, right = inputs
            operator = OPERATORS[ufunc]
            return Traced(
                value, lambda name: ast.BinOp(_shown(left, name), operator, _shown(right, name))
            )
        if ufunc is np.negative:
            return Traced(value, lambda name: ast.UnaryOp(ast.USub(), _shown(inputs[0], name)))
        if ufunc is np.power:
            return self._raised(*inputs)
        if ufunc not in FUNCTIONS:
            return NotImplemented
        function = FUNCTIONS[ufunc]
        return Traced(
            value, lambda name: ast.Call(ast.Name(name(function)), [_shown(inputs[0], name)], [])
        )

    @staticmethod
    def _raised(base: Any, exponent: Any) -> Any:
        value = float(_value(base) ** _value(exponent))
        if exponent == 1.0:
            return base
        if exponent == 2.0:
            return base * base
        return Traced(
            value,
            lambda name: ast.Call(
                ast.Name(name(maths.pow)), [_shown(base, name), _shown(exponent, name)], []
            ),
        )

    def __bool__(self) -> bool:
        """Return whether it is not 0 at the start of the game."""
        return self.value != 0.0


def _value(value: Any) -> Any:
    return value.value if isinstance(value, Traced) else value


def _shown(value: Any, name: Callable[[Callable[..., Any]], str]) -> ast.expr:
    return value.build(name) if isinstance(value, Traced) else ast.Constant(float(value))
