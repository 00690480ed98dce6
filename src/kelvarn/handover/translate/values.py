"""Which values each thing can have: what settings are, and what the control step ever writes.

Every field, variable, parameter and result starts with the values that it is known to have at the start, and takes up
what the statements that can be reached write to it, until nothing more comes (sparse conditional propagation: Wegman
and Zadeck, Constant propagation with conditional branches, 1991). What has more than a few is left open.
"""

import ast
import operator
from collections.abc import Callable, Iterable, Mapping
from itertools import product
from typing import Any

from .known import MOST, OPERATORS, PLAIN_CALLS, Known, Rows, Values, plain_value
from .program import OPEN, Function, Kind

_MOST_TRIED = 300


def known_of(
    entries: Iterable[Callable[..., Any]], kept: Any, inputs: Any, never: Mapping[Any, Iterable[str]]
) -> Known:
    """What is known of a program, all that it can do followed. Arguments as for `Known`."""
    known = Known(entries, kept, inputs, never)
    while known.changed:
        known.changed = False
        for function in known.reached():
            Walk(known, function).block(function.node.body, known.first_rows(function))
    return known


class Walk:
    """One walk through a function, along what can be reached."""

    def __init__(self, known: Known, function: Function) -> None:
        self._known, self._function = known, function

    def block(self, body: list[ast.stmt], rows: Rows) -> bool:
        """Walk through statements; whether what follows them can be reached."""
        return all(self._statement(statement, rows) for statement in body)

    def _statement(self, node: ast.stmt, rows: Rows) -> bool:
        known, function = self._known, self._function
        match node:
            case ast.Return():
                known.join(
                    ("result", function.name), NONE_VALUES if node.value is None else self.values(node.value, rows)
                )
                return False
            case ast.Break() | ast.Continue():
                return False
            case ast.Assign():
                self._assign(node.targets[0], node.value, rows)
            case ast.AugAssign():
                self.values(node.value, rows)
                self._write(node.target, None)
            case ast.Expr():
                self.values(node.value, rows)
            case ast.If():
                return self._if(node, rows)
            case ast.For():
                count = self.values(node.iter.args[0], rows)  # type: ignore[attr-defined]
                most = None if count is None else max(count, default=0)
                if most == 0:
                    return True
                self._write(node.target, frozenset(range(most)) if most is not None else None)
                self.block(node.body, rows)
            case ast.While():
                test = self.values(node.test, rows)
                if test != frozenset({False}):
                    self.block(node.body, rows)
        return True

    def _if(self, node: ast.If, rows: Rows) -> bool:
        test = self.values(node.test, rows)
        goes_on = False
        for wanted, body in ((True, node.body), (False, node.orelse)):
            if test is None or any(bool(each) == wanted for each in test):
                goes_on = self.block(body, self.narrowed(node.test, rows, wanted)) or goes_on
        return goes_on

    def narrowed(self, test: ast.expr, rows: Rows, wanted: bool) -> Rows:
        """Which rows records can be where a condition holds, or does not."""
        found = dict(rows)
        names = {each.id for each in ast.walk(test) if isinstance(each, ast.Name)}
        for name in names & set(rows):
            able = set()
            for row in rows[name]:
                values = self.values(test, {**rows, name: frozenset({row})})
                if values is None or any(bool(each) == wanted for each in values):
                    able.add(row)
            found[name] = frozenset(able)
        return found

    def _assign(self, target: ast.expr, value: ast.expr, rows: Rows) -> None:
        known, function = self._known, self._function
        kind = known.type_of(value, function)
        if kind.kind == Kind.RECORD:
            assert isinstance(target, ast.Name)
            rows[target.id] = self.row_values(value, rows)
            self.values(value, rows)
        elif kind.kind in (Kind.TABLE, Kind.GROUP):
            self.values(value, rows)
        else:
            self._write(target, self.values(value, rows))

    def row_values(self, node: ast.expr, rows: Rows) -> frozenset[int]:
        """Which rows of its table a record can be."""
        known, function = self._known, self._function
        of = known.type_of(node, function).of
        everything = frozenset(range(len(known.rows[of])))
        if isinstance(node, ast.Name):
            return rows.get(node.id, known.facts.get(("rows", function.name, node.id)) or everything)
        if isinstance(node, ast.Subscript):
            place = self.values(node.slice, rows)
            return everything if place is None else (frozenset(place) & everything) or everything
        return everything

    def _write(self, target: ast.expr, values: Values) -> None:
        known, function = self._known, self._function
        if isinstance(target, ast.Name):
            known.join(("name", function.name, target.id), values)
            return
        if not isinstance(target, ast.Attribute):
            raise function.refuse(target, "writing to that")
        record = known.type_of(target.value, function).of
        known.note_written(record, target.attr)
        known.join(("field", record, target.attr), values)

    def values(self, node: ast.expr, rows: Rows) -> Values:
        """What an expression can be."""
        known, function = self._known, self._function
        constant = known.constant(node, function)
        if constant is not None:
            return frozenset({plain_value(constant)})
        match node:
            case ast.Constant():
                return frozenset({node.value})
            case ast.Name():
                return known.facts.get(("name", function.name, node.id), frozenset())
            case ast.Attribute():
                return self._field(node, rows)
            case ast.Subscript():
                self.values(node.slice, rows)
                return None
            case ast.BoolOp():
                return self._bool_op(node, rows)
            case ast.UnaryOp():
                by = operator.not_ if isinstance(node.op, ast.Not) else operator.neg
                return _tried(by, [self.values(node.operand, rows)])
            case ast.BinOp():
                return _tried(OPERATORS[type(node.op)], [self.values(each, rows) for each in (node.left, node.right)])
            case ast.Compare():
                return self._compare(node, rows)
            case ast.IfExp():
                return self._either(node, rows)
            case ast.Call():
                return self._call(node, rows)
        raise function.refuse(node, "such an expression")

    def _field(self, node: ast.Attribute, rows: Rows) -> Values:
        known, function = self._known, self._function
        of = known.type_of(node.value, function)
        if of.kind != Kind.RECORD:
            return None
        if isinstance(node.value, ast.Subscript):
            self.values(node.value.slice, rows)
        if known.is_constant(of.of):
            those = self.row_values(node.value, rows)
            return frozenset(plain_value(getattr(known.rows[of.of][row], node.attr)) for row in those)
        return known.facts["field", of.of, node.attr]

    def _bool_op(self, node: ast.BoolOp, rows: Rows) -> Values:
        ends = isinstance(node.op, ast.Or)  # the value that decides it
        found: set[bool] = set()
        for part in node.values:
            values = self.values(part, rows)
            truths = {True, False} if values is None else {bool(each) for each in values}
            found |= truths & {ends}
            if (not ends) not in truths:
                return frozenset(found)
            rows = self.narrowed(part, rows, not ends)
        return frozenset({*found, not ends})

    def _compare(self, node: ast.Compare, rows: Rows) -> Values:
        parts = [self.values(each, rows) for each in (node.left, *self._compared(node))]
        operators = node.ops
        if any(isinstance(each, ast.In | ast.NotIn) for each in operators):
            if len(operators) != 1 or not isinstance(node.comparators[0], ast.Tuple):
                raise self._function.refuse(node, "such a comparison")
            inside = isinstance(operators[0], ast.In)
            return _tried(lambda left, *those: (left in those) == inside, parts)
        by = [OPERATORS[type(each)] for each in operators]
        return _tried(lambda *those: all(each(*those[k : k + 2]) for k, each in enumerate(by)), parts)

    def _compared(self, node: ast.Compare) -> list[ast.expr]:
        found: list[ast.expr] = []
        for each in node.comparators:
            found += each.elts if isinstance(each, ast.Tuple) else [each]
        return found

    def _either(self, node: ast.IfExp, rows: Rows) -> Values:
        test = self.values(node.test, rows)
        found: Values = frozenset()
        for wanted, part in ((True, node.body), (False, node.orelse)):
            if test is None or any(bool(each) == wanted for each in test):
                values = self.values(part, self.narrowed(node.test, rows, wanted))
                found = None if found is None or values is None else found | values
        return found

    def _call(self, node: ast.Call, rows: Rows) -> Values:
        known, function = self._known, self._function
        called = known.called(node, function)
        if node.keywords:
            raise function.refuse(node, "an argument by name")
        if called is len:
            return frozenset({self.length(node.args[0])})
        arguments = [self.values(each, rows) for each in node.args]
        if called in PLAIN_CALLS:
            return _tried(PLAIN_CALLS[called], arguments)
        if called is None or isinstance(called, type):
            raise function.refuse(node, "such a call")
        made = known.function(called)
        for (name, kind), argument in zip(made.types.items(), node.args, strict=True):
            if kind == OPEN:
                made.types[name] = known.type_of(argument, function)
        for (name, kind), argument, values in zip(made.types.items(), node.args, arguments, strict=True):
            if kind.kind == Kind.RECORD:
                known.join(("rows", made.name, name), self.row_values(argument, rows))
            elif kind.kind not in (Kind.TABLE, Kind.GROUP):
                known.join(("name", made.name, name), values)
        return known.facts.get(("result", made.name), frozenset())

    def length(self, node: ast.expr) -> int:
        """How many rows a table has."""
        known, function = self._known, self._function
        if isinstance(node, ast.Attribute):
            return known.lengths[known.type_of(node.value, function).of, node.attr]
        return len(known.rows[known.type_of(node, function).of])


NONE_VALUES: Values = frozenset({None})


def _tried(by: Callable[..., Any], parts: list[Values]) -> Values:
    """What comes out of all combinations of what parts can be."""
    if any(part is not None and not part for part in parts):
        return frozenset()
    if any(part is None for part in parts):
        return None
    tried = 1
    for part in parts:
        tried *= len(part or ())
    if tried > _MOST_TRIED:
        return None
    try:
        found = frozenset(by(*each) for each in product(*[part or () for part in parts]))
    except (ArithmeticError, ValueError, TypeError):
        return None
    return found if len(found) <= MOST else None
