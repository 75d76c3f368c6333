"""An update function as a scenario.

Everything that flies, compares and explains scenarios accepts it.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import Any

from pydantic import ConfigDict

from tinrocket.errors import OptionError, UnknownNameError, nearest
from tinrocket.own_update.declaration import Declaration, read_declaration
from tinrocket.own_update.loading import Loaded, load, loaded_from
from tinrocket.own_update.recognise import findings_of
from tinrocket.own_update.repeatable import checked
from tinrocket.own_update.routines import read_code
from tinrocket.own_update.signature import signature_of
from tinrocket.own_update.state_values import is_number
from tinrocket.own_update.update import OwnUpdate
from tinrocket.scenario.arena import Arena
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft, Start
from tinrocket.scenario.rules import Move
from tinrocket.scenario.scenario import Scenario


class OwnScenario(Scenario):
    """A scenario whose motion is a user's update function instead of rules."""

    model_config = ConfigDict(arbitrary_types_allowed=True)
    own: OwnUpdate
    """The update function."""

    @cached_property
    def actions(self) -> tuple[str, ...]:
        """Every action of the tape."""
        return self.tape.actions

    @property
    def flown_by(self) -> Callable[[Scenario, Clock], Any]:
        """The function that flies it."""
        own: OwnUpdate | None = self.__dict__.get("own")  # None after pickling
        return own.fly if own is not None else _not_here

    @property
    def traced_by(self) -> Callable[..., Any]:
        """The function that traces its frames."""
        from tinrocket.own_update.tracing import trace_update  # noqa: PLC0415  # in a circle

        return trace_update

    def __reduce__(self) -> tuple[Any, ...]:
        """Return the state to pickle: the data, without the user's code."""
        state = {
            name: value for name, value in self.__dict__.items() if name in Scenario.model_fields
        }
        return _without_code, (state,)

    def constant(self, name: str) -> float:
        """Return a global number of its file.

        Raises
        ------
        UnknownNameError
            If the file has no global number of that name.
        """
        self._check_constant(name)
        return float(self.own.loaded.space[name])

    def with_constant(self, name: str, value: object) -> "OwnScenario":
        """Return the scenario with a global number of its file replaced.

        Raises
        ------
        UnknownNameError
            If the file has no global number of that name.
        """
        self._check_constant(name)
        return self.replaced(own=self.own.with_constant(name, value))

    def _check_constant(self, name: str) -> None:
        space = self.own.loaded.space
        known = [
            key for key, value in space.items() if is_number(value) and not key.startswith("_")
        ]
        if name not in known:
            raise UnknownNameError(
                f"{self.own.path.name} has no global number '{name}'{nearest(name, known)}"
            )

    def without(self, *numbers: int) -> "OwnScenario":
        """Return the scenario with findings mended, by their indices."""
        return self.replaced(own=self.own.without(frozenset(numbers)))


def _without_code(kept: dict[str, Any]) -> "OwnScenario":
    return OwnScenario.model_construct(**kept)


def _not_here(_scenario: Scenario, _clock: Clock) -> Any:
    raise OptionError(
        "an update function that was pickled cannot be flown; read it with read_update"
    )


def read_update(
    function: Callable[..., Any] | str | Path, declared: Mapping[str, Any] | None = None
) -> OwnScenario:
    """Return an update function as a scenario that can be flown, compared and explained.

    Parameters
    ----------
    function
        A function or method, or its name ``FILE.py:NAME``: that file is executed.
    declared
        Its declaration: start, tape, tuned_at, duration, and what cannot be found out.  Of a
        file the default is its name ``FLIGHT``.

    Raises
    ------
    ScenarioError
        With all problems of the declaration.
    OptionError, UnknownNameError, FileError
        If the function cannot be found or flown; the message says what to do.
    """
    if isinstance(function, str | Path):
        loaded, module = load(function)
        settings = declared if declared is not None else getattr(module, "FLIGHT", None)
    else:
        owner = getattr(function, "__self__", None)
        named = getattr(function, "__qualname__", repr(function))
        loaded = loaded_from(function, owner, None, None, named)
        settings = declared if declared is not None else loaded.space.get("FLIGHT")
    if settings is not None and not isinstance(settings, Mapping):
        raise OptionError(f"{loaded.name}: FLIGHT must be a dict, not {type(settings).__name__}")
    if loaded.owner is not None and loaded.instance is None:
        loaded = replace(loaded, instance=_declared_instance(settings, loaded.owner))
    return _scenario(loaded, read_declaration(settings or {}, str(loaded.path)))


def _declared_instance(given: Mapping[str, Any] | None, owner: type) -> Any:
    start = (given or {}).get("start")
    return start if isinstance(start, owner) else None


def _scenario(loaded: Loaded, declared: Declaration) -> OwnScenario:
    signature = signature_of(loaded.function, loaded.name, declared.dt_unit)
    per_second = {"s": 1.0, "ms": 1000.0, "frames": declared.tuned_at}[signature.dt_unit]
    entry = loaded.function.__qualname__
    try:
        code = read_code(loaded.text, entry, signature.dt, per_second / declared.tuned_at)
    except KeyError:
        raise OptionError(
            f"{loaded.name}: its definition was not found in {loaded.path}; is it decorated or "
            f"made by other code?"
        ) from None
    findings, unknown = findings_of(code)
    own = OwnUpdate(loaded, signature, declared, code, tuple(findings), tuple(unknown))
    start = own.start_craft
    arena = own.arena or Arena(width=1000.0, height=1000.0, edges="open")
    crafts = tuple(
        Craft.model_construct(
            name=seen.name,
            start=Start(x=seen.x, y=seen.y, heading=(seen.heading or 0.0) * own.degrees),
            rules=(Move(),),
        )
        for seen in start
    )
    title = loaded.name.rpartition("/")[2]
    scenario = OwnScenario.model_construct(
        title=title,
        tuned_at=declared.tuned_at,
        duration=declared.duration,
        arena=arena,
        craft=crafts,
        tape=declared.tape,
        own=own,
    )
    changed, playfield = checked(own, scenario)
    return scenario.replaced(own=changed, arena=playfield)
