"""A copy to share: without addresses, places, secrets and names of people, with a list of what was left out.

Free text goes as a whole, since nobody can tell what it holds; names of parts stay, but for what looks like an address,
a place or a secret in them, and for words that are known to be names. What looks so is declared once, in `PATTERNS`.
"""

import csv
import getpass
import io
import re
import socket
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from kelvarn.model.log import Log, LogReading
from kelvarn.model.project import Project

GONE = "…"
PATTERNS: tuple[tuple[str, str], ...] = (
    ("mail address", r"[\w.+-]+@[\w-]+(?:\.[\w-]+)+"),
    ("web address", r"(?:[a-z][a-z0-9+.-]{1,9}://|www\.)\S+"),
    ("secret", r"(?i:password|passwd|passphrase|pwd|token|secret|api[ _-]?key|key|ssid|pin|login|user)\s*[:=]\s*\S+"),
    ("network address", r"\b\d{1,3}(?:\.\d{1,3}){3}(?::\d+)?\b|\b(?:[0-9a-fA-F]{1,4}:){3,7}:?[0-9a-fA-F]{1,4}\b"),
    ("hardware address", r"\b[0-9a-fA-F]{2}(?:[:-][0-9a-fA-F]{2}){5}\b|\b28-[0-9a-fA-F]{6,}\b"),
    ("host", r"\b[\w-]+\.(?:local|lan|home|internal|fritz\.box)\b"),
    ("path", r"(?:/(?:home|Users|root|media|mnt|srv|var|etc)/[^\s,;]+|~/[^\s,;]+|\b[A-Za-z]:\\[^,;\t]+|\\\\[^\s,;]+)"),
    ("account", r"(?<!\w)@[\w.]{3,}"),
    ("bank account", r"\b[A-Z]{2}\d{2}(?: ?[A-Z0-9]{4}){3,}(?: ?[A-Z0-9]{1,3})?\b"),
    ("place", r"-?\d{1,3}\.\d{3,}\s*°?\s*[NS]?\s*[,;/ ]\s*-?\d{1,3}\.\d{3,}\s*°?\s*[EW]?"),
    ("street", r"\b[\wÄÖÜäöüß.'-]+[ -]?(?i:straße|strasse|str\.|weg|gasse|platz|allee|street|road|lane)\s+\d+\w?"),
    ("street", r"\b\d+\w?\s+(?:[A-Z][\w'-]+\s+){1,3}(?:Street|St\.?|Road|Rd\.?|Avenue|Ave\.?|Lane|Drive|Court|Way)\b"),
    ("town", r"\b[A-Z]{0,2}-?\d{4,5}\s+[A-ZÄÖÜ][a-zäöüß]{2,}\b|\b[A-Z]{1,2}\d[A-Z\d]?\s?\d[A-Z]{2}\b"),
    ("telephone", r"(?<![\w.,])\+\d[\d ()/.-]{6,}\d\b|(?<![\w.,])0\d{2,4}[ /-]\d[\d -]{4,}\d\b"),
    ("secret", r"\b(?=[A-Za-z0-9+/_-]*\d)(?=[A-Za-z0-9+/_-]*[A-Za-z])[A-Za-z0-9+/_-]{20,}={0,2}"),
    ("secret", r"\b[0-9a-fA-F]{16,}\b"),
)  # fmt: skip
"""What looks like something that is nobody's business: what it is called, and how it looks."""
_PATTERNS = tuple((what, re.compile(pattern)) for what, pattern in PATTERNS)
_TEXTS = frozenset({"notes", "ideas", "why", "source", "limit_why", "found", "who", "address", "file", "at"})
"""Fields of free text, of people, of places; emptied."""
_LISTS = frozenset({"handed_over", "first_hour", "moments", "versions"})
"""Lists of what belongs to one device or one day; emptied."""
_NUMBER = re.compile(r"[-+]?[\d\s.,:/TZ+%°-]*\d[\d\s.,:/TZ+%°CFK-]*")
_SHORTEST_WORD = 3


@dataclass(frozen=True)
class Shared:
    """A copy to share.

    Attributes:
        project: it.
        left_out: how often what was left out, by what it is called.
        stays: names that stay, to be looked at by whoever shares it.
    """

    project: Project
    left_out: Counter[str]
    stays: tuple[str, ...]


def words_of_this_computer() -> tuple[str, ...]:
    """Names of the user and of the computer, as far as they are known."""
    found = {socket.gethostname()}
    with suppress(KeyError, OSError):
        found.add(getpass.getuser())
    return tuple(word for word in found if len(word) >= _SHORTEST_WORD and word not in ("root", "localhost"))


