"""The control step in C99: `control.h`, `control.c` and the settings of `settings.h`."""

import ast
import textwrap
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from .c_body import INDENT, WIDTH, Body, changed_parameters, comment, first_sentence, indented, stored_name
from .c_expr import Writer, c_type
from .c_names import function_names, group_name, lower, record_name
from .known import Known
from .layout import Layout
from .program import BOOL, INT, REAL, Function, Kind, field_notes, field_types
from .pruned import Pruned, Setting, is_editable

_HELPERS = {
    f"{name}_{kind}": f"static {c} {name}_{kind}({c} a, {c} b) {{\n    return b {than} a ? b : a;\n}}"
    for name, than in (("min", "<"), ("max", ">"))
    for kind, c in (("real", "real"), ("int", "int32_t"), ("long", "int64_t"))
} | {"abs_int": "static int32_t abs_int(int32_t a) {\n    return a < 0 ? -a : a;\n}"}
"""What Python has built in; of two that are the same the first one, as there."""


@dataclass(frozen=True)
class StoredField:
    """A field of a row of a record that is stored, and what it is called in `Stored`."""

    record: Any
    row: int
    name: str
    called: str


@dataclass(frozen=True)
class Sources:
    """What was written.

    Attributes:
        header, body: `control.h` and `control.c`.
        settings: numbers that may be edited, by name, each with its setting; in the order of the source.
        fits: conditions on them that hold, in C.
        tabled: names of those that stand in tables of constants.
        stored: what outlives a power cut, a field of a row each.
    """

    header: str
    body: str
    settings: dict[str, Setting]
    fits: list[str]
    tabled: frozenset[str]
    stored: list[StoredField]


