"""Statements of an update function as suspects: switched off by mending them."""

from collections.abc import Callable

from tinrocket.own_update.finding import Finding
from tinrocket.own_update.own_scenario import OwnScenario
from tinrocket.own_update.patching import changed_line
from tinrocket.scenario.update import Line
from tinrocket.why.suspect import Game, Suspect


def own_suspects(scenario: OwnScenario) -> list[Suspect]:
    """Return a suspect for each statement that depends on the frame rate."""
    own = scenario.own
    suspects = []
    for number, finding in enumerate(own.findings):
        if number in own.gone:
            continue
        before, after = changed_line(own.code, finding)
        line = Line(before, after, finding.why)
        name = f"line {finding.line}"
        suspects.append(Suspect(name, finding.kind, _mended(number), line=line))
    return _told_apart(suspects, [own.findings[n] for n in range(len(own.findings))])


def _told_apart(suspects: list[Suspect], findings: list[Finding]) -> list[Suspect]:
    """Return suspects with different names, where two are on one line."""
    names = [one.name for one in suspects]
    return [
        Suspect(f"{one.name} ({one.kind})", one.kind, one.off, line=one.line)
        if names.count(one.name) > 1
        else one
        for one in suspects
    ]


def _mended(number: int) -> Callable[[Game], Game]:
    def off(game: Game) -> Game:
        scenario, clock = game
        assert isinstance(scenario, OwnScenario)
        return scenario.without(number), clock

    return off
