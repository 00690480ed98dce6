"""What is left of a program, and the settings in it."""

import ast
from dataclasses import dataclass, field
from typing import Any

from .program import Function


@dataclass(frozen=True)
class Setting:
    """A number that stays what it is: a field of one row of a table that nothing writes."""

    record: Any
    row: int
    name: str


_FIXED = ("mirror", "sign")


def is_editable(setting: Setting) -> bool:
    """Whether a setting is a number that somebody may edit; what a branch goes by is not."""
    value_type = setting.record.__annotations__[setting.name]
    return setting.name not in _FIXED and (value_type is float or setting.name.endswith("_ms"))


@dataclass
class Pruned:
    """What is left.

    Attributes:
        functions: those that are called before those that call them.
        params: of each function by name, which parameters are left.
        read: fields that something reads.
        settings: those that something reads, in the order in which they are met.
        ruled_out: conditions on settings that were taken for what they are, and what they are.
    """

    functions: list[Function]
    params: dict[str, list[str]] = field(default_factory=dict)
    read: set[tuple[Any, str]] = field(default_factory=set)
    settings: list[Setting] = field(default_factory=list)
    ruled_out: list[tuple[ast.expr, bool]] = field(default_factory=list)
