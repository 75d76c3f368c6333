"""From code to a scenario: a rule for each statement of an update, if every statement has one."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tinrocket.own_update.amounts import is_exact
from tinrocket.own_update.expressions import (
    addition,
    called,
    factors,
    names_in,
    number,
    replaced,
    text_of,
)
from tinrocket.own_update.keys import KIND_OF
from tinrocket.own_update.own_scenario import OwnScenario
from tinrocket.own_update.routines import DT, Code, Routine
from tinrocket.own_update.state_values import is_number, value_at
from tinrocket.own_update.update import visible
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.simulate import simulate

SAME = 1e-6
"""Largest distance of the paths of code and scenario that count as equal at the tuned rate [px]."""
RuleData = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Converted:
    """The scenario of an update, or the lines without a rule.

    Attributes
    ----------
    scenario
        The scenario; None if a line has no rule.
    lines
        Lines without a rule.
    difference
        The largest distance of both paths at the tuned rate [px]; NaN without a scenario.
    """

    scenario: Scenario | None
    lines: tuple[int, ...]
    difference: float


def convert_update(own: OwnScenario) -> Converted:
    """Return the scenario of an update, verified by flying both.

    One craft, with its statements in the update itself: turns, thrust along the heading, forces,
    drag and moves, each by frame, by dt, or exact.

    Parameters
    ----------
    own
        The update; see `read_update`.
    """
    craft = own.own.start_craft
    reader = _Reader(own)
    rules = list(reader.rules())
    if len(craft) != 1:
        reader.without.add(own.own.code.entry.node.lineno)
    if reader.without or not rules:
        return Converted(None, tuple(sorted(reader.without)), float("nan"))
    start = {"x": craft[0].x, "y": craft[0].y} | reader.start()
    edges = own.own.declared.arena
    width, height = edges or (own.arena.width, own.arena.height)
    data = {
        "title": own.title,
        "tuned_at": own.tuned_at,
        "duration": own.duration,
        "arena": {
            "width": width,
            "height": height,
            "y_axis": own.arena.y_axis,
            "edges": "open",
            "angles": {"positive": "counterclockwise" if own.arena.y_axis == "up" else "clockwise"},
        },
        "tape": own.tape.model_dump(exclude_defaults=True),
        "craft": [{"name": craft[0].name, "start": start, "rules": rules}],
    }
    scenario = Scenario.from_data(data)
    code, made = (simulate(game, rate=own.tuned_at).frames for game in (own, scenario))
    apart = np.hypot(code["x"] - made["x"], code["y"] - made["y"]).max()
    if not apart <= SAME:
        return Converted(None, (own.own.code.entry.node.lineno,), float(apart))
    return Converted(scenario, (), float(apart))


@dataclass(eq=False)
class _Reader:
    own: OwnScenario
    without: set[int] = field(default_factory=set)

    def __post_init__(self) -> None:
        code: Code = self.own.own.code
        self.code, self.routine = code, code.entry
        self.axis: dict[str, str] = {}
        self.speed: dict[str, str] = {}
        self.heading = ""
        nodes = [below for routine in code.routines for below in ast.walk(routine.node)]
        for node in nodes:
            step = addition(node) if isinstance(node, ast.stmt) else None
            if step is not None and _last(step[0]) in ("x", "y"):
                name = _last(step[0])
                moved = [part for part in factors(step[1]) if _last(part) in _VELOCITIES]
                if len(moved) == 1:
                    self.axis[text_of(step[0])] = name
                    self.speed[text_of(moved[0])] = name
            if isinstance(node, ast.Call) and called(node) in ("cos", "sin") and node.args:
                inner = node.args[0]
                if isinstance(inner, ast.Call) and called(inner) == "radians":
                    inner = inner.args[0]
                self.heading = text_of(inner)

    def start(self) -> dict[str, float]:
        """Return velocity and heading at the start."""
        own = self.own.own
        flying = own.begin_plain()
        gaps: dict[str, float] = {}
        with flying.flying():
            states = visible(flying)
            for place, axis in self.speed.items():
                value = value_at(states, _path(place))
                if is_number(value):
                    gaps[f"v{axis}"] = float(value)
            if self.heading:
                value = value_at(states, _path(self.heading))
                if is_number(value):
                    gaps["heading"] = float(value) * own.degrees
        return gaps

    def rules(self) -> Iterator[RuleData]:
        """Yield rules in the order of the statements."""
        body = [statement for statement in self.routine.node.body if not _is_text(statement)]
        at = 0
        while at < len(body):
            stated = body[at]
            if isinstance(stated, ast.If) and not stated.orelse:
                action = self._action(stated.test)
                yield from self._several(stated.body, action, stated)
                at += 1
                continue
            both = body[at : at + 2]
            pair = self._pair(both) if len(both) == 2 else None
            rule = pair or self._single(stated)
            if rule is None:
                self.without.add(stated.lineno)
            else:
                yield rule
            at += 2 if pair else 1

    def _several(
        self, body: list[ast.stmt], action: str | None, test: ast.If
    ) -> Iterator[RuleData]:
        """Yield the rules of statements that are gated by a key."""
        if action is None:
            self.without.add(test.lineno)
            return
        thrust = self._thrust(body, action)
        if thrust is not None:
            yield thrust
            return
        for statement in body:
            rule = self._turn(statement, action) or self._force(statement, action)
            if rule is None:
                self.without.add(statement.lineno)
            else:
                yield rule

    def _single(self, statement: ast.stmt) -> RuleData | None:
        return self._force(statement, None) or self._drag(statement) or self._move(statement)

    def _pair(self, both: list[ast.stmt]) -> RuleData | None:
        """Return one rule for two equal statements along x and y."""
        halves = [self._drag(statement) or self._move(statement) for statement in both]
        if halves[0] is None or halves[1] is None:
            return None
        axes = {half.pop("axis") for half in halves if half is not None}
        for rule in halves:
            if rule is not None:
                rule.pop("name", None)
        return halves[0] if axes == {"x", "y"} and halves[0] == halves[1] else None

    def _action(self, test: ast.expr) -> str | None:
        """Return the key that a test reads while it is held."""
        keys = self.own.own.signature.keys
        names = {str(name): action for action, name in self.own.own.declared.names.items()}
        if isinstance(test, ast.Compare) and len(test.ops) == 1:
            within = isinstance(test.ops[0], ast.In) and text_of(test.comparators[0]) == keys
            return names.get(str(getattr(test.left, "value", ""))) if within else None
        if isinstance(test, ast.Attribute) and text_of(test.value) == keys:
            return names.get(test.attr) if test.attr not in KIND_OF else None
        if isinstance(test, ast.Subscript) and text_of(test.value) == keys:
            return names.get(str(getattr(test.slice, "value", "")))
        if isinstance(test, ast.Call) and test.args:
            owner = test.func.value if isinstance(test.func, ast.Attribute) else test.func
            if text_of(owner) == keys:
                return names.get(str(getattr(test.args[0], "value", "")))
        return None

    def _rate(self, amount: ast.expr) -> tuple[float, str] | None:
        """Return an amount as a number per second, and its timing."""
        code, tuned = self.code, self.own.tuned_at
        if not code.uses_time(self.routine, amount):
            value = number(amount)
            return None if value is None else (value * tuned, "frame")
        if names_in(amount) - set(self.routine.time):
            return None
        first, second = (
            number(_in_dt(self.routine, amount), {DT: code.tuned_dt * share}) for share in (1, 2)
        )
        if first is None or second is None or abs(second - 2 * first) > 1e-9 * abs(first):
            return None
        return float(f"{first * tuned:.12g}"), "dt"

    def _turn(self, statement: ast.stmt, action: str) -> RuleData | None:
        step = addition(statement)
        if step is None or text_of(step[0]) != self.heading:
            return None
        rate = self._rate(step[1])
        if rate is None:
            return None
        value = rate[0] * self.own.own.degrees * step[2]
        ways = {"right": action, "left": ""} if value >= 0 else {"left": action, "right": ""}
        if self.own.arena.y_axis == "up":
            ways = {"right": ways["left"], "left": ways["right"]}
        name = f"turn by {action}"
        rate_of = {"rate": abs(value), "timing": rate[1]}
        return {"rule": "turn", "name": name} | rate_of | ways

    def _force(self, statement: ast.stmt, action: str | None) -> RuleData | None:
        step = addition(statement)
        if step is None or text_of(step[0]) not in self.speed:
            return None
        rate = self._rate(step[1])
        if rate is None:
            return None
        axis = self.speed[text_of(step[0])]
        rule: RuleData = {"rule": "force", axis: rate[0] * step[2], "timing": rate[1]}
        rule["name"] = f"force along {axis}, line {statement.lineno}"
        return rule | ({"on": [action]} if action else {})

    def _thrust(self, body: list[ast.stmt], action: str) -> RuleData | None:
        """Return the thrust of two statements that add cosine and sine of the heading."""
        axes: dict[str, tuple[float, str]] = {}
        for statement in body:
            step = addition(statement)
            if step is None or text_of(step[0]) not in self.speed or step[2] < 0:
                return None
            parts = factors(step[1])
            along = [part for part in parts if called_with(part, self.heading)]
            rest = [part for part in parts if part not in along]
            if len(along) != 1 or not rest:
                return None
            amount = rest[0]
            for part in rest[1:]:
                amount = ast.BinOp(amount, ast.Mult(), part)
            rate = self._rate(amount)
            axis = self.speed[text_of(step[0])]
            wanted = "cos" if axis == "x" else "sin"
            if rate is None or called(along[0]) != wanted:  # type: ignore[arg-type]
                return None
            axes[axis] = rate
        if set(axes) != {"x", "y"} or axes["x"] != axes["y"]:
            return None
        accel, timing = axes["x"]
        return {"rule": "thrust", "accel": accel, "timing": timing, "action": action}

    def _drag(self, statement: ast.stmt) -> RuleData | None:
        scaled = _scaled(statement)
        axis = None if scaled is None else self.speed.get(text_of(scaled[0]))
        if scaled is None or axis is None:
            return None
        rule: RuleData = {"rule": "drag", "name": f"drag along {axis}", "axis": axis}
        value = scaled[1]
        keep = number(value)
        if keep is not None:
            return rule | {"keep": keep, "timing": "frame"}
        factor = _in_dt(self.routine, value)
        share = number(factor, {DT: self.code.tuned_dt})
        if share is None or not 0.0 < share < 1.0:
            return None
        if is_exact(self.code, self.routine, value):
            return rule | {"keep": float(f"{share:.12g}"), "timing": "exact"}
        half = number(factor, {DT: 0.5 * self.code.tuned_dt})
        if half is None or abs((1 - half) * 2 - (1 - share)) > 1e-12:
            return None
        rate = (1.0 - share) * self.own.tuned_at
        return rule | {"rate": float(f"{rate:.12g}"), "timing": "dt"}

    def _move(self, statement: ast.stmt) -> RuleData | None:
        step = addition(statement)
        if step is None or text_of(step[0]) not in self.axis or step[2] < 0:
            return None
        axis = self.axis[text_of(step[0])]
        parts = factors(step[1])
        moved = [part for part in parts if self.speed.get(text_of(part)) == axis]
        timed = [part for part in parts if part not in moved]
        if len(moved) != 1 or len(timed) != 1:
            return None
        rate = self._rate(timed[0])
        if rate is None or rate[1] != "dt" or abs(rate[0] - 1.0) > 1e-9:
            return None
        return {"rule": "move", "axis": axis, "timing": "dt"}


_VELOCITIES = ("vx", "vy", "dx", "dy", "x", "y")


def called_with(node: ast.expr, heading: str) -> bool:
    """Return whether an expression is the sine or cosine of a heading."""
    if not isinstance(node, ast.Call) or called(node) not in ("cos", "sin") or not node.args:
        return False
    inner = node.args[0]
    if isinstance(inner, ast.Call) and called(inner) == "radians" and inner.args:
        inner = inner.args[0]
    return text_of(inner) == heading


def _scaled(statement: ast.stmt) -> tuple[ast.expr, ast.expr] | None:
    """Return target and factor of a multiplication."""
    if isinstance(statement, ast.AugAssign) and isinstance(statement.op, ast.Mult):
        return statement.target, statement.value
    if (
        isinstance(statement, ast.Assign)
        and len(statement.targets) == 1
        and isinstance(statement.value, ast.BinOp)
    ):
        target, value = statement.targets[0], statement.value
        if isinstance(value.op, ast.Mult) and text_of(value.left) == text_of(target):
            return target, value.right
        if isinstance(value.op, ast.Mult) and text_of(value.right) == text_of(target):
            return target, value.left
    return None


def _in_dt(routine: Routine, node: ast.expr) -> ast.expr:
    return replaced(node, dict(routine.time))


def _last(node: ast.expr) -> str:
    if isinstance(node, ast.Attribute):
        return node.attr
    if isinstance(node, ast.Subscript) and isinstance(node.slice, ast.Constant):
        return str(node.slice.value)
    return ""


def _path(text: str) -> str:
    return text.replace("']", "").replace("['", ".").replace('"]', "").replace('["', ".")


def _is_text(statement: ast.stmt) -> bool:
    return isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)
