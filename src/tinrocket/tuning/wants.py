"""Wants: what a feel metric should be, as a sentence such as ``top speed = 420 px/s``."""

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

from tinrocket.errors import OptionError, UnknownNameError, nearest
from tinrocket.feel_metrics.manoeuvres import BUILT_IN
from tinrocket.feel_metrics.metric import REGISTERED, Manoeuvre, Metric, now_called
from tinrocket.scenario.scenario import Scenario

NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
END = (
    r"(?:\s+at\s+(?P<rates>[\d.,\s]+?)\s*fps)?(?:\s*,?\s*weight\s+(?P<weight>" + NUMBER + r"))?\s*$"
)
FORMS = (
    re.compile(
        rf"^(?P<what>.+?)\s+between\s+(?P<low>{NUMBER})\s+and\s+(?P<high>{NUMBER})\s*(?P<unit>\S*?)"
        + END
    ),
    re.compile(rf"^(?P<what>.+?)\s*(?P<sign><=|>=|=)\s*(?P<value>{NUMBER})\s*(?P<unit>\S*?)" + END),
    re.compile(r"^(?P<what>.+?)\s+(?P<same>same)(?:\s+at\s+every\s+frame\s+rate)?" + END),
)
EXAMPLE = (
    "write it as 'top speed = 420 px/s', 'rise time <= 0.5 s', 'apex between 40 and 50 px', or "
    "'top speed same'; ' at 30, 144 fps' and ', weight 2' may follow"
)


@dataclass(frozen=True, slots=True)
class Want:
    """A want: a feel metric of a craft, and its wanted range.

    Attributes
    ----------
    craft, manoeuvre, metric
        Of what.
    low, high
        Wanted range; equal for one number, infinite without a bound.
    same
        Whether it should equal the tuned one at every rate.
    rates
        Frame rates [1/s]; empty for those of the search.
    weight
        Weight of a miss.
    text
        Text of the want.
    """

    craft: str
    manoeuvre: Manoeuvre
    metric: Metric
    low: float
    high: float
    same: bool
    rates: tuple[float, ...]
    weight: float
    text: str

    def miss(self, value: float, tuned: float, scale: float) -> float:
        """Return the miss of a value, as a share of `scale`; 0 if the want is met.

        NaN where there is no value.
        """
        if math.isnan(value):
            return math.nan
        if self.same:
            return (value - tuned) / scale
        if value < self.low:
            return (value - self.low) / scale
        return (value - self.high) / scale if value > self.high else 0.0

    @property
    def size(self) -> float:
        """Scale of a miss: the wanted number."""
        ends = [abs(end) for end in (self.low, self.high) if math.isfinite(end)]
        return max(ends, default=0.0)


def parse_want(text: str, scenario: Scenario) -> Want:
    """Read a want.

    Raises
    ------
    OptionError
        If it has another form, or another unit.
    UnknownNameError
        If there is no such craft or metric.
    """
    matched = next((match for form in FORMS if (match := form.match(text.strip()))), None)
    if matched is None:
        raise OptionError(f"'{text}': {EXAMPLE}")
    parts = matched.groupdict()
    craft, name = split_craft(parts["what"].strip(), scenario)
    manoeuvre, metric = find_metric(name)
    unit = (parts.get("unit") or "").rstrip(",")
    if unit and unit != metric.unit:
        raise OptionError(f"'{text}': {metric.name} counts {metric.unit or 'nothing'}, not {unit}")
    low, high = -math.inf, math.inf
    if parts.get("low"):
        low, high = float(parts["low"]), float(parts["high"])
        if low > high:
            raise OptionError(f"'{text}': {low:g} is more than {high:g}")
    elif parts.get("sign"):
        value = float(parts["value"])
        low = value if parts["sign"] in (">=", "=") else low
        high = value if parts["sign"] in ("<=", "=") else high
    weight = float(parts["weight"]) if parts["weight"] else 1.0
    if not weight > 0.0:
        raise OptionError(f"'{text}': a weight must be above 0, not {weight:g}")
    rates = _rates(parts["rates"], text)
    same = bool(parts.get("same"))
    return Want(craft, manoeuvre, metric, low, high, same, rates, weight, text.strip())


def _rates(text: str | None, whole: str) -> tuple[float, ...]:
    try:
        rates = tuple(float(word) for word in re.split(r"[,\s]+", text.strip())) if text else ()
    except ValueError:
        raise OptionError(f"'{whole}': frame rates look like 'at 30, 144 fps'") from None
    for rate in rates:
        if not 1.0 <= rate <= 2000.0:
            raise OptionError(f"'{whole}': feel is measured from 1 to 2,000 fps, not at {rate:g}")
    return rates


def split_craft(what: str, scenario: Scenario) -> tuple[str, str]:
    """Return the craft and the metric of a text such as ``rocket top speed``.

    Without a craft, the first that can be steered is meant.
    """
    known = any(
        metric.is_answered_by(what) for manoeuvre in _manoeuvres() for metric in manoeuvre.metrics
    )
    for member in sorted(scenario.craft, key=lambda craft: -len(craft.name)):
        if not known and what.startswith(f"{member.name} "):
            return member.name, what.removeprefix(f"{member.name} ").strip()
    steered = [mate for mate in scenario.craft if mate.actions] or list(scenario.craft)
    return steered[0].name, what


def metric_names() -> Sequence[str]:
    """Return the names of all metrics."""
    return [metric.name for manoeuvre in _manoeuvres() for metric in manoeuvre.metrics]


def find_metric(name: str) -> tuple[Manoeuvre, Metric]:
    """Return a metric by its name, with the manoeuvre that measures it.

    Raises
    ------
    UnknownNameError
        If no metric has that name.
    """
    for manoeuvre in _manoeuvres():
        for metric in manoeuvre.metrics:
            if metric.is_answered_by(name):
                return manoeuvre, metric
    known = metric_names()
    hint = now_called(name, known) or nearest(name, known)
    raise UnknownNameError(f"there is no feel metric '{name}'{hint}")


def _manoeuvres() -> tuple[Manoeuvre, ...]:
    return (*BUILT_IN, *REGISTERED.manoeuvres.values())
