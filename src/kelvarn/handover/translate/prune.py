"""What is left of the control step for one candidate: no branch that cannot be reached, nothing that nobody reads.

A setting of which a branch was ruled out is noted with the condition: whoever edits it in the generated settings must
not bring the branch back.
"""

import ast
import copy
from collections.abc import Iterable, Iterator
from enum import IntEnum
from typing import Any

from .known import Known, Rows
from .program import Function, Kind
from .pruned import Pruned, Setting, is_editable
from .unused import take_unused
from .values import Walk


class _Prune(Walk):
    """Takes from a function what cannot be reached, and puts constants in place of what cannot vary."""

    def __init__(self, known: Known, function: Function, ruled_out: list[tuple[ast.expr, bool]]) -> None:
        super().__init__(known, function)
        self._ruled_out = ruled_out

    def pruned(self, body: list[ast.stmt], rows: Rows) -> list[ast.stmt]:
        """What is left of statements."""
        found: list[ast.stmt] = []
        for node in body:
            left = self._left_of(node, rows)
            if left and left[0] is not node and (notes := getattr(node, "notes", None)):
                left[0].notes = notes + getattr(left[0], "notes", [])  # type: ignore[attr-defined]
            found += left
            if left and isinstance(left[-1], ast.Return | ast.Break | ast.Continue):
                break
        return found

    def _left_of(self, node: ast.stmt, rows: Rows) -> list[ast.stmt]:
        match node:
            case ast.Pass():
                return []
            case ast.Assign():
                target = node.targets[0]
                self._assign(target, node.value, rows)
                if isinstance(target, ast.Name) and self._is_substituted(target, rows):
                    return []
                node.value = self.expr(node.value, rows)
                node.targets = [self._place(target, rows)]
            case ast.AugAssign():
                if isinstance(node.op, ast.Add) and self.values(node.value, rows) == frozenset({0}):
                    return []
                node.value, node.target = self.expr(node.value, rows), self._place(node.target, rows)  # type: ignore[assignment]
            case ast.Expr():
                if isinstance(node.value, ast.Constant):
                    return []
                node.value = self.expr(node.value, rows)
            case ast.Return():
                node.value = self.expr(node.value, rows) if node.value is not None else None
            case ast.If():
                return self._left_of_if(node, rows)
            case ast.For():
                return self._left_of_for(node, rows)
            case ast.While():
                node.test = self.expr(node.test, rows)
                node.body = self.pruned(node.body, rows)
        return [node]

    def _place(self, target: ast.expr, rows: Rows) -> ast.expr:
        """Where something is written to."""
        if isinstance(target, ast.Attribute):
            target.value = self.expr(target.value, rows)
        return target

    def _left_of_if(self, node: ast.If, rows: Rows) -> list[ast.stmt]:
        then, other = (self.narrowed(node.test, rows, wanted) for wanted in (True, False))
        test = self.values(node.test, rows)
        if test is not None and len({bool(each) for each in test}) == 1:
            holds = bool(next(iter(test)))
            calls = self._effects(node.test, rows)
            self._note(node.test, rows, holds)
            return [*calls, *self.pruned(node.body if holds else node.orelse, then if holds else other)]
        node.body, node.orelse = self.pruned(node.body, then), self.pruned(node.orelse, other)
        node.test = self.expr(node.test, rows)
        if not node.body and not node.orelse:
            return self._called_in(node.test)
        if not node.body:
            node.test, node.body, node.orelse = ast.UnaryOp(ast.Not(), node.test), node.orelse, []
        return [node]

    def _effects(self, test: ast.expr, rows: Rows) -> list[ast.stmt]:
        return self._called_in(self.expr(copy.deepcopy(test), rows))

    def _called_in(self, node: ast.expr) -> list[ast.stmt]:
        """Calls of our own in an expression whose value is of no account, as statements."""
        return [ast.Expr(each) for each in ast.walk(node) if isinstance(each, ast.Call) and self._is_own(each)]

    def _is_own(self, node: ast.Call) -> bool:
        return self._known.is_own(node, self._function)

    def _left_of_for(self, node: ast.For, rows: Rows) -> list[ast.stmt]:
        assert isinstance(node.iter, ast.Call)
        count = self.values(node.iter.args[0], rows)
        if count == frozenset({0}):
            return []
        once = count == frozenset({1}) and not any(
            isinstance(each, ast.Continue | ast.Break) for each in ast.walk(node)
        )
        node.iter.args[0] = self.expr(node.iter.args[0], rows)
        body = self.pruned(node.body, rows)
        if once:
            return body
        node.body = body
        return [node] if body else []

    def _single(self, node: ast.expr, rows: Rows) -> Any:
        """The only value that an expression can have; None where there are more."""
        values = self.values(node, rows)
        return next(iter(values)) if values is not None and len(values) == 1 else None

    def _is_substituted(self, node: ast.Name, rows: Rows) -> bool:
        """Whether its value is put in place of a variable; a number that may be a setting keeps its name."""
        return self._single(node, rows) is not None and self._known.type_of(node, self._function).kind != Kind.REAL

    def _note(self, test: ast.expr, rows: Rows, holds: bool) -> None:
        """Note a condition that was taken for what it is: of each row apart, where it is of several."""
        names = {each.id for each in ast.walk(test) if isinstance(each, ast.Name)}
        several = [name for name in names & set(rows) if len(rows[name]) > 1 and self._is_constant(name)]
        cases = [{**rows, several[0]: frozenset({row})} for row in sorted(rows[several[0]])] if several else [rows]
        for case in cases:
            self._ruled_out.append((self._with_settings(copy.deepcopy(test), case), holds))

    def _is_constant(self, name: str) -> bool:
        return self._known.is_constant(self._known.type_of(ast.Name(name), self._function).of)

    def _with_settings(self, node: ast.expr, rows: Rows) -> ast.expr:
        """A condition with settings in it as settings, whatever they are."""
        prune = self

        class Named(ast.NodeTransformer):
            def visit_Attribute(self, node: ast.Attribute) -> ast.AST:
                return prune.setting(node, rows) or node

        made: ast.expr = Named().visit(node)
        return made

    def setting(self, node: ast.Attribute, rows: Rows) -> ast.Constant | None:
        """The setting that a field is; None where it is none, or that of several rows."""
        known, function = self._known, self._function
        if known.constant(node, function) is not None:
            return None
        of = known.type_of(node.value, function)
        if of.kind != Kind.RECORD or not known.is_constant(of.of):
            return None
        those = self.row_values(node.value, rows)
        if len(those) != 1:
            return None
        row = next(iter(those))
        value = getattr(known.rows[of.of][row], node.attr)
        return _constant(value, Setting(of.of, row, node.attr))

    def expr(self, node: ast.expr, rows: Rows) -> ast.expr:
        """What is left of an expression."""
        known, function = self._known, self._function
        if isinstance(node, ast.Constant):
            return node
        if isinstance(node, ast.Tuple):
            return self._inside(node, rows)
        constant = known.constant(node, function)
        if constant is not None:
            return _constant(constant, known.origin(node, function))
        if isinstance(node, ast.Attribute):
            found = self.setting(node, rows)
            if found is not None:
                return found
        if isinstance(node, ast.Call) and known.called(node, function) is len:
            return ast.Constant(self.length(node.args[0]))
        value = self._single(node, rows)
        if value is not None and not self._called_in(node) and not isinstance(node, ast.BinOp | ast.UnaryOp | ast.Call):
            if isinstance(node, ast.Compare | ast.BoolOp):
                self._note(node, rows, bool(value))
            kept = isinstance(node, ast.IfExp) or (isinstance(node, ast.Name) and not self._is_substituted(node, rows))
            if not kept and not self._of_several(node, rows):
                return _constant(value, None)
        return self._inside(node, rows)

    def _of_several(self, node: ast.expr, rows: Rows) -> bool:
        """Whether it is the same number in several rows, which may be edited apart."""
        return (
            isinstance(node, ast.Attribute)
            and (isinstance(self._single(node, rows), float) or node.attr.endswith("_ms"))
            and self._known.is_constant(self._known.type_of(node.value, self._function).of)
        )

    def _inside(self, node: ast.expr, rows: Rows) -> ast.expr:
        match node:
            case ast.BoolOp():
                return self._left_of_bool_op(node, rows)
            case ast.IfExp():
                test = self._single(node.test, rows)
                if test is not None and not self._called_in(node.test):
                    self._note(node.test, rows, bool(test))
                    wanted = node.body if test else node.orelse
                    return self.expr(wanted, self.narrowed(node.test, rows, bool(test)))
                node.body = self.expr(node.body, self.narrowed(node.test, rows, True))
                node.orelse = self.expr(node.orelse, self.narrowed(node.test, rows, False))
                node.test = self.expr(node.test, rows)
            case ast.Attribute() | ast.Subscript():
                node.value = self.expr(node.value, rows)
                if isinstance(node, ast.Subscript):
                    node.slice = self.expr(node.slice, rows)
            case ast.UnaryOp():
                node.operand = self.expr(node.operand, rows)
            case ast.BinOp():
                node.left, node.right = self.expr(node.left, rows), self.expr(node.right, rows)
                return _without_one(node)
            case ast.Compare():
                node.left = self.expr(node.left, rows)
                node.comparators = [self.expr(each, rows) for each in node.comparators]
            case ast.Tuple():
                node.elts = [self.expr(each, rows) for each in node.elts]
            case ast.Call():
                node.calls = self._known.called(node, self._function)  # type: ignore[attr-defined]
                node.args = [self.expr(each, rows) for each in node.args]
        return node

    def _left_of_bool_op(self, node: ast.BoolOp, rows: Rows) -> ast.expr:
        ends = isinstance(node.op, ast.Or)
        left = []
        for part in node.values:
            value = self._single(part, rows)
            if value is None or self._called_in(part):
                left.append(self.expr(part, rows))
            else:
                self._note(part, rows, bool(value))
            if value is not None and bool(value) == ends:
                break
            rows = self.narrowed(part, rows, not ends)
        if not left:
            return ast.Constant(not ends)
        if len(left) == 1:
            return left[0]
        node.values = left
        return node


