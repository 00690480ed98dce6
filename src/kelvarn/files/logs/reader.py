"""From the bytes of a log to arrays: what is read as what, which rows are skipped and why.

Rules, each counted and shown: a row without a reading or a time is skipped; of rows at one instant the last one counts,
unless the clock is too coarse, when they are spread evenly; rows in disorder are sorted; a clock that falls back
passes midnight, a counter that falls from its end begins anew; where a board began anew in the middle, its longest
stretch counts. A drive that is missing stays what it was.
"""

import csv
import itertools
import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import numpy as np

from kelvarn.files.faults import FileError, printable
from kelvarn.model.log import WRAP, Log, LogColumn, LogReading
from kelvarn.model.log_data import MOST_BAD_ROWS, BadRow, Floats, LogData, RowFaults
from kelvarn.model.names import MOST_CHARACTERS, free_name

from .cells import clock_s, number, numbers, on_off, seconds
from .convert import to_degC
from .guess import Guess, guess
from .text import Layout, check_size, decode, lay_out, lines_of, read_bytes, records, split

_CHUNK = 20_000
_DAY_S = 86400.0
_DISCONNECTED = (-127.0, -999.0, 999.0, 9999.0, -9999.0)
"""What boards write where a probe is not there; none of them a temperature that is met by chance."""


@dataclass(frozen=True)
class Opened:
    """A file looked at: the log, how it is laid out, and what its columns are thought to be."""

    log: Log
    layout: Layout
    guess: Guess


def open_log(raw: bytes, file: str, taken: Sequence[str] = ()) -> Opened:
    """See what a file holds.

    Args:
        raw, file: its bytes and name.
        taken: names that other logs have.

    Raises:
        FileError: it is no log that can be read.
    """
    check_size(len(raw), printable(file))
    text, encoding = decode(raw, printable(file))
    layout = lay_out(lines_of(text), encoding, printable(file))
    found = guess(layout)
    stem = re.sub(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]", " ", Path(file).stem).strip()[:MOST_CHARACTERS] or "log"
    log = Log(name=free_name(stem, taken), file=printable(file)[:250], reading=found.reading, raw=raw)
    return Opened(log, layout, found)


def open_path(path: Path, taken: Sequence[str] = ()) -> Opened:
    """`open_log` of a file on disk."""
    return open_log(read_bytes(path), path.name, taken)


def look_again(log: Log) -> Opened:
    """The guess for a log that is known, beside how it is read."""
    text, encoding = decode(log.raw, log.file or log.name)
    layout = lay_out(lines_of(text), encoding, log.file or log.name)
    return Opened(log, layout, guess(layout))


@dataclass
class _Faults:
    """Rows that need care, as they are found."""

    rows: int = 0
    counts: dict[str, int] = field(default_factory=dict)
    skipped: int = 0
    first: list[BadRow] = field(default_factory=list)

    def add(self, what: str, rows: Sequence[int] | Floats, *, skipped: bool) -> None:
        if len(rows):
            self.counts[what] = self.counts.get(what, 0) + len(rows)
            self.skipped += len(rows) if skipped else 0
            room = MOST_BAD_ROWS - len(self.first)
            self.first += [BadRow(int(row), what) for row in rows[:room]]

    def done(self) -> RowFaults:
        return RowFaults(self.rows, self.counts, self.skipped, tuple(sorted(self.first, key=lambda bad: bad.row)))


@dataclass
class _Columns:
    """Columns as they are gathered: numbers for most, texts for times and notes; and each row's place in the file."""

    values: dict[int, list[Floats]]
    texts: dict[int, list[str]]
    rows: list[Floats] = field(default_factory=list)


