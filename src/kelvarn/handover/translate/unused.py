"""What nobody reads or calls is taken away, and what is no more than an expression put in where it is called."""

import ast
import copy
import operator
from collections import Counter
from typing import Any

from .known import Known, local_names
from .program import Function, Kind
from .pruned import Pruned, Setting


def take_unused(known: Known, found: Pruned, outside: set[tuple[Any, str]]) -> None:
    """Take away what is of no use, and note what is read.

    Args:
        known: what is known of the program.
        found: what is left of it; written.
        outside: fields that are read from outside.
    """
    while _Rest(known, found, outside).takes() or _put_in(known, found):
        pass
    found.functions = _in_order(known, found)
    rest = _Rest(known, found, outside)
    rest.count()
    found.read = rest.fields | outside
    found.settings = list(rest.settings)


class _Rest:
    """Finds what nobody reads or calls, and takes it away."""

    def __init__(self, known: Known, found: Pruned, outside: set[tuple[Any, str]]) -> None:
        self._known, self._found, self._outside = known, found, outside
        self.fields: set[tuple[Any, str]] = set()
        self.settings: dict[Setting, None] = {}
        self._called: set[str] = {each.name for each in known.entries}
        self._names: dict[str, Counter[str]] = {}
        self._changed = False

    def count(self) -> None:
        """Count what is read and called."""
        for function in self._found.functions:
            self._names[function.name] = Counter()
            for statement in function.node.body:
                self._statement(statement, function)

    def _statement(self, node: ast.stmt, function: Function) -> None:
        own = (
            ast.unparse(node.target if isinstance(node, ast.AugAssign) else node.targets[0])
            if isinstance(node, ast.AugAssign | ast.Assign)
            else None
        )
        for part in ast.iter_child_nodes(node):
            if isinstance(part, ast.stmt):
                self._statement(part, function)
            elif isinstance(part, ast.expr):
                self._expression(part, function, own)

    def _expression(self, node: ast.expr, function: Function, own: str | None) -> None:
        for part in ast.walk(node):
            if isinstance(part, ast.Constant) and isinstance(origin := getattr(part, "origin", None), Setting):
                self.settings[origin] = None
            elif isinstance(part, ast.Name) and part.id in local_names(function):
                if isinstance(part.ctx, ast.Load) and not self._known.is_table_of_constants(part, function):
                    self._names[function.name][part.id] += 1
            elif isinstance(part, ast.Attribute) and isinstance(part.ctx, ast.Load):
                kind = self._known.type_of(part.value, function)
                if kind.kind == Kind.RECORD and ast.unparse(part) != own:
                    self.fields.add((kind.of, part.attr))
            elif isinstance(part, ast.Call) and self._known.is_own(part, function):
                self._called.add(self._known.function(self._known.called(part, function)).name)

    def takes(self) -> bool:
        """Take away what is of no use; whether there was any."""
        self.count()
        before = len(self._found.functions)
        self._found.functions = [each for each in self._found.functions if each.name in self._called]
        self._changed = len(self._found.functions) != before
        for function in self._found.functions:
            function.node.body = self._used(function.node.body, function)
        return self._drop_arguments(self._unused_parameters()) or self._changed

    def _used(self, body: list[ast.stmt], function: Function) -> list[ast.stmt]:
        found: list[ast.stmt] = []
        for node in body:
            for part in ("body", "orelse"):
                if getattr(node, part, None):
                    setattr(node, part, self._used(getattr(node, part), function))
            if isinstance(node, ast.If) and not node.body and node.orelse:
                node.test, node.body, node.orelse = ast.UnaryOp(ast.Not(), node.test), node.orelse, []
                self._changed = True
            if isinstance(node, ast.If) and not node.body:
                found += [ast.Expr(each) for each in ast.walk(node.test)
                          if isinstance(each, ast.Call) and self._known.is_own(each, function)]  # fmt: skip
            elif isinstance(node, ast.For) and not node.body:
                continue
            elif isinstance(node, ast.Assign | ast.AugAssign) and not self._is_read(node, function):
                found += [ast.Expr(each) for each in ast.walk(node.value)
                          if isinstance(each, ast.Call) and self._known.is_own(each, function)]  # fmt: skip
            elif isinstance(node, ast.Expr) and self._does_nothing(node.value, function):
                continue
            else:
                found.append(node)
        self._changed = self._changed or len(found) != len(body) or any(map(operator.is_not, found, body))
        return found

    def _does_nothing(self, node: ast.expr, function: Function) -> bool:
        """Whether a call is of a function of which nothing is left."""
        if not isinstance(node, ast.Call) or not self._known.is_own(node, function):
            return True
        called = self._known.function(self._known.called(node, function)).name
        left = next((each for each in self._found.functions if each.name == called), None)
        return left is None or not _acts(self._known, left)

    def _is_read(self, node: ast.Assign | ast.AugAssign, function: Function) -> bool:
        target = node.target if isinstance(node, ast.AugAssign) else node.targets[0]
        if isinstance(target, ast.Name):
            return self._names[function.name][target.id] > 0
        assert isinstance(target, ast.Attribute)
        key = (self._known.type_of(target.value, function).of, target.attr)
        return key in self.fields or key in self._outside

    def _unused_parameters(self) -> dict[str, set[int]]:
        entries = {each.name for each in self._known.entries}
        dropped: dict[str, set[int]] = {}
        for function in self._found.functions:
            left = self._found.params[function.name]
            names = Counter(
                part.id
                for node in function.node.body
                for part in ast.walk(node)
                if isinstance(part, ast.Name) and not self._known.is_table_of_constants(part, function)
            )
            unused = {place for place, name in enumerate(left) if names[name] == 0}
            if function.name in entries:  # as they are called from outside; but tables of constants are the program's
                unused = {place for place in unused if self._is_table_of_constants(function, left[place])}
            if unused:
                dropped[function.name] = unused
                self._found.params[function.name] = [name for k, name in enumerate(left) if k not in unused]
        return dropped

    def _is_table_of_constants(self, function: Function, name: str) -> bool:
        return self._known.is_table_of_constants(ast.Name(name), function)

    def _drop_arguments(self, dropped: dict[str, set[int]]) -> bool:
        if not dropped:
            return False
        for function in self._found.functions:
            for node in ast.walk(function.node):
                if isinstance(node, ast.Call) and self._known.is_own(node, function):
                    name = self._known.function(self._known.called(node, function)).name
                    node.args = [each for k, each in enumerate(node.args) if k not in dropped.get(name, ())]
        return True


