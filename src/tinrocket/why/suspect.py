"""A suspect: what may make runs differ, and how it is switched off."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.update import Line

Game = tuple[Scenario, Clock]


@dataclass(frozen=True, slots=True)
class Suspect:
    """What may make runs differ.

    Attributes
    ----------
    name
        Its name in reports: the path of a rule, or a few words.
    kind
        timing, turns, counted, carry, detection, input, taps, uneven, cap, remainder, seam, tape.
    off
        Returns scenario and clock with it switched off.
    cure
        Whether that is a change of the game; the clock of the player's screen is none.
    last
        Whether it remains where nothing else is wrong, and is switched off for good once
        all others are.
    where
        Craft and place of the rule, if it is about one.
    line
        Statement of the update as it is, and the one to write instead; None if there is none.
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
"""In which order suspects are switched off: spans before timings that convert them, and frames made
steady before they are cut."""


def switched_off(game: Game, chosen: Sequence[Suspect]) -> Game:
    """Return scenario and clock with some suspects switched off."""
    for one in sorted(chosen, key=lambda one: ORDER.get(one.kind, 2)):
        game = one.off(game)
    return game
