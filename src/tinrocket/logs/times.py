"""The moment of each row of a log, from moments, lengths of frames, or frame numbers."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.errors import TrajectoryError
from tinrocket.logs.columns import unit_of

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

HOURS = re.compile(r"(?:\d{4}-\d\d-\d\d[T ])?(\d{1,2}):(\d\d)(?::(\d\d(?:[.,]\d+)?))?Z?")
MOST_DECIMALS = 7
COARSE = 0.02
"""Rounding of times, as a share of a frame, beyond which they do not pace a flight well."""
LONG = 1.75
"""Length of a frame in usual frames from which it gets a warning."""
DAY = 86400.0
MS, US = 1.0, 1000.0
"""Steps of time above which they are taken as milliseconds, and as microseconds."""
MOST_FRAMES = 1e15
"""Largest frame number."""
MOST_COUNTED = 8.0
"""Largest whole step that may count frames."""


@dataclass(frozen=True, slots=True)
class Times:
    """Moments and frames of rows.

    Attributes
    ----------
    t
        Moment of each row [s], shape (rows,).
    frame
        Frame number of each row, from 0 on; missing rows leave gaps.
    told
        Description of the log's time column.
    notes
        Assumptions, a sentence each.
    """

    t: Floats
    frame: Indices
    told: str
    notes: tuple[str, ...] = ()


def times_of(
    columns: Mapping[str, pd.Series],
    named: Mapping[str, str],
    whose: Indices,
    rate: float | None,
    source: str,
) -> Times:
    """Return moment and frame of each row.

    Parameters
    ----------
    columns
        By their meanings: t, dt or frame; the first present gives the time.
    named
        Names of these columns.
    whose
        Index of the craft of each row.
    rate
        Frames per second, if an option gives them.

    Raises
    ------
    TrajectoryError
        If a column does not hold times, or frames are counted and no rate is given.
    """
    frame = _counted(columns["frame"], named["frame"], source) if "frame" in columns else None
    group = _groups(whose) if frame is None else frame - frame.min()
    if "t" in columns:
        raw, digits = _numbers(columns["t"], named["t"], source)
        if frame is None and "dt" not in columns:
            if _counts_frames(raw, named["t"]):
                return times_of({"frame": columns["t"]}, {"frame": named["t"]}, whose, rate, source)
            group = _by_moment(raw, whose, group)
        return _from_moments(raw, digits, group, frame is not None, named["t"], rate, source)
    if "dt" in columns:
        raw, digits = _numbers(columns["dt"], named["dt"], source)
        return _from_lengths(raw, digits, group, named["dt"], rate, source)
    if frame is None or rate is None:
        raise TrajectoryError(
            f"{source}: column '{named['frame']}' counts frames; give how many there are in a "
            f"second, such as --rate 60"
        )
    begin = int(frame.min())
    t = frame / rate if begin <= 1 else (frame - begin) / rate
    return Times(t, group, f"numbers of frames in '{named['frame']}' at {rate:g} fps")


def _counted(values: pd.Series, column: str, source: str) -> Indices:
    """Return frame numbers."""
    numbers = pd.to_numeric(values, errors="coerce").to_numpy(np.float64)
    odd = ~np.isfinite(numbers) | (numbers != np.round(numbers)) | (np.abs(numbers) > MOST_FRAMES)
    if odd.any():
        wrong = values.iloc[int(np.flatnonzero(odd)[0])]
        raise TrajectoryError(
            f"{source}: column '{column}' holds '{wrong}', which is no number of a frame; "
            f"if it holds the length of frames, set --columns dt={column}"
        )
    return numbers.astype(np.int64)


def _groups(whose: Indices) -> Indices:
    """Return the frame of each row: a new one begins with a craft that it has already."""
    if whose.size and (whose == whose[0]).all():
        return np.arange(whose.size)
    if (np.diff(whose) >= 0).all():  # one craft below the other
        begins = np.searchsorted(whose, np.arange(int(whose[-1]) + 1))
        return np.arange(whose.size) - begins[whose]
    frames = np.empty(whose.size, np.int64)
    frame, seen = 0, set[int]()
    for row, craft in enumerate(whose.tolist()):
        if craft in seen:
            frame += 1
            seen.clear()
        seen.add(craft)
        frames[row] = frame
    return frames


def _by_moment(raw: Floats, whose: Indices, group: Indices) -> Indices:
    """Return the frame of each row by its moment, if no craft has the same moment twice."""
    _moments, place = np.unique(raw, return_inverse=True)
    if np.unique(place * (int(whose.max()) + 1) + whose).size < raw.size:
        return group
    return place.astype(np.int64)


def _numbers(values: pd.Series, column: str, source: str) -> tuple[Floats, float]:
    """Return times as numbers, and the unit of their rounding."""
    texts = values.astype(str).str.strip()
    clocked = texts.str.contains(":", regex=False)
    if clocked.any():
        return _clock_times(texts, column, source)
    numbers = pd.to_numeric(values, errors="coerce").to_numpy(np.float64)
    wrong = np.flatnonzero(~np.isfinite(numbers) | (np.abs(numbers) > 1e15))
    if wrong.size:
        said = texts.iloc[wrong[0]]
        what = f"holds '{said}', which is no time" if said not in ("", "nan") else "is empty"
        raise TrajectoryError(f"{source}: column '{column}' {what} in row {wrong[0] + 1}")
    for decimals in range(MOST_DECIMALS):
        if np.abs(np.round(numbers, decimals) - numbers).max() <= 1e-12 * np.abs(numbers).max():
            return numbers, 10.0**-decimals
    return numbers, 0.0


def _clock_times(texts: pd.Series, column: str, source: str) -> tuple[Floats, float]:
    """Return moments of the form h:m:s; a day may end in between."""
    parts = [HOURS.fullmatch(text) for text in texts]
    for row, (part, text) in enumerate(zip(parts, texts, strict=True)):
        if part is None:
            raise TrajectoryError(
                f"{source}: column '{column}' holds '{text}' in row {row + 1}; "
                f"times of a clock are h:m:s"
            )
    fields = [part.groups() for part in parts if part is not None]
    if all(seconds is None for *_most, seconds in fields):  # m:s
        t = np.array([60.0 * int(m) + int(s) for m, s, _none in fields])
        return t, 1.0
    seconds = [(s or "0").replace(",", ".") for *_most, s in fields]
    t = np.array(
        [
            3600.0 * int(h) + 60.0 * int(m) + float(s)
            for (h, m, _s), s in zip(fields, seconds, strict=True)
        ]
    )
    t += DAY * np.concatenate([[0.0], np.cumsum(np.diff(t) < -0.5 * DAY)])
    digits = max(len(s.partition(".")[2]) for s in seconds)
    return t, 10.0**-digits


def _counts_frames(raw: Floats, column: str) -> bool:
    """Return whether times increase by whole numbers as only frame numbers do."""
    steps = np.diff(np.unique(raw))
    if not steps.size or unit_of(column) is not None or (raw != np.round(raw)).any():
        return False
    return float(np.median(steps)) <= MS and float(steps.max()) <= MOST_COUNTED


def _unit(column: str, steps: Floats) -> tuple[float, tuple[str, ...]]:
    """Return the unit of a time column [s], and the note about a guess."""
    said = unit_of(column)
    if said is not None:
        return said, ()
    usual = float(np.median(steps)) if steps.size else 0.0
    if usual > US:
        return 1e-6, (
            f"'{column}' is taken as microseconds, as a frame would last over a second of ms",
        )
    if usual > MS:
        return 1e-3, (f"'{column}' is taken as milliseconds, as a frame would last over a second",)
    return 1.0, ()


def _from_moments(
    raw: Floats,
    digits: float,
    group: Indices,
    counted: bool,
    column: str,
    rate: float | None,
    source: str,
) -> Times:
    numbers, first = np.unique(group, return_index=True)
    moments = raw[first]
    steps = np.diff(moments)
    unit, notes = _unit(column, steps[steps > 0.0])
    moments, digits = moments * unit, digits * unit
    unit_name = {1.0: "s", 1e-3: "ms", 1e-6: "µs"}[unit]
    frames = np.arange(numbers.size) if not counted else numbers
    own = raw * unit
    usual = float(np.median(steps[steps > 0.0])) * unit if (steps > 0.0).any() else 0.0
    coarse = usual > 0.0 and digits > COARSE * usual
    steady = None
    if (coarse or rate is not None) and frames.size > 1:
        steady = _steady(moments, frames, digits, rate)
    if steady is not None and coarse:
        begin, rate_found = steady
        own = begin + group / rate_found if counted else begin + _places(group) / rate_found
        told_rate = "" if rate is not None else f"; set --rate if they are not {rate_found:.6g} fps"
        notes += (
            f"times are rounded to {digits:.2g} s, and the frames are taken as steady{told_rate}",
        )
    elif coarse:
        notes += (
            (
                f"times are rounded to {digits:.2g} s, a large share of a frame of {usual:.2g} s; "
                f"print more decimals"
            ),
        )
    elif rate is not None and steady is None:
        raise TrajectoryError(
            f"{source}: '{column}' does not go on at {rate:g} frames per second, but at "
            f"{1.0 / usual if usual else 0.0:.4g}; leave --rate out"
        )
    if not counted and steady is None:
        notes += _long_frames(np.diff(moments))
    return Times(
        own, group if counted else _places(group), f"moments in '{column}' [{unit_name}]", notes
    )


def _places(group: Indices) -> Indices:
    """Return frames as consecutive numbers from 0 on."""
    return np.unique(group, return_inverse=True)[1].astype(np.int64)


def _long_frames(steps: Floats) -> tuple[str, ...]:
    """Return a note on frames that are so long that rows may have been left out."""
    if not steps.size:
        return ()
    usual = float(np.median(steps))
    long = steps > LONG * usual
    if usual <= 0.0 or not long.any():
        return ()
    many = int(long.sum())
    lasts = f"{many} frames last" if many > 1 else "one frame lasts"
    return (
        (
            f"{lasts} {'up to ' if many > 1 else ''}{float(steps.max()) / usual:.2g} times as "
            f"long as the others and {'are' if many > 1 else 'is'} flown that long; if the log "
            f"leaves rows out, print the number of each frame as a column 'frame'"
        ),
    )


def _steady(
    moments: Floats, frames: Indices, digits: float, rate: float | None
) -> tuple[float, float] | None:
    """Return begin and rate of steady frames with rounded times, or None if they are not steady.

    Each moment lies within its rounding of a straight line.
    """
    span = float(frames[-1] - frames[0])
    length = float(moments[-1] - moments[0])
    if length <= 0.0:
        return None
    guess = span / length
    spread = guess * 2.0 * digits / length
    rates = [rate] if rate is not None else [float(np.round(guess)), guess]
    for chosen in rates:
        if chosen <= 0.0 or abs(chosen - guess) > spread + 1e-6 * guess:
            continue
        off = moments - frames / chosen
        low, high = float(off.max() - digits), float(off.min() + digits)
        slack = 1e-9 + 1e-6 / chosen
        if low > high + slack:
            continue
        centre = 0.5 * (float(off.max()) + float(off.min()))
        for begin in (0.0, 1.0 / chosen):
            if low - slack <= begin <= high + slack and abs(begin - centre) <= digits:
                return begin, chosen
        return centre, chosen
    return None


def _from_lengths(
    raw: Floats, digits: float, group: Indices, column: str, rate: float | None, source: str
) -> Times:
    """Return moments at which frames of given lengths end: a row is printed after its frame."""
    numbers, first, place = np.unique(group, return_index=True, return_inverse=True)
    lengths = raw[first]
    unit, notes = _unit(column, lengths)
    lengths, digits = lengths * unit, digits * unit
    usual = float(np.median(lengths))
    if rate is not None:
        if abs(usual * rate - 1.0) > max(0.02, digits * rate):
            raise TrajectoryError(
                f"{source}: frames of '{column}' last {usual:.4g} s, which is not {rate:g} frames "
                f"per second; leave --rate out"
            )
        ends = (np.arange(numbers.size) + (lengths[0] > 0.0)) / rate
    else:
        ends = np.cumsum(lengths)
        steady = lengths.size > 1 and (lengths[1:] == lengths[1]).all()
        if digits > COARSE * usual or (steady and digits > 1e-3 * usual):
            notes += (
                (
                    f"'{column}' is rounded to {digits:.2g} s, which adds up; print more decimals, "
                    f"or set --rate"
                ),
            )
    gaps = np.diff(numbers)
    if rate is None and (gaps > 1).any():
        notes += (
            f"{int((gaps - 1).sum())} rows are left out, and with them the lengths of their frames",
        )
    notes += _long_frames(lengths[1:])
    return Times(ends[place], place.astype(np.int64), f"lengths of frames in '{column}'", notes)


def frame_gaps(frame: Sequence[int] | Indices) -> int:
    """Return the number of missing frame numbers."""
    steps = np.diff(np.unique(np.asarray(frame)))
    return int((steps - 1).sum()) if steps.size else 0
