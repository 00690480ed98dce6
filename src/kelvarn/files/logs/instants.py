"""When the rows of a log were: clocks over midnight, counters that wrap, disorder, boards that began anew."""

import itertools
from datetime import datetime

import numpy as np
import numpy.typing as npt

from kelvarn.files.faults import FileError
from kelvarn.model.log import WRAP, LogReading
from kelvarn.model.log_data import Floats

from .cells import clock_s, seconds
from .rows import Faults, LogRows

_DAY_S = 86400.0
Places = npt.NDArray[np.intp]
"""Places of rows among those that were gathered."""


def times_of(
    reading: LogReading, places: dict[str, list[int]], columns: LogRows, rows: Floats, faults: Faults, where: str
) -> tuple[Floats, datetime | None]:
    """Seconds of each row, NaN where there is none; and when it began, where that is said."""
    if not places["time"]:
        assert reading.interval_s is not None
        return np.asarray(np.arange(rows.size) * reading.interval_s, np.float64), None
    k = places["time"][0]
    form, begun = reading.columns[k].form, None
    if form == "date_time":
        times, begun = seconds(columns.texts[k], day_first=reading.day_first)
    elif form in ("clock", "elapsed"):
        times = np.array([clock_s(cell, elapsed=form == "elapsed") for cell in columns.texts[k]])
        times = _past(times, _DAY_S, rows, faults, "past midnight") if form == "clock" else times
    else:
        times = np.concatenate(columns.values[k])
        if form in WRAP:
            times = _past(times, WRAP[form], rows, faults, "where the counter begins anew")
        first = times[np.isfinite(times)][:1]
        if first.size and form in ("s", "ms") and 1e9 < first[0] / (1.0 if form == "s" else 1e3) < 4e9:
            begun = datetime.fromtimestamp(first[0] / (1.0 if form == "s" else 1e3))
        times = times * {"ms": 1e-3, "us": 1e-6, "min": 60.0, "h": 3600.0, "days": _DAY_S}.get(form, 1.0)
    bad = ~np.isfinite(times)
    if bad.mean() > 0.5:
        raise FileError(
            f"{where}: most rows have no time that can be read as {form.replace('_', ' ')}; say what the column is."
        )
    faults.add("without a time", rows[bad], skipped=True)
    return times, begun


def _past(times: Floats, full: float, rows: Floats, faults: Faults, what: str) -> Floats:
    """Add a whole turn wherever a clock or counter falls from its end to its beginning."""
    known = np.flatnonzero(np.isfinite(times))
    falls = np.flatnonzero(np.diff(times[known]) < -0.5 * full)
    if not falls.size:
        return times
    turns = np.zeros(times.size)
    turns[known[falls + 1]] = full
    faults.add(what, rows[known[falls + 1]], skipped=False)
    return times + np.cumsum(turns)


def ordered(times: Floats, keep: npt.NDArray[np.bool_], rows: Floats, faults: Faults) -> tuple[Places, Floats]:
    """Rows that are kept in the order of their instants, and those instants from 0."""
    order = np.flatnonzero(keep)
    order = _longest_stretch(times, order, rows, faults)
    t = times[order]
    falls = np.flatnonzero(np.diff(t) < 0)
    if falls.size:
        faults.add("out of order, sorted", rows[order[falls + 1]], skipped=False)
        order = order[np.argsort(t, kind="stable")]
        t = times[order]
    same = np.diff(t) == 0
    if same.mean() > 0.3:  # the clock is coarser than the rows
        t = _spread(t)
    elif same.any():
        kept = np.append(~same, True)  # the last one at an instant
        faults.add("with a repeated time (last row used)", rows[order[~kept]], skipped=True)
        order, t = order[kept], t[kept]
    gaps = np.diff(t)
    wide = np.flatnonzero(gaps > max(10 * float(np.median(gaps)), 1e-9)) if gaps.size else np.empty(0, int)
    faults.add("after a gap", rows[order[wide + 1]], skipped=False)
    return order, t - t[0]


def _longest_stretch(times: Floats, order: Places, rows: Floats, faults: Faults) -> Places:
    """Where time begins anew in the middle, the longest stretch; small disorder is left."""
    t = times[order]
    highest = np.maximum.accumulate(t)
    span = float(highest[-1] - t[0]) or 1.0
    back = np.flatnonzero((np.diff(t) < -0.05 * span) & (np.diff(t) < 0))
    lasting = [k for k in back.tolist() if float(np.median(t[k + 1 : k + 6])) < highest[k] - 0.04 * span]
    if not lasting:
        return order
    ends = [0, *(k + 1 for k in lasting), t.size]
    begin, end = max(itertools.pairwise(ends), key=lambda pair: pair[1] - pair[0])
    faults.add("of another start of the board", np.concatenate([rows[order[:begin]], rows[order[end:]]]), skipped=True)
    return order[begin:end]


def _spread(t: Floats) -> Floats:
    """Rows that share a clock's tick, spread evenly until the next tick."""
    ticks, first, counts = np.unique(t, return_index=True, return_counts=True)
    usual = float(np.median(np.diff(ticks))) if ticks.size > 1 else 1.0
    widths = np.append(np.minimum(np.diff(ticks), usual), usual)
    inside = np.arange(t.size) - np.repeat(first, counts)
    return np.asarray(t + np.repeat(widths / counts, counts) * inside)
