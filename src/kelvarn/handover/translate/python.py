"""The control step in Python without NumPy: `control.py`, the very functions, pruned; for MicroPython too."""

import ast
import builtins
import copy
import re
import textwrap
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from .c_body import first_sentence, stored_name
from .c_names import function_names, group_name, lower, record_name
from .known import Known
from .layout import Layout
from .program import Function, Kind, field_notes, field_types
from .pruned import Pruned, Setting, is_editable

_INDENT = "    "
_WIDTH = 100


@dataclass(frozen=True)
class PythonSources:
    """What was written.

    Attributes:
        body: `control.py`.
        settings: numbers that may be edited, by name, each with its setting; in the order of the source.
        fits: conditions on them that hold, in Python.
    """

    body: str
    settings: dict[str, Setting]
    fits: list[str]


class Python(Layout):
    """Writes a program in Python; arguments as for `Layout`, and one more.

    Args:
        live: names of settings that may change while it runs: they are looked up each time.
    """

    def __init__(
        self, known: Known, pruned: Pruned, kept: Any, inputs: Any, rows: Mapping[Any, list[str]],
        stored: Mapping[Any, Iterable[str]], live: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        super().__init__(known, pruned, kept, inputs, rows, stored)
        self._live = live
        self._functions = {
            full: f"{name}_" if hasattr(builtins, name) else name
            for full, name in function_names(pruned.functions).items()
        }
        self._constants: dict[str, int | float] = {}

    def sources(self) -> PythonSources:
        """The control step and its settings."""
        functions = [self._function(each) for each in self._pruned.functions]
        named = self._named_settings()
        tables, fits = self._tables(), self._fits()
        done: dict[Any, str] = {}
        for group in (self._inputs, self._kept):
            self._classes(group, done)
        constants = "\n".join(f"{name} = {value!r}" for name, value in sorted(self._constants.items()))
        body = "\n\n\n".join([*done.values(), *functions, self._keeping()])
        head = '"""The control step that was tried. Not to be edited: numbers stand in settings.py."""\n\n'
        imports = "import math\n" if "math." in body else ""
        imports += "from collections import namedtuple\n" if tables else ""
        imports += "\nimport settings\n" if self._live else ""
        used = sorted((set(named) - self._live) & set(re.findall(r"\w+", body + tables)))
        imports += ("\n" if imports else "") + _import_of(used) if used else ""
        parts = [head + imports.rstrip("\n"), constants, tables]
        return PythonSources("\n\n".join(part for part in parts if part) + "\n\n\n" + body + "\n", named, fits)

    # What is kept.

    def _classes(self, group: Any, done: dict[Any, str]) -> None:
        for _, kind in self._members(group):
            if kind.kind == Kind.TABLE:
                done.setdefault(kind.of, self._record(kind.of))
            else:
                self._classes(kind.of, done)
        lines = []
        for name, kind in self._members(group):
            count = self._known.lengths.get((group, name))
            if count is None:
                lines.append(f"self.{name} = {group_name(kind.of)}()")
            elif count == 1:
                lines.append(f"self.{name} = [{record_name(kind.of)}()]")
            else:
                lines.append(f"self.{name} = [{record_name(kind.of)}() for _ in range({count})]")
        done[group] = _class(group_name(group), first_sentence(group), lines)

    def _record(self, record: Any) -> str:
        notes, row = field_notes(record), self._known.rows[record][0]
        lines = []
        for name in self._fields(record):
            note = f"  # {notes[name]}" if name in notes else ""
            lines.append(f"self.{name} = {_value(getattr(row, name))}{note}")
        return _class(record_name(record), first_sentence(record), lines)

    def _keeping(self) -> str:
        """What outlives a power cut: its names and kinds, and to and fro."""
        var, stored_names, kinds, keep, recall = self._var, list[str](), "", "", ""
        for record, place, count, names in self._stored_places():
            for name in names:
                kind = field_types(record)[name].kind
                for row in range(count):
                    stored = f"stored[{len(stored_names)}]"
                    there = f"{var}.{place}[{row}].{name}"
                    keep += f"{_INDENT * 2}{there},\n"
                    recall += f"{_INDENT}{there} = {f'bool({stored})' if kind == Kind.BOOL else stored}\n"
                    kinds += "d" if kind == Kind.REAL else "q"
                    stored_names.append(stored_name(place, name) + (f"_{row}" if count > 1 else ""))
        return _KEEPING.format(
            names=tuple(stored_names), kinds=kinds, var=var, keep=keep, recall=recall or f"{_INDENT}pass"
        ).rstrip("\n")

    # Constants.

    def _tables(self) -> str:
        found = []
        for record in self._constant_tables():
            names = self._fields(record)
            lines = [f"{record_name(record)} = namedtuple({record_name(record)!r}, {tuple(names)!r})",
                     f"{lower(record_name(record))}_rows = ("]  # fmt: skip
            for place, row in enumerate(self._known.rows[record]):
                cells = ", ".join(self._cell(record, place, row, each) for each in names)
                name = f"  # {self._row_names[record][place]}" if record in self._row_names else ""
                lines.append(f"{_INDENT}{record_name(record)}({cells}),{name}")
            found.append("\n".join([*lines, ")"]))
        return "\n".join(found)

    def _cell(self, record: Any, place: int, row: Any, name: str) -> str:
        setting = Setting(record, place, name)
        if setting in self._settings and is_editable(setting):
            return self._settings[setting]
        return _value(getattr(row, name))

    def _fits(self) -> list[str]:
        """Conditions that the settings must go on fulfilling; they stand in `settings.py` itself."""
        found: dict[str, None] = {}
        for test, holds in self._conditions():
            text = self._text(test, self._pruned.functions[0], within_settings=True)
            found[text if holds else f"not ({text})"] = None
        return list(found)

    # Functions.

    def _function(self, function: Function) -> str:
        names = ", ".join(self._pruned.params[function.name])
        body = self._block(function.node.body, function)
        doc = textwrap.indent(_doc(function.doc), _INDENT)
        lines = textwrap.indent("\n".join(body or ["pass"]), _INDENT)
        return f"def {self._functions[function.name]}({names}):\n{doc}\n{lines}"

    def _block(self, body: list[ast.stmt], function: Function) -> list[str]:
        lines: list[str] = []
        for node in body:
            for note in getattr(node, "notes", None) or ():
                lines += [f"# {line}" for line in textwrap.wrap(note, _WIDTH - 8)]
            lines += self._statement(node, function)
        return lines

    def _statement(self, node: ast.stmt, function: Function) -> list[str]:
        match node:
            case ast.If():
                return self._if(node, "if", function)
            case ast.For() | ast.While():
                if isinstance(node, ast.While):
                    head = f"while {self._text(node.test, function)}:"
                else:
                    head = f"for {ast.unparse(node.target)} in {self._text(node.iter, function)}:"
                return [head, *_indented(self._block(node.body, function))]
            case _:
                return [self._text(node, function)]

    def _if(self, node: ast.If, word: str, function: Function) -> list[str]:
        lines = [f"{word} {self._text(node.test, function)}:", *_indented(self._block(node.body, function))]
        if len(node.orelse) == 1 and isinstance(node.orelse[0], ast.If) and not getattr(node.orelse[0], "notes", None):
            return [*lines, *self._if(node.orelse[0], "elif", function)]
        if node.orelse:
            lines += ["else:", *_indented(self._block(node.orelse, function))]
        return lines

    def _text(self, node: ast.AST, function: Function, *, within_settings: bool = False) -> str:
        made = _ToPython(self, function, within_settings).visit(copy.deepcopy(node))
        return ast.unparse(ast.fix_missing_locations(made))

    def constant(self, node: ast.Constant, *, within_settings: bool) -> ast.expr:
        """A number, or the name that it has: of a setting, or of a constant of the engine."""
        origin = getattr(node, "origin", None)
        if isinstance(origin, Setting) and is_editable(origin):
            name = self._settings[origin]
            live = name in self._live and not within_settings
            return ast.Attribute(ast.Name("settings"), name) if live else ast.Name(name)
        if isinstance(origin, str) and not isinstance(node.value, bool):
            self._constants[origin] = node.value  # type: ignore[assignment]
            return ast.Name(origin)
        return node

    def called(self, node: ast.Call, function: Function) -> str | None:
        """The name of a part of the control step that is called; None where it is Python's own."""
        if isinstance(node.func, ast.Name) and node.func.id == "range":
            return None
        if not self._known.is_own(node, function):
            return None
        return self._functions[self._known.function(self._known.called(node, function)).name]

    def rows_of(self, node: ast.expr, function: Function) -> str | None:
        """The name of a table of constants; None where it is another table."""
        kind = self._known.type_of(node, function)
        is_table = kind.kind == Kind.TABLE and self._known.is_constant(kind.of)
        return f"{lower(record_name(kind.of))}_rows" if is_table else None


_KEEPING = '''STORED = {names!r}
STORED_KINDS = {kinds!r}


def keep({var}):
    """What outlives a power cut, in the order of STORED."""
    return (
{keep}    )


def recall({var}, stored):
    """Fill in what was stored; `resume` comes next."""
{recall}'''


class _ToPython(ast.NodeTransformer):
    """Gives names to constants, settings, functions and tables."""

    def __init__(self, program: Python, function: Function, within_settings: bool) -> None:
        self._program, self._function, self._within_settings = program, function, within_settings

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        return self._program.constant(node, within_settings=self._within_settings)

    def visit_Subscript(self, node: ast.Subscript) -> ast.AST:
        rows = self._program.rows_of(node.value, self._function)
        self.generic_visit(node)
        if rows is not None:
            node.value = ast.Name(rows)
        return node

    def visit_Call(self, node: ast.Call) -> ast.AST:
        name = self._program.called(node, self._function)
        node.args = [self.visit(each) for each in node.args]
        if name is not None:
            node.func = ast.Name(name)
        return node


def _class(name: str, doc: str, lines: list[str]) -> str:
    inner = _indented(_indented(lines or ["pass"]))
    return "\n".join(
        [f"class {name}:", textwrap.indent(_doc(doc), _INDENT), "", f"{_INDENT}def __init__(self):", *inner]
    )


def _doc(text: str) -> str:
    return '"""' + "\n".join(textwrap.wrap(text, _WIDTH - 10)) + '"""'


def _indented(lines: list[str]) -> list[str]:
    return textwrap.indent("\n".join(lines), _INDENT).split("\n")


def _value(value: Any) -> str:
    return repr(value) if isinstance(value, bool | float) else repr(int(value))


def _import_of(names: list[str]) -> str:
    lines = textwrap.wrap(", ".join(names), _WIDTH - 6)
    return "from settings import (\n" + textwrap.indent("\n".join(lines), _INDENT) + ",\n)\n"
