"""The control step in Python without NumPy: `control.py`, the very functions, pruned; for MicroPython too."""

import ast
import builtins
import copy
import re
import textwrap
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields
from typing import Any

from .c_body import first_sentence, stored_name
from .c_names import function_names, group_name, lower, record_name, setting_names
from .known import Known
from .program import Function, Kind, Type, field_notes, field_types
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


class Python:
    """Writes a program in Python.

    Args:
        known, pruned: the program.
        kept, inputs: classes of the groups of tables.
        rows: what the rows of tables of constants are called, in capitals, where they have names.
        stored: fields that outlive a power cut.
        live: names of settings that may change while it runs: they are looked up each time.
    """

    def __init__(
        self, known: Known, pruned: Pruned, kept: Any, inputs: Any, rows: Mapping[Any, list[str]],
        stored: Mapping[Any, Iterable[str]], live: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        self._live = live
        self._known, self._pruned, self._kept, self._inputs = known, pruned, kept, inputs
        self._rows, self._stored = rows, stored
        self._functions = {
            full: f"{name}_" if hasattr(builtins, name) else name
            for full, name in function_names(pruned.functions).items()
        }
        self._settings = setting_names(pruned, dict(rows))
        self._constants: dict[str, int | float] = {}

    def sources(self) -> PythonSources:
        """The control step and its settings."""
        functions = [self._function(each) for each in self._pruned.functions]
        named = {self._settings[each]: each for each in self._pruned.settings if is_editable(each)}
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

    def _fields(self, record: Any) -> list[str]:
        return [each.name for each in fields(record) if (record, each.name) in self._pruned.read]

    def _members(self, group: Any) -> list[tuple[str, Type]]:
        """Members of a group that are left."""
        found = []
        for name, kind in field_types(group).items():
            if kind.kind == Kind.TABLE:
                in_use = bool(self._fields(kind.of)) and not self._known.is_constant(kind.of)
                if in_use and self._known.lengths[group, name]:
                    found.append((name, kind))
            elif self._members(kind.of):
                found.append((name, kind))
        return found

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

    def _places(self, group: Any, path: str) -> Iterable[tuple[Any, str, int]]:
        for name, kind in self._members(group):
            if kind.kind == Kind.TABLE:
                yield kind.of, f"{path}{name}", self._known.lengths[group, name]
            else:
                yield from self._places(kind.of, f"{path}{name}.")

    def _keeping(self) -> str:
        """What outlives a power cut: its names and kinds, and to and fro."""
        var, names, kinds, keep, recall = lower(group_name(self._kept)), list[str](), "", "", ""
        for record, place, count in self._places(self._kept, ""):
            for name in self._fields(record):
                if name not in self._stored.get(record, ()):
                    continue
                kind = field_types(record)[name].kind
                for row in range(count):
                    stored = f"stored[{len(names)}]"
                    there = f"{var}.{place}[{row}].{name}"
                    keep += f"{_INDENT * 2}{there},\n"
                    recall += f"{_INDENT}{there} = {f'bool({stored})' if kind == Kind.BOOL else stored}\n"
                    kinds += "d" if kind == Kind.REAL else "q"
                    names.append(stored_name(place, name) + (f"_{row}" if count > 1 else ""))
        return _KEEPING.format(
            names=tuple(names), kinds=kinds, var=var, keep=keep, recall=recall or f"{_INDENT}pass"
        ).rstrip("\n")

    # Constants.

    def _tables(self) -> str:
        found = []
        for record in self._known.rows:
            names = self._fields(record)
            if not self._known.is_constant(record) or not names:
                continue
            lines = [f"{record_name(record)} = namedtuple({record_name(record)!r}, {tuple(names)!r})",
                     f"{lower(record_name(record))}_rows = ("]  # fmt: skip
            for place, row in enumerate(self._known.rows[record]):
                cells = ", ".join(self._cell(record, place, row, each) for each in names)
                name = f"  # {self._rows[record][place]}" if record in self._rows else ""
                lines.append(f"{_INDENT}{record_name(record)}({cells}),{name}")
            found.append("\n".join([*lines, ")"]))
        return "\n".join(found)

    def _cell(self, record: Any, place: int, row: Any, name: str) -> str:
        setting = Setting(record, place, name)
        if setting in self._settings and is_editable(setting):
            return self._settings[setting]
        return _value(getattr(row, name))

    def _fits(self) -> list[str]:
        """Conditions that the settings must go on fulfilling, since branches were ruled out by them."""
        found: dict[str, None] = {}
        function, named = self._pruned.functions[0], set(self._pruned.settings)
        plain = (ast.Compare, ast.BoolOp, ast.BinOp, ast.UnaryOp, ast.operator, ast.cmpop, ast.boolop, ast.unaryop)
        for test, holds in self._pruned.ruled_out:
            constants = [each for each in ast.walk(test) if isinstance(each, ast.Constant)]
            others = [each for each in ast.walk(test) if not isinstance(each, ast.Constant)]
            origins = [getattr(each, "origin", None) for each in constants]
            editable = [each for each in origins if isinstance(each, Setting) and is_editable(each)]
            if editable and all(each in named for each in editable) and all(isinstance(each, plain) for each in others):
                text = self._text(test, function).replace("settings.", "")
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

    def _text(self, node: ast.AST, function: Function) -> str:
        made = _ToPython(self, function).visit(copy.deepcopy(node))
        return ast.unparse(ast.fix_missing_locations(made))

    def constant(self, node: ast.Constant) -> ast.expr:
        """A number, or the name that it has: of a setting, or of a constant of the engine."""
        origin = getattr(node, "origin", None)
        if isinstance(origin, Setting) and is_editable(origin):
            name = self._settings[origin]
            return ast.Attribute(ast.Name("settings"), name) if name in self._live else ast.Name(name)
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

    def __init__(self, program: Python, function: Function) -> None:
        self._program, self._function = program, function

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        return self._program.constant(node)

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
