"""A scenario with other timings: one for all of its rules, or another one for a single rule."""

from collections.abc import Iterator
from typing import get_args

from tinrocket.scenario.numbers import Timing
from tinrocket.scenario.scenario import Scenario

TIMINGS: tuple[Timing, ...] = get_args(Timing)


def with_one_timing(scenario: Scenario) -> Iterator[tuple[str, Scenario]]:
    """Yield the scenario with each timing for all rules, where that changes it, and a name."""
    for timing in TIMINGS:
        changed = scenario.with_timing(timing)
        if changed != scenario:
            yield f"every rule {timing}", changed


def with_rule_timings(scenario: Scenario) -> Iterator[tuple[str, Scenario]]:
    """Yield the scenario with each other timing of each single rule, and a name.

    A craft in closed form has one timing for all of its rules.
    """
    for index, craft in enumerate(scenario.craft):
        if craft.stepping == "closed_form":
            continue
        for number, rule in enumerate(craft.rules):
            for timing in TIMINGS:
                if timing == scenario.timing_of(craft, rule):
                    continue
                rules, crafts = list(craft.rules), list(scenario.craft)
                rules[number] = rule.replaced(timing=timing)
                crafts[index] = craft.replaced(rules=tuple(rules))
                name = f"{craft.name}.{rule.label} {timing}"
                yield name, scenario.replaced(craft=tuple(crafts))
