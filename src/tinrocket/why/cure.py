"""A cure: a change of a game, for a suspect or for the game as a whole."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.update import Line
from tinrocket.why.suspect import Game, Suspect, switched_off
from tinrocket.why.suspects import suspects


@dataclass(frozen=True, slots=True)
class Cure:
    """A change of a game.

    Attributes
    ----------
    name
        Name of the cure.
    suspects
        Cured suspects, if the cure is a set of them.
    change
        Returns the changed game.
    line
        Line to write around the whole update, if it changes that.
    """

    name: str
    suspects: tuple[Suspect, ...]
    change: Callable[[Game], Game]
    line: Line | None = None


AS_IT_IS = Cure("as it is", (), lambda game: game)


def cure_of(chosen: Sequence[Suspect]) -> Cure:
    """Return the cure of several suspects."""
    name = " + ".join(suspect.name for suspect in chosen)
    return Cure(name, tuple(chosen), lambda game: switched_off(game, chosen))


def whole_game(scenario: Scenario) -> Iterator[Cure]:
    """Yield cures of a game as a whole, each with its parameters."""
    rate = scenario.tuned_at
    step = {"fixed_rate": rate, "substep": None, "max_dt": None, "max_steps_per_frame": None}
    loop = f"left += dt; while left >= 1 / {rate:g}: update(1 / {rate:g}), left -= 1 / {rate:g}"
    drawn = f"; draw before + (now - before) * left * {rate:g}"
    yield _paced(f"fixed steps of 1/{rate:g} s", loop, **step)
    yield _paced(
        f"fixed steps of 1/{rate:g} s, interpolated", loop + drawn, **step, interpolate=True
    )
    cut = {
        "substep": 1.0 / rate,
        "fixed_rate": None,
        "interpolate": False,
        "max_steps_per_frame": None,
    }
    parts = f"n = ceil(dt * {rate:g}); n times: update(dt / n)"
    yield _paced(f"substeps of at most 1/{rate:g} s", parts, **cut)
    if scenario.flown_by is None and all(
        all(rule.has_closed_form for rule in craft.rules) for craft in scenario.craft
    ):
        yield Cure("the closed form of each craft", (), _closed)


def _closed(game: Game) -> Game:
    scenario, clock = switched_off(
        game,
        [
            suspect
            for suspect in suspects(*game)
            if suspect.kind == "timing" and suspect.where is not None
        ],
    )
    crafts = tuple(
        craft.replaced(stepping="closed_form", timing="exact") for craft in scenario.craft
    )
    return scenario.replaced(craft=crafts), clock


def _paced(name: str, after: str, **changes: Any) -> Cure:
    line = Line("update(dt)", after, "once a frame, around the whole update", runs=False)
    return Cure(name, (), lambda game: (game[0], game[1].replaced(**changes)), line)
