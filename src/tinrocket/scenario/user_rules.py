"""The user's motion rules that the running program has registered.

A scenario file names them; it never holds code.
"""

import ast
import inspect
import textwrap
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, TypeVar, overload

from tinrocket.errors import OptionError, nearest

Function = TypeVar("Function", bound=Callable[..., None])

SEEN = ("x", "y", "vx", "vy", "heading", "spin", "height", "time")
"""Attributes of a craft that every rule may use."""


@dataclass(frozen=True, slots=True)
class Registered:
    """A function, the names of its inputs, its numbers, and the first values of its memory."""

    function: Callable[..., None]
    inputs: tuple[str, ...]
    numbers: Mapping[str, float]
    remembers: Mapping[str, float] = field(default_factory=dict)

    @property
    def changes_height(self) -> bool:
        """Whether it may set its craft's height, by its source."""
        craft, text = _text_of(self.function)
        return text is None or any(
            isinstance(node, ast.Attribute)
            and node.attr == "height"
            and isinstance(node.value, ast.Name)
            and node.value.id == craft
            and isinstance(node.ctx, ast.Store)
            for node in ast.walk(text)
        )


REGISTERED: dict[str, Registered] = {}
"""Registered rules by name. A mutable global, because functions cannot come from a file."""


@overload
def motion_rule(function: Function) -> Function: ...
@overload
def motion_rule(
    *, remembers: Mapping[str, float] | None = None
) -> Callable[[Function], Function]: ...
def motion_rule(
    function: Function | None = None, *, remembers: Mapping[str, float] | None = None
) -> Function | Callable[[Function], Function]:
    """Register a function as a motion rule, under its own name.

    It is called once in each step with the craft, the length of the step, the value of each
    of its inputs and its numbers, and changes the craft in place: ``x``, ``y`` [px], ``vx``,
    ``vy`` [px/s], ``heading`` [rad, so that the craft points along (cos, sin) in the arena's
    axes], ``spin`` [rad/s], ``height`` [px]; ``time`` is when the step begins [s].  In a
    scenario with units per frame, all of these count in tuned frames instead of seconds.

    After the craft and the length of the step, a parameter without a default is an input,
    which is an action of the tape; one with a default is a number, which a scenario may set.
    A function in the kernels' subset of Python is compiled; everything else is flown by the
    same update in plain Python.

    Parameters
    ----------
    function
        Such as ``def draught(craft, dt, fan, strength=240.0)``.
    remembers
        Attributes of the craft that belong to this rule, with their first values, such as
        ``{"charge": 1.0}``: each craft has its own ``craft.charge`` from step to step.

    Returns
    -------
    The function itself.

    Raises
    ------
    OptionError
        If it cannot be called in this way, uses an attribute that craft lack, or another
        function has its name; the message says which.

    Examples
    --------
    >>> @tr.motion_rule
    ... def fan_wind(craft, dt, fan, strength=240.0):
    ...     craft.vx += fan * strength * dt
    ...
    >>> tr.Custom(function="fan_wind").actions
    ('fan',)
    """

    def register(function: Function) -> Function:
        name = function.__name__
        before = REGISTERED.get(name)
        if before is not None and _place(before.function) != _place(function):
            raise OptionError(
                f"motion rule '{name}' is registered already, by {_place(before.function)}; "
                f"call this one something else"
            )
        own = _remembered(name, remembers or {})
        inputs, numbers = _parameters(name, function)
        _check_attributes(name, function, own)
        REGISTERED[name] = Registered(function, inputs, numbers, own)
        return function

    return register if function is None else register(function)


def _remembered(name: str, remembers: Mapping[str, float]) -> Mapping[str, float]:
    for key, value in remembers.items():
        if key in SEEN or not key.isidentifier():
            raise OptionError(
                f"motion rule '{name}': it cannot remember '{key}'; a craft has "
                f"{', '.join(SEEN)} already, and a name is one word"
            )
        if not isinstance(value, int | float):
            raise OptionError(f"motion rule '{name}': '{key}' begins as a number, not {value!r}")
    return {key: float(value) for key, value in remembers.items()}


def _parameters(
    name: str, function: Callable[..., None]
) -> tuple[tuple[str, ...], Mapping[str, float]]:
    parameters = list(inspect.signature(function).parameters.values())
    if len(parameters) < 2 or any(p.default is not p.empty for p in parameters[:2]):
        raise OptionError(f"motion rule '{name}': its first two parameters are the craft and dt")
    inputs: list[str] = []
    numbers: dict[str, float] = {}
    for parameter in parameters[2:]:
        if parameter.kind is not parameter.POSITIONAL_OR_KEYWORD:
            raise OptionError(
                f"motion rule '{name}': '{parameter}' must be a plain parameter; "
                f"an input has no default, a number has one"
            )
        if parameter.default is parameter.empty:
            inputs.append(parameter.name)
        elif isinstance(parameter.default, int | float):
            numbers[parameter.name] = float(parameter.default)
        else:
            raise OptionError(
                f"motion rule '{name}': the default of '{parameter.name}' must be a number, "
                f"not {parameter.default!r}"
            )
    return tuple(inputs), numbers


def _check_attributes(
    name: str, function: Callable[..., None], remembers: Mapping[str, float]
) -> None:
    """Refuse a rule that uses an attribute that craft lack, by its source."""
    craft, text = _text_of(function)
    if text is None:
        return
    known = (*SEEN, *remembers)
    for node in ast.walk(text):
        if not (isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name)):
            continue
        if node.value.id == craft and node.attr not in known:
            raise OptionError(
                f"motion rule '{name}': a craft has no '{node.attr}'"
                f"{nearest(node.attr, known)}; what a rule keeps for itself it 'remembers'"
            )


def _text_of(function: Callable[..., Any]) -> tuple[str, ast.Module | None]:
    """Return a rule's name for its craft, and its text; None for one typed at a prompt."""
    craft = next(iter(inspect.signature(function).parameters))
    try:
        return craft, ast.parse(textwrap.dedent(inspect.getsource(function)))
    except (OSError, SyntaxError, TypeError):  # or a part of a longer line
        return craft, None


def _place(function: Callable[..., Any]) -> str:
    """Return the place of a function's source; a cell that runs again registers the same one."""
    return f"{function.__module__}.{function.__qualname__}"
