"""Pins: recorded feel, ends and outcomes of a scenario, so that they cannot change unnoticed."""

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from tinrocket import __version__
from tinrocket.errors import OptionError, expect
from tinrocket.feel_metrics.measuring import feel
from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.scenario.differences import values_of
from tinrocket.scenario.scenario import Scenario
from tinrocket.texts import safe_line
from tinrocket.trajectory.clocks import RATES, check_pace
from tinrocket.trajectory.simulate import simulate

DIGITS = 4
"""Digits of a pinned number: few enough to review, and finer than any useful tolerance."""
SHARE = 0.005
"""Default relative tolerance of a number."""
PIXELS = 1.0
"""Tolerance of the end of a flight [px], for each half per cent of tolerance."""

Number = float | str
"""A feel metric, or a note why there is none."""


@dataclass(frozen=True)
class Pin:
    """Recorded feel, ends and outcomes of a scenario.

    Attributes
    ----------
    title, version
        The scenario's title, and the version of Tin Rocket that flew it.
    rates
        Frames per second.
    scenario
        The values of the scenario, by path.
    feel
        For each clock and craft the feel metrics, by manoeuvre and name.
    ends
        For each clock and craft where the scenario's own tape ends: x, y [px], speed [px/s].
    outcomes
        For each clock and craft the number of events of each kind.
    """

    title: str
    version: str
    rates: tuple[float, ...]
    scenario: Mapping[str, str]
    feel: Mapping[str, Mapping[str, Mapping[str, Number]]]
    ends: Mapping[str, Mapping[str, Sequence[float]]]
    outcomes: Mapping[str, Mapping[str, Mapping[str, int]]]


def pin(scenario: Scenario, rates: Sequence[float] = RATES) -> Pin:
    """Fly a scenario and its manoeuvres, and record feel, ends and outcomes.

    Parameters
    ----------
    scenario
        The scenario.
    rates
        Frames per second; the tuned rate is always among them.

    Raises
    ------
    FlightError
        If the numbers of the scenario's own tape blow up.

    Examples
    --------
    >>> pinned = tr.pin(tr.read_demo("rocket"), rates=[30])
    >>> pinned.rates
    (30.0, 60.0)
    """
    expect(scenario, Scenario, "pin()", "read one with read_scenario('file.toml')")
    check_pace("pin()", rates)
    every = tuple(sorted({*map(float, rates), scenario.tuned_at}))
    ends: dict[str, dict[str, tuple[float, float, float]]] = {}
    outcomes: dict[str, dict[str, dict[str, int]]] = {}
    for rate in every:
        clock, flight = f"{rate:g} fps", simulate(scenario, rate=rate)
        ends[clock], outcomes[clock] = {}, {}
        for craft, members in flight.families.items():
            happened = flight.happened
            mine = np.isin(happened["craft"], members)
            counted = Counter(happened["kind"][mine].tolist())
            if counted:
                outcomes[clock][craft] = dict(sorted(counted.items()))
            if members == (craft,):
                track = flight.track(craft)
                x, y, speed = (rounded(float(track[name][-1])) for name in ("x", "y", "speed"))
                ends[clock][craft] = x, y, speed
    return Pin(
        title=scenario.title,
        version=__version__,
        rates=every,
        scenario=values_of(scenario),
        feel=_felt(scenario, every),
        ends=ends,
        outcomes=outcomes,
    )


def _felt(scenario: Scenario, rates: Sequence[float]) -> dict[str, dict[str, dict[str, Number]]]:
    try:
        sheet = feel(scenario, rates=rates)
    except OptionError:  # no craft has a metric
        return {}
    return told(sheet)


def told(sheet: FeelSheet) -> dict[str, dict[str, dict[str, Number]]]:
    """Return the numbers of a sheet by clock, craft, and manoeuvre and name."""
    tables: dict[str, dict[str, dict[str, Number]]] = {}
    for row in sheet.rows:
        value = row.answer.note or rounded(row.answer.value)
        mine = tables.setdefault(f"{row.rate:g} fps", {}).setdefault(row.craft, {})
        mine[f"{row.manoeuvre}: {row.metric.name}"] = value
    return tables


def rounded(value: float) -> float:
    """Return a number rounded to the pinned digits; negligible numbers are 0."""
    return 0.0 if abs(value) < 1e-9 else float(f"{value:.{DIGITS}g}")


@dataclass(frozen=True, slots=True)
class PinChange:
    """A value that differs from the pin: its place, the pinned value, and the present one."""

    where: str
    was: str
    now: str
    percent: float = math.nan

    def __str__(self) -> str:
        """Return the difference as a line."""
        by = "" if math.isnan(self.percent) else f" ({self.percent:+.3g} %)"
        return safe_line(f"{self.where}: {self.was} -> {self.now}{by}")


