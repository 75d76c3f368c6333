"""A suspect: a part of the game that may make runs differ, and can be switched off."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.update import Line

Game = tuple[Scenario, Clock]


@dataclass(frozen=True, slots=True)
class Suspect:
    """A part of the game that may make runs differ.

    Attributes
    ----------
    name
        Its name in reports: the path of a rule, or a few words.
    kind
        timing, turns, counted, carry, detection, input, taps, uneven, cap, remainder, seam, tape.
    off
        Returns scenario and clock with it switched off.
    cure
        Whether switching it off is a change of the game, unlike the clock of the player's screen.
    last
        Whether it remains without any mistake, and is switched off after all others.
    where
        Craft and index of its rule, if any.
    line
        Statement of the update, and the one to write instead; None without one.
    """

    name: str
    kind: str
    off: Callable[[Game], Game]
    cure: bool = True
    last: bool = False
    where: tuple[int, int] | None = None
    line: Line | None = None


def own_rules(scenario: Scenario) -> list[str]:
    """Return the user's rules; switching off their timing is undefined."""
    return [
        f"{craft.name}.{rule.label}"
        for craft in scenario.craft
        for rule in craft.rules
        if rule.foreign
    ]


ORDER = {"counted": 0, "uneven": 1, "turns": 3, "input": 4}
"""Order in which suspects are switched off: spans before timings that convert them, steady frames
before substeps."""


def switched_off(game: Game, chosen: Sequence[Suspect]) -> Game:
    """Return scenario and clock with some suspects switched off."""
    for each in sorted(chosen, key=lambda switched: ORDER.get(switched.kind, 2)):
        game = each.off(game)
    return game