def shared(project: Project, words: Iterable[str] = ()) -> Shared:
    """A copy without what is nobody's business.

    Args:
        project: it stays as it is.
        words: that are left out wherever they stand, besides names of who ticked something and of units.
    """
    left: Counter[str] = Counter()
    known = {*words, *(tick.who for tick in project.checked), *(unit.address for unit in project.units)}
    known |= {unit.name for unit in project.units} | {part for tick in project.checked for part in tick.who.split()}
    scrub = _scrubber({word for word in known if len(word.strip()) >= _SHORTEST_WORD}, left)
    raw = project.model_dump(mode="json")
    for k, unit in enumerate(raw["units"], 1):
        left["unit"] += 1
        unit["name"] = f"Unit {k}"
    kept: dict[str, str] = {}
    made = _walked(raw, _names(scrub, kept), left)
    copy = Project.model_validate(made)
    logs = tuple(
        log.model_copy(update={"raw": _log_without(original, scrub, left)})
        for log, original in zip(copy.logs, project.logs, strict=True)
    )
    stays = tuple(dict.fromkeys(name for name in _said_names(made) if kept.get(name) == name))
    return Shared(copy.model_copy(update={"logs": logs}) if logs else copy, left, stays)


def _scrubber(words: set[str], left: Counter[str]) -> Callable[[str], str]:
    """What takes out of a text what looks like none of anybody's business."""
    known = re.compile("|".join(re.escape(word) for word in sorted(words, key=len, reverse=True)), re.IGNORECASE)

    def scrub(text: str) -> str:
        for what, pattern in _PATTERNS:
            text, count = pattern.subn(GONE, text)
            left[what] += count
        if words:
            text, count = known.subn(GONE, text)
            left["name"] += count
        return text

    return scrub


def _names(scrub: Callable[[str], str], kept: dict[str, str]) -> Callable[[str], str]:
    """The same for names: what had the same name has it still, what had others has others."""

    def name(text: str) -> str:
        if text not in kept:
            made, count = scrub(text), 2
            stem = made
            while made in kept.values():
                made, count = f"{stem} {count}", count + 1
            kept[text] = made
        return kept[text]

    return name


def _walked(raw: Any, name: Callable[[str], str], left: Counter[str], field: str = "") -> Any:
    """A raw document without free text, and with names as they may be shown."""
    if isinstance(raw, dict):
        return {key: _walked(value, name, left, key) for key, value in raw.items()}
    if isinstance(raw, list):
        if field in _LISTS:
            left[field.replace("_", " ")] += len(raw)
            return []
        return [_walked(value, name, left, field) for value in raw]
    if not isinstance(raw, str):
        return raw
    if field in _TEXTS or field == "look_again":
        left["free text"] += bool(raw)
        return ""
    if field == "reason":
        return GONE
    return name(raw)


def _said_names(raw: Any) -> Iterator[str]:
    """Names that people gave."""
    if isinstance(raw, dict):
        if isinstance(raw.get("name"), str):
            yield raw["name"]
        for value in raw.values():
            yield from _said_names(value)
    elif isinstance(raw, list):
        for value in raw:
            yield from _said_names(value)


def _log_without(log: Log, scrub: Callable[[str], str], left: Counter[str]) -> bytes:
    """A log's file with its numbers alone: comments and texts in columns that count for nothing go."""
    reading = log.reading
    lines = log.raw.decode(reading.encoding, "replace").splitlines()
    made = [_line_without(line, k < reading.first_row, reading, scrub, left) for k, line in enumerate(lines)]
    return ("\n".join(made) + "\n").encode(reading.encoding)


def _line_without(
    line: str, is_head: bool, reading: LogReading, scrub: Callable[[str], str], left: Counter[str]
) -> str:  # fmt: skip
    if line.lstrip().startswith("#"):
        left["free text"] += 1
        return "#"
    if reading.shape != "table":
        return scrub(line)
    cells = next(csv.reader([line], delimiter=reading.delimiter), [])
    made = []
    for k, cell in enumerate(cells):
        role = reading.columns[k].role if k < len(reading.columns) else "left_out"
        if is_head or role != "left_out":
            made.append(cell if _NUMBER.fullmatch(cell.strip() or "0") else scrub(cell))
        elif _NUMBER.fullmatch(cell.strip() or "0"):
            made.append(cell if scrub(cell) == cell else "")
        else:
            left["free text"] += 1
            made.append("")
    text = io.StringIO()
    csv.writer(text, delimiter=reading.delimiter, lineterminator="").writerow(made)
    return text.getvalue()
