"""What is known of the control step for one candidate: types, rows of tables, and which values each thing can have."""

import ast
import builtins
import inspect
import math
import operator
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import fields
from enum import IntEnum
from functools import cache
from types import ModuleType
from typing import Any, cast

from kelvarn.engine.compiled import function_of

from .program import BOOL, INT, LONG, REAL, Function, Kind, Type, field_types, read_function

Values = frozenset[Any] | None
"""What something can be; None: anything."""
MOST = 12
OPERATORS: dict[type, Callable[[Any, Any], Any]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
    ast.Mod: operator.mod, ast.LShift: operator.lshift, ast.RShift: operator.rshift, ast.BitAnd: operator.and_,
    ast.BitOr: operator.or_,
    ast.Eq: operator.eq, ast.NotEq: operator.ne, ast.Lt: operator.lt, ast.LtE: operator.le, ast.Gt: operator.gt,
    ast.GtE: operator.ge,
}  # fmt: skip
PLAIN_CALLS: dict[Any, Callable[..., Any]] = {
    min: min, max: max, abs: abs, float: float, int: int, math.floor: math.floor, math.exp: math.exp,
    math.log: math.log,
}  # fmt: skip
Rows = dict[str, frozenset[int]]
"""Which rows of its table a variable that is a record can be."""


def rows_of(group: Any) -> Iterator[tuple[Any, list[Any]]]:
    """Records and rows of all tables of a group, of those inside it too."""
    for value in group:
        if hasattr(value, "_fields"):
            yield from rows_of(value)
    for name, kind in field_types(cast(Any, type(group))).items():
        if kind.kind == Kind.TABLE:
            yield kind.of, list(getattr(group, name))


class Known:
    """What is known of a program.

    Args:
        entries: the functions that are called from outside, with everything open that they are given.
        kept: the group of tables that the program keeps, filled in for the candidate.
        inputs: the group of tables that comes from outside.
        never: fields of inputs that always are what they are at the start: this device lacks them.
    """

    def __init__(
        self, entries: Iterable[Callable[..., Any]], kept: Any, inputs: Any, never: Mapping[Any, Iterable[str]]
    ) -> None:
        self.rows: dict[Any, list[Any]] = {}
        self.lengths: dict[tuple[Any, str], int] = {}
        self.facts: dict[Any, Values] = {}
        self.changed = True
        self._functions: dict[Any, Function] = {}
        self._of_plain: dict[Any, Function] = {}
        self.written: set[tuple[Any, str]] = set()
        outside = {record for record, _ in rows_of(inputs)}
        for record, rows in [*rows_of(kept), *rows_of(inputs)]:
            self.rows.setdefault(record, []).extend(rows)
        for record, rows in self.rows.items():
            for each in fields(record):
                key = ("field", record, each.name)
                if record in outside and each.name not in never.get(record, ()):
                    self.facts[key] = None
                else:
                    self.join(key, frozenset(plain_value(getattr(row, each.name)) for row in rows))
        self._measure(kept)
        self._measure(inputs)
        self.entries = [self.function(each) for each in entries]
        for function in self.entries:
            for name in function.types:
                self.facts["name", function.name, name] = None

    def _measure(self, group: Any) -> None:
        for name, kind in field_types(cast(Any, type(group))).items():
            if kind.kind == Kind.TABLE:
                self.lengths[type(group), name] = len(getattr(group, name))
            else:
                self._measure(getattr(group, name))

    def join(self, key: Any, values: Values) -> None:
        """Take up what something can be besides what it is known to be."""
        before = self.facts.get(key, frozenset())
        if before is None:
            return
        after = None if values is None else before | values
        after = None if after is not None and len(after) > MOST else after
        if after != before or key not in self.facts:
            self.facts[key] = after
            self.changed = True

    def member(self, owner: Any, name: str) -> Type:
        """The type of a member of a group."""
        return field_types(owner)[name]

    def note_written(self, record: Any, name: str) -> None:
        """Note that a field is written."""
        if (record, name) not in self.written:
            self.written.add((record, name))
            self.changed = True

    def first_rows(self, function: Function) -> Rows:
        """Which rows the records are that a function is given."""
        return {
            name: self.facts.get(("rows", function.name, name)) or frozenset(range(len(self.rows[kind.of])))
            for name, kind in function.types.items()
            if kind.kind == Kind.RECORD
        }

    def reached(self) -> list[Function]:
        """The functions that can be reached, those that are called before those that call them."""
        return list(self._functions.values())

    def function(self, of: Any) -> Function:
        """A part as a function that is now known to be reached."""
        plain = function_of(of)
        if plain not in self._functions:
            if plain not in self._of_plain:
                self._of_plain[plain] = read_function(of)
            self._functions[plain] = self._of_plain[plain]
            self.changed = True
        return self._functions[plain]

    def is_constant(self, record: Any) -> bool:
        """Whether nothing writes a record's fields, and no input fills them in."""
        return all(self.facts["field", record, each.name] is not None for each in fields(record)) and not any(
            (record, each.name) in self.written for each in fields(record)
        )

    def is_table_of_constants(self, node: ast.Name, function: Function) -> bool:
        """Whether a name stands for a table that nothing writes: it has a name of its own in the program."""
        kind = local_types(self, function).get(node.id, INT)
        return kind.kind == Kind.TABLE and self.is_constant(kind.of)

    # What things are.

    def called(self, node: ast.Call, function: Function) -> Any:
        """What a call calls: a function of Python's, or a part of the control step."""
        known = getattr(node, "calls", None)  # of a tree that stands in another function by now
        return known if known is not None else self._resolved(node.func, function)

    def _resolved(self, node: ast.expr, function: Function) -> Any:
        if isinstance(node, ast.Name):
            if hasattr(function.scope, node.id):
                return getattr(function.scope, node.id)
            return getattr(builtins, node.id, None)
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name):
            owner = getattr(function.scope, node.value.id, None)
            if isinstance(owner, ModuleType) or (isinstance(owner, type) and issubclass(owner, IntEnum)):
                return getattr(owner, node.attr)
        return None

    def is_own(self, node: ast.Call, function: Function) -> bool:
        """Whether a call is of a part of the control step."""
        called = self.called(node, function)
        return called is not len and called not in PLAIN_CALLS and called is not range

    def origin(self, node: ast.expr, function: Function) -> str | None:
        """What a constant of the engine is called in other languages; of an enumeration, with its name."""
        if isinstance(node, ast.Attribute):
            owner = self._resolved_owner(node, function)
            return f"{owner}_{node.attr}" if owner else None
        assert isinstance(node, ast.Name)
        return named_constant(function.scope, node.id)

    def _resolved_owner(self, node: ast.Attribute, function: Function) -> str | None:
        owner = getattr(function.scope, node.value.id, None) if isinstance(node.value, ast.Name) else None
        return enum_name(owner) if isinstance(owner, type) else None

    def constant(self, node: ast.expr, function: Function) -> Any:
        """The value of a name of a module or of an enumeration; None where it is no such."""
        if isinstance(node, ast.Name) and node.id in local_names(function):
            return None
        found = self._resolved(node, function)
        return found if isinstance(found, bool | int | float) else None

    def type_of(self, node: ast.expr, function: Function) -> Type:
        """The type of an expression."""
        match node:
            case ast.Constant():
                return BOOL if isinstance(node.value, bool) else INT if isinstance(node.value, int) else REAL
            case ast.Name() if node.id in local_names(function):
                return local_types(self, function)[node.id]
            case ast.Name():
                return INT if isinstance(self.constant(node, function), int) else REAL
            case ast.Attribute():
                if self.constant(node, function) is not None:
                    return INT
                of = self.type_of(node.value, function)
                return field_types(of.of)[node.attr]
            case ast.Subscript():
                return Type(Kind.RECORD, self.type_of(node.value, function).of)
            case ast.BoolOp() | ast.Compare():
                return BOOL
            case ast.UnaryOp():
                return BOOL if isinstance(node.op, ast.Not) else self.type_of(node.operand, function)
            case ast.BinOp():
                return REAL if isinstance(node.op, ast.Div) else self._type_of_both(node.left, node.right, function)
            case ast.IfExp():
                return self._type_of_both(node.body, node.orelse, function)
            case ast.Call():
                return self._type_of_call(node, function)
        raise function.refuse(node, "such an expression")

    def _type_of_both(self, left: ast.expr, right: ast.expr, function: Function) -> Type:
        types = [self.type_of(each, function) for each in (left, right)]
        if all(each == BOOL for each in types):
            return BOOL
        return next((each for each in (REAL, LONG) if each in types), INT)

    def _type_of_call(self, node: ast.Call, function: Function) -> Type:
        called = self.called(node, function)
        if called in (min, max):
            return self._type_of_both(node.args[0], node.args[1], function)
        if called is abs:
            return self.type_of(node.args[0], function)
        known = {float: REAL, int: INT, len: INT, math.floor: LONG, math.exp: REAL, math.log: REAL}
        if called in known:
            return known[called]
        if called is None or isinstance(called, type):
            raise function.refuse(node, "such a call")
        return self._read(called).result

    def _read(self, called: Any) -> Function:
        plain = function_of(called)
        if plain not in self._of_plain:
            self._of_plain[plain] = read_function(called)
        return self._of_plain[plain]