def read_log(log: Log) -> LogData:
    """Read a log as its reading says.

    Raises:
        FileError: what is missing, in one sentence, and what to do.
    """
    where = printable(log.file or log.name)
    reading = log.reading
    places = _places(reading, where)
    text, _ = decode(log.raw, where)
    faults = _Faults()
    columns = _gather(lines_of(text), reading, faults)
    rows = np.concatenate(columns.rows) if columns.rows else np.empty(0)
    if rows.size < 2:
        raise FileError(f"{where} has {rows.size} rows with values; record at least a few dozen.")
    times, begun = _times(reading, places, columns, rows, faults, where)
    heat = [(k, _heat(reading, k, columns, where)) for k in places["temperature"]]
    measured = heat[0][1]
    if "surroundings" in places or len(measured):
        measured = _without_signs(measured)
    keep = np.isfinite(times) & np.isfinite(measured)
    faults.add("without a reading", rows[np.isfinite(times) & ~np.isfinite(measured)], skipped=True)
    if keep.sum() < 2:
        raise FileError(f"{where} has {int(keep.sum())} rows with a time and a temperature; record at least a few dozen.")
    order, times = _ordered(times, keep, rows, faults)
    arrays = {role: _heat(reading, places[role][0], columns, where) for role in ("surroundings", "setpoint", "reference")
              if places[role]}  # fmt: skip
    drive = _drive(reading, places, columns, rows, faults, keep)
    energy = None
    if places["energy"]:
        k = places["energy"][0]
        scale = {"Wh": 3600.0, "kWh": 3.6e6, "J": 1.0}[reading.columns[k].form]
        energy = _held(np.concatenate(columns.values[k]) * scale)[order]
        energy = energy - energy[0]
    return LogData(
        time_s=times,
        measured_degC=measured[order],
        drive=None if drive is None else drive[order],
        surroundings_degC=_taken(arrays.get("surroundings"), order),
        setpoint_degC=_taken(arrays.get("setpoint"), order),
        reference_degC=_taken(arrays.get("reference"), order),
        energy_J=energy,
        others_degC={_title(reading.columns[k], k): _held(values)[order] for k, values in heat[1:]},
        said=_said(places, columns, order, times),
        begun=begun,
        faults=faults.done(),
    )


def _title(column: LogColumn, index: int) -> str:
    return column.name or f"column {index + 1}"


def _places(reading: LogReading, where: str) -> dict[str, list[int]]:
    found: dict[str, list[int]] = {role: [] for role in (
        "time", "temperature", "drive", "surroundings", "setpoint", "reference", "energy", "note")}  # fmt: skip
    for k, column in enumerate(reading.columns):
        if column.role in found:
            found[column.role].append(k)
    if not found["temperature"]:
        raise FileError(f"{where} has no column of temperatures; say which one it is, or record one.")
    if not found["time"] and reading.interval_s is None:
        raise FileError(f"{where} has no time column; say how often a row was written, or record the time with it.")
    return found


def _gather(lines: list[str], reading: LogReading, faults: _Faults) -> _Columns:
    """All rows, chunk by chunk: a million of them as texts would take gigabytes."""
    width = len(reading.columns)
    as_text = {k for k, c in enumerate(reading.columns) if c.role == "note" or c.form in ("clock", "elapsed", "date_time", "words")}
    as_number = {k for k, c in enumerate(reading.columns) if c.role != "left_out"} - as_text
    columns = _Columns({k: [] for k in as_number}, {k: [] for k in as_text})
    if not as_text and _all_numbers(lines, reading, columns):
        places = np.arange(reading.first_row + 1.0, len(lines) + 1)
        columns.rows.append(places)
        faults.rows = places.size
        return columns
    for parts, places in _parts(lines, reading, width, faults):
        for k in as_number:
            made = numbers(parts[k], reading.decimal)
            columns.values[k].append(made)
        for k in as_text:
            columns.texts[k] += parts[k]
        columns.rows.append(places)
        faults.rows += places.size
    return columns


