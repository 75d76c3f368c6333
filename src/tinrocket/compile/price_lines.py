"""Composed lines for what a rule costs of the craft's resources."""

from __future__ import annotations

import ast
from typing import TYPE_CHECKING

from tinrocket.compile.bound_craft import BoundRule
from tinrocket.motion.binding import Number
from tinrocket.motion.rules.gain import paid

if TYPE_CHECKING:
    from tinrocket.compile.rule_lines import RuleLines

ACTS = ("fired", "ready", "until")
"""Fields of a rule's memory that change when it acts; the first counts how often."""


class Price:
    """Cost of a rule: the test whether it can be paid, and how often it is paid.

    Attributes
    ----------
    affordable
        Test that is true while the resources suffice.
    tests
        Tests that must hold for a rule to act that acts while it is let.
    before
        Lines before its steps.
    acts
        How often the rule has acted in the step, once its steps are done.
    """

    def __init__(self, rules: RuleLines, index: int, rule: BoundRule) -> None:
        self.affordable, self.tests, self.before = "", list[str](), list[str]()
        self.acts: ast.expr = ast.Constant(1.0)
        enough = []
        steps = [(n, step) for n, step in enumerate(rule.bound.steps) if step.kernel is paid]
        for (number, step), asked in zip(steps, rule.rule.costs, strict=True):
            cost = step.arguments["cost"]
            assert isinstance(cost, Number)
            held, taken = (
                ast.unparse(rules.argument(step.arguments[name], index, number, name))
                for name in ("held", "cost")
            )
            least = step.arguments["least"]
            enough.append(
                f"{held} > {least!r}"
                if asked.rate is not None
                else f"{held} - {least!r} >= {taken}"
            )
        if not enough:
            return
        self.affordable = " and ".join(enough)
        if not rule.rule.memorises_acts:
            self.tests = enough
            if rule.acts:
                on = (f"{ast.unparse(rules.argument(a, index, -1, ''))} != 0.0" for a in rule.acts)
                self.tests = [f"({' or '.join(on)})", *enough]
            return
        assert rule.bound.memory is not None
        field = next(name for name in ACTS if name in rule.bound.memory.fields)
        now, was = f"{rules.memories[index]}.{field}", rules.scope.names.new(f"{field}_before")
        self.before = [f"{was} = {now}"]
        counted = f"float({now} - {was})" if field == "fired" else f"1.0 if {now} != {was} else 0.0"
        self.acts = ast.parse(counted, mode="eval").body
