"""From the bytes of a log to arrays: what is read as what, which rows are skipped and why.

Rules, each counted and shown: a row without a reading or a time is skipped; of rows at one instant the last one counts,
unless the clock is too coarse, when they are spread evenly; rows in disorder are sorted; a clock that falls back
passes midnight, a counter that falls from its end begins anew; where a board began anew in the middle, its longest
stretch counts. A drive that is missing stays what it was.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from kelvarn.files.faults import FileError, printable
from kelvarn.model.log import Log, LogColumn, LogReading
from kelvarn.model.log_data import Floats, LogData
from kelvarn.model.names import MOST_CHARACTERS, free_name
from kelvarn.sentence import say

from .cells import DISCONNECTED, number, on_off
from .convert import to_degC
from .errors import without_errors
from .guess import Guess, goes_back, guess
from .instants import newest_first, ordered, times_of
from .rows import Faults, LogRows, gather
from .text import Encoding, TextLayout, check_size, decode, lay_out, lines_of, read_bytes, split


def rows_at(log: Log, rows: Sequence[int]) -> list[tuple[int, list[str]]]:
    """Lines of a log by their numbers, from 1, as fields; those that are not there are left out."""
    lines = lines_of(decode(log.raw, log.file)[0])
    known = [row for row in rows if 0 < row <= len(lines)]
    return [(row, next(iter(split([lines[row - 1]], log.reading.delimiter)), [lines[row - 1]])) for row in known]


@dataclass(frozen=True)
class Opened:
    """A file looked at: the log, how it is laid out, and what its columns are thought to be."""

    log: Log
    layout: TextLayout
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
    layout = _laid_out(text, encoding, printable(file))
    found = guess(layout)
    stem = printable(Path(file).stem).strip()[:MOST_CHARACTERS] or "log"
    log = Log(name=free_name(stem, taken), file=printable(file)[:250], reading=found.reading, raw=raw)
    return Opened(log, layout, found)


def open_path(path: Path, taken: Sequence[str] = ()) -> Opened:
    """`open_log` of a file on disk."""
    return open_log(read_bytes(path), path.name, taken)


def look_again(log: Log) -> Opened:
    """The guess for a log that is known, beside how it is read."""
    text, encoding = decode(log.raw, log.file or log.name)
    layout = _laid_out(text, encoding, log.file or log.name)
    return Opened(log, layout, guess(layout))


def _laid_out(text: str, encoding: Encoding, where: str) -> TextLayout:
    lines = lines_of(text)
    layout = lay_out(lines, encoding, where)
    if goes_back(layout):  # what a column is shows at its beginning
        layout = lay_out([*lines[: layout.first], *lines[layout.first :][::-1]], encoding, where)
    return layout


def read_log(log: Log) -> LogData:
    """Read a log as its reading says.

    Raises:
        FileError: what is missing, in one sentence, and what to do.
    """
    where = printable(log.file or log.name)
    reading = log.reading
    places = _places(reading, where)
    text, _ = decode(log.raw, where)
    faults = Faults()
    columns = gather(lines_of(text), reading, faults)
    turned = bool(columns.rows) and newest_first(reading, places, columns)
    if turned:
        columns.turn_round()
    rows = np.concatenate(columns.rows) if columns.rows else np.empty(0)
    faults.add(say("with the newest first, turned round"), rows[:1] if turned else (), skipped=False)
    if rows.size < 2:
        raise FileError(
            say("{where} has {size} rows with values; record at least a few dozen.", where=where, size=rows.size)
        )
    times, begun = times_of(reading, places, columns, rows, faults, where)
    heat = [(k, _heat(reading, k, columns, where)) for k in places["temperature"]]
    measured = without_errors(_without_signs(heat[0][1]), rows, faults)
    drive = _drive(reading, places, columns, rows, faults, np.isfinite(times) & np.isfinite(measured))
    measured = _between(times, measured, drive, rows, faults)
    keep = np.isfinite(times) & np.isfinite(measured)
    faults.add(say("without a reading"), rows[np.isfinite(times) & ~np.isfinite(measured)], skipped=True)
    if keep.sum() < 2:
        raise FileError(
            say("{where} has {rows} rows with a time and a temperature; record at least a few dozen.", where=where,
                rows=int(keep.sum()))
        )  # fmt: skip
    order, times = ordered(times, keep, rows, faults)
    beside = [role for role in ("surroundings", "setpoint", "reference") if places[role]]
    arrays = {role: _heat(reading, places[role][0], columns, where) for role in beside}
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
        raise FileError(say("{where} has no column of temperatures; say which one it is, or record one.", where=where))
    if not found["time"] and reading.interval_s is None:
        raise FileError(
            say("{where} has no time column; say how often a row was written, or record the time with it.", where=where)
        )
    return found


def _heat(reading: LogReading, k: int, columns: LogRows, where: str) -> Floats:
    values = np.concatenate(columns.values[k])
    return to_degC(values, reading, reading.columns[k].form)


def _without_signs(values: Floats) -> Floats:
    """Without what boards write where a probe is not there."""
    made = values.copy()
    for sign in DISCONNECTED:
        made[made == sign] = np.nan
    made[(made < -273.16) | (made > 20_000)] = np.nan
    return made


def _between(times: Floats, measured: Floats, drive: Floats | None, rows: Floats, faults: Faults) -> Floats:
    """Temperatures, also where the drive changed in a row of its own: there, straight between their neighbours.

    So logs that have a row for each change keep the instant at which the drive changed.
    """
    known = np.flatnonzero(np.isfinite(times) & np.isfinite(measured))
    if drive is None or known.size < 2:
        return measured
    changed = np.append(False, np.diff(drive) != 0) & np.isfinite(times) & ~np.isfinite(measured)
    changed &= (times > times[known].min()) & (times < times[known].max())
    faults.add(
        say("with a change of the drive only; its temperature is between its neighbours'"), rows[changed], skipped=False
    )
    order = known[np.argsort(times[known], kind="stable")]
    made = measured.copy()
    made[changed] = np.interp(times[changed], times[order], measured[order])
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
    return np.asarray(_held(values)[order])


_SCALES = {"percent": 100.0, "of_255": 255.0, "of_1023": 1023.0, "of_4095": 4095.0, "share": 1.0}


def _drive(
    reading: LogReading,
    places: dict[str, list[int]],
    columns: LogRows,
    rows: Floats,
    faults: Faults,
    keep: np.ndarray,
) -> Floats | None:
    if not places["drive"]:
        return None
    k = places["drive"][0]
    form = reading.columns[k].form
    if form == "words":
        cache: dict[str, float] = {}
        for cell in set(columns.texts[k]):
            word = on_off(cell)
            if reading.on_word and cell.strip():
                word = float(cell.strip().lower() == reading.on_word.lower())
            cache[cell] = number(cell, reading.decimal) if math.isnan(word) else word
        values = np.array([cache[cell] for cell in columns.texts[k]])
    else:
        values = np.concatenate(columns.values[k])
        full = _SCALES.get(form) or reading.full_W or float(np.nanmax(np.abs(values), initial=1e-9))
        values = values / full
    faults.add(say("without a drive, which stays as it was"), rows[~np.isfinite(values) & keep], skipped=False)
    if not np.isfinite(values).any():
        return None
    beyond = np.isfinite(values) & (np.abs(values) > 1.0 + 1e-9)
    faults.add(say("with a drive over 100 %, taken as 100 %"), rows[beyond & keep], skipped=False)
    return np.clip(_held(values), -1.0, 1.0)


def _said(
    places: dict[str, list[int]], columns: LogRows, order: np.ndarray, times: Floats
) -> tuple[tuple[float, str], ...]:
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
