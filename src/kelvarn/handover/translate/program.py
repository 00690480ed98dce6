"""The functions of the control step as trees, with their types; what cannot be carried over is refused by its place."""

import ast
import inspect
import io
import sys
import textwrap
import tokenize
from collections.abc import Callable
from dataclasses import dataclass, field, fields, is_dataclass, replace
from enum import Enum, IntEnum
from functools import cache
from pathlib import Path
from types import UnionType
from typing import Any, Union, get_args, get_origin, get_type_hints

from kelvarn.engine.compiled import function_of
from kelvarn.engine.records import Long, Table
from kelvarn.handover.faults import HandoverError


class TranslateError(HandoverError):
    """Something cannot be carried over; the message says what, and in which line of which file."""


class Kind(Enum):
    """What a value is."""

    REAL = "real"
    INT = "int"
    LONG = "long"
    BOOL = "bool"
    NONE = "none"
    RECORD = "record"
    TABLE = "table"
    GROUP = "group"  # tables that belong together
    OPEN = "open"  # whatever it is called with


@dataclass(frozen=True)
class Type:
    """The type of a value; `of` is the class of a record, of a table's records, or of a group."""

    kind: Kind
    of: Any = None


REAL, INT, LONG, BOOL, NONE = (Type(each) for each in (Kind.REAL, Kind.INT, Kind.LONG, Kind.BOOL, Kind.NONE))
OPEN = Type(Kind.OPEN)
_SCALARS: dict[Any, Type] = {float: REAL, int: INT, bool: BOOL, Long: LONG, type(None): NONE, None: NONE}


def type_of(hint: Any, where: str) -> Type:
    """The type that an annotation stands for."""
    if hint in _SCALARS:
        return _SCALARS[hint]
    if hint is Any:  # as it is called
        return OPEN
    if get_origin(hint) is UnionType or get_origin(hint) is Union:
        hint = next((each for each in get_args(hint) if get_origin(each) is Table), hint)
    if get_origin(hint) is Table:
        return Type(Kind.TABLE, get_args(hint)[0])
    if isinstance(hint, type) and issubclass(hint, IntEnum):
        return INT
    if is_dataclass(hint):
        return Type(Kind.RECORD, hint)
    if isinstance(hint, type) and hasattr(hint, "_fields"):
        return Type(Kind.GROUP, hint)
    raise TranslateError(f"{where}: a value of type {hint} cannot be carried over.")


@cache
def field_types(record: Any) -> dict[str, Type]:
    """Types of a record's fields, or of a group's tables, in their order."""
    hints = get_type_hints(record, include_extras=True)
    names = [each.name for each in fields(record)] if is_dataclass(record) else list(record._fields)
    return {name: type_of(hints[name], f"{record.__module__}.{record.__name__}.{name}") for name in names}


@cache
def field_notes(record: Any) -> dict[str, str]:
    """What the source says of each field, in a comment behind it."""
    found: dict[str, str] = {}
    notes = _comments(textwrap.dedent(inspect.getsource(record)))
    for line, text in enumerate(inspect.getsource(record).splitlines(), 1):
        name, colon, _ = text.strip().partition(":")
        if colon and name.isidentifier() and line in notes:
            found[name] = notes[line]
    return found


@dataclass
class Function:
    """A function of the control step.

    Attributes:
        name: with its module, such as `laws.pid.ask`.
        node: its tree, made plain: one target to an assignment, without its docstring.
        types: of its parameters, in order; of its result.
        scope: the module that it stands in.
        doc: the first paragraph of its docstring.
    """

    name: str
    node: ast.FunctionDef
    types: dict[str, Type]
    result: Type
    scope: Any
    doc: str
    path: Path
    first_line: int
    names: set[str] = field(default_factory=set)
    variables: dict[str, Type] = field(default_factory=dict)

    def where(self, node: ast.AST) -> str:
        """File and line of a part of it."""
        line = self.first_line + getattr(node, "lineno", 1) - 1
        return f"{self.path.name}, line {line}"

    def refuse(self, node: ast.AST, why: str) -> TranslateError:
        """What to raise for a part that cannot be carried over."""
        return TranslateError(f"{self.where(node)}: {why} cannot be carried over ({ast.unparse(node)}).")


def _comments(source: str) -> dict[int, str]:
    """Comments by line, without what is for tools."""
    found = {}
    for token in tokenize.generate_tokens(io.StringIO(source).readline):
        text = token.string.lstrip("# ")
        if token.type == tokenize.COMMENT and not text.startswith(("fmt:", "type:", "noqa")):
            found[token.start[0]] = text
    return found


