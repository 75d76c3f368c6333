"""The short declaration beside an update function, such as start, tape and tuned rate."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tinrocket.errors import Problem, ScenarioError, nearest
from tinrocket.own_update.signature import UNITS
from tinrocket.scenario.tape import Tape

NAME = "FLIGHT"
"""The name of the declaration in the user's file."""
EXAMPLE = 'FLIGHT = {"start": Tug, "tape": {"left": [(0.5, 1.0)]}, "tuned_at": 60, "duration": 4.0}'


@dataclass(frozen=True, slots=True, eq=False)
class Declaration:
    """Declaration of how an update function is flown.

    Attributes
    ----------
    start
        The state before the first step, or a function that makes it; for several parameters a
        mapping by their names.
    tape
        The player's input.
    names
        For each action of the tape the key that the code uses, if that is not a text.
    tuned_at
        Frames per second at which the numbers were tuned.
    duration
        Length of the run [s].
    arena
        Width and height of the playfield [px], if it is declared.
    y_up
        Whether y grows upward.
    craft
        Craft by name, each a path in the state, such as ``"tug"`` or ``"marbles[0]"``.
    x, y, heading
        Names of the attributes or keys of a craft.
    heading_unit
        ``deg`` or ``rad``.
    dt_unit
        ``s``, ``ms`` or ``frames``.
    watch
        Paths of further values; a change of one is an event.
    keys
        Attribute of the state, or global name, in which the code finds the keys.
    """

    start: Any = None
    tape: Tape = field(default_factory=Tape)
    names: Mapping[str, Any] = field(default_factory=dict)
    tuned_at: float = 60.0
    duration: float = 4.0
    arena: tuple[float, float] | None = None
    y_up: bool = False
    craft: Mapping[str, str] = field(default_factory=dict)
    x: str | None = None
    y: str | None = None
    heading: str | None = None
    heading_unit: str | None = None
    dt_unit: str | None = None
    watch: tuple[str, ...] = ()
    keys: str | None = None


KNOWN = (
    *("start", "tape", "axes", "pointers", "tuned_at", "duration", "arena", "y_up", "craft"),
    *("x", "y", "heading", "heading_unit", "dt_unit", "watch", "buffered", "keys"),
)


def read_declaration(given: Mapping[str, Any], source: str) -> Declaration:
    """Return a declaration from plain data.

    Parameters
    ----------
    given
        The keys of `Declaration`.  Of the tape each action has spans ``(down, up)`` or taps, in
        seconds; ``axes`` has changes ``(time, value)``, ``pointers`` points ``(time, x, y)``.
    source
        Names it in messages.

    Raises
    ------
    ScenarioError
        With all problems.
    """
    wrong = [
        Problem(str(key), f"there is no such key{nearest(str(key), KNOWN)}")
        for key in given
        if key not in KNOWN
    ]
    number = {"tuned_at": 60.0, "duration": 4.0}
    for key, default in number.items():
        value = given.get(key, default)
        if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value < 1e6:
            wrong.append(Problem(key, f"must be a positive number, not {value!r}"))
        else:
            number[key] = float(value)
    for key, choices in (("heading_unit", ("deg", "rad")), ("dt_unit", tuple(UNITS))):
        if given.get(key) not in (None, *choices):
            wrong.append(Problem(key, f"must be {' or '.join(choices)}, not {given[key]!r}"))
    tape, names = _tape(given, wrong)
    arena = given.get("arena")
    if arena is not None and not _is_pair(arena):
        wrong.append(Problem("arena", f"must be (width, height) in px, not {arena!r}"))
    craft = given.get("craft", {})
    if not isinstance(craft, Mapping):
        wrong.append(Problem("craft", "must map names to paths, such as {'ball': 'balls[0]'}"))
        craft = {}
    if wrong:
        raise ScenarioError(wrong, f"{source}: {NAME}")
    return Declaration(
        start=given.get("start"),
        tape=tape,
        names=names,
        tuned_at=number["tuned_at"],
        duration=number["duration"],
        arena=None if arena is None else (float(arena[0]), float(arena[1])),
        y_up=bool(given.get("y_up", False)),
        craft={str(name): str(path) for name, path in craft.items()},
        x=given.get("x"),
        y=given.get("y"),
        heading=given.get("heading"),
        heading_unit=given.get("heading_unit"),
        dt_unit=given.get("dt_unit"),
        watch=tuple(map(str, given.get("watch", ()))),
        keys=given.get("keys"),
    )


def _is_pair(value: object) -> bool:
    return (
        isinstance(value, Sequence)
        and not isinstance(value, str)
        and len(value) == 2
        and all(isinstance(part, int | float) and part > 0 for part in value)
    )


def _tape(given: Mapping[str, Any], wrong: list[Problem]) -> tuple[Tape, dict[str, Any]]:
    holds: dict[str, list[Any]] = {}
    taps: dict[str, list[Any]] = {}
    names: dict[str, Any] = {}
    for key in ("tape", "axes", "pointers"):
        if not isinstance(given.get(key, {}), Mapping):
            wrong.append(Problem(key, f"must map actions to lists, not {given[key]!r}"))
            return Tape(), {}
    for action, spans in given.get("tape", {}).items():
        name = str(action)
        names[name] = action
        if not isinstance(spans, Sequence) or isinstance(spans, str):
            wrong.append(Problem(f"tape.{name}", f"must be a list, not {spans!r}"))
            continue
        for span in spans:
            if isinstance(span, Sequence) and not isinstance(span, str):
                holds.setdefault(name, []).append(tuple(span))
            else:
                taps.setdefault(name, []).append(span)
        if not spans:
            holds[name] = []
    data = {
        "holds": holds,
        "taps": taps,
        "values": {str(name): list(map(tuple, v)) for name, v in given.get("axes", {}).items()},
        "pointers": {str(n): list(map(tuple, v)) for n, v in given.get("pointers", {}).items()},
        "sampling": "buffered" if given.get("buffered") else "polled",
    }
    try:
        return Tape.from_data(data), names
    except ScenarioError as error:
        wrong += [
            Problem(f"tape.{problem.where}".rstrip("."), problem.what) for problem in error.problems
        ]
        return Tape(), names
