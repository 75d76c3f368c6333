"""Pictures of causes and cures."""

import math

import numpy as np
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from tinrocket.errors import expect
from tinrocket.show import theme
from tinrocket.show.feel_table import figures
from tinrocket.why.bench import Tried
from tinrocket.why.cures import Cures
from tinrocket.why.explain import Causes
from tinrocket.why.search import front

MAX_COLOURED_SUSPECTS = 9
"""Number of suspects with a colour of their own; the others are drawn together."""
REST = "#d8d8df"
HATCHED = "#f2f2f5"
LONGEST = 70
"""Most letters of a cure's name that are drawn."""
BESIDE = 8.0
"""Distance of marks below which their names must not share a line [ms]."""


def plot_causes(causes: Causes) -> Figure:
    """Draw the share of each suspect in each run's difference, a bar for each run.

    Shares below zero, of suspects that hide a part of the difference, extend to the left.
    """
    expect(causes, Causes, "plot_causes()", "make them with explain(scenario)")
    runs = [run for run in causes.runs if run.causes]
    names = [suspect.name for suspect in causes.blamed]
    places = np.linspace(0.12, 0.95, max(min(len(names), MAX_COLOURED_SUSPECTS), 2))
    colours = {
        name: theme.on_scale(place)
        for name, place in zip(names[:MAX_COLOURED_SUSPECTS], places, strict=False)
    }
    figure = theme.new_figure()
    ax = figure.subplots()
    handles: dict[str, Patch] = {}
    for row, run in enumerate(runs):
        right, left = 0.0, 0.0
        parts = [(cause.suspect.name, cause.share) for cause in run.causes]
        parts.append(("unexplained", run.unexplained / run.whole))
        for name, share in parts:
            colour = colours.get(name, HATCHED if name == "unexplained" else REST)
            label = name if name in colours or name == "unexplained" else "others"
            begin = right if share > 0.0 else left
            bar = ax.barh(row, share, left=begin, height=0.56, color=colour, edgecolor="white")
            if label == "unexplained":
                bar[0].set_hatch("///")
                bar[0].set_edgecolor(theme.FAINT)
            right, left = (right + share, left) if share > 0.0 else (right, left + share)
            if abs(share) > 0.06:
                dark = sum(bar[0].get_facecolor()[:3]) < 1.5
                ink = "white" if dark else theme.INK
                middle = begin + share / 2
                ax.text(
                    middle, row, f"{share:.0%}", ha="center", va="center", color=ink, fontsize=9
                )
            if abs(share) > 5e-4:
                handles.setdefault(label, Patch(color=colour, label=theme.literal(label)))
    unit = f" {causes.unit}" if causes.unit else ""
    labels = [
        f"{run.clock}\n{figures(run.whole)}{unit}"
        + (f" by {run.parts_at:.2f} s" if causes.of == "drift" and run.parts_at else "")
        for run in runs
    ]
    theme.name_rows(ax, range(len(runs)), labels)
    ax.set_ylim(max(len(runs), 1) - 0.4, -0.6)
    ax.axvline(0.0, color=theme.INK, linewidth=1)
    ax.xaxis.set_major_formatter(lambda share, _at: f"{100 * share:.0f}%")
    theme.dress(ax, "", f"share of the {causes.of}", "")
    if not runs:
        ax.text(0.5, 0.5, "no difference", transform=ax.transAxes, ha="center")
    does = "drifts" if causes.of == "drift" else f"differs in {causes.of}"
    title = f"{causes.scenario.title or 'Causes'}: why {causes.craft} {does} "
    title += f"from the run tuned at {causes.scenario.tuned_at:g} fps"
    theme.finish(figure, title, list(handles.values()), left=0.17)
    return figure


LETTER = 0.0055
"""The width of a letter of a label, as a share of the axis."""


def _label(trial: Tried) -> str:
    """Return a cure by its name, and the number of events that still differ."""
    lost = f", {trial.changed} events differ" if trial.changed else ""
    name = trial.cure.name if len(trial.cure.name) < LONGEST else trial.cure.name[:LONGEST] + "…"
    return f"{name}{lost}"


def plot_cures(cures: Cures) -> Figure:
    """Draw the remaining drift of each cure against its added latency.

    Larger marks take more steps per second; cures that no other beats are named.
    """
    expect(cures, Cures, "plot_cures()", "make them with find_cures(explain(scenario))")
    figure = theme.new_figure()
    ax = figure.subplots()
    tried = [trial for trial in cures.tried if math.isfinite(trial.drift)]
    best = front(tried)
    least = max(min((trial.drift for trial in tried if trial.drift > 0.0), default=0.01), 0.01)
    unit = cures.causes.scenario.arena.unit
    top = 4.0 * max([cures.causes.tolerance, *(trial.drift for trial in tried)])
    low = least / 2.5
    gap = 0.042 * math.log10(top / low)
    steps = max((trial.steps for trial in tried), default=1.0)
    named: list[tuple[float, float]] = []
    # so that the longest label ends with the axis
    right = max([1.0, *(trial.latency / (0.94 - LETTER * len(_label(trial))) for trial in tried)])
    for trial in sorted(tried, key=lambda cure: -cure.drift):
        drift = max(trial.drift, least)
        size = 40.0 + 160.0 * trial.steps / steps
        taken = trial is cures.recommended
        colour = "#8d1d6d" if taken else theme.INK if trial in best else theme.FAINT
        face = colour if not trial.changed else "white"
        ax.scatter([trial.latency], [drift], s=size, color=face, edgecolors=colour, zorder=3)
        beside = [y for x, y in named if abs(trial.latency - x) < BESIDE]
        height = min([math.log10(drift), *(y - gap for y in beside)])
        named.append((trial.latency, height))
        ax.annotate(
            theme.literal(_label(trial)),
            (trial.latency, drift),
            xytext=(trial.latency + 0.012 * right, 10.0**height),
            color="#8b8b95" if colour == theme.FAINT else colour,
            fontsize=9,
            va="center",
            arrowprops={
                "arrowstyle": "-",
                "color": theme.FAINT,
                "linewidth": 0.6,
                "relpos": (0.0, 0.5),
            },
        )
    ax.set_yscale("log")
    ax.axhline(cures.causes.tolerance, color=theme.FAINT, linestyle="--", linewidth=1)
    ax.set_xlim(-0.02 * right, right)
    ax.set_ylim(low, top)
    theme.dress(ax, "", "added latency [ms]", f"largest drift at any rate [{unit}]")
    handles = [
        Line2D([], [], marker="o", linestyle="", color="#8d1d6d", label="recommended"),
        Line2D([], [], marker="o", linestyle="", color=theme.INK, label="no other beats it"),
        Line2D(
            [],
            [],
            marker="o",
            linestyle="",
            color=theme.INK,
            markerfacecolor="white",
            label="outcomes still differ",
        ),
        Line2D([], [], color=theme.FAINT, linestyle="--", label="tolerance"),
    ]
    title = f"{cures.causes.scenario.title or 'Cures'}: what each cure leaves and costs"
    theme.finish(figure, title, handles)
    return figure
