"""The motion rules: one data class for each step of the per-frame arithmetic."""

from typing import Annotated

from pydantic import Field

from tinrocket.scenario.rules.base import MotionRule
from tinrocket.scenario.rules.custom import Custom
from tinrocket.scenario.rules.fire import Fire
from tinrocket.scenario.rules.impulses import Dash, Fall, Flap, Hop, Lift, Timer
from tinrocket.scenario.rules.position import Move, Stride
from tinrocket.scenario.rules.speed import Cruise, Drag, Drive, Force, Limit, Snap, Thrust
from tinrocket.scenario.rules.steering import Pivot, Rotate, Torque, Turn
from tinrocket.scenario.rules.targets import Aim, Chase, Ease, Follow

__all__ = [
    "Aim",
    "Chase",
    "Cruise",
    "Custom",
    "Dash",
    "Drag",
    "Drive",
    "Ease",
    "Fall",
    "Fire",
    "Flap",
    "Follow",
    "Force",
    "Hop",
    "Lift",
    "Limit",
    "MotionRule",
    "Move",
    "Pivot",
    "Rotate",
    "Rule",
    "Snap",
    "Stride",
    "Thrust",
    "Timer",
    "Torque",
    "Turn",
]

Rule = Annotated[
    Turn
    | Pivot
    | Torque
    | Rotate
    | Thrust
    | Drive
    | Cruise
    | Force
    | Drag
    | Limit
    | Snap
    | Aim
    | Follow
    | Ease
    | Chase
    | Flap
    | Fall
    | Lift
    | Dash
    | Hop
    | Timer
    | Fire
    | Custom
    | Stride
    | Move,
    Field(discriminator="rule"),
]
