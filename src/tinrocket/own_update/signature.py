"""The parameters of an update function: state, keys and time step."""

import inspect
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from tinrocket.errors import OptionError

SECONDS = (
    *("dt", "delta", "elapsed", "elapsed_time", "frame_time", "dtime"),
    *("seconds", "secs", "time_step", "timestep", "step", "time_delta", "d_t", "tick_length"),
)
MILLISECONDS = ("ms", "dt_ms", "delta_ms", "elapsed_ms", "millis", "milliseconds", "frame_ms")
FRAMES = ("frames", "dframes", "frame_scale", "dt_frames", "delta_frames")
KEYS = (
    *("keys", "key", "inputs", "input", "inp", "controls", "control", "pad", "buttons", "held"),
    *("pressed", "actions", "keyboard", "kb", "ctrl", "commands", "cmd", "player_input", "joy"),
)
UNITS = {"s": 1.0, "ms": 1000.0, "frames": None}
"""Units of dt, and their number in a second; for frames it is the tuned rate."""


@dataclass(frozen=True, slots=True)
class Signature:
    """The parameters of an update function.

    Attributes
    ----------
    state
        Names of the parameters that hold the state, in order.
    keys, dt
        Names of the parameters for input and time; None if it has none.
    dt_unit
        Unit of dt: ``s``, ``ms`` or ``frames``.
    order
        All parameters that are passed, in order.
    """

    state: tuple[str, ...]
    keys: str | None
    dt: str | None
    dt_unit: str
    order: tuple[str, ...]


def signature_of(function: Callable[..., Any], name: str, dt_unit: str | None = None) -> Signature:
    """Return the roles of the parameters, by their names.

    Raises
    ------
    OptionError
        If it is a generator or coroutine, or takes parameters that cannot be filled.
    """
    if inspect.isgeneratorfunction(function) or inspect.iscoroutinefunction(function):
        kind = "generator" if inspect.isgeneratorfunction(function) else "coroutine"
        raise OptionError(
            f"{name} is a {kind}; name a plain function that takes one step when it is called"
        )
    parameters = inspect.signature(function).parameters.values()
    for parameter in parameters:
        if parameter.kind in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD):
            raise OptionError(f"{name} takes *{parameter.name}; name the parameters one by one")
    names = [
        argument.name
        for argument in parameters
        if argument.default is argument.empty or _is_input(argument.name)
    ]
    keys = next((known for known in names if known.lower() in KEYS), None)
    dt, unit = time_parameter(names)
    state = tuple(known for known in names if known not in (keys, dt))
    return Signature(state, keys, dt, dt_unit or unit, tuple(names))


def _is_input(name: str) -> bool:
    return name.lower() in KEYS or time_parameter((name,))[0] is not None


def time_parameter(names: Sequence[str]) -> tuple[str | None, str]:
    """Return the parameter that is the time step, or None, and its unit."""
    for unit, known in (("s", SECONDS), ("ms", MILLISECONDS), ("frames", FRAMES)):
        plain = {known_name.replace("_", "") for known_name in known}
        for name in names:
            word = name.lower().replace("_", "")
            if word in plain or (unit == "s" and word.removesuffix("time") in plain):
                return name, unit
    return None, "s"
