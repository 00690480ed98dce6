"""What is left of the tables of a program, for whatever language writes it: fields, members, places, what is stored."""

import ast
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import fields
from typing import Any

from .c_names import group_name, lower, setting_names
from .known import Known
from .program import Kind, Type, field_types
from .pruned import Pruned, Setting, is_editable

_PLAIN = (ast.Compare, ast.BoolOp, ast.BinOp, ast.UnaryOp, ast.operator, ast.cmpop, ast.boolop, ast.unaryop)
StoredPlace = tuple[Any, str, int, list[str]]
"""A record of which something is stored: it, where it is kept, how many rows, the fields."""


class Layout:
    """What languages have in common.

    Args:
        known, pruned: the program.
        kept, inputs: classes of the groups of tables.
        rows: what the rows of tables of constants are called, in capitals, where they have names.
        stored: fields that outlive a power cut.
    """

    def __init__(
        self, known: Known, pruned: Pruned, kept: Any, inputs: Any, rows: Mapping[Any, list[str]],
        stored: Mapping[Any, Iterable[str]],
    ) -> None:  # fmt: skip
        self._known, self._pruned, self._kept, self._inputs = known, pruned, kept, inputs
        self._row_names, self._stored = dict(rows), stored
        self._settings = setting_names(pruned, self._row_names)
        self._var = lower(group_name(kept))

    def _named_settings(self) -> dict[str, Setting]:
        """Numbers that may be edited, by name, in the order of the source."""
        return {self._settings[each]: each for each in self._pruned.settings if is_editable(each)}

    def _fields(self, record: Any) -> list[str]:
        return [each.name for each in fields(record) if (record, each.name) in self._pruned.read]

    def _in_use(self, record: Any) -> bool:
        return bool(self._fields(record)) and not self._known.is_constant(record)

    def _members(self, group: Any) -> list[tuple[str, Type]]:
        """Members of a group that are left."""
        found = []
        for name, kind in field_types(group).items():
            if kind.kind == Kind.TABLE:
                if self._in_use(kind.of) and self._known.lengths[group, name]:
                    found.append((name, kind))
            elif self._members(kind.of):
                found.append((name, kind))
        return found

    def _constant_tables(self) -> list[Any]:
        """Records of the tables that nothing writes, and of which something is read."""
        return [each for each in self._known.rows if self._known.is_constant(each) and self._fields(each)]

    def _places(self, group: Any, path: str) -> Iterator[tuple[Any, str, int]]:
        """Records that are kept: which, where and how many."""
        for name, kind in self._members(group):
            if kind.kind == Kind.TABLE:
                yield kind.of, f"{path}{name}", self._known.lengths[group, name]
            else:
                yield from self._places(kind.of, f"{path}{name}.")

    def _stored_places(self) -> list[StoredPlace]:
        """Records that outlive a power cut."""
        found = []
        for record, place, count in self._places(self._kept, ""):
            names = [name for name in self._fields(record) if name in self._stored.get(record, ())]
            if names:
                found.append((record, place, count, names))
        return found

    def _conditions(self) -> Iterator[tuple[ast.expr, bool]]:
        """What the settings must go on fulfilling, since branches were ruled out by it; and whether it holds or not."""
        named = set(self._pruned.settings)
        for test, holds in self._pruned.ruled_out:
            constants = [each for each in ast.walk(test) if isinstance(each, ast.Constant)]
            others = [each for each in ast.walk(test) if not isinstance(each, ast.Constant)]
            origins = [getattr(each, "origin", None) for each in constants]
            editable = [each for each in origins if isinstance(each, Setting) and is_editable(each)]
            if editable and set(editable) <= named and all(isinstance(each, _PLAIN) for each in others):
                yield test, holds
