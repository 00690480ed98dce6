"""What is wrong with a file, in sentences."""

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kelvarn.sentence import say

_MOST_SHOWN = 5
_MOST_OF_A_KEY = 40
_SAID_AT_MOST = 300
_ODD = "\x7f-\x9f\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb\ud800-\udfff"
_UNPRINTABLE = re.compile(f"[\x00-\x1f{_ODD}]")
"""What moves a terminal's cursor, breaks lines, turns text round or is not seen, and halves of characters."""
UNSEEN = re.compile(f"[\x00-\x08\x0b\x0c\x0e-\x1f{_ODD}]")
"""The same, but for tabs and ends of lines."""


class FileError(ValueError):
    """A file cannot be used. The message says what, where and what to do, one fault a line."""


def printable(text: object) -> str:
    """A text that comes from a file or a path, fit to be shown: without control characters, and not endless."""
    found = _UNPRINTABLE.sub("�", str(text))
    return found if len(found) <= _SAID_AT_MOST else f"{found[: _SAID_AT_MOST - 1]}…"


def sentences(error: ValidationError, raw: Any) -> list[str]:
    """Each fault of a document as one sentence: where, what must be, what is.

    Args:
        error: pydantic's findings.
        raw: the document as read, for the names of the parts.
    """
    found = []
    for each in error.errors(include_url=False):
        if each["type"] == "too_short" and _size_at(each["loc"], raw) >= each["ctx"]["min_length"]:
            continue  # only what is wrong with its items makes it seem so
        found.append(f"{_where(each['loc'], raw)}: {_what(dict(each))}")
    if len(found) > _MOST_SHOWN:
        found = [*found[:_MOST_SHOWN], f"and {len(found) - _MOST_SHOWN} more faults of this kind"]
    return found


def _size_at(location: tuple[int | str, ...], raw: Any) -> int:
    at = raw
    for step in location:
        if isinstance(at, dict):
            at = at.get(step, at)  # tags of a union stand in the location but not in the document
        elif isinstance(at, list) and isinstance(step, int) and step < len(at):
            at = at[step]
    return len(at) if isinstance(at, list) else 0


def _where(location: tuple[int | str, ...], raw: Any) -> str:
    text, at = "", raw
    for step in location:
        # Tags of a union ("pid", "door") stand in the location but not in the document.
        inside = (isinstance(at, dict) and step in at) or (isinstance(at, list) and isinstance(step, int))
        if isinstance(step, int):
            at = at[step] if inside and -len(at) <= step < len(at) else None
            name = at.get("name") if isinstance(at, dict) else None
            text += f"[{step}]" + (f" (“{printable(str(name)[:60])}”)" if name else "")
        elif inside or step == location[-1]:
            at = at.get(step) if isinstance(at, dict) else None
            text += ("." if text else "") + _short_key(step)
    return text or "the project"


def _short_key(key: str) -> str:
    return printable(key if len(key) <= _MOST_OF_A_KEY else f"{key[:_MOST_OF_A_KEY]}…")


_WHAT: dict[str, Callable[[dict[str, Any]], str]] = {
    "missing": lambda c: "is missing",
    "extra_forbidden": lambda c: "is not known to this version; remove it or open it with a newer Kelvarn",
    "finite_number": lambda c: f"must be a finite number, not {c['value']}",
    "greater_than_equal": lambda c: f"must be at least {c['ge']:g}, not {c['value']}",
    "less_than_equal": lambda c: f"must be at most {c['le']:g}, not {c['value']}",
    "union_tag_invalid": lambda c: f"{_tag(c)} must be one of {c['expected_tags']}, not {_short(str(c['tag']))}",
    "union_tag_not_found": lambda c: f"{_tag(c)} is missing",
    "literal_error": lambda c: f"must be one of {c['expected']}, not {c['value']}",
    "value_error": lambda c: printable(c["error"]),
    "too_short": lambda c: f"needs at least {c['min_length']}, has {c['actual_length']}",
    "too_long": lambda c: f"may have at most {c['max_length']}, has more",
    "string_too_short": lambda c: f"needs {c['min_length']} or more characters, not {c['value']}",
    "string_too_long": lambda c: f"may have at most {c['max_length']} characters, not {c['value']}",
    "string_pattern_mismatch": lambda c: "may not hold line breaks or other control characters",
    "string_unicode": lambda c: "holds half a character, which is no text",
    "bool_type": lambda c: f"must be true or false, not {c['value']}",
    "none_required": lambda c: f"must be null, not {c['value']}",
}  # fmt: skip
_MUST_BE = {
    "float": "a number", "int": "a whole number", "string": "text", "bool": "true or false", "list": "a list",
    "tuple": "a list", "dict": "an object", "model": "an object",
}  # fmt: skip


def _what(error: dict[str, Any]) -> str:
    kind = str(error["type"])
    context = {**error.get("ctx", {}), "value": _short(error.get("input"))}
    if kind in _WHAT:
        return _WHAT[kind](context)
    wanted = _MUST_BE.get(kind.partition("_")[0])
    return f"must be {wanted}, not {context['value']}" if wanted else f"cannot be {context['value']}"


def _tag(context: dict[str, Any]) -> str:
    return str(context["discriminator"]).strip("'")


_WORDS = {True: "true", False: "false", None: "null"}


def _short(value: Any) -> str:
    """A value as the file has it, cut where it is long."""
    if value is None or isinstance(value, bool):
        return _WORDS[value]
    if isinstance(value, dict | list):
        return "an object" if isinstance(value, dict) else "a list"
    text = printable(repr(value) if len(str(value)[:100]) < 100 else f"{str(value)[:36]}…")
    return text if len(text) <= 40 else f"{text[:37]}…"


def reason(error: OSError, path: Path) -> str:
    """Why the system refuses a path, in one sentence."""
    return say("{path} cannot be read: {error}.", path=printable(path), error=error.strerror or error)
