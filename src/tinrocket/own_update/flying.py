"""Flying an update function: a fresh copy of its state, and a call for each step."""

import contextlib
import copy
import io
import random
import traceback
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from types import CodeType, FunctionType
from typing import Any

import numpy as np

from tinrocket.errors import FlightError, OptionError
from tinrocket.flight.pacing import Pacing
from tinrocket.flight.sampled_tape import SampledTape
from tinrocket.motion import signals
from tinrocket.motion.signals import Raw
from tinrocket.own_update.declaration import Declaration
from tinrocket.own_update.keys import Keys
from tinrocket.own_update.loading import Loaded
from tinrocket.own_update.signature import KEYS, Signature
from tinrocket.own_update.state_values import part
from tinrocket.own_update.switching import RUNTIME, Switches
from tinrocket.scenario.tape import Tape

SEED = 20
"""Seed of the generators of `random` and NumPy in every flight."""


class UpdateError(FlightError):
    """An update function that raised an error, or ended the program."""

    def __init__(self, message: str, frame: int, time: float) -> None:
        super().__init__("", "", frame, time, message)
        self.args = (message,)


@dataclass(eq=False)
class Bench:
    """An update function that is about to fly.

    Attributes
    ----------
    loaded, signature, declared
        The function, its parameters, and its declaration.
    wanted
        Names of keys that the code read and the tape lacks.
    """

    loaded: Loaded
    signature: Signature
    declared: Declaration
    wanted: set[Any] = field(default_factory=set)

    def begin(self, build: CodeType, switches: Switches, constants: Mapping[str, Any]) -> "Flying":
        """Return a flight before its first step, with a state of its own."""
        space = dict(self.loaded.space)
        kept = {name: value for name, value in space.items() if self._is_state(name, value)}
        start = self.declared.start
        place = None if callable(start) or start is None else start
        memo: dict[int, Any] = {}
        try:
            fresh, state = copy.deepcopy((kept, place), memo)
            instance = copy.deepcopy(self.loaded.instance, memo)
        except Exception as error:  # copying the user's objects may raise anything
            raise OptionError(
                f"{self.loaded.name}: the start cannot be copied ({type(error).__name__}: "
                f"{error}); give a function that makes it"
            ) from None
        space.update(fresh)
        space.update(constants)
        space[RUNTIME] = switches
        return Flying(self, build, space, state, instance, switches)

    def _is_state(self, name: str, value: object) -> bool:
        """Return whether a global name holds a mutable value."""
        if name.startswith("__"):
            return False
        if isinstance(value, list | dict | set | np.ndarray | random.Random):
            return name != "FLIGHT"
        home = self.loaded.space.get("__name__")
        return type(value).__module__ == home and not isinstance(value, type)


