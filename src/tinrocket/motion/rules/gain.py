"""Gain: a resource of the craft fills or empties. Cost: an act spends a resource."""

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Level, Number, Step, binds
from tinrocket.scenario import rules


@kernel
def gain(
    held: float, action: float, rate: float, amount: float, least: float, most: float
) -> float:
    """Return a level with the gain while an action is on, clamped to its bounds."""
    if action == 0.0:
        return held
    return min(max(held + (rate + amount), least), most)


@kernel
def paid(held: float, cost: float, acts: float, least: float) -> float:
    """Return a level minus the cost of a number of acts, never below its lower bound."""
    return max(held - acts * cost, least)


@binds(rules.Gain)
def bind(rule: rules.Gain, context: Context) -> Bound:
    """Bind a rate, times the step, and an amount for each step in which it acts."""
    least, most = context.resources[rule.resource]
    arguments = {
        "held": Level(rule.resource),
        "action": context.action(rule.action, rule) if rule.action else 1.0,
        "rate": context.times(rule.rate) if rule.rate is not None else 0.0,
        "amount": Number(rule.amount) if rule.amount is not None else 0.0,
        "least": least,
        "most": most,
    }
    return Bound((Step(gain, arguments, gives=Level(rule.resource)),))
