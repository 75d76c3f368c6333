"""One table of the kinds of events: name, sources and mark of each."""

from dataclasses import dataclass
from typing import Literal

Source = Literal["edge", "contact", "rule", "stage", "game"]


@dataclass(frozen=True, slots=True)
class EventKind:
    """A kind of event.

    Attributes
    ----------
    name
        Name in tables, conditions and legends.
    sources
        What causes it.
    code
        Its code in kernels; None where edges, contacts and rules share a code and their own kind
        gives the name.
    mark
        Matplotlib's marker on a path; empty if it is not marked.
    holds
        Whether it stops a craft at an obstacle.
    bends
        Whether the path has a corner at the event.
    waited_for
        Whether a condition can wait for it.
    late
        Whether it happens after the conditions of a step are evaluated.
    """

    name: str
    sources: tuple[Source, ...]
    code: int | None = None
    mark: str = ""
    holds: bool = False
    bends: bool = False
    waited_for: bool = True
    late: bool = False


EVENT_KINDS = (
    EventKind("wrap", ("edge",)),
    EventKind("clamp", ("edge",), mark="_", holds=True),
    EventKind("bounce", ("edge", "contact"), mark="+", holds=True, bends=True),
    EventKind("remove", ("edge",), mark="X"),
    EventKind("hard_hit", ("contact",), code=4, mark="*", holds=True, bends=True),
    EventKind("block", ("contact",), mark="_", holds=True, bends=True),
    EventKind("stop", ("contact",), mark="s", holds=True),
    EventKind("split", ("contact",), mark="P"),
    EventKind("hit", ("contact",), mark="1"),
    EventKind("pass", ("contact",), mark="|"),
    EventKind("separation", ("contact",), code=16),
    EventKind("squeeze", ("contact",), code=15, mark="d"),
    EventKind("flap", ("rule",), mark="^"),
    EventKind("dash", ("rule",), mark="D"),
    EventKind("hop", ("rule",), mark="p"),
    EventKind("fire", ("rule",), mark="v"),
    EventKind("pool_empty", ("rule", "stage"), code=8, late=True),
    EventKind("expire", ("stage",), code=5, mark="."),
    EventKind("enter", ("stage",), code=6, late=True),
    EventKind("spawn_blocked", ("stage",), code=7, late=True),
    EventKind("respawn", ("stage",), code=9),
    EventKind("march_step", ("stage",), code=11, late=True),
    EventKind("march_turn", ("stage",), code=10, late=True),
    EventKind("life_lost", ("game",), code=12, late=True),
    EventKind("round", ("game",), code=13, late=True),
    EventKind("over", ("game",), code=14, waited_for=False),
    EventKind("restart", ("game",), code=18, waited_for=False),
)
"""All kinds in the order of the reference: edges, contacts, rules, stage, game."""

BY_NAME = {kind.name: kind for kind in EVENT_KINDS}
HOLDING = tuple(kind.name for kind in EVENT_KINDS if kind.holds)
BENDING = tuple(kind.name for kind in EVENT_KINDS if kind.bends)


def code_of(name: str) -> int:
    """Return the code of a kind of event in kernels."""
    code = BY_NAME[name].code
    if code is None:
        raise ValueError(f"'{name}' has no number of its own")
    return code
