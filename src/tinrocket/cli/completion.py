"""Shell completion of demos, checks, metrics, craft, and paths of numbers."""

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import typer

if TYPE_CHECKING:
    from tinrocket.scenario.scenario import Scenario


def demos(incomplete: str) -> list[str]:
    """Return the bundled scenarios that begin with a text."""
    from tinrocket.demos import demo_names

    return _beginning(demo_names(), incomplete)


def checks(incomplete: str) -> list[str]:
    """Return the checks that begin with a text; of several names the last is completed."""
    from tinrocket.checks.check import ALL
    from tinrocket.checks.code import CODE

    done, comma, last = incomplete.rpartition(",")
    return [f"{done}{comma}{name}" for name in _beginning(ALL | CODE, last)]


def explained(incomplete: str) -> list[str]:
    """Return the subjects of `why`: drift, the outcome, events, and all feel metrics."""
    from tinrocket.feel_metrics.manoeuvres import BUILT_IN

    metrics = (metric.name for manoeuvre in BUILT_IN for metric in manoeuvre.metrics)
    return _beginning(("drift", "outcome", "events", *metrics), incomplete)


def craft(ctx: typer.Context, incomplete: str) -> list[str]:
    """Return the craft of the scenario on the command line."""
    scenario = _scenario(ctx)
    return [] if scenario is None else _beginning((c.name for c in scenario.craft), incomplete)


def paths(ctx: typer.Context, incomplete: str) -> list[str]:
    """Return the paths of numbers of the scenario on the command line, up to the value."""
    scenario = _scenario(ctx)
    return [] if scenario is None else _beginning(_paths(scenario), incomplete)


def _paths(scenario: "Scenario") -> Iterator[str]:
    from tinrocket.scenario.numbers import quantity

    yield "timing="
    for craft in scenario.craft:
        yield f"{craft.name}.timing="
        for rule in craft.rules:
            yield f"{craft.name}.{rule.label}.timing="
            for key, field in type(rule).model_fields.items():
                if quantity(field.annotation, *field.metadata) is not None:
                    yield f"{craft.name}.{rule.label}.{key}="


def _scenario(ctx: typer.Context) -> "Scenario | None":
    """Return the scenario that was typed, if it can be read; a completion prints no errors."""
    from tinrocket.errors import TinRocketError
    from tinrocket.scenario.toml_file import read_scenario

    # the option being completed has no value yet, so arguments are left unparsed
    files = [ctx.params.get("scenario"), *ctx.args]
    file = next((file for file in files if file is not None), None)
    try:
        return None if file is None else read_scenario(Path(file))
    except TinRocketError:
        return None


def _beginning(names: Iterable[str], text: str) -> list[str]:
    return [name for name in names if name.startswith(text)]