def _all_numbers(lines: list[str], reading: LogReading, columns: _Columns) -> bool:
    """Whether all rows are whole and hold nothing but numbers; then they are read, four times as quick as by fields."""
    if reading.shape != "table" or reading.decimal != "." or reading.delimiter == " ":
        return False
    rows, wanted = lines[reading.first_row :], sorted(columns.values)
    counts = set(map(str.count, rows, itertools.repeat(reading.delimiter)))
    if counts != {len(reading.columns) - 1}:
        return False
    try:
        table = np.loadtxt(rows, delimiter=reading.delimiter, usecols=wanted, comments=None, ndmin=2)
    except ValueError:
        return False
    table[~np.isfinite(table)] = np.nan
    for place, k in enumerate(wanted):
        columns.values[k].append(np.ascontiguousarray(table[:, place]))
    return True


def _parts(
    lines: list[str], reading: LogReading, width: int, faults: _Faults
) -> Iterator[tuple[Sequence[Sequence[str]], Floats]]:
    """The columns of each chunk, and the places of its rows in the file, from 1."""
    if reading.shape != "table":
        names = [column.name for column in reading.columns]
        rows = [[row.get(name, "") for name in names] for row in records(lines, reading.shape) if len(row) > 1]
        if rows:
            yield list(zip(*rows, strict=True)), np.arange(1.0, len(rows) + 1)
        return
    for first in range(reading.first_row, len(lines), _CHUNK):
        chunk = lines[first : first + _CHUNK]
        joined = reading.delimiter.join(chunk)
        if '"' not in joined and all(line.count(reading.delimiter) == width - 1 for line in chunk):
            cells = joined.split(reading.delimiter)  # by far the most logs are so: six times as quick
            yield [cells[k::width] for k in range(width)], np.arange(first + 1.0, first + len(chunk) + 1)
            continue
        try:
            rows = [row[:width] if len(row) == width + 1 and not row[-1].strip() else row
                    for row in split(chunk, reading.delimiter)]  # fmt: skip
        except csv.Error as error:
            raise FileError(
                f"A field from line {first + 1} on does not end ({error}); look for a lone quotation mark."
            ) from error
        kept, places = _even_rows(rows, first, width, faults)
        if kept:
            yield list(zip(*kept, strict=True)), places


def _even_rows(chunk: list[list[str]], at: int, width: int, faults: _Faults) -> tuple[list[list[str]], Floats]:
    """The rows of a chunk that have all fields, and their places in the file, from 1."""
    if all(len(row) == width for row in chunk):
        return chunk, np.arange(at + 1, at + 1 + len(chunk), dtype=float)
    kept, places, short, comments = [], [], [], []
    for k, row in enumerate(chunk):
        if len(row) == width:
            kept.append(row)
            places.append(at + k + 1)
        elif row and row[0].lstrip()[:1] in ("#", "%") or (row and row[0].lstrip()[:2] in ("//", "--")):
            comments.append(at + k + 1)
        elif any(cell.strip() for cell in row):
            short.append(at + k + 1)
    faults.rows += len(short)
    faults.add("with too few or too many fields", short, skipped=True)
    return kept, np.array(places, float)


# Instants


def _times(
    reading: LogReading, places: dict[str, list[int]], columns: _Columns, rows: Floats, faults: _Faults, where: str
) -> tuple[Floats, datetime | None]:
    """Seconds of each row, NaN where there is none; and when it began, where that is said."""
    if not places["time"]:
        assert reading.interval_s is not None
        return np.arange(rows.size) * reading.interval_s, None
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
        raise FileError(f"{where}: most rows have no time that can be read as {form.replace('_', ' ')}; say what the column is.")
    faults.add("without a time", rows[bad], skipped=True)
    return times, begun


def _past(times: Floats, full: float, rows: Floats, faults: _Faults, what: str) -> Floats:
    """Add a whole turn wherever a clock or counter falls from its end to its beginning."""
    known = np.flatnonzero(np.isfinite(times))
    falls = np.flatnonzero(np.diff(times[known]) < -0.5 * full)
    if not falls.size:
        return times
    turns = np.zeros(times.size)
    turns[known[falls + 1]] = full
    faults.add(what, rows[known[falls + 1]], skipped=False)
    return times + np.cumsum(turns)


