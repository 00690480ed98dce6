"""The text of a log: letters, lines, fields. What the fields mean is for `guess`."""

import csv
import json
import re
import stat
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from kelvarn.files.faults import FileError, printable, reason
from kelvarn.model.log import MOST_COLUMNS
from kelvarn.sentence import figures, say

from .cells import looks_like_value, missing
from .named import columns_of_named
from .records import is_pairs, records

MOST_BYTES = 128 * 1024 * 1024
SAMPLED = 300
"""Rows at the beginning that are looked at one by one; beyond them some are looked at here and there."""
_SPREAD = 300
_LONGEST_LINE = 20_000
_DELIMITERS: tuple[Literal[",", ";", "\t", "|", " "], ...] = (";", "\t", "|", ",", " ")
_COMMENT = re.compile(r"^\s*(#|//|%|--)")
_GAP = re.compile(r"[\s,]*")
Shape = Literal["table", "pairs", "json", "named"]
Encoding = Literal["utf-8", "utf-8-sig", "utf-16", "cp1252"]


@dataclass(frozen=True)
class TextLayout:
    """How the text of a log is laid out.

    Attributes:
        shape, encoding, delimiter, decimal: as of a `LogReading`.
        first: lines before the first with values.
        names, units: of the columns, as the file has them.
        about: lines above the header.
        sample: rows from the beginning, then some from here and there; `whole` says how many are one after another.
    """

    shape: Shape
    encoding: Encoding
    delimiter: Literal[",", ";", "\t", "|", " "]
    decimal: Literal[".", ","]
    first: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    about: tuple[str, ...]
    sample: tuple[tuple[str, ...], ...]
    whole: int


def read_bytes(path: Path) -> bytes:
    """The bytes of a log. Raises FileError where it cannot be read, or is larger than any log may be."""
    try:
        found = path.stat()
        if not stat.S_ISREG(found.st_mode):
            raise FileError(say("{file} is not an ordinary file.", file=printable(path)))
        check_size(found.st_size, printable(path))
        return path.read_bytes()
    except (OSError, ValueError) as error:
        if isinstance(error, FileError):
            raise
        raise FileError(
            reason(error, path) if isinstance(error, OSError) else say("{file} is no path.", file=printable(path))
        ) from error


def check_size(size: int, where: str) -> None:
    """Raise FileError where so many bytes are more than a log may have."""
    if size > MOST_BYTES:
        raise FileError(
            say("{where} has {size} MB; a log may have {most} MB. Cut out the part that "
                "matters, or record less often.", where=where, size=figures(f"{size / 1e6:,.0f}", ""),
                most=figures(f"{MOST_BYTES / 1e6:.0f}", ""))
        )  # fmt: skip


