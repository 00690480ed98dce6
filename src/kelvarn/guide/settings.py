"""Every setting of a project out of its declaration: what it is, its range, what it means."""

import re
from collections.abc import Iterator
from typing import Any, Literal, get_args, get_origin

from pydantic.fields import FieldInfo

from kelvarn.model.fields import ModelBase, empty_word, title_of, words_of
from kelvarn.model.project import Project
from kelvarn.units import Quantity, show

_NOT_SET = {"kept_run", "log", "handed", "version", "set_aside"}
"""Modules of what a project keeps and nobody types."""


def _parts_in(annotation: Any) -> list[type[ModelBase]]:
    """Kinds of parts that a field holds."""
    if isinstance(annotation, type) and issubclass(annotation, ModelBase):
        return [annotation]
    return [found for part in get_args(annotation) for found in _parts_in(part)]


def _choices(annotation: Any) -> tuple[Any, ...]:
    """Words that a field takes, where it takes only some."""
    if get_origin(annotation) is Literal:
        return tuple(value for value in get_args(annotation) if value != "")
    return tuple(value for part in get_args(annotation) for value in _choices(part))


def kinds() -> list[type[ModelBase]]:
    """Every kind of part of a project, in the order in which a project has them."""
    found: dict[type[ModelBase], None] = {}

    def walk(kind: type[ModelBase]) -> None:
        if kind not in found:
            found[kind] = None
            for info in kind.model_fields.values():
                for part in _parts_in(info.annotation):
                    walk(part)

    walk(Project)
    return [kind for kind in found if kind.__module__.rpartition(".")[2] not in _NOT_SET]


def section_of(kind: type[ModelBase]) -> str:
    """Title of the section on a kind of part."""
    words = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", kind.__name__)
    if (kind.__module__.rpartition(".")[2], words) == ("wiring", "Signal"):
        return "Signal of an alarm"
    return {"Pid": "P, PI and PID", "Pwm": "PWM", "On Off": "On/off"}.get(words, words.capitalize())


def range_of(info: FieldInfo) -> str:
    """The range of a number, in the units in which it is shown; what there is to choose from; "" for all else."""
    extra = info.json_schema_extra
    if not isinstance(extra, dict) or "quantity" not in extra:
        return " · ".join(words_of(info, value) for value in _choices(info.annotation))
    quantity = Quantity(str(extra["quantity"]))
    ends = [next((getattr(m, name) for m in info.metadata if hasattr(m, name)), None) for name in ("ge", "le")]
    return " … ".join(
        "" if end is None else show(float(end), quantity, exact=quantity is not Quantity.DURATION) for end in ends
    )


def settings_sections() -> Iterator[str]:
    """A section for each kind, as Markdown."""
    for kind in kinds():
        rows = [
            f"| {title_of(info, name)} | {range_of(info)} | {_default(info)} | {info.description or ''} | `{name}` |"
            for name, info in kind.model_fields.items()
            if info.title and not _parts_in(info.annotation)
        ]
        if not rows:
            continue
        yield f"## {section_of(kind)}\n"
        yield f"{(kind.__doc__ or '').partition(chr(10))[0]}\n"
        yield "| Setting | Range | At first | What it means | In the file |\n|---|---|---|---|---|"
        yield from rows
        yield ""


def _default(info: FieldInfo) -> str:
    """What it is until somebody sets it."""
    if info.is_required() or info.default_factory is not None:
        return ""
    extra = info.json_schema_extra
    if info.default is None:
        return empty_word(info)
    if isinstance(info.default, bool):
        return "yes" if info.default else "no"
    if isinstance(info.default, int | float) and isinstance(extra, dict) and "quantity" in extra:
        return show(float(info.default), Quantity(str(extra["quantity"])))
    return str(info.default) if isinstance(info.default, str) else ""