def _ordered(times: Floats, keep: np.ndarray, rows: Floats, faults: _Faults) -> tuple[np.ndarray, Floats]:
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
        faults.add("at the same instant, of which the last counts", rows[order[~kept]], skipped=True)
        order, t = order[kept], t[kept]
    gaps = np.diff(t)
    wide = np.flatnonzero(gaps > max(10 * float(np.median(gaps)), 1e-9)) if gaps.size else np.empty(0, int)
    faults.add("after a gap", rows[order[wide + 1]], skipped=False)
    return order, t - t[0]


def _longest_stretch(times: Floats, order: np.ndarray, rows: Floats, faults: _Faults) -> np.ndarray:
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


# Values


def _heat(reading: LogReading, k: int, columns: _Columns, where: str) -> Floats:
    values = np.concatenate(columns.values[k])
    return to_degC(values, reading, reading.columns[k].form)


def _without_signs(values: Floats) -> Floats:
    """Without what boards write where a probe is not there."""
    made = values.copy()
    for sign in _DISCONNECTED:
        made[made == sign] = np.nan
    made[(made < -273.16) | (made > 20_000)] = np.nan
    return made


def _held(values: Floats) -> Floats:
    """What is missing stays what it was; at the beginning, what comes first."""
    known = np.isfinite(values)
    if known.all() or not known.any():
        return values
    last = np.maximum.accumulate(np.where(known, np.arange(values.size), -1))
    return np.asarray(values[np.where(last < 0, int(np.argmax(known)), last)])


def _taken(values: Floats | None, order: np.ndarray) -> Floats | None:
    if values is None or not np.isfinite(values).any():
        return None
    return _held(values)[order]


_SCALES = {"percent": 100.0, "of_255": 255.0, "of_1023": 1023.0, "of_4095": 4095.0, "share": 1.0}


def _drive(
    reading: LogReading, places: dict[str, list[int]], columns: _Columns, rows: Floats, faults: _Faults, keep: np.ndarray
) -> Floats | None:
    if not places["drive"]:
        return None
    k = places["drive"][0]
    form = reading.columns[k].form
    if form == "words":
        cache: dict[str, float] = {}
        for cell in set(columns.texts[k]):
            word = on_off(cell)
            cache[cell] = number(cell, reading.decimal) if math.isnan(word) else word
        values = np.array([cache[cell] for cell in columns.texts[k]])
    else:
        values = np.concatenate(columns.values[k])
        full = _SCALES.get(form) or reading.full_W or float(np.nanmax(np.abs(values), initial=1e-9))
        values = values / full
    faults.add("without a drive, which stays as it was", rows[~np.isfinite(values) & keep], skipped=False)
    if not np.isfinite(values).any():
        return None
    beyond = np.isfinite(values) & (np.abs(values) > 1.0 + 1e-9)
    faults.add("with a drive over 100 %, taken as 100 %", rows[beyond & keep], skipped=False)
    return np.clip(_held(values), -1.0, 1.0)


def _said(places: dict[str, list[int]], columns: _Columns, order: np.ndarray, times: Floats) -> tuple[tuple[float, str], ...]:
    """Where the texts of the note column change to something else than the usual."""
    if not places["note"]:
        return ()
    texts = columns.texts[places["note"][0]]
    usual = max(set(texts), key=texts.count) if len(texts) < 200_000 else texts[0]
    found: list[tuple[float, str]] = []
    before = usual
    for k, t in zip(order.tolist(), times.tolist(), strict=True):
        text = texts[k].strip()
        if text != before and text and text != usual and len(found) < 50:
            found.append((t, printable(text)[:80]))
        before = text
    return tuple(found)