class Flying:
    """One flight of an update function."""

    def __init__(
        self,
        bench: Bench,
        build: CodeType,
        space: dict[str, Any],
        state: Any,
        instance: Any,
        switches: Switches,
    ) -> None:
        self.bench, self.space, self.switches = bench, space, switches
        self._given, self._instance, self._build = state, instance, build
        self.states: dict[str, Any] = {}
        self._function: Callable[..., Any] | None = None
        self.printed = io.StringIO()

    @contextlib.contextmanager
    def flying(self) -> Iterator[None]:
        """Context of a flight: seed generators, switch methods, catch prints."""
        states = random.getstate(), np.random.get_state()  # noqa: NPY002  # the user's own generator
        make = np.random.default_rng
        random.seed(SEED)
        np.random.seed(SEED)  # noqa: NPY002
        np.random.default_rng = lambda seed=None: make(SEED if seed is None else seed)
        self.switches.draw = _draws()
        with contextlib.ExitStack() as stack:
            stack.callback(setattr, np.random, "default_rng", make)
            stack.callback(np.random.set_state, states[1])
            stack.callback(random.setstate, states[0])
            stack.enter_context(contextlib.redirect_stdout(self.printed))
            self._switch_methods(stack)
            self._set_up()
            yield

    def _switch_methods(self, stack: contextlib.ExitStack) -> None:
        """Run the compiled definitions; classes stay the user's own, with the new methods."""
        known = dict(self.space)
        exec(self._build, self.space)  # noqa: S102  # the user named this file
        for name, made in list(self.space.items()):
            own = known.get(name)
            if not (isinstance(made, type) and isinstance(own, type)) or made is own:
                continue
            self.space[name] = own
            for key, method in list(vars(made).items()):
                if isinstance(method, FunctionType) and key in vars(own):
                    for cell in method.__closure__ or ():
                        with contextlib.suppress(ValueError):
                            if cell.cell_contents is made:
                                cell.cell_contents = own
                    stack.callback(setattr, own, key, vars(own)[key])
                    setattr(own, key, method)

    def _set_up(self) -> None:
        loaded, signature = self.bench.loaded, self.bench.signature
        state, start = self._given, self.bench.declared.start
        try:
            if callable(start):
                made = self.space.get(getattr(start, "__name__", ""), start)
                state = (made if callable(made) else start)()
            elif state is None and self._instance is not None:
                state = self._instance
            elif state is None and loaded.owner is not None:
                state = loaded.owner()
        except Exception as error:  # the user's start may raise anything
            raise OptionError(
                f"{loaded.name}: the start cannot be made: {type(error).__name__}: {error}"
            ) from None
        names = signature.state
        if not names:
            self.states = {"game": self.space}
        elif len(names) == 1:
            if state is None:
                raise OptionError(
                    f"{loaded.name}: 'start' is missing: the state before the first step, or a "
                    f"function that makes it"
                )
            only = isinstance(state, Mapping) and set(state) == set(names)
            self.states = {names[0]: state[names[0]] if only else state}
        else:
            if isinstance(state, tuple | list) and len(state) == len(names):
                state = dict(zip(names, state, strict=True))
            if not isinstance(state, Mapping) or not set(names) <= set(state):
                raise OptionError(
                    f"{loaded.name}: 'start' must have a value for each of {', '.join(names)}"
                )
            self.states = {name: state[name] for name in names}
        name = loaded.function.__name__
        if loaded.owner is not None:
            self._function = vars(loaded.owner).get(name, getattr(loaded.owner, name))
        else:
            self._function = self.space[name]
        order = signature.order
        self._keys_in, self._keys_name = self._keys_place()
        self._arguments: list[Any] = [self.states.get(parameter) for parameter in order]
        self._keys_at = order.index(signature.keys) if signature.keys else None
        self._dt_at = order.index(signature.dt) if signature.dt else None

    @property
    def keys_name(self) -> str:
        """Name of the attribute or global that holds the keys; empty if none does."""
        return self._keys_name

    def _keys_place(self) -> tuple[Any, str]:
        """Return the object or mapping in which the code finds its keys, and their name there."""
        declared, signature = self.bench.declared, self.bench.signature
        if signature.keys is not None and declared.keys is None:
            return None, ""
        names = (declared.keys,) if declared.keys else KEYS
        for place in (*self.states.values(), self.space):
            for name in names:
                value = part(place, str(name))
                if value is not None and not callable(value):
                    return place, str(name)
        if declared.keys:
            raise OptionError(
                f"{self.bench.loaded.name}: 'keys' names '{declared.keys}', and the state has none"
            )
        return None, ""

    def step(self, number: int, keys: Any, dt: float, frame: int, time: float) -> None:
        """Take one step; UpdateError if the update fails."""
        self.switches.step, self.switches.dt = number, dt
        if self._keys_in is not None:
            _put(self._keys_in, self._keys_name, keys)
        arguments = self._arguments
        if self._keys_at is not None:
            arguments[self._keys_at] = keys
        if self._dt_at is not None:
            arguments[self._dt_at] = dt
        assert self._function is not None
        try:
            result = self._function(*arguments)
        except KeyboardInterrupt:
            raise
        except SystemExit:
            raise self._failed("called sys.exit()", frame, time) from None
        except BaseException as error:  # the user's update may raise anything
            raise self._failed(_told(error, self.bench.loaded.path), frame, time) from error
        if result is not None:
            self._take(result)

    def _take(self, result: Any) -> None:
        """Take a returned state for the next step."""
        names = self.bench.signature.state
        if len(names) == 1:
            now = self.states[names[0]]
            if isinstance(result, type(now)) and not isinstance(result, bool):
                self.states[names[0]] = result
        elif isinstance(result, tuple) and len(result) == len(names):
            self.states = dict(zip(names, result, strict=True))
        for place, name in enumerate(self.bench.signature.order):
            if name in self.states:
                self._arguments[place] = self.states[name]

    def _failed(self, what: str, frame: int, time: float) -> UpdateError:
        states = ", ".join(f"{name} = {_short(value)}" for name, value in self.states.items())
        if not self.bench.signature.state:
            states = "its global names"
        return UpdateError(
            f"{self.bench.loaded.name} failed in frame {frame} at {time:.6g} s: {what}\n"
            f"  state: {states}",
            frame,
            time,
        )