def decode(raw: bytes, where: str) -> tuple[str, Encoding]:
    """The text and how its letters are kept. Raises FileError where it is no text."""
    head = raw[:4096]
    if not raw.strip():
        raise FileError(say("{where} is empty; record time, temperature and drive into it.", where=where))
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        encoding: Encoding = "utf-16"
    elif head.startswith(b"\xef\xbb\xbf"):
        encoding = "utf-8-sig"
    else:
        odd = sum(byte < 9 or 13 < byte < 32 for byte in head)
        if odd > max(len(head) // 50, 2):
            raise FileError(say("{where} is no text; export the log as CSV and open that.", where=where))
        encoding = "utf-8"
    try:
        return raw.decode(encoding), encoding
    except UnicodeDecodeError:
        if encoding == "utf-16":
            raise FileError(
                say("{where} is cut off in the middle of a letter; export it again.", where=where)
            ) from None
        return raw.decode("cp1252", "replace"), "cp1252"


def lines_of(text: str) -> list[str]:
    """Lines, whatever ends them."""
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    if "\0" in text:
        text = text.replace("\0", "")
    lines = _array(text) or text.split("\n")
    while lines and not lines[-1].strip():
        lines.pop()
    return lines


def _array(text: str) -> list[str]:
    """The objects of a JSON array, a line each; empty where it is none."""
    if not text.lstrip().startswith("["):
        return []
    found: list[str] = []
    at, read = text.index("[") + 1, json.JSONDecoder().raw_decode
    try:
        while True:
            at = _GAP.match(text, at).end()  # type: ignore[union-attr]
            if text[at : at + 1] == "]":
                return found if not text[at + 1 :].strip() else []
            made, end = read(text, at)
            if not isinstance(made, dict):
                return []
            found.append(text[at:end].replace("\n", " "))
            at = end
    except (ValueError, RecursionError):
        return []


def lay_out(lines: Sequence[str], encoding: Encoding, where: str) -> TextLayout:
    """See how a log is laid out. Raises FileError where its rows are of no shape that can be read."""
    if any(len(line) > _LONGEST_LINE for line in lines[:SAMPLED]):
        raise FileError(
            say("{where} has a line of more than {most} letters; it is no log with a row a line.", where=where,
                most=figures(f"{_LONGEST_LINE:,}", ""))
        )  # fmt: skip
    picked, whole = _picked(lines)
    for shape in ("json", "pairs"):
        rows = list(records(picked, shape))
        filled = [row for row in rows if len(row) > 1]
        if len(filled) >= max(2, 0.5 * len(picked)) if shape == "json" else is_pairs(rows, picked):
            return _of_records(encoding, shape, rows, where)
    if columns_of_named(picked) is not None:
        return _of_records(encoding, "named", list(records(picked, "named")), where)
    return _table(lines, picked, whole, encoding, where)


def _picked(lines: Sequence[str]) -> tuple[list[str], int]:
    """Lines from the beginning, and some from the rest; how many are one after another."""
    head = list(lines[:SAMPLED])
    rest = range(SAMPLED, len(lines), max(1, (len(lines) - SAMPLED) // _SPREAD))
    return [*head, *(lines[k] for k in rest)], len(head)


def _check_width(columns: int, where: str) -> None:
    """Raise FileError where there are more columns than are read."""
    if columns > MOST_COLUMNS:
        raise FileError(
            say("{where} has {columns} columns, and at most {most} are read; export time, "
                "temperature and drive, with what belongs to them.", where=where, columns=columns,
                most=MOST_COLUMNS)
        )  # fmt: skip


def _of_records(encoding: Encoding, shape: Shape, rows: Sequence[dict[str, str]], where: str) -> TextLayout:
    full = [row for row in rows if len(row) > 1]
    counts = Counter(key for row in full for key in row)
    least = 2.0 if shape == "named" else max(2, 0.1 * len(full))  # what seldom changes is seldom named
    names = tuple(key for key, count in counts.items() if count >= least)
    _check_width(len(names), where)
    sample = tuple(tuple(row.get(name, "") for name in names) for row in full)
    cells = [cell for row in sample for cell in row]
    decimal: Literal[".", ","] = "," if _commas(cells) else "."
    return TextLayout(
        shape, encoding, ",", decimal, 0, names, ("",) * len(names), (), sample, min(len(sample), SAMPLED)
    )


# Tables


def split(lines: Sequence[str], delimiter: str) -> Iterator[list[str]]:
    """The fields of each line; an empty line has none."""
    if delimiter == " ":
        return (line.split() for line in lines)
    return csv.reader(lines, delimiter=delimiter, skipinitialspace=True, strict=False)


def _fields(lines: Sequence[str], delimiter: str) -> list[list[str]]:
    try:
        return [[cell.strip() for cell in row] for row in split(lines, delimiter)]
    except csv.Error:
        return []


def _commas(cells: Sequence[str]) -> bool:
    """Whether commas stand before decimals."""
    commas = sum(re.fullmatch(r"[-+−]?\d+,\d+\s*\D{0,3}", cell) is not None for cell in cells)
    points = sum(re.fullmatch(r"[-+−]?\d*\.\d+\s*\D{0,3}", cell) is not None for cell in cells)
    return commas > points


def _table(lines: Sequence[str], picked: list[str], whole: int, encoding: Encoding, where: str) -> TextLayout:
    best: tuple[float, Any] = (0.0, None)
    plain = [line for line in picked if line.strip() and not _COMMENT.match(line)]
    for delimiter in _DELIMITERS:
        rows = [row for row in _fields(plain, delimiter) if row]
        if not rows:
            continue
        if sum(len(row) > 1 and not row[-1] for row in rows) >= 0.99 * len(rows) and not _named_last(rows):
            rows = [row[:-1] if len(row) > 1 and not row[-1] else row for row in rows]  # each line ends in a delimiter
        width, many = Counter(len(row) for row in rows).most_common(1)[0]
        cells = [cell for row in rows if len(row) == width for cell in row]
        decimal = "," if _commas(cells) else "."
        values = sum(looks_like_value(cell, decimal) for cell in cells if cell) / max(sum(map(bool, cells)), 1)
        score = many / len(rows) * (0.2 + values) * (1.0 if width > 1 else 0.45) * (0.75 if delimiter == " " else 1.0)
        if score > best[0] * 1.02:
            best = (score, (delimiter, decimal, width, many / len(rows)))
    if best[1] is None:
        raise FileError(
            say("{where} has no rows of fields; record time, temperature and drive, a row a line.", where=where)
        )
    delimiter, decimal, width, share = best[1]
    used = [each for each in _DELIMITERS[:4] if sum(each in line for line in plain) > 0.15 * len(plain)]
    if best[0] < 0.3 and len(used) > 2:
        raise FileError(
            say("{where} uses several delimiters ({delimiters}); export it again with one.", where=where,
                delimiters=" ".join(used).strip())
        )  # fmt: skip
    if share < 0.6:
        raise FileError(
            say("{where}: its rows have different numbers of fields ({share} % have {width}); use one "
                "delimiter throughout, and none inside numbers.", where=where, share=figures(f"{100 * share:.0f}", ""),
                width=width)
        )  # fmt: skip
    return _headed(lines, picked, whole, (delimiter, decimal, width), encoding, where)


def _named_last(rows: Sequence[list[str]]) -> bool:
    """Whether a row of words is as long as the longest: then the last column has a name, and only little in it."""
    most = max(map(len, rows))
    return any(len(row) == most and row[-1] for row in rows)


def _headed(
    lines: Sequence[str], picked: list[str], whole: int, how: tuple[Any, Any, int], encoding: Encoding, where: str
) -> TextLayout:
    """Find the header above the values."""
    delimiter, decimal, width = how
    _check_width(width, where)
    rows = _fields([_bare(line) for line in picked], delimiter)
    rows += [[]] * (len(picked) - len(rows))
    rows = [row[:width] if len(row) == width + 1 and not row[-1] else row for row in rows]
    valued = [sum(looks_like_value(cell, decimal) for cell in row) for row in rows]
    usual = sorted(v for v, row in zip(valued, rows, strict=True) if len(row) == width)
    typical = usual[len(usual) // 2]
    if typical == 0 and len(lines) < 3:
        raise FileError(
            say("{where} has a header but no rows of values; let the recording run before it is exported.", where=where)
        )
    if typical == 0:
        raise FileError(
            say("{where} holds words but no numbers; record time, temperature and drive as numbers.", where=where)
        )
    even = [len(row) == width and not _COMMENT.match(line) for row, line in zip(rows, picked, strict=True)]
    able = [row if whole_row else [] for row, whole_row in zip(rows, even, strict=True)]
    first = _first_of_values(list(zip(able, valued, strict=True)), typical, decimal)
    above = [(k, row) for k, row in enumerate(rows[:first]) if any(row)]
    wide = [row for k, row in above if len(row) > 1 and valued[k] < 0.5 * len(row)]
    if (
        wide
        and 1 < len(wide[-1]) < width
        and delimiter == ","
        and decimal == "."
        and not any(len(r) == width for r in wide)
    ):
        raise FileError(
            say("{where}: its rows have {width} fields and its header {names}; commas seem to stand "
                "both between fields and before decimals. Export it with semicolons.", where=where, width=width,
                names=len(wide[-1]))
        )  # fmt: skip
    headers = [row for row in wide if len(row) == width]
    units = ("",) * width
    if len(headers) > 1 and all(len(cell) <= 8 for cell in headers[-1]) and _are_units(headers[-1]):
        units, headers = tuple(cell.strip("()[] ") for cell in headers[-1]), headers[:-1]
    sample = tuple(tuple(row) for k, row in enumerate(rows) if k >= first and len(row) == width)
    names = tuple(headers[-1]) if headers else _named_between(sample, decimal)
    about = tuple(picked[k].strip() for k, row in above if row not in headers)
    kept = sum(len(row) == width for row in rows[first:whole])
    return TextLayout("table", encoding, delimiter, decimal, first, names, units, about, sample, kept)


def _first_of_values(rows: Sequence[tuple[list[str], int]], typical: int, decimal: str) -> int:
    """The first row of values: one with nearly as many as usual, or, above it, one with few but no words among them."""
    first = next(k for k, (row, count) in enumerate(rows) if row and count >= 0.6 * typical)
    full = [row for row, count in rows[first:] if row and count >= typical]
    usual = [
        sum(looks_like_value(row[k], decimal) for row in full) > 0.5 * len(full) for k in range(len(rows[first][0]))
    ]
    while first and rows[first - 1][1]:
        above = rows[first - 1][0]
        if not above or any(is_usual and not missing(cell) and not looks_like_value(cell, decimal)
                            for cell, is_usual in zip(above, usual, strict=True)):  # fmt: skip
            break
        first -= 1
    return first


def _named_between(sample: Sequence[tuple[str, ...]], decimal: str) -> tuple[str, ...]:
    """Names that stand in each row before their value, as in "12 Temperature 21.3 Power 40%"; "" for none."""
    columns = list(zip(*sample, strict=True))
    names = [""] * len(columns)
    for k, cells in enumerate(columns[:-1]):
        if len(set(cells)) == 1 and cells[0].isalpha() and len(set(columns[k + 1])) > 1:
            names[k + 1] = cells[0]
    return tuple(names)


def _bare(line: str) -> str:
    return _COMMENT.sub("", line).strip() if _COMMENT.match(line) else line


_UNITS = re.compile(
    r"[\[(]?\s*(s|sec|ms|min|h|hh:mm:ss|°?[cfk]|deg ?[cfk]|%|k?w|m?[va]|raw"
    r"|counts?|adc|pwm|[-–]|rpm|k?wh|ohm|ω|)\s*[\])]?",
    re.IGNORECASE,
)


def _are_units(row: Sequence[str]) -> bool:
    return any(row) and all(_UNITS.fullmatch(cell) for cell in row)
