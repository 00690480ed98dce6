"""Logs with a value a row: when, of what, how much; as databases and brokers keep what changes."""

import csv
from collections.abc import Iterator, Sequence

from .cells import is_clock, is_date, looks_like_value, on_off
from .names import roles_of

_LOOKED_AT = 300
_MOST_NAMES = 40


def columns_of_named(lines: Sequence[str]) -> tuple[str, int, int, int] | None:
    """Delimiter and places of instant, name and value, where each row holds one value of several.

    None where rows are no such thing. The names must tell a temperature and a drive: else a column of words is one.
    """
    for delimiter in (",", ";", "\t", "|", " "):
        rows = [row for row in _split(lines[:_LOOKED_AT], delimiter) if len(row) >= 3]
        width = max(map(len, rows), default=0)
        rows = [row for row in rows if len(row) == width][1:]
        if len(rows) < 0.8 * min(len(lines), _LOOKED_AT) - 3 or len(rows) < 8:
            continue
        columns = list(zip(*rows, strict=True))
        when = next((k for k, cells in enumerate(columns) if _are_instants(cells)), None)
        what = next((k for k, cells in enumerate(columns) if _are_names(cells)), None)
        if when is None or what is None:
            continue
        value = next((k for k in range(width) if k not in (when, what) and _are_values(columns[k])), None)
        if value is not None:
            return delimiter, when, what, value
    return None


def named_rows(lines: Sequence[str]) -> Iterator[dict[str, str]]:
    """Rows of such a log, each as the instant and its one value by name; what is none of it is an empty one."""
    how = columns_of_named(lines)
    if how is None:
        return
    delimiter, when, what, value = how
    for row in _split(lines, delimiter):
        if len(row) > max(when, what, value) and _is_instant(row[when]):
            yield {"time": row[when], row[what]: row[value]}
        else:
            yield {}


def _split(lines: Sequence[str], delimiter: str) -> list[list[str]]:
    if delimiter == " ":
        return [line.split() for line in lines]
    try:
        return [[cell.strip() for cell in row] for row in csv.reader(lines, delimiter=delimiter, skipinitialspace=True)]
    except csv.Error:
        return []


def _is_instant(cell: str) -> bool:
    if is_date(cell) or is_clock(cell):
        return True
    try:
        return float(cell) >= 0
    except ValueError:
        return False


def _are_instants(cells: Sequence[str]) -> bool:
    return len(set(cells)) > 0.4 * len(cells) and sum(map(_is_instant, cells)) > 0.95 * len(cells)


def _are_names(cells: Sequence[str]) -> bool:
    """Whether words come again and again, of which one names a temperature and one a drive."""
    kinds = set(cells)
    if not 2 <= len(kinds) <= _MOST_NAMES or any(looks_like_value(cell, ".") for cell in kinds):
        return False
    roles = [roles_of(kind) for kind in kinds]
    return any("temperature" in each for each in roles) and any(
        "drive" in each and "temperature" not in each for each in roles
    )


def _are_values(cells: Sequence[str]) -> bool:
    return sum(looks_like_value(cell, ".") or on_off(cell) >= 0 for cell in cells) > 0.7 * len(cells)
