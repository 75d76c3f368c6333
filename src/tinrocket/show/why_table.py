"""Causes and cures in words and tables."""

import math
from collections.abc import Sequence

import numpy as np
from rich.table import Table
from rich.text import Text

from tinrocket.comparison.verdicts import event_phrase
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.update import Line
from tinrocket.show.feel_table import figures
from tinrocket.why.bench import Tried
from tinrocket.why.case import GAME
from tinrocket.why.cures import Cures
from tinrocket.why.explain import Cause, Causes, Explained
from tinrocket.why.parting import first_parting

LEAST = 0.0005
"""Smallest share that is printed."""
MAX_CAUSES_PER_RUN = 6
"""Most causes of one run that are printed."""
NAME = 27
"""Width of the column of cures."""


def why_lines(causes: Causes, *, partings: bool = True) -> list[str]:
    """Return the causes of each run's difference, a line for each, and its first divergence."""
    lines = []
    for run in causes.runs:
        lines.append(_run_line(causes, run))
        parting = first_parting(run) if partings and run.causes else None
        if parting is not None:
            lines.append(f"  {parting}")
    if causes.own:
        lines.append(f"Rules of your own cannot be switched off: {', '.join(causes.own)}.")
    return lines


def _number(run: Explained) -> str:
    """Return a feel metric in a run, and its tuned value."""
    case = run.case
    scenario = case.plans.scenario
    now = case.number(scenario, case.clock)
    tuned = case.number(scenario, Clock(rate=scenario.tuned_at))
    texts = [value.note or figures(value.value) for value in (now, tuned)]
    return f"{case.of} {texts[0]}, tuned {texts[1]}"


def _first_change(run: Explained) -> str:
    """Return a description of the first change of the outcome."""
    first = run.case.first_change
    if first is None:
        return "blown up"
    moment = first["t"] if np.isnan(first["t_reference"]) else first["t_reference"]
    event = {name: str(value) for name, value in first.items()}
    phrase = event_phrase(event)
    return f"{phrase} that is {event['status']} at {float(moment):.2f} s"


def _share(cause: Cause) -> str:
    """Return what a cause explains, or hides of others."""
    error = f" ± {cause.error:.1%}" if cause.error else ""
    hides = "hides " if cause.share < 0.0 else ""
    return f"{cause.suspect.name} {hides}{abs(cause.share):.1%}{error}"


def _both(run: Explained) -> str:
    """Return which of two causes must be cured, if they share an outcome equally."""
    if len(run.causes) != 2 or abs(run.causes[0].share - run.causes[1].share) > LEAST:
        return ""
    names = " and ".join(cause.suspect.name for cause in run.causes)
    alone = [cause.alone > 0.5 * run.whole for cause in run.causes]
    if all(alone):
        return f"{names}: either is enough"
    return "" if any(alone) else f"{names}: both are needed"


def _run_line(causes: Causes, run: Explained) -> str:
    if not run.causes and run.whole <= _same(causes, run):
        if causes.of == "drift":
            if run.parts_at is not None:
                return (
                    f"{run.clock}: no drift above {causes.tolerance:g} {causes.unit} before "
                    f"{run.parts_at:.2f} s, where the outcome differs"
                )
            return f"{run.clock}: no drift above {causes.tolerance:g} {causes.unit}"
        return f"{run.clock}: no difference"
    unit = f" {causes.unit}" if causes.unit else ""
    if causes.unit == "events" and run.whole == 1.0:
        unit = " event"
    until = f" by {run.parts_at:.2f} s" if causes.of == "drift" and run.parts_at else ""
    head = f"{run.clock}, {figures(run.whole)}{unit}{until}"
    if causes.of == "outcome":
        head = f"{run.clock}, {_first_change(run)}"
    if causes.of not in GAME:
        head = f"{head} ({_number(run)})"
    left = run.unexplained / run.whole
    rest = f"; unexplained {left:.1%}" if abs(left) >= 0.01 else ""
    if not run.causes:
        return f"{head}: no suspect explains it"
    if run.main is not None:
        return f"{head}: {run.main.suspect.name} explains {run.main.share:.0%} of it{rest}"
    printed = [cause for cause in run.causes if abs(cause.share) >= LEAST]
    if causes.of == "outcome" and (both := _both(run)):
        return f"{head}: {both}{rest}"
    parts = [_share(cause) for cause in printed[:MAX_CAUSES_PER_RUN]]
    more = len(printed) - MAX_CAUSES_PER_RUN
    parts += [f"and {more} more"] if more > 0 else []
    return f"{head}: {', '.join(parts)}{rest}"


def cure_table(cures: Cures) -> Table:
    """Return the table of tried cures: remaining difference and costs."""
    causes = cures.causes
    unit, tuned = causes.scenario.arena.unit, causes.scenario.tuned_at
    table = Table(box=None, padding=(0, 1, 0, 0), pad_edge=False)
    table.add_column(Text("cure"), overflow="fold", min_width=NAME, max_width=NAME)
    heads = (
        f"drift\n[{unit}]",
        f"within\n{causes.tolerance:g} {unit}",
        "events\ndiffer",
        f"change at\n{tuned:g} fps\n[{unit}]",
        "added\nlatency\n[ms]",
        "steps\nper s",
        "depends\non\nmachine",
    )
    for head in heads:
        table.add_column(Text(head), justify="right", no_wrap=True, vertical="bottom")
    for trial in cures.tried:
        taken = trial is cures.recommended
        style = "bold green" if taken else "green" if trial.agrees else ""
        table.add_row(
            Text(f"{'> ' if taken else ''}{trial.cure.name}", style),
            _drift(trial),
            Text("yes" if trial.agrees else "no"),
            Text(f"{trial.changed}" if trial.changed else "none"),
            Text(
                _px(trial.tuned_change) + (f" {trial.tuned_events}!" if trial.tuned_events else "")
            ),
            Text(f"{trial.latency:.1f}"),
            Text(f"{trial.steps:.0f}"),
            Text("yes" if trial.depends else "no"),
        )
    return table