def _put(place: Any, name: str, value: Any) -> None:
    """Set an attribute, or the value of a key."""
    if isinstance(place, dict):
        place[name] = value
    else:
        setattr(place, name, value)


def _short(value: object) -> str:
    try:
        text = repr(value)
        if text.startswith("<") and hasattr(value, "__dict__"):
            text = (
                f"{type(value).__name__}({', '.join(f'{k}={v!r}' for k, v in vars(value).items())})"
            )
    except Exception:  # the user's repr may raise anything
        text = f"<{type(value).__name__}>"
    return text if len(text) <= 200 else f"{text[:197]}..."


def _told(error: BaseException, path: Path) -> str:
    """Return an error with the lines of the user's own files, the last called last."""
    steps = traceback.extract_tb(error.__traceback__)
    own = [step for step in steps if not step.filename.startswith(_LIBRARY)]
    lines = [f"{step.filename}:{step.lineno}: {(step.line or '').strip()}" for step in own[-6:]]
    return "\n    ".join([f"{type(error).__name__}: {error}", *lines])


_LIBRARY = str(Path(__file__).resolve().parent.parent)


def _draws() -> Callable[[int], float]:
    """Return a function that draws waits from Exp(1), a row of its own for each random test."""
    rows: dict[int, random.Random] = {}

    def draw(test: int) -> float:
        if test not in rows:
            rows[test] = random.Random(SEED + test)  # noqa: S311  # not for secrets
        return rows[test].expovariate(1.0)

    return draw


def inputs_of(
    seen: SampledTape, tape: Tape, declared: Declaration, pacing: Pacing, wanted: set[Any]
) -> Iterator[Keys]:
    """Yield the input of each step."""
    digital = {*tape.holds, *tape.taps}
    columns: dict[Any, tuple[list[Any], list[bool], list[bool]]] = {}
    count = pacing.steps.size
    for action in tape.actions:
        raw = seen.steps[Raw(action)]
        again = seen.steps[signals.again(action)] if action in digital else np.zeros(count)
        down = raw != 0.0
        before = np.concatenate([[False], down[:-1]])
        pressed = (down & ~before) | (again != 0.0)
        released = before & ~down
        values = down.tolist() if action in digital else raw.tolist()
        key = declared.names.get(action, action)
        columns[key] = values, pressed.tolist(), released.tolist()
    for name in tape.pointers:
        along = [seen.steps[coordinate].tolist() for coordinate in signals.pointer(name)]
        places = list(zip(*along, strict=True))
        columns[name] = places, [False] * count, [False] * count
    changes = np.zeros(count, dtype=bool)
    changes[:1] = True
    for samples in columns.values():
        for column in samples:
            changes[1:] |= np.array([now != then for now, then in pairwise(column)], dtype=bool)
    keys = Keys({}, {}, {}, wanted)
    for step, changed in enumerate(changes.tolist()):
        if changed:
            keys = Keys(
                {key: one[0][step] for key, one in columns.items()},
                {key: one[1][step] for key, one in columns.items()},
                {key: one[2][step] for key, one in columns.items()},
                wanted,
            )
        yield keys
