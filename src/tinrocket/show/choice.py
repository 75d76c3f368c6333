"""Results of blind pairs: the feel along each number, and the preferred one."""

import numpy as np
from matplotlib.figure import Figure

from tinrocket.errors import OptionError, expect
from tinrocket.show import theme
from tinrocket.tuning.choose import Choice

PREFERRED = "#8a226a"
BAND, BEST = "#c9d3de", "#e6d3df"
POINTS = 121


def plot_choice(choice: Choice) -> Figure:
    """Draw the feel along each number, the others at their preferred values, with the flown pairs.

    Parameters
    ----------
    choice
        A choice with at least one answer.

    Raises
    ------
    OptionError
        If there is no answer yet.
    """
    expect(choice, Choice, "plot_choice()", "make one with choose(scenario, free)")
    if not choice.answers:
        raise OptionError("no pair was answered yet, so there is nothing to draw")
    model, preferred = choice.model, choice.preferred
    middle = np.array([number.number.share(number.value) for number in preferred])
    figure = theme.new_figure()
    laid = theme.panels(figure, len(preferred), 1.5)
    for n, (ax, chosen) in enumerate(zip(laid.axes, preferred, strict=True)):
        shares = np.linspace(0.0, 1.0, POINTS)
        places = np.tile(middle, (POINTS, 1))
        places[:, n] = shares
        drawn = model.samples(places, 200, np.random.default_rng(choice.seed))
        drawn -= drawn.max(axis=1, keepdims=True)  # pairs determine differences only
        low, mean, high = np.quantile(drawn, (0.1, 0.5, 0.9), axis=0)
        values = [chosen.number.value(float(share)) for share in shares]
        ax.axvspan(chosen.low, chosen.high, color=BEST, linewidth=0)
        ax.fill_between(values, low, high, color=BAND, linewidth=0)
        ax.plot(values, mean, color=theme.INK, linewidth=1.6)
        ax.axvline(chosen.value, color=PREFERRED, linewidth=1.8)
        ax.axvline(chosen.number.now, color=theme.INK, linestyle=":", linewidth=1.2)
        flown = [
            chosen.number.value(float(pair[side][n]))
            for pair, better in zip(choice.pairs, choice.answers, strict=True)
            for side in (0, 1)
            if (better == "first") == (side == 0) and better != "same"
        ]
        floor = float(low.min())
        ax.plot(flown, [floor] * len(flown), "|", color=PREFERRED, markersize=11)
        if chosen.number.scale == "log":
            ax.set_xscale("log")
        noticed = (
            ""
            if chosen.noticeable is None
            else f", a change of {chosen.noticeable_shown} is noticed"
        )
        title = f"{chosen.number.rounded(chosen.value, 3):g}{noticed}"
        theme.dress(
            ax, title, chosen.number.path, "how good it feels" if n == 0 else "", laid.columns
        )
    handles = [
        theme.mark_handle("", "the feel, and its likeliest 80 %", linestyle="-", color=theme.INK),
        theme.mark_handle("", "preferred", linestyle="-", color=PREFERRED, linewidth=1.8),
        theme.mark_handle("", "as the scenario is", linestyle=":", color=theme.INK),
        theme.mark_handle("s", "the best one lies here by 80 %", color=BEST),
        theme.mark_handle("|", "the better of a pair", color=PREFERRED),
    ]
    count = len(choice.answers)
    title = f"{choice.scenario.title or 'Chosen'}: preferred after {count} pairs flown blind"
    theme.finish(figure, title, handles, laid.spare, wspace=0.22, hspace=0.45)
    return figure
