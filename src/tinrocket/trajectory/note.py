"""The note beside a recorded flight: its title, arena, and the shapes of its craft."""

from pathlib import Path
from typing import Annotated, Any

import tomli_w
from pydantic import BaseModel, Field

from tinrocket.files import parse_toml, read_text
from tinrocket.scenario.arena import Arena, Edges
from tinrocket.scenario.numbers import Angle, Model, Name, Quantity, Size
from tinrocket.scenario.obstacle import Obstacle
from tinrocket.scenario.shapes import Hit, Shape
from tinrocket.trajectory.bodies import Body
from tinrocket.trajectory.trajectory import Trajectory

Pace = Annotated[float, Field(ge=0.0, allow_inf_nan=False), Quantity("frames/s")]
"""Frame rate, which may be an average."""


class Looks(Model):
    """Data about a craft, and identical others, for pictures and comparisons."""

    edges: Edges
    in_view: bool = False
    art_offset: Angle = 0.0
    shape: Shape | None = None
    hit: Hit | None = None
    family: str = ""
    pooled: bool = False
    leaps: bool = False
    alike: tuple[Name, ...] = ()
    """Names of identical craft: a grid of thousands is described once."""


class Window(Model):
    """Size of what the player sees."""

    width: Size
    height: Size


class Note(Model):
    """Data missing from a table of frames; unknown fields are left out."""

    title: str = ""
    clock: str | None = None
    rate: Pace | None = None
    view: Window | None = None
    arena: Arena | None = None
    craft: dict[Name, Looks] = Field(default_factory=dict)
    obstacle: tuple[Obstacle, ...] = ()

    @property
    def seen(self) -> tuple[float, float] | None:
        """Width and height of what the player sees [px], None if that is the arena."""
        return (self.view.width, self.view.height) if self.view else None

    def bodies(self) -> dict[str, Body]:
        """Return the data about each craft by name; empty without an arena."""
        named: dict[str, Body] = {}
        for name, looks in self.craft.items() if self.arena else ():
            named |= dict.fromkeys((name, *looks.alike), self._body(looks))
        return named

    def _body(self, looks: Looks) -> Body:
        update: dict[str, object] = {"edges": looks.edges}
        if looks.in_view and self.view:
            update |= {"width": self.view.width, "height": self.view.height}
        described = {name: getattr(looks, name) for name in Looks.model_fields}
        del described["edges"], described["alike"]
        assert self.arena is not None
        return Body(self.arena.replaced(**update), **described)


def note_of(trajectory: Trajectory) -> str:
    """Return as TOML the data missing from a flight's frames and events."""
    about: dict[str, Any] = {"title": trajectory.title, "clock": trajectory.clock}
    about["rate"] = trajectory.rate
    if trajectory.view:
        about["view"] = {"width": trajectory.view[0], "height": trajectory.view[1]}
    if trajectory.arena:
        alike: dict[int, list[str]] = {}
        for name, body in trajectory.bodies.items():  # members of a family share theirs
            alike.setdefault(id(body), []).append(name)
        about["arena"] = _plain(trajectory.arena)
        about["craft"] = {
            first: _told(trajectory.bodies[first], rest) for first, *rest in alike.values()
        }
        about["obstacle"] = [_plain(obstacle) for obstacle in trajectory.obstacles]
    return tomli_w.dumps(about)


def _told(body: Body, alike: list[str]) -> dict[str, Any]:
    looks = {"edges": body.arena.edges, "shape": body.shape, "hit": body.hit}
    entry = {key: _plain(part) for key, part in looks.items() if part is not None}
    for key in ("in_view", "art_offset", "family", "pooled", "leaps"):
        entry[key] = getattr(body, key)
    return entry | ({"alike": alike} if alike else {})


def _plain(part: BaseModel) -> dict[str, Any]:
    return part.model_dump(mode="json", exclude_none=True)


def read_note(path: Path) -> Note:
    """Read a note.

    Raises
    ------
    FileError
        If it cannot be read, or is not TOML.
    ScenarioError
        With all problems of the note.
    """
    return Note.from_data(parse_toml(read_text(path), path), str(path))
