"""The line to write instead: a statement that any language has, with the user's own numbers.

A rule declares its update template; here its numbers are put in as they are typed now, and
as they hold at every frame rate.
"""

from dataclasses import dataclass

from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Timing, Units, frames_in
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.update import Line
from tinrocket.scenario.view import View


def rule_line(scenario: Scenario, craft: Craft, rule: MotionRule) -> Line | None:
    """Return the statement of a rule's timing, and its replacement; None if it is right.

    Examples
    --------
    >>> rocket = tr.read_demo("rocket")
    >>> print(tr.rule_line(rocket, rocket.craft[0], rocket.craft[0].rules[2]).after)
    v *= 0.99 ** (dt * 60)
    """
    units, timing = rule.units or scenario.units, scenario.timing_of(craft, rule)
    return _line(_Printer(rule, units, timing, scenario.tuned_at))


def view_line(scenario: Scenario, view: View) -> Line | None:
    """Return the statement of a view's timing, and its replacement; None if it is right."""
    return _line(_Printer(view, scenario.units, scenario.timing_of(view), scenario.tuned_at))


def counted_line(scenario: Scenario, rule: MotionRule) -> Line:
    """Return the statement of a span that is counted in frames."""
    key, frames = next(
        (key, frames)
        for key in type(rule).spans
        if (frames := frames_in(getattr(rule, key, None))) is not None
    )
    update = rule.counted_update(key)
    numbers = {"frames": f"{frames:.12g}", "seconds": f"{frames:.12g} / {scenario.tuned_at:g}"}
    before, after = (text.format(**numbers) for text in (update.statement, update.instead))
    return Line(before, after, update.where, update.runs)


def _line(printer: "_Printer") -> Line | None:
    update = printer.form.update
    if update is None or printer.timing == "exact":
        return None
    if printer.second.kept_in_frame(printer.tuned_at) <= 0.0:
        return None  # a step that keeps nothing, or reverses it, is equal at every rate
    before = printer.filled(update.statement, 0)
    after = printer.filled(update.instead or update.statement, 1)
    where = update.where
    for key, does in update.also:
        if getattr(printer.form, key):
            now, instead = (printer.filled(f"{{{key}}}", place) for place in (0, 1))
            if now != instead:
                where += f"; and {does} by {instead} instead of {now}"
    return Line(before, after, where, update.runs) if before != after else None


@dataclass(frozen=True, slots=True)
class _Printer:
    """Printer of the numbers of a rule or view in the user's update."""

    form: MotionRule | View
    units: Units
    timing: Timing
    tuned_at: float

    @property
    def second(self) -> MotionRule | View:
        """The rule with its numbers per second."""
        return self.form.converted("per_second", self.units, self.tuned_at)

    @property
    def exact(self) -> MotionRule | View:
        """The rule in exact timing, with the same effect in a tuned frame; per second."""
        return self.second.in_exact_timing(self.timing, self.tuned_at)

    @property
    def frames(self) -> str:
        """The length of the step in tuned frames."""
        return f"(dt * {self.tuned_at:g})"

    def filled(self, template: str, place: int) -> str:
        """Return a template with the current numbers (0), or the correct ones (1)."""
        return template.format_map(_Keys(self, place))

    def number(self, key: str, scaling: str) -> tuple[str, str]:
        """Return a number of the rule, and its right value."""
        if key in ("kept", "share"):
            return self._decaying(key)
        if key == "step":
            return self._per_time("")
        form = self.exact if scaling == "exact" else self.form
        value = f"{float(getattr(form, key)):.{6 if scaling == 'exact' else 12}g}"
        if scaling == "each":
            after = f"{value} * {self.frames}"
            return (after if self.timing == "dt" else value), after
        return (value, value) if scaling else self._per_time(value)

    def _per_time(self, value: str) -> tuple[str, str]:
        """Return an amount per unit of time as a frame spends it, and its right form."""
        if self.units == "per_frame":
            before, after = value, f"{value} * {self.frames}"
        else:
            before, after = f"{value} / {self.tuned_at:g}", f"{value} * dt"
        return (after if self.timing == "dt" else before), after

    def _decaying(self, key: str) -> tuple[str, str]:
        """Return the share that a step keeps, or loses, in a decay."""
        after = f"{self.exact.kept_in_frame(self.tuned_at):.12g} ** {self.frames}"
        if self.timing == "dt":
            before = f"{self.second.decay_rate(self.tuned_at):.12g} * dt"
            before = before if key == "share" else f"1 - {before}"
        else:
            share = self.second.kept_in_frame(self.tuned_at)
            before = f"{share if key == 'kept' else 1.0 - share:.12g}"
        return before, after if key == "kept" else f"(1 - {after})"


class _Keys(dict[str, "_Value"]):
    """Mapping from the keys of a template to numbers."""

    def __init__(self, printer: _Printer, place: int) -> None:
        super().__init__()
        self._given = printer, place

    def __missing__(self, key: str) -> "_Value":
        """Return a number, formatted for the template."""
        return _Value(*self._given, key)


@dataclass(frozen=True, slots=True)
class _Value:
    printer: _Printer
    place: int
    key: str

    def __format__(self, scaling: str) -> str:
        """Return the number in a form that depends on the step."""
        return self.printer.number(self.key, scaling)[self.place]
