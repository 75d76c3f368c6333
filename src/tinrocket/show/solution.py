"""Manoeuvres before and after a search for numbers, with the wanted levels."""

import math

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from tinrocket.errors import OptionError, expect
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.metric import Curve, Manoeuvre
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.show import theme
from tinrocket.tuning.solution import Solution

AFTER = "#8a226a"
WANTED = "#2f7d4f"


def plot_solution(solution: Solution) -> Figure:
    """Draw the manoeuvres of the wants, before and after.

    Parameters
    ----------
    solution
        Result of `solve`.

    Raises
    ------
    OptionError
        If none of the manoeuvres can be drawn.
    """
    expect(solution, Solution, "plot_solution()", "make one with solve(scenario, wants, free)")
    drawn = [
        (craft, shown, before, after)
        for craft, shown in solution.manoeuvres
        if (before := _curve(solution.before, craft, shown)) is not None
        and (after := _curve(solution.scenario, craft, shown)) is not None
    ]
    if not drawn:
        raise OptionError("no manoeuvre that the wants are about has a curve to draw")
    figure = theme.new_figure()
    laid = theme.panels(figure, len(drawn), 1.5)
    for ax, (craft, manoeuvre, before, after) in zip(laid.axes, drawn, strict=True):
        for curve, style in (
            (before, {"color": theme.REFERENCE, "linewidth": 7.0}),
            (after, {"color": AFTER, "linewidth": 1.8}),
        ):
            ax.plot(curve.x, curve.y, **style)  # type: ignore[arg-type]
        if after.path:
            ax.set_aspect("equal", adjustable="datalim")
        _levels(ax, solution, manoeuvre, after)
        title = "; ".join(_told(solution, craft, manoeuvre))
        theme.dress(ax, title, after.xlabel, after.ylabel, laid.columns)
    handles = [
        theme.reference_handle("as the scenario was"),
        theme.mark_handle("", "with the numbers found", linestyle="-", color=AFTER, linewidth=1.8),
        theme.mark_handle("", "a wanted speed", linestyle="--", color=WANTED, linewidth=1.4),
    ]
    numbers = ", ".join(f"{path} = {value:.6g}" for path, value in solution.rounded.items())
    title = f"{solution.before.title or 'Solved'}: {numbers}"
    theme.finish(figure, title, handles, laid.spare, wspace=0.22, hspace=0.4)
    return figure


def _curve(scenario: Scenario, craft: str, manoeuvre: Manoeuvre) -> Curve | None:
    if manoeuvre.curve is None:
        return None
    which = next(each for each in scenario.craft if each.name == craft)
    return manoeuvre.curve(Course(scenario, which, Clock(rate=scenario.tuned_at)))


def _levels(ax: Axes, solution: Solution, manoeuvre: Manoeuvre, curve: Curve) -> None:
    """Draw wanted speeds as lines, if the curve is a speed."""
    if "px/s" not in curve.ylabel:
        return
    for reached in solution.reached:
        want = reached.want
        if want.manoeuvre is manoeuvre and want.metric.unit == "px/s" and not want.same:
            for level in {want.low, want.high}:
                if math.isfinite(level):
                    ax.axhline(level, color=WANTED, linestyle="--", linewidth=1.4)


def _told(solution: Solution, craft: str, manoeuvre: Manoeuvre) -> list[str]:
    """Return the wants of a manoeuvre and the values reached, a line each."""
    return [
        f"{reached.want.text} "
        f"({reached.rounded.note or format(reached.rounded.value, '.4g')} at {reached.rate:g} fps)"
        for reached in solution.reached
        if reached.want.craft == craft and reached.want.manoeuvre is manoeuvre
    ]