def _drift(trial: Tried) -> Text:
    return Text(_px(trial.drift) if math.isfinite(trial.drift) else "blows up")


def _px(value: float) -> str:
    return "0" if value < 0.005 else figures(value)


def _remains(taken: Tried, cures: Cures) -> str:
    """Return what a cure leaves, if that exceeds the tolerance."""
    parts = []
    if taken.drift > cures.causes.tolerance:
        parts.append(f"{_px(taken.drift)} {cures.causes.scenario.arena.unit} of drift")
    if taken.changed:
        parts.append("1 event" if taken.changed == 1 else f"{taken.changed} events")
    return f" Left: {' and '.join(parts)}." if parts else ""


def verdict_line(every: Sequence[Causes]) -> str:
    """Return a sentence about the largest drift, and the number of different outcomes."""
    causes = every[0]
    name = causes.craft
    worst = max(causes.runs, key=lambda run: run.whole, default=None)
    if worst is None or all(
        run.whole <= _same(explained, run) for explained in every for run in explained.runs
    ):
        tuned = f"{causes.scenario.tuned_at:g} fps"
        return f"{name}: every run agrees with the one tuned at {tuned}."
    if causes.of != "drift":
        return f"{name}: {causes.of} differs most at {worst.clock}."
    ended = sum(run.parts_at is not None for run in causes.runs)
    share = f"{ended} of {len(causes.runs)} runs"
    far = f"{figures(worst.whole)} {causes.unit}"
    if worst.whole > causes.tolerance and worst.parts_at is not None and not worst.case.whole_run:
        return f"{name} drifts {far} ({worst.clock}) until its outcome differs, as in {share}."
    drifts = f"drifts up to {far} ({worst.clock})"
    if worst.whole <= causes.tolerance:
        drifts = f"does not drift by more than {causes.tolerance:g} {causes.unit}"
    outcomes = f"; {share} have a different outcome" if ended else ""
    return f"{name} {drifts}{outcomes}."


def _same(causes: Causes, run: Explained) -> float:
    """Return the largest difference of a run that counts as the tuned one."""
    return causes.tolerance if causes.of == "drift" else run.case.least


def cure_lines(cures: Cures) -> list[str]:
    """Return the recommendation, its reason, the remaining difference, and the lines to write."""
    causes, taken = cures.causes, cures.recommended
    if taken is None:
        return [f"Nothing to cure: {cures.reason}."]
    left = _remains(taken, cures) or f" Left: {_px(taken.drift)} {causes.scenario.arena.unit}."
    lines = [f"Recommended: {taken.cure.name} ({cures.reason}).{left}"]
    changes = [(suspect.name, line) for suspect in taken.cure.suspects if (line := suspect.line)]
    if taken.cure.line is not None:
        changes.append(("the loop", taken.cure.line))
    if changes:
        lines.append("Write:")
    lines += _written(changes)
    named = {name for name, _line in changes}
    lines += [
        f"  {suspect.name}: needs more than one statement; --apply writes it into the scenario"
        for suspect in taken.cure.suspects
        if suspect.name not in named
    ]
    if cures.feel:
        counts = {name: len(sheet.differing) for name, sheet in cures.feel.items()}
        lines.append(
            f"Feel metrics that differ, over all rates: {counts.get('as it is', 0)} now, "
            f"{counts.get(taken.cure.name, 0)} with this change."
        )
    return lines


def alternative_lines(cures: Cures) -> list[str]:
    """Return other cures that are worth their cost, and their results over uneven frames."""
    unit = cures.causes.scenario.arena.unit
    lines = [
        f"Alternative: {trial.cure.name}: {_px(trial.drift)} {unit} of drift, "
        f"{trial.latency:.1f} ms of added latency, {trial.steps:.0f} steps per second."
        for trial in cures.alternatives
    ]
    return lines + [
        f"Over uneven frames, {name}: median drift {_px(rough.median)} {unit}, 95 % of seeds at "
        f"most {_px(rough.high)} {unit}; a different outcome in {rough.differs:.0%}."
        for name, rough in cures.rough.items()
    ]


def all_cure_lines(cures: Cures) -> list[str]:
    """Return the line of every suspect that has one, recommended or not."""
    suspects = tuple(cures.bench.curable) if cures.bench else ()
    pairs = [(suspect.name, line) for suspect in suspects if (line := suspect.line)]
    if not pairs:
        return ["No suspect has a line of its own."]
    return ["Lines of all suspects:", *_written(pairs)]


def _written(pairs: Sequence[tuple[str, Line]]) -> list[str]:
    """Return lines below their heading."""
    lines = []
    for name, line in pairs:
        where = f"   ({line.where})" if line.where else ""
        lines += [f"  {name}{where}", f"    {line.before}", f"    -> {line.after}"]
    return lines