def _without_one(node: ast.BinOp) -> ast.expr:
    """A product without a factor of 1, a difference without 0: the same for every number, finite or not."""

    def is_fixed(part: ast.expr, value: float) -> bool:
        origin = getattr(part, "origin", None)
        fixed = origin is None or (isinstance(origin, Setting) and not is_editable(origin))
        return isinstance(part, ast.Constant) and fixed and part.value == value and isinstance(part.value, float)

    if isinstance(node.op, ast.Mult):
        if is_fixed(node.left, 1.0):
            return node.right
        if is_fixed(node.right, 1.0):
            return node.left
    if isinstance(node.op, ast.Sub) and is_fixed(node.right, 0.0):
        return node.left
    return node


def _constant(value: Any, origin: Any) -> ast.Constant:
    """A constant that knows where it comes from: a setting, or the name of a constant of the engine."""
    made = ast.Constant(int(value) if isinstance(value, IntEnum) else value)
    made.origin = origin  # type: ignore[attr-defined]
    return made


def prune(known: Known, outputs: Iterable[tuple[Any, str]]) -> Pruned:
    """What is left of a program.

    Args:
        known: what is known of it.
        outputs: fields that are read from outside.
    """
    ruled_out: list[tuple[ast.expr, bool]] = []
    functions = []
    for function in known.reached():
        made = copy.copy(function)
        made.node = copy.deepcopy(function.node)
        made.node.body = _Prune(known, made, ruled_out).pruned(made.node.body, known.first_rows(made))
        functions.append(made)
    found = Pruned(functions, {each.name: list(each.types) for each in functions}, ruled_out=ruled_out)
    take_unused(known, found, set(outputs))
    found.settings += [each for each in _of_tables(known, found) if each not in found.settings]
    return found


def _of_tables(known: Known, found: Pruned) -> Iterator[Setting]:
    """Settings that stand in tables of constants of several rows."""
    for record, rows in known.rows.items():
        if len(rows) > 1 and known.is_constant(record):
            for row in range(len(rows)):
                for name in record.__dataclass_fields__:
                    if (record, name) in found.read and is_editable(made := Setting(record, row, name)):
                        yield made