class C99(Layout):
    """Writes a program in C. Arguments as for `Layout`."""

    def __init__(
        self, known: Known, pruned: Pruned, kept: Any, inputs: Any, rows: Mapping[Any, list[str]],
        stored: Mapping[Any, Iterable[str]],
    ) -> None:  # fmt: skip
        super().__init__(known, pruned, kept, inputs, rows, stored)
        self._names = function_names(pruned.functions)
        self._writer = Writer(known, pruned, self._settings, self._names)
        self._tabled: set[str] = set()
        self._changed = changed_parameters(known, pruned)

    def sources(self) -> Sources:
        """Header, body and settings."""
        entries = {each.name for each in self._known.entries}
        functions = "\n\n".join(self._function(each, public=each.name in entries) for each in self._pruned.functions)
        begin, stored = self._begin(), self._stored_functions()
        tables = self._tables()
        fits = self._fits()
        helpers = "\n\n".join(_HELPERS[name] for name in sorted(self._writer.helpers) if name in _HELPERS)
        body = "\n\n".join(
            part
            for part in ('#include "control.h"', self._constants(), tables, helpers, functions, begin, stored)
            if part
        )
        return Sources(
            self._header(), body + "\n", self._named_settings(), fits, frozenset(self._tabled), self._stored_fields()
        )

    # Types.

    def _record(self, record: Any) -> str:
        notes, types = field_notes(record), field_types(record)
        lines = []
        for name in self._fields(record):
            note = f"  /* {notes[name]} */" if name in notes else ""
            lines.append(f"{INDENT}{c_type(types[name])} {name};{note}")
        doc = comment(first_sentence(record))
        return f"{doc}\ntypedef struct {{\n" + "\n".join(lines) + f"\n}} {record_name(record)};"

    def _group(self, group: Any) -> str:
        lines = []
        for name, kind in self._members(group):
            count = self._known.lengths.get((group, name), 1)
            of = record_name(kind.of) if kind.kind == Kind.TABLE else group_name(kind.of)
            lines.append(f"{INDENT}{of} {name}{f'[{count}]' if count > 1 else ''};")
        doc = comment(first_sentence(group))
        return f"{doc}\ntypedef struct {{\n" + "\n".join(lines) + f"\n}} {group_name(group)};"

    def _types(self, group: Any, done: dict[Any, str]) -> None:
        for _, kind in self._members(group):
            if kind.kind == Kind.TABLE:
                done.setdefault(kind.of, self._record(kind.of))
            else:
                self._types(kind.of, done)
        done[group] = self._group(group)

    def _header(self) -> str:
        done: dict[Any, str] = {}
        self._types(self._inputs, done)
        self._types(self._kept, done)
        entries = {each.name for each in self._known.entries}
        public = [each for each in self._pruned.functions if each.name in entries]
        prototypes = [f"{comment(each.doc)}\n{self._signature(each)};" for each in public]
        parts = ["#ifndef CONTROL_H\n#define CONTROL_H", '#include "settings.h"', *done.values(), *prototypes,
                 f"{comment('Fill in what is kept, as it is before the first sample.')}\n"
                 f"void begin({group_name(self._kept)} *{self._var});"]  # fmt: skip
        if self._stored_places():
            parts += [self._stored_type(),
                      f"{comment('What outlives a power cut, of what is kept.')}\n"
                      f"void keep(const {group_name(self._kept)} *{self._var}, Stored *stored);",
                      f"{comment('Fill in what was stored; `resume` comes next.')}\n"
                      f"void recall({group_name(self._kept)} *{self._var}, const Stored *stored);"]  # fmt: skip
        return "\n\n".join([*parts, "#endif"]) + "\n"

    # Constants.

    def _constants(self) -> str:
        lines = []
        for name, value in sorted(self._writer.constants.items()):
            kind = REAL if isinstance(value, float) else INT
            text = self._writer.number(value, kind)
            lines.append(f"#define {name} {f'({text})' if value < 0 else text}")
        return "\n".join(lines)

    def _tables(self) -> str:
        """Tables of constants of several rows, which stay in program memory where data has room of its own."""
        found = []
        for record in self._constant_tables():
            rows = []
            for place, row in enumerate(self._known.rows[record]):
                name = f"  /* {self._row_names[record][place]} */" if record in self._row_names else ""
                cells = ", ".join(self._cell(record, place, row, each) for each in self._fields(record))
                rows.append(f"{INDENT}{{{cells}}},{name}")
            of, name = record_name(record), lower(record_name(record))
            found.append(
                f"{self._record(record)}\n\nstatic const {of} {name}_rows[{len(rows)}] IN_PROGRAM_MEMORY = {{\n"
                + "\n".join(rows)
                + f"\n}};\n\nstatic {of} {name}_at(int32_t place) {{\n{INDENT}{of} row;\n"
                f"{INDENT}COPY_FROM_PROGRAM_MEMORY(&row, &{name}_rows[place], sizeof row);\n{INDENT}return row;\n}}"
            )
        return "\n\n".join(found)

    def _cell(self, record: Any, place: int, row: Any, name: str) -> str:
        setting = Setting(record, place, name)
        if setting in self._settings and is_editable(setting):
            self._tabled.add(self._settings[setting])
            return self._settings[setting]
        return self._writer.number(getattr(row, name), field_types(record)[name])

    # What is kept.

    def _begin(self) -> str:
        lines = [f"memset({self._var}, 0, sizeof *{self._var});"]
        for record, place, count in self._places(self._kept, f"{self._var}->"):
            row = self._known.rows[record][0]
            for name in self._fields(record):
                value = getattr(row, name)
                if value:
                    text = self._writer.number(value, field_types(record)[name])
                    if count > 1:
                        lines.append(
                            f"for (int32_t k = 0; k < {count}; k++) {{\n{INDENT}{place}[k].{name} = {text};\n}}"
                        )
                    else:
                        lines.append(f"{place}.{name} = {text};")
        body = textwrap.indent("\n".join(lines), INDENT)
        return f"void begin({group_name(self._kept)} *{self._var}) {{\n{body}\n}}"

    def _stored_fields(self) -> list[StoredField]:
        return [
            StoredField(record, row, name, stored_name(place, name) + (f"[{row}]" if count > 1 else ""))
            for record, place, count, names in self._stored_places()
            for name in names
            for row in range(count)
        ]

    def _stored_type(self) -> str:
        lines = []
        for record, place, count, names in self._stored_places():
            for name in names:
                size = f"[{count}]" if count > 1 else ""
                lines.append(f"{INDENT}{c_type(field_types(record)[name])} {stored_name(place, name)}{size};")
        doc = comment("What outlives a power cut; nothing else is stored.")
        return f"{doc}\ntypedef struct {{\n" + "\n".join(lines) + "\n} Stored;"

    def _stored_functions(self) -> str:
        if not self._stored_places():
            return ""
        keep: list[str] = ["memset(stored, 0, sizeof *stored);"]
        recall: list[str] = []
        for _, place, count, names in self._stored_places():
            for name in names:
                at, index = stored_name(place, name), "[k]" if count > 1 else ""
                there, here = f"stored->{at}{index}", f"{self._var}->{place}{index}.{name}"
                for lines, text in ((keep, f"{there} = {here};"), (recall, f"{here} = {there};")):
                    lines.append(f"for (int32_t k = 0; k < {count}; k++) {{\n{INDENT}{text}\n}}" if count > 1 else text)
        kept = group_name(self._kept)
        heads = (
            f"void keep(const {kept} *{self._var}, Stored *stored)",
            f"void recall({kept} *{self._var}, const Stored *stored)",
        )
        return "\n\n".join(
            f"{head} {{\n" + "\n".join(indented(lines)) + "\n}"
            for head, lines in zip(heads, (keep, recall), strict=True)
        )

    def _fits(self) -> list[str]:
        """Conditions that the settings must go on fulfilling."""
        found: dict[str, None] = {}
        for test, holds in self._conditions():
            text = self._writer.expr(test, self._pruned.functions[0], BOOL).text
            found[text if holds else f"!({text})"] = None
        return list(found)

    # Functions.

    def _signature(self, function: Function) -> str:
        parts = []
        for name in self._pruned.params[function.name]:
            kind = function.types[name]
            if kind.kind in (Kind.RECORD, Kind.TABLE):
                const = "" if name in self._changed[function.name] else "const "
                parts.append(f"{const}{record_name(kind.of)} *{name}")
            elif kind.kind == Kind.GROUP:
                const = "" if name in self._changed[function.name] else "const "
                parts.append(f"{const}{group_name(kind.of)} *{name}")
            else:
                parts.append(f"{c_type(kind)} {name}")
        return f"{c_type(function.result)} {self._names[function.name]}({', '.join(parts) or 'void'})"

    def _function(self, function: Function, *, public: bool) -> str:
        body = Body(self, function).text()
        names = {part.id for node in function.node.body for part in ast.walk(node) if isinstance(part, ast.Name)}
        unused = [f"{INDENT}(void){name};\n" for name in self._pruned.params[function.name] if name not in names]
        body = "".join(unused) + body
        head = ("" if public else "static ") + self._signature(function)
        if len(head) > WIDTH:
            at = head.index("(")
            inner = textwrap.wrap(head[at + 1 :], WIDTH - 4)
            head = f"{head[: at + 1]}\n" + textwrap.indent("\n".join(inner), INDENT)
        return f"{comment(function.doc)}\n{head} {{\n{body}\n}}"

    def is_changed(self, name: str, function: Function) -> bool:
        """Whether something is written through a variable of a function."""
        return name in self._changed[function.name]

    @property
    def writer(self) -> Writer:
        """What writes expressions."""
        return self._writer

    @property
    def known(self) -> Known:
        """The program."""
        return self._known
