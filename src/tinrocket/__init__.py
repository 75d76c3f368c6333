"""Tune arcade motion and see how it feels at every frame rate.

The public names live here.  Each is loaded when it is first used, so that importing the
package, and asking the command line for help, costs next to nothing.
"""

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from tinrocket.analysis.compare import Comparison as Comparison
    from tinrocket.analysis.compare import Run as Run
    from tinrocket.analysis.compare import compare as compare
    from tinrocket.analysis.drift import Drift as Drift
    from tinrocket.analysis.drift import measure_drift as measure_drift
    from tinrocket.analysis.simulate import simulate as simulate
    from tinrocket.analysis.trace import trace as trace
    from tinrocket.analysis.trajectory import Trajectory as Trajectory
    from tinrocket.analysis.trajectory_file import read_trajectory as read_trajectory
    from tinrocket.analysis.trajectory_file import write_trajectory as write_trajectory
    from tinrocket.demos import demo_names as demo_names
    from tinrocket.demos import read_demo as read_demo
    from tinrocket.errors import FileError as FileError
    from tinrocket.errors import FlightError as FlightError
    from tinrocket.errors import MissingExtraError as MissingExtraError
    from tinrocket.errors import OptionError as OptionError
    from tinrocket.errors import Problem as Problem
    from tinrocket.errors import ScenarioError as ScenarioError
    from tinrocket.errors import TinRocketError as TinRocketError
    from tinrocket.errors import TrajectoryError as TrajectoryError
    from tinrocket.errors import UnknownNameError as UnknownNameError
    from tinrocket.flight.stepped import CraftState as CraftState
    from tinrocket.flight.stepped import Flight as Flight
    from tinrocket.flight.stepped import Snapshot as Snapshot
    from tinrocket.scenario.arena import Angles as Angles
    from tinrocket.scenario.arena import Arena as Arena
    from tinrocket.scenario.arena import Edge as Edge
    from tinrocket.scenario.arena import Edges as Edges
    from tinrocket.scenario.clock import Clock as Clock
    from tinrocket.scenario.clock import Hitch as Hitch
    from tinrocket.scenario.condition import Condition as Condition
    from tinrocket.scenario.contact import Contact as Contact
    from tinrocket.scenario.contact import Outcome as Outcome
    from tinrocket.scenario.craft import Craft as Craft
    from tinrocket.scenario.craft import Grid as Grid
    from tinrocket.scenario.craft import Respawn as Respawn
    from tinrocket.scenario.craft import Start as Start
    from tinrocket.scenario.csv_file import read_frame_times as read_frame_times
    from tinrocket.scenario.csv_file import read_tape as read_tape
    from tinrocket.scenario.csv_file import write_tape as write_tape
    from tinrocket.scenario.mask_file import read_mask as read_mask
    from tinrocket.scenario.obstacle import Obstacle as Obstacle
    from tinrocket.scenario.registry import motion_rule as motion_rule
    from tinrocket.scenario.rules import *
    from tinrocket.scenario.rules.base import NumberRamp as NumberRamp
    from tinrocket.scenario.scenario import Scenario as Scenario
    from tinrocket.scenario.schema import json_schema as json_schema
    from tinrocket.scenario.shapes import Box as Box
    from tinrocket.scenario.shapes import Circle as Circle
    from tinrocket.scenario.shapes import Diamond as Diamond
    from tinrocket.scenario.shapes import Ellipse as Ellipse
    from tinrocket.scenario.shapes import Hit as Hit
    from tinrocket.scenario.shapes import Mask as Mask
    from tinrocket.scenario.shapes import Polygon as Polygon
    from tinrocket.scenario.shapes import Segment as Segment
    from tinrocket.scenario.stage import March as March
    from tinrocket.scenario.stage import Ramp as Ramp
    from tinrocket.scenario.stage import Rounds as Rounds
    from tinrocket.scenario.stage import Spawner as Spawner
    from tinrocket.scenario.stick import Stick as Stick
    from tinrocket.scenario.tape import Repeat as Repeat
    from tinrocket.scenario.tape import Tape as Tape
    from tinrocket.scenario.toml_file import read_scenario as read_scenario
    from tinrocket.scenario.toml_file import write_scenario as write_scenario
    from tinrocket.scenario.vary import with_value as with_value
    from tinrocket.scenario.view import View as View
    from tinrocket.show.drifts import plot_drift as plot_drift
    from tinrocket.show.paths import plot_path as plot_path
    from tinrocket.show.paths import plot_paths as plot_paths
    from tinrocket.show.series import plot_series as plot_series
    from tinrocket.show.theme import save_figure as save_figure
    from tinrocket.tuning.sweep import sweep as sweep

__version__ = "0.1.0"

_HOMES = {
    "analysis.compare": "Comparison Run compare",
    "analysis.drift": "Drift measure_drift",
    "analysis.simulate": "simulate",
    "analysis.trace": "trace",
    "analysis.trajectory": "Trajectory",
    "analysis.trajectory_file": "read_trajectory write_trajectory",
    "demos": "demo_names read_demo",
    "flight.stepped": "CraftState Flight Snapshot",
    "errors": "FileError FlightError MissingExtraError OptionError Problem ScenarioError "
    "TinRocketError TrajectoryError UnknownNameError",
    "scenario.arena": "Angles Arena Edge Edges",
    "scenario.clock": "Clock Hitch",
    "scenario.condition": "Condition",
    "scenario.contact": "Contact Outcome",
    "scenario.craft": "Craft Grid Respawn Start",
    "scenario.csv_file": "read_frame_times read_tape write_tape",
    "scenario.mask_file": "read_mask",
    "scenario.obstacle": "Obstacle",
    "scenario.registry": "motion_rule",
    "scenario.rules.base": "NumberRamp",
    "scenario.scenario": "Scenario",
    "scenario.schema": "json_schema",
    "scenario.shapes": "Box Circle Diamond Ellipse Hit Mask Polygon Segment",
    "scenario.stage": "March Ramp Rounds Spawner",
    "scenario.stick": "Stick",
    "scenario.tape": "Repeat Tape",
    "scenario.toml_file": "read_scenario write_scenario",
    "scenario.vary": "with_value",
    "scenario.view": "View",
    "show.drifts": "plot_drift",
    "show.paths": "plot_path plot_paths",
    "show.series": "plot_series",
    "show.theme": "save_figure",
    "tuning.sweep": "sweep",
}
_HOME = {name: home for home, names in _HOMES.items() for name in names.split()}


def _rules() -> list[str]:
    """Return the names of the motion rules, which only their own files list."""
    rules = import_module("tinrocket.scenario.rules")
    return [kind.__name__ for kind in rules.KINDS]


def __getattr__(name: str) -> object:
    """Load a public name from its home and keep it."""
    if name == "__all__":
        return ["__version__", *sorted((*_HOME, *_rules()))]
    home = _HOME.get(name)
    if home is None and name[:1].isupper() and name in _rules():
        home = "scenario.rules"
    if home is None:
        raise AttributeError(f"module 'tinrocket' has no attribute '{name}'")
    value = getattr(import_module(f"tinrocket.{home}"), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    """Return the public names, loaded or not."""
    names: list[str] = __getattr__("__all__")  # type: ignore[assignment]
    return names