def changes(pinned: Pin, now: Pin, share: float = SHARE) -> tuple[list[PinChange], list[PinChange]]:
    """Return the values that differ from the pin, and the changes of the scenario.

    Parameters
    ----------
    share
        Relative change of a number that is allowed; ends of flights may move by `PIXELS` for each
        half per cent.
    """
    if not 0.0 <= share < math.inf:
        raise OptionError(f"the tolerance is a share of at least 0, not {share:g}")
    done: list[PinChange] = []
    gone = sorted(set(pinned.ends) - set(now.ends))
    done += [PinChange(clock, "pinned", "not flown") for clock in gone]
    for clock in sorted(set(now.ends) & set(pinned.ends), key=lambda told: float(told.split()[0])):
        done += _outcomes(clock, pinned.outcomes.get(clock, {}), now.outcomes.get(clock, {}))
        done += _ends(clock, pinned.ends[clock], now.ends[clock], PIXELS * share / SHARE)
        done += _numbers(clock, pinned.feel.get(clock, {}), now.feel.get(clock, {}), share)
    keys = dict.fromkeys((*pinned.scenario, *now.scenario))
    said = [
        PinChange(key, pinned.scenario.get(key, "–"), now.scenario.get(key, "–"))
        for key in keys
        if pinned.scenario.get(key) != now.scenario.get(key)
    ]
    return done, said


def _outcomes(
    clock: str, was: Mapping[str, Mapping[str, int]], now: Mapping[str, Mapping[str, int]]
) -> list[PinChange]:
    return [
        PinChange(f"{clock}: {craft}, {kind}", str(before), str(after))
        for craft in dict.fromkeys((*was, *now))
        for kind in dict.fromkeys((*was.get(craft, {}), *now.get(craft, {})))
        if (before := was.get(craft, {}).get(kind, 0)) != (after := now.get(craft, {}).get(kind, 0))
    ]


def _ends(
    clock: str,
    was: Mapping[str, Sequence[float]],
    now: Mapping[str, Sequence[float]],
    pixels: float,
) -> list[PinChange]:
    differences = []
    for craft in dict.fromkeys((*was, *now)):
        before, after = was.get(craft), now.get(craft)
        if before is None or after is None:
            there, gone = "there", "–"
            old_new = (there, gone) if after is None else (gone, there)
            differences.append(PinChange(f"{clock}: {craft}", *old_new))
            continue
        for name, old, new in zip(("x", "y", "speed"), before, after, strict=True):
            # pinned values are rounded
            if abs(new - old) > pixels + abs(old) * 10.0 ** (1 - DIGITS):
                differences.append(
                    PinChange(f"{clock}: {craft} ends at {name}", f"{old:g}", f"{new:g}")
                )
    return differences


def _numbers(
    clock: str,
    was: Mapping[str, Mapping[str, Number]],
    now: Mapping[str, Mapping[str, Number]],
    share: float,
) -> list[PinChange]:
    differences = []
    for craft in dict.fromkeys((*was, *now)):
        old, new = was.get(craft, {}), now.get(craft, {})
        for name in dict.fromkeys((*old, *new)):
            before, after = old.get(name, "–"), new.get(name, "–")
            if before == after:
                continue
            percent = math.nan
            if isinstance(before, float) and isinstance(after, float):
                # both are rounded
                allowed = (share + 10.0 ** (1 - DIGITS)) * max(abs(before), abs(after))
                if abs(after - before) <= allowed:
                    continue
                percent = 100.0 * (after - before) / abs(before) if before else math.nan
            differences.append(
                PinChange(f"{clock}: {craft}, {name}", _text(before), _text(after), percent)
            )
    return differences


def _text(value: Number) -> str:
    return value if isinstance(value, str) else f"{value:g}"


def difference(pinned: Pin, now: Pin, share: float = SHARE) -> str:
    """Return the differences from the pin as readable lines; an empty list if there are none."""
    done, said = changes(pinned, now, share)
    if not done:
        return ""
    many = "1 value differs" if len(done) == 1 else f"{len(done)} values differ"
    lines = [f"{many} from the pin by more than {100 * share:g} %:"]
    lines += [f"  {change}" for change in done]
    lines.append("Changed in the scenario:" if said else "The scenario has not changed")
    lines += [f"  {change}" for change in said]
    if not said:
        if pinned.version != now.version:
            lines[-1] += f"; pinned with version {pinned.version}, flown with {now.version}."
        else:
            lines[-1] += "."
    return "\n".join(lines)
