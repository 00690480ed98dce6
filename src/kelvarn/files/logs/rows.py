"""The rows of a log as columns of numbers and texts, and those that need care."""

import csv
import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from kelvarn.files.faults import FileError
from kelvarn.model.log import LogReading
from kelvarn.model.log_data import MOST_BAD_ROWS, BadRow, Floats, RowFaults
from kelvarn.sentence import say

from .cells import numbers
from .records import records
from .text import split

_CHUNK = 20_000
_COMMENTS = ("#", "%", "//", "--")


@dataclass
class Faults:
    """Rows that need care, as they are found."""

    rows: int = 0
    counts: dict[str, int] = field(default_factory=dict)
    skipped: int = 0
    first: list[BadRow] = field(default_factory=list)

    def add(self, what: str, rows: Sequence[int] | Floats, *, skipped: bool) -> None:
        """Count rows of the file with the same fault."""
        if len(rows):
            self.counts[what] = self.counts.get(what, 0) + len(rows)
            self.skipped += len(rows) if skipped else 0
            room = MOST_BAD_ROWS - len(self.first)
            self.first += [BadRow(int(row), what) for row in rows[:room]]

    def done(self) -> RowFaults:
        """All of it."""
        return RowFaults(self.rows, self.counts, self.skipped, tuple(sorted(self.first, key=lambda bad: bad.row)))


@dataclass
class LogRows:
    """Columns as they are gathered: numbers for most, texts for times and notes; and each row's place in the file."""

    values: dict[int, list[Floats]]
    texts: dict[int, list[str]]
    rows: list[Floats] = field(default_factory=list)

    def turn_round(self) -> None:
        """Put the last row first."""
        self.rows = [chunk[::-1] for chunk in self.rows[::-1]]
        self.values = {k: [chunk[::-1] for chunk in chunks[::-1]] for k, chunks in self.values.items()}
        self.texts = {k: cells[::-1] for k, cells in self.texts.items()}


def gather(lines: list[str], reading: LogReading, faults: Faults) -> LogRows:
    """All rows, chunk by chunk: a million of them as texts would take gigabytes."""
    width = len(reading.columns)
    as_text = {
        k
        for k, c in enumerate(reading.columns)
        if c.role == "note" or c.form in ("clock", "elapsed", "span", "date_time", "words")
    }
    as_number = {k for k, c in enumerate(reading.columns) if c.role != "left_out"} - as_text
    columns = LogRows({k: [] for k in as_number}, {k: [] for k in as_text})
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


def _all_numbers(lines: list[str], reading: LogReading, columns: LogRows) -> bool:
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
    lines: list[str], reading: LogReading, width: int, faults: Faults
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
                say(
                    "A field from line {first} on does not end ({error}); look for a lone quotation mark.",
                    first=first + 1,
                    error=error,
                )
            ) from error
        kept, places = _even_rows(rows, first, width, faults)
        if kept:
            yield list(zip(*kept, strict=True)), places


def _even_rows(chunk: list[list[str]], at: int, width: int, faults: Faults) -> tuple[list[list[str]], Floats]:
    """The rows of a chunk that have all fields, and their places in the file, from 1."""
    if all(len(row) == width for row in chunk):
        return chunk, np.arange(at + 1, at + 1 + len(chunk), dtype=float)
    kept, places, short = [], [], []
    for k, row in enumerate(chunk):
        if len(row) == width:
            kept.append(row)
            places.append(at + k + 1)
        elif any(cell.strip() for cell in row) and not row[0].lstrip().startswith(_COMMENTS):
            short.append(at + k + 1)
    faults.rows += len(short)
    faults.add(say("with too few or too many fields"), short, skipped=True)
    return kept, np.array(places, float)
