"""Controls of a craft: actions, and the direction in which each takes it."""

from collections.abc import Mapping
from dataclasses import dataclass

from tinrocket.scenario.craft import Craft
from tinrocket.scenario.rules import Drive, MotionRule
from tinrocket.scenario.rules.base import Way
from tinrocket.scenario.scenario import Scenario

Hold = dict[str, float]
"""The held controls: a value for each action."""

WAYS: dict[Way, tuple[float, float]] = {
    "right": (1.0, 0.0),
    "left": (-1.0, 0.0),
    "up": (0.0, 1.0),
    "down": (0.0, -1.0),
}
"""Directions across the screen, y up."""
OPPOSITE: dict[Way, Way] = {
    "right": "left",
    "left": "right",
    "up": "down",
    "down": "up",
    "ahead": "back",
}


@dataclass(frozen=True, slots=True)
class Controls:
    """Controls to hold for each direction in which a craft can be steered.

    Attributes
    ----------
    ways
        For each direction, the controls that take the craft there.
    own
        For each input of a user's rule, the controls that press it: its direction is unknown.
    actions
        Every action that a rule listens to.
    """

    ways: Mapping[Way, Hold]
    own: tuple[Hold, ...]
    actions: tuple[str, ...]

    @classmethod
    def of(cls, scenario: Scenario, craft: Craft) -> "Controls":
        """Return the controls of a craft."""
        ways: dict[Way, Hold] = {}
        own: list[Hold] = []
        for rule in craft.rules:
            keys = {way: {key: 1.0} for way, key in rule.ways.items()}
            for way, hold in (keys | _tilts(scenario, rule)).items():
                ways.setdefault(way, hold | needed(scenario, rule))
            if rule.foreign:
                own += [{name: 1.0} | needed(scenario, rule) for name in rule.own_actions]
        return cls(ways, tuple(own), scenario.actions)

    @property
    def straight(self) -> Way | None:
        """Direction of a straight run."""
        return self.first("ahead", *WAYS)

    def first(self, *ways: Way) -> Way | None:
        """Return the first of some directions in which the craft can be steered."""
        return next((way for way in ways if way in self.ways), None)

    def hold(self, *ways: Way) -> Hold:
        """Return the controls to hold for several directions at once."""
        return {name: value for way in ways for name, value in self.ways[way].items()}


def needed(scenario: Scenario, rule: MotionRule) -> Hold:
    """Return the controls that must be held beside a rule's own action for it to act."""
    return {name: 1.0 for name in rule.on if name in scenario.actions}


def press_of(scenario: Scenario, rule: MotionRule) -> Hold:
    """Return the controls that start a rule with one action."""
    action = rule.own_actions[:1]
    return {name: 1.0 for name in action if name in scenario.actions} | needed(scenario, rule)


def _tilts(scenario: Scenario, rule: MotionRule) -> dict[Way, Hold]:
    """Return the controls that tilt the stick of a rule along one of its directions."""
    if not isinstance(rule, Drive) or not rule.sticks:
        return {}
    stick = scenario.sticks[rule.sticks[0]]
    tilts: dict[Way, Hold] = {}
    if rule.axis != "y":
        tilts |= {"right": {stick.x: 1.0}, "left": {stick.x: -1.0}}
    if rule.axis != "x" and stick.y:
        tilts |= {"up": {stick.y: 1.0}, "down": {stick.y: -1.0}}
    return tilts
