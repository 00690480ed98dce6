"""Rows that bring their names along: "key: value" lines of a serial monitor, JSON lines, a value a row."""

import json
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from kelvarn.files.faults import printable

from .cells import looks_like_value
from .named import named_rows

_PAIR = re.compile(
    r"(?:^|(?<=[\s,;|{(]))([A-Za-z°][\w°%./ -]{0,40}?)\s*[:=]\s*"
    r"([^\s,;|:=]+(?::\d\d[^\s,;|:=]*)*(?: °?[CFKWs%](?=\s|$))?)"
)
_STAMP = re.compile(
    r"^\s*\[?((?:\d{4}-\d\d-\d\d[T ]|[A-Z][a-z]{2} {1,2}\d{1,2} )?\d{1,2}:\d\d:\d\d(?:[.,]\d+)?Z?)\]?"
    r"\s*(?:->|>|\]|-)?\s+(?=\D)"
)


def records(lines: Sequence[str], shape: str) -> Iterator[dict[str, str]]:
    """Rows of "key: value" lines or JSON lines, as keys and texts; empty where a line is none."""
    if shape == "json":
        for line in lines:
            yield _json_row(line)
        return
    if shape == "named":
        yield from named_rows(lines)
        return
    gathered: dict[str, str] = {}
    for line in lines:
        row = _pairs(line)
        if len(row) > 1 or (row and "time of day" in row):
            yield row
        elif not row:
            continue
        else:  # one pair a line: a row ends where a key comes again
            if next(iter(row)) in gathered:
                yield gathered
                gathered = {}
            gathered.update(row)
    if gathered:
        yield gathered


def _pairs(line: str) -> dict[str, str]:
    found: dict[str, str] = {}
    stamp = _STAMP.match(line)
    if stamp:
        found["time of day"], line = stamp[1], line[stamp.end() :]
    for key, value in _PAIR.findall(line):
        found.setdefault(key.strip(), value)
    if len(found) == 1 and stamp:
        return {}
    return found


def _json_row(line: str) -> dict[str, str]:
    line = (
        line.strip().rstrip(",").lstrip("[").rstrip("]") if not line.strip().endswith("}") else line.strip().lstrip("[")
    )
    if not line.startswith("{"):
        return {}
    try:
        made = json.loads(line)
    except (ValueError, RecursionError):
        return {}
    return _flat(made) if isinstance(made, dict) else {}


def _flat(made: dict[str, Any], before: str = "") -> dict[str, str]:
    found: dict[str, str] = {}
    for key, value in made.items():
        name = f"{before}{key}"
        if not name.isprintable():  # halves of characters too
            name = printable(name)
        if isinstance(value, dict) and before.count(".") < 4:
            found.update(_flat(value, f"{name}."))
        elif isinstance(value, bool):
            found[name] = "on" if value else "off"
        elif isinstance(value, int | float | str):
            found[name] = str(value)
        elif value is None:
            found[name] = ""
    return found


def is_pairs(rows: Sequence[dict[str, str]], picked: Sequence[str]) -> bool:
    """Whether most lines are "key: value" pairs with the same keys again and again."""
    full = [row for row in rows if len(row) > 1]
    if len(full) < 2:
        return False
    keys = Counter(key for row in full for key in row)
    common = [key for key, count in keys.items() if count >= 0.5 * len(full)]
    values = sum(looks_like_value(row.get(key, ""), ".") for row in full for key in common)
    filled = sum(len(row) for row in full)
    return len(common) > 1 and len(full) >= 0.15 * len(picked) and values >= 0.5 * filled
