"""Results derived from a flight on first use, with imports deferred until then."""

from typing import TYPE_CHECKING, Any

from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario

if TYPE_CHECKING:
    import pandas as pd


def traced(scenario: Scenario, clock: Clock, *args: Any, **kwargs: Any) -> "pd.DataFrame":
    """Return the trace of a scenario at a clock."""
    from tinrocket.trajectory.trace import trace

    return trace(scenario, *args, clock=clock, **kwargs)
