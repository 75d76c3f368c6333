"""Custom: the user's own rule, called with the craft, the step, its inputs and numbers."""

from functools import lru_cache

from tinrocket.language.records import Record, record
from tinrocket.motion.binding import Argument, Bound, Context, Step, binds
from tinrocket.scenario import rules
from tinrocket.scenario.user_rules import REGISTERED


@lru_cache
def memory_of(names: tuple[str, ...]) -> type[Record]:
    """Return the record in which a rule remembers floats of these names."""
    return record("Remembered", dict.fromkeys(map(field_of, names), float))


def field_of(name: str) -> str:
    """Return the field of an attribute that a rule adds, with a name that records do not use."""
    return f"own_{name}"


@binds(rules.Custom)
def bind(rule: rules.Custom, context: Context) -> Bound:
    """Bind inputs by their actions, and numbers by their names."""
    known = REGISTERED[rule.function]
    arguments: dict[str, Argument] = {"dt": context.step()}
    for name, action in zip(known.inputs, rule.own_actions, strict=True):
        arguments[name] = context.action(action, rule)
    for name, number in rule.own_numbers.items():
        arguments[name] = context.plain(number)
    memory = memory_of(tuple(known.remembers)) if known.remembers else None
    begins = {field_of(name): value for name, value in known.remembers.items()}
    return Bound((Step(known.function, arguments),), memory=memory, begins=begins)
