"""Statements of an update function as suspects: switched off by mending them."""

from collections.abc import Callable
from dataclasses import replace

from tinrocket.errors import OptionError
from tinrocket.own_update.own_scenario import OwnScenario
from tinrocket.own_update.patching import changed_line
from tinrocket.scenario.update import Line
from tinrocket.why.suspect import Game, Suspect

MAX_STATEMENTS = 60
"""Most statements of an update that are explained together."""


def own_suspects(scenario: OwnScenario) -> list[Suspect]:
    """Return a suspect for each statement that depends on the frame rate."""
    own = scenario.own
    if len(own.findings) > MAX_STATEMENTS:
        raise OptionError(
            f"{own.name}: {len(own.findings)} lines count frames, and at most {MAX_STATEMENTS} can "
            f"be explained together; mend those that 'tinrocket check {own.name}' lists first"
        )
    suspects = []
    for number, finding in enumerate(own.findings):
        if number in own.gone:
            continue
        before, after = changed_line(own.code, finding)
        more = len({edit.node.lineno for edit in finding.edits} - {finding.line})
        also = f"; with {more} more line{'' if more == 1 else 's'}, see --diff" if more else ""
        line = Line(before, after, finding.why + also)
        name = f"line {finding.line}"
        last = finding.kind == "moves"
        suspects.append(Suspect(name, finding.kind, _mended(number), last=last, line=line))
    names = [suspect.name for suspect in suspects]
    return [
        replace(suspect, name=f"{suspect.name} ({suspect.kind})")
        if names.count(suspect.name) > 1
        else suspect
        for suspect in suspects
    ]


def _mended(number: int) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        scenario, clock = game
        assert isinstance(scenario, OwnScenario)
        return scenario.without(number), clock

    return off
