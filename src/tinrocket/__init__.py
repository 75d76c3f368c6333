"""Tune arcade motion and see how it feels at every frame rate.

The public names live here; each is loaded when it is first used, so that importing the
package, and asking the command line for help, costs next to nothing.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from tinrocket.analysis.simulate import simulate as simulate
    from tinrocket.analysis.trajectory import Trajectory as Trajectory

__version__ = "0.1.0"

_HOMES = {
    "scenario.arena": ("Angles", "Arena", "Edge", "Edges"),
    "scenario.clock": ("Clock", "Hitch"),
}