def plain_value(value: Any) -> Any:
    """A member of an enumeration as its number."""
    return int(value) if isinstance(value, IntEnum) else value


def enum_name(owner: type) -> str:
    """What an enumeration is called in capitals; with its module, where others have the same name."""
    name = re.sub(r"(?<=[a-z])(?=[A-Z])", "_", owner.__name__).upper()
    return f"{owner.__module__.rpartition('.')[2].upper()}_{name}" if name == "CODE" else name


@cache
def named_constant(scope: Any, name: str) -> str:
    """What a constant of a module is called: itself, or the member of an enumeration that it stands for."""
    for statement in ast.parse(inspect.getsource(scope)).body:
        if isinstance(statement, ast.Assign) and isinstance(target := statement.targets[0], ast.Name):
            value = statement.value
            if target.id == name and isinstance(value, ast.Call) and isinstance(value.args[0], ast.Attribute):
                member = value.args[0]
                assert isinstance(member.value, ast.Name)
                return f"{enum_name(getattr(scope, member.value.id))}_{member.attr}"
    return name.lstrip("_")


def local_names(function: Function) -> set[str]:
    """Parameters and variables of a function."""
    if not function.names:
        stored = (each for each in ast.walk(function.node) if isinstance(each, ast.Name))
        function.names = {*function.types, *(each.id for each in stored if isinstance(each.ctx, ast.Store))}
    return function.names


def local_types(known: Known, function: Function) -> dict[str, Type]:
    """Types of parameters and variables; that of a variable by what is assigned to it."""
    found = function.variables
    if not found:
        found.update(function.types)
        for node in _in_order(function.node.body):
            if isinstance(node, ast.For) and isinstance(node.target, ast.Name):
                found[node.target.id] = INT
            elif isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name):
                name, kind = node.targets[0].id, known.type_of(node.value, function)
                if name not in found or (found[name] == INT and kind in (REAL, LONG)):
                    found[name] = kind
    return found


def _in_order(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    for statement in body:
        yield statement
        for part in ("body", "orelse"):
            yield from _in_order(getattr(statement, part, []))
