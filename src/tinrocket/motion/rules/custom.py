"""Custom: a rule of the user's own, called with the craft, the step, its inputs and numbers."""

from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.scenario import rules
from tinrocket.scenario.registry import REGISTERED


@binds(rules.Custom)
def bind(rule: rules.Custom, context: Context) -> Bound:
    """Inputs by their actions, and numbers by their names."""
    known = REGISTERED[rule.function]
    inputs = {
        name: context.action(action, rule)
        for name, action in zip(known.inputs, rule.own_actions, strict=True)
    }
    numbers = {
        name: context.plain(rule.numbers.get(name, default))
        for name, default in known.numbers.items()
    }
    return Bound((Step(known.function, {"dt": context.step()} | inputs | numbers),))
