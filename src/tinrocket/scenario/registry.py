"""The motion rules of the user's that the running program has registered.

A scenario file names them; it never holds code.
"""

import inspect
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from tinrocket.errors import OptionError

Function = TypeVar("Function", bound=Callable[..., None])


@dataclass(frozen=True, slots=True)
class Registered:
    """A function, the names of its inputs, and its numbers with their defaults."""

    function: Callable[..., None]
    inputs: tuple[str, ...]
    numbers: Mapping[str, float]


REGISTERED: dict[str, Registered] = {}
"""By name.  The one thing that a program changes as it goes: code cannot come from a file."""


def motion_rule(function: Function) -> Function:
    """Register a function as a motion rule, under its own name.

    It is called once in each step with the craft, the length of the step [s], the value
    of each of its inputs and its numbers, and changes the craft in place: ``x``, ``y``
    [px], ``vx``, ``vy`` [px/s], ``heading`` [rad, so that the craft points along (cos, sin)
    in the arena's axes] and ``spin`` [rad/s].  After the craft and the length of the step, a
    parameter without a default is an input, which is an action of the tape; one with a
    default is a number, which a scenario may set.  What can be compiled is; everything
    else is flown by the same loop in plain Python.

    Parameters
    ----------
    function
        Such as ``def draught(craft, dt, fan, strength=240.0)``.

    Returns
    -------
    The function itself.

    Raises
    ------
    OptionError
        If it cannot be called in this way, or another function has its name; the message
        says which.
    """
    name = function.__name__
    before = REGISTERED.get(name)
    if before is not None and _place(before.function) != _place(function):
        raise OptionError(
            f"motion rule '{name}' is registered already, by {_place(before.function)}; "
            f"call this one something else"
        )
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
    REGISTERED[name] = Registered(function, tuple(inputs), numbers)
    return function


def _place(function: Callable[..., None]) -> str:
    """Return where a function stands; a cell that is run again registers the same one anew."""
    return f"{function.__module__}.{function.__qualname__}"