def _acts(known: Known, function: Function) -> bool:
    """Whether a function writes to something outside it, itself or by what it calls."""
    return any(
        (isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Store))
        or (isinstance(node, ast.Call) and known.is_own(node, function))
        for node in ast.walk(function.node)
    )


_MOST_NODES = 12


def _put_in(known: Known, found: Pruned) -> bool:
    """Put functions of one expression in where they are called; whether there was any."""
    entries = {each.name for each in known.entries}
    for function in found.functions:
        value = _only_expression(function)
        if function.name in entries or value is None:
            continue
        if sum(1 for part in ast.walk(value) if not isinstance(part, ast.expr_context)) > _MOST_NODES:
            continue
        done = False
        for user in found.functions:
            put_in = _PutIn(known, function, user, found.params[function.name], value)
            user.node.body = [put_in.visit(each) for each in user.node.body]
            done = done or put_in.done
        if done:
            return True
    return False


class _PutIn(ast.NodeTransformer):
    """Puts the only expression of a function in where another calls it."""

    def __init__(self, known: Known, function: Function, user: Function, names: list[str], value: ast.expr) -> None:
        self._known, self._function, self._user, self._names, self._value = known, function, user, names, value
        self._uses = Counter(part.id for part in ast.walk(value) if isinstance(part, ast.Name))
        self.done = False

    def visit_Call(self, node: ast.Call) -> ast.AST:
        self.generic_visit(node)
        known, user = self._known, self._user
        if not known.is_own(node, user) or known.function(known.called(node, user)).name != self._function.name:
            return node
        given = dict(zip(self._names, node.args, strict=True))
        if any(self._uses[name] > 1 and not _is_plain(each) for name, each in given.items()):
            return node
        self.done = True
        made: ast.AST = _Renamed(given).visit(copy.deepcopy(self._value))
        return made


def _is_plain(node: ast.expr) -> bool:
    return isinstance(node, ast.Name | ast.Constant) or (isinstance(node, ast.Attribute) and _is_plain(node.value))


class _Renamed(ast.NodeTransformer):
    def __init__(self, given: dict[str, ast.expr]) -> None:
        self._given = given

    def visit_Name(self, node: ast.Name) -> ast.AST:
        return copy.deepcopy(self._given.get(node.id, node))


def _only_expression(function: Function) -> ast.expr | None:
    """The expression that a function is no more than: its result, or a call."""
    if len(function.node.body) != 1 or not isinstance(only := function.node.body[0], ast.Return | ast.Expr):
        return None
    return only.value


def _in_order(known: Known, found: Pruned) -> list[Function]:
    """Functions, those that are called before those that call them."""
    by_name = {each.name: each for each in found.functions}
    ordered: dict[str, Function] = {}

    def add(function: Function, above: tuple[str, ...]) -> None:
        if function.name in above:
            raise function.refuse(function.node, "a function that calls itself")
        if function.name in ordered:
            return
        for node in ast.walk(function.node):
            if isinstance(node, ast.Call) and known.is_own(node, function):
                add(by_name[known.function(known.called(node, function)).name], (*above, function.name))
        ordered[function.name] = function

    for entry in known.entries:
        add(by_name[entry.name], ())
    return list(ordered.values())