class _Plain(ast.NodeTransformer):
    """Makes statements plain: an assignment has one target, and no annotation."""

    def __init__(self, function: Function, notes: dict[int, str]) -> None:
        self._function, self._notes = function, notes

    def block(self, body: list[ast.stmt]) -> list[ast.stmt]:
        found: list[ast.stmt] = []
        for statement in body:
            notes = [self._notes.pop(line) for line in sorted(self._notes) if line <= _last_line(statement)]
            made = self.visit(statement)
            made = made if isinstance(made, list) else [made]
            if made and notes:
                made[0].notes = notes
            found += made
        return found

    def visit_Assign(self, node: ast.Assign) -> list[ast.stmt]:
        pairs: list[tuple[ast.expr, ast.expr]] = []
        for target in reversed(node.targets):
            if isinstance(target, ast.Tuple):
                if not isinstance(node.value, ast.Tuple) or len(node.value.elts) != len(target.elts):
                    raise self._function.refuse(node, "taking a result apart")
                pairs += zip(target.elts, node.value.elts, strict=True)
            else:
                pairs.append((target, node.value))
        for place, (target, _) in enumerate(pairs):
            written = ast.unparse(target)
            if any(ast.unparse(part) == written for _, value in pairs[place + 1 :] for part in ast.walk(value)):
                raise self._function.refuse(node, "an exchange of values")
        return [ast.copy_location(ast.Assign([target], value), node) for target, value in pairs]

    def visit_AnnAssign(self, node: ast.AnnAssign) -> list[ast.stmt]:
        return [ast.copy_location(ast.Assign([node.target], node.value), node)] if node.value is not None else []

    def visit_If(self, node: ast.If) -> ast.stmt:
        node.body, node.orelse = self.block(node.body), self.block(node.orelse)
        return node

    def visit_For(self, node: ast.For) -> ast.stmt:
        if node.orelse or not isinstance(node.target, ast.Name) or not _is_range(node.iter):
            raise self._function.refuse(node, "a loop that is no range")
        node.body = self.block(node.body)
        return node

    def visit_While(self, node: ast.While) -> ast.stmt:
        if node.orelse:
            raise self._function.refuse(node, "“else” of a loop")
        node.body = self.block(node.body)
        return node

    def generic_visit(self, node: ast.AST) -> Any:
        if isinstance(node, ast.stmt) and not isinstance(node, _STATEMENTS):
            raise self._function.refuse(node, "such a statement")
        return node


_STATEMENTS = (ast.Assign, ast.AugAssign, ast.Expr, ast.Return, ast.Break, ast.Continue, ast.Pass)


def _is_range(node: ast.expr) -> bool:
    return (
        isinstance(node, ast.Call)
        and isinstance(node.func, ast.Name)
        and node.func.id == "range"
        and (len(node.args) == 1)
    )


def _last_line(statement: ast.stmt) -> int:
    """The last line that a comment of a statement can stand in: its own, or its head's where it has a body."""
    if isinstance(statement, ast.If | ast.While):
        return statement.test.end_lineno or 0
    if isinstance(statement, ast.For):
        return statement.iter.end_lineno or 0
    return statement.end_lineno or 0


def read_function(of: Callable[..., Any]) -> Function:
    """A function as a tree, which is nobody's to change.

    Args:
        of: marked as a part of the control step.

    Raises:
        TranslateError: it has something that cannot be carried over.
    """
    read = _read(function_of(of))
    return replace(read, types=dict(read.types), names=set(), variables={})


@cache
def _read(plain: Callable[..., Any]) -> Function:
    source = textwrap.dedent(inspect.getsource(plain))
    _, first = inspect.getsourcelines(plain)
    node = ast.parse(source).body[0]
    assert isinstance(node, ast.FunctionDef)
    scope = sys.modules[plain.__module__]
    path = Path(inspect.getfile(plain))
    hints = get_type_hints(plain, include_extras=True)
    where = f"{path.name}, line {first}"
    types = {argument.arg: type_of(hints[argument.arg], where) for argument in node.args.args}
    name = f"{plain.__module__.removeprefix('kelvarn.engine.')}.{plain.__name__}"
    found = Function(name, node, types, type_of(hints["return"], where), scope, _paragraph(plain), path, first)
    if ast.get_docstring(node) is not None:
        node.body = node.body[1:] or [ast.Pass()]
    begins = node.body[0].lineno if hasattr(node.body[0], "lineno") else 1
    notes = {line: text for line, text in _comments(source).items() if line >= begins - 1}
    node.body = _Plain(found, notes).block(node.body)
    return found


def _paragraph(of: Any) -> str:
    return " ".join((inspect.getdoc(of) or "").split("\n\n")[0].split())
