"""A scenario with other timings, another order, or another way to look at keys.

Each alternative is named after its change.
"""

from collections.abc import Iterator
from typing import get_args

from tinrocket.scenario.numbers import Timing
from tinrocket.scenario.rules.position import Move
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Sampling

TIMINGS: tuple[Timing, ...] = get_args(Timing)
SAMPLINGS: tuple[Sampling, ...] = get_args(Sampling)


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


def with_other_orders(scenario: Scenario) -> Iterator[tuple[str, Scenario]]:
    """Yield the scenario with the move of each craft before and after all of its other rules."""
    for index, craft in enumerate(scenario.craft):
        if craft.stepping == "closed_form":
            continue
        for number, rule in enumerate(craft.rules):
            if not isinstance(rule, Move):
                continue
            others = craft.rules[:number] + craft.rules[number + 1 :]
            for place, rules in (("first", (rule, *others)), ("last", (*others, rule))):
                if rules == craft.rules:
                    continue
                crafts = list(scenario.craft)
                crafts[index] = craft.replaced(rules=rules)
                yield f"{craft.name}.{rule.label} {place}", scenario.replaced(craft=tuple(crafts))


def with_other_sampling(scenario: Scenario) -> Iterator[tuple[str, Scenario]]:
    """Yield the scenario with taps buffered instead of polled, or the other way round."""
    tape = scenario.tape
    if not (tape.taps or tape.holds):
        return
    for sampling in SAMPLINGS:
        if sampling != tape.sampling:
            yield f"input {sampling}", scenario.replaced(tape=tape.replaced(sampling=sampling))
