"""When the rows of a log were: clocks over midnight, counters that wrap, disorder, boards that began anew."""

import itertools
from datetime import datetime, timedelta

import numpy as np
import numpy.typing as npt

from kelvarn.files.faults import FileError
from kelvarn.model.log import WRAP, LogReading
from kelvarn.model.log_data import Floats
from kelvarn.sentence import say

from .cells import NO_YEAR, clock_s, go_back, seconds, span_s
from .rows import Faults, LogRows
from .text import SAMPLED

_DAY_S = 86400.0
_SIZES = {"ms": 1e-3, "us": 1e-6, "ns": 1e-9, "min": 60.0, "h": 3600.0, "days": _DAY_S}
_UNSET_S = 30 * _DAY_S
"""A jump longer than this, and than a hundred times what lies on either side of it, is a clock that was set."""
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
        times = _one_clock(times, begun, rows, faults)
        begun = None if begun is not None and begun.year in (1, NO_YEAR) else begun
    elif form == "clock":
        times = np.array([clock_s(cell) for cell in columns.texts[k]])
        halves = _of_twelve_hours(times)
        what = say("past twelve on a clock of twelve hours") if halves else say("past midnight")
        times = _past(times, _DAY_S / 2 if halves else _DAY_S, rows, faults, what)
    elif form in ("elapsed", "span"):
        times = np.array([span_s(cell) if form == "span" else clock_s(cell, elapsed=True) for cell in columns.texts[k]])
    else:
        times = np.concatenate(columns.values[k])
        if form in WRAP:
            times = _past(times, WRAP[form], rows, faults, say("where the counter begins anew"))
        first = times[np.isfinite(times)][:1]
        size = _SIZES.get(form, 1.0)
        if first.size and form in ("s", "ms", "us", "ns") and 1e9 < first[0] * size < 4e9:
            begun = datetime.fromtimestamp(first[0] * size)
        times = (times - (first[0] if begun is not None else 0.0)) * size  # before it is scaled: 1e18 ns have 16 digits
    bad = ~np.isfinite(times)
    if bad.mean() > 0.5:
        raise FileError(
            say("{where}: most rows have no time that can be read as {form}; say what the column is.", where=where,
                form=form.replace("_", " "))
        )  # fmt: skip
    faults.add(say("without a time"), rows[bad], skipped=True)
    return times, begun


def newest_first(reading: LogReading, places: dict[str, list[int]], columns: LogRows) -> bool:
    """Whether the rows of a file go back in time.

    Args:
        reading: how the log is read.
        places: of the columns that say when.
        columns: their cells.
    """
    if not places["time"]:
        return False
    k = places["time"][0]
    form = reading.columns[k].form
    if form == "date_time":
        return go_back(seconds(columns.texts[k][:SAMPLED], day_first=reading.day_first)[0])
    if k in columns.texts:
        return go_back(np.array([span_s(c) if form == "span" else clock_s(c) for c in columns.texts[k][:SAMPLED]]))
    return go_back(columns.values[k][0][:SAMPLED])


def _of_twelve_hours(times: Floats) -> bool:
    """Whether times of day are from 1:00 to 12:59 and fall by nearly twelve hours: a clock without am and pm."""
    known = times[np.isfinite(times)]
    if not known.size or known.min() < 3600.0 or known.max() >= 13 * 3600.0:
        return False
    return bool(np.any(np.abs(np.diff(known) + 11.6 * 3600.0) < 0.5 * 3600.0))


def _one_clock(times: Floats, begun: datetime | None, rows: Floats, faults: Faults) -> Floats:
    """Dates of a local clock as one that is never changed: the hour between summer and winter time taken out."""
    known = np.flatnonzero(np.isfinite(times))
    if begun is None or known.size < 4:
        return times
    steps = np.diff(times[known])
    usual = float(np.median(np.abs(steps)))
    slack = max(5 * usual, 120.0)
    back = np.flatnonzero(np.abs(steps + 3600.0 - slack / 2) < slack / 2 + 1e-6)
    on = [k for k in np.flatnonzero(np.abs(steps - 3600.0 - usual) < 1.5 * usual + 2.0).tolist()
          if usual < 1200.0 and _summer_begins(begun + timedelta(seconds=float(times[known[k]])))]  # fmt: skip
    if back.size + len(on) > 2:  # something else, such as rows in disorder
        return times
    moves = np.zeros(times.size)
    moves[known[back + 1]] = 3600.0
    moves[known[np.array(on, int) + 1]] = -3600.0
    faults.add(say("where the clock was put back an hour"), rows[known[back + 1]], skipped=False)
    faults.add(say("where the clock was put on an hour"), rows[known[np.array(on, int) + 1]], skipped=False)
    return times + np.cumsum(moves)


def _summer_begins(before: datetime) -> bool:
    """Whether clocks may be put on an hour after this row: in the last minutes of an early hour of a Sunday."""
    after = before + timedelta(minutes=20)
    return before.weekday() == 6 and before.month in (3, 4, 9, 10) and after.hour in (1, 2, 3) and after.minute < 20


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
    """Rows that are kept in the order of their instants, and those instants from 0.

    Args:
        times: s, NaN where there is none.
        keep: which rows are kept.
        rows: their places in the file.
        faults: what is told; written.
    """
    order = np.flatnonzero(keep)
    order = _longest_stretch(times, order, rows, faults)
    order = _since_set(times, order, rows, faults)
    t = times[order]
    falls = np.flatnonzero(np.diff(t) < 0)
    if falls.size:
        faults.add(say("out of order, sorted"), rows[order[falls + 1]], skipped=False)
        order = order[np.argsort(t, kind="stable")]
        t = times[order]
    same = np.diff(t) == 0
    if same.size and same.mean() > 0.3:  # the clock is coarser than the rows
        t = _spread(t)
    elif same.any():
        kept = np.append(~same, True)  # the last one at an instant
        faults.add(say("with a repeated time (last row used)"), rows[order[~kept]], skipped=True)
        order, t = order[kept], t[kept]
    gaps = np.diff(t)
    wide = np.flatnonzero(gaps > max(10 * float(np.median(gaps)), 1e-9)) if gaps.size else np.empty(0, int)
    faults.add(say("after a gap"), rows[order[wide + 1]], skipped=False)
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
    faults.add(
        say("of another start of the board"), np.concatenate([rows[order[:begin]], rows[order[end:]]]), skipped=True
    )
    return order[begin:end]


def _since_set(times: Floats, order: Places, rows: Floats, faults: Faults) -> Places:
    """Rows of one clock: those of before it was set, on the other side of a jump of months, are left out."""
    t = np.sort(times[order])
    jumps = np.diff(t)
    if not jumps.size or jumps.max() < _UNSET_S:
        return order
    k = int(np.argmax(jumps))
    if jumps[k] < 100 * max(t[k] - t[0], t[-1] - t[k + 1]):
        return order
    early = times[order] <= t[k]
    kept = early if 2 * np.count_nonzero(early) > order.size else ~early
    faults.add(say("of before the clock was set"), rows[order[~kept]], skipped=True)
    return np.asarray(order[kept])


def _spread(t: Floats) -> Floats:
    """Rows that share a clock's tick, spread evenly until the next tick."""
    ticks, first, counts = np.unique(t, return_index=True, return_counts=True)
    usual = float(np.median(np.diff(ticks))) if ticks.size > 1 else 1.0
    widths = np.append(np.minimum(np.diff(ticks), usual), usual)
    inside = np.arange(t.size) - np.repeat(first, counts)
    return np.asarray(t + np.repeat(widths / counts, counts) * inside)
