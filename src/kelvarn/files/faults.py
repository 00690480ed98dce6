"""What is wrong with a file, in sentences."""

from typing import Any

from pydantic import ValidationError

_MOST_SHOWN = 5


class FileError(ValueError):
    """A file cannot be used. The message says what, where and what to do, one fault a line."""


def sentences(error: ValidationError, raw: Any) -> list[str]:
    """Each fault of a document as one sentence: where, what must be, what is.

    Args:
        error: pydantic's findings.
        raw: the document as read, for the names of the parts.
    """
    found = [f"{_where(e['loc'], raw)}: {_what(dict(e))}" for e in error.errors(include_url=False)]
    if len(found) > _MOST_SHOWN:
        found = [*found[:_MOST_SHOWN], f"and {len(found) - _MOST_SHOWN} more faults of this kind"]
    return found


def _where(location: tuple[int | str, ...], raw: Any) -> str:
    text, at = "", raw
    for step in location:
        # Tags of a union ("pid", "door") stand in the location but not in the document.
        inside = (isinstance(at, dict) and step in at) or (isinstance(at, list) and isinstance(step, int))
        if isinstance(step, int):
            at = at[step] if inside and -len(at) <= step < len(at) else None
            name = at.get("name") if isinstance(at, dict) else None
            printable = "".join(c if c.isprintable() else "�" for c in str(name)[:60])
            text += f"[{step}]" + (f" (“{printable}”)" if name else "")
        elif inside or step == location[-1]:
            at = at.get(step) if isinstance(at, dict) else None
            text += ("." if text else "") + step
    return text or "the project"


def _what(error: dict[str, Any]) -> str:
    context, value = error.get("ctx", {}), _short(error.get("input"))
    match error["type"]:
        case "missing":
            return "is missing"
        case "extra_forbidden":
            return "is not known to this version; remove it or open it with a newer Kelvarn"
        case "finite_number":
            return f"must be a finite number, not {value}"
        case "greater_than_equal":
            return f"must be at least {context['ge']:g}, not {value}"
        case "less_than_equal":
            return f"must be at most {context['le']:g}, not {value}"
        case "union_tag_invalid":
            return f"{_tag(context)} must be one of {context['expected_tags']}, not '{context['tag']}'"
        case "union_tag_not_found":
            return f"{_tag(context)} is missing"
        case "literal_error":
            return f"must be one of {context['expected']}, not {value}"
        case "value_error":
            return str(context["error"])
        case "float_type" | "int_type" | "int_from_float":
            whole = "whole " if error["type"].startswith("int") else ""
            return f"must be a {whole}number, not {value}"
        case "tuple_type":
            return f"must be a list, not {value}"
        case "model_type" | "model_attributes_type" | "dict_type":
            return f"must be an object, not {value}"
        case "string_type":
            return f"must be text, not {value}"
        case "string_pattern_mismatch":
            return "may not hold line breaks or other control characters"
        case "too_short":
            return f"needs at least {context['min_length']}, has {context['actual_length']}"
        case "too_long":
            return f"may have at most {context['max_length']}, has {context['actual_length']}"
        case _:
            message = str(error["msg"])
            return f"{message[:1].lower()}{message[1:]}, not {value}"


def _tag(context: dict[str, Any]) -> str:
    return str(context["discriminator"]).strip("'")


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 40 else text[:37] + "…"
