"""The statements of a function in C."""

import ast
import textwrap
from typing import Any, Protocol

from .c_expr import Writer, c_type
from .c_names import group_name, record_name
from .known import Known, local_names, local_types
from .program import INT, Function, Kind
from .pruned import Pruned

WIDTH = 100
INDENT = "    "


class Around(Protocol):
    """What a body needs of the program that it is part of."""

    @property
    def writer(self) -> Writer:
        """What writes expressions."""

    @property
    def known(self) -> Known:
        """The program."""

    def is_changed(self, name: str, function: Function) -> bool:
        """Whether something is written through a variable of a function."""


class Body:
    """Writes the statements of a function; each variable is declared where it is first needed."""

    def __init__(self, program: Around, function: Function) -> None:
        self._program, self._function = program, function
        self._declared = set(function.types)
        loops = (each.target for each in ast.walk(function.node) if isinstance(each, ast.For))
        self._counters = {each.id for each in loops if isinstance(each, ast.Name)}  # each loop has its own

    def text(self) -> str:
        """All of it."""
        return textwrap.indent("\n".join(self._block(self._function.node.body)), INDENT)

    def _block(self, body: list[ast.stmt]) -> list[str]:
        lines = self._needed(body)
        for place, node in enumerate(body):
            if notes := getattr(node, "notes", None):
                lines += comment(" ".join(notes)).split("\n")
            last = node is self._function.node.body[-1] if self._function.node.body else False
            if isinstance(node, ast.Return) and node.value is None and last:
                continue
            lines += self._statement(node)
            del place
        return lines

    def _needed(self, body: list[ast.stmt]) -> list[str]:
        """Declarations of variables that several parts of a block share, but that none of them begins with."""
        found = []
        for name in sorted(local_names(self._function) - self._declared):
            users = [node for node in body if _mentions(node, name)]
            if len(users) < 2 and not (users and isinstance(users[0], ast.Assign)):
                continue
            if not users or (isinstance(users[0], ast.Assign) and _target(users[0]) == name):
                continue
            kind = local_types(self._program.known, self._function)[name]
            if kind.kind in (Kind.RECORD, Kind.TABLE, Kind.GROUP) or name in self._counters:
                continue
            found.append(f"{c_type(kind)} {name} = {self._program.writer.number(0, kind)};")
            self._declared.add(name)
        return found

    def _statement(self, node: ast.stmt) -> list[str]:
        write, function = self._program.writer, self._function
        match node:
            case ast.Assign():
                return [self._assign(node)]
            case ast.AugAssign():
                kind = self._program.known.type_of(node.target, function)
                target = write.expr(node.target, function).text
                value = write.expr(node.value, function, kind)
                symbol = {ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/"}[type(node.op)]
                return [f"{target} {symbol}= {value.text};"]
            case ast.Expr():
                return [f"{write.expr(node.value, function).text};"]
            case ast.Return():
                if node.value is None:
                    return ["return;"]
                return [f"return {write.expr(node.value, function, function.result).text};"]
            case ast.Break():
                return ["break;"]
            case ast.Continue():
                return ["continue;"]
            case ast.If():
                return self._if(node, "if")
            case ast.For():
                assert isinstance(node.iter, ast.Call)
                assert isinstance(node.target, ast.Name)
                name, count = node.target.id, write.expr(node.iter.args[0], function, INT).text
                self._declared.add(name)
                inner = self._block(node.body)
                self._declared.discard(name)
                head = f"for (int32_t {name} = 0; {name} < {count}; {name}++) {{"
                return [head, *indented(inner), "}"]
            case ast.While():
                test = node.test
                head = (
                    "while (true) {"
                    if isinstance(test, ast.Constant)
                    else f"while ({write.expr(test, function).text}) {{"
                )
                return [head, *indented(self._block(node.body)), "}"]
        raise function.refuse(node, "such a statement")

    def _if(self, node: ast.If, word: str) -> list[str]:
        lines = [f"{word} ({self._program.writer.expr(node.test, self._function).text}) {{"]
        lines += indented(self._block(node.body))
        if len(node.orelse) == 1 and isinstance(node.orelse[0], ast.If) and not getattr(node.orelse[0], "notes", None):
            return [*lines, *self._if(node.orelse[0], "} else if")]
        if node.orelse:
            lines += ["} else {", *indented(self._block(node.orelse))]
        return [*lines, "}"]

    def _assign(self, node: ast.Assign) -> str:
        write, function, known = self._program.writer, self._function, self._program.known
        target = node.targets[0]
        if isinstance(target, ast.Attribute):
            kind = known.type_of(target, function)
            return f"{write.expr(target, function).text} = {write.expr(node.value, function, kind).text};"
        assert isinstance(target, ast.Name)
        kind = local_types(known, function)[target.id]
        first = target.id not in self._declared
        self._declared.add(target.id)
        if kind.kind == Kind.RECORD and known.is_constant(kind.of):
            assert isinstance(node.value, ast.Subscript)
            return f"const {record_name(kind.of)} {target.id} = {write.row(node.value, function)};"
        if kind.kind in (Kind.RECORD, Kind.TABLE, Kind.GROUP):
            const = "" if self._program.is_changed(target.id, function) else "const "
            of = group_name(kind.of) if kind.kind == Kind.GROUP else record_name(kind.of)
            return f"{const}{of} *{target.id} = {write.address(node.value, function)};"
        value = write.expr(node.value, function, kind).text
        if not first:
            return f"{target.id} = {value};"
        once = sum(1 for each in ast.walk(function.node) if isinstance(each, ast.Assign | ast.AugAssign)
                   and _target(each) == target.id) == 1  # fmt: skip
        return f"{'const ' if once else ''}{c_type(kind)} {target.id} = {value};"


def _target(node: ast.stmt) -> str:
    target = node.target if isinstance(node, ast.AugAssign) else node.targets[0]  # type: ignore[attr-defined]
    return target.id if isinstance(target, ast.Name) else ""


def _mentions(node: ast.AST, name: str) -> bool:
    return any(isinstance(each, ast.Name) and each.id == name for each in ast.walk(node))


def indented(lines: list[str]) -> list[str]:
    """Lines one step further in."""
    return textwrap.indent("\n".join(lines), INDENT).split("\n") if lines else []


def comment(text: str) -> str:
    """A comment, on as many lines as it takes."""
    text = text.replace("`", "")
    if len(text) + 6 <= WIDTH:
        return f"/* {text} */"
    return "/* " + "\n   ".join(textwrap.wrap(text, WIDTH - 6)) + " */"


def first_sentence(of: Any) -> str:
    """The first paragraph of a docstring."""
    return " ".join((of.__doc__ or "").split("\n\n")[0].split())


def stored_name(place: str, name: str) -> str:
    """What a field is called in what is stored."""
    return f"{place.replace('.', '_')}_{name}"


def changed_parameters(known: Known, pruned: Pruned) -> dict[str, set[str]]:
    """Through which of its parameters and variables a function writes, itself or by what it calls."""
    found: dict[str, set[str]] = {each.name: set() for each in pruned.functions}
    changed = True
    while changed:
        changed = False
        for function in pruned.functions:
            before = len(found[function.name])
            for node in ast.walk(function.node):
                if isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Store):
                    found[function.name].add(_root(node))
                elif isinstance(node, ast.Call) and known.is_own(node, function):
                    made = known.function(known.called(node, function))
                    for argument, name in zip(node.args, pruned.params[made.name], strict=True):
                        if name in found[made.name]:
                            found[function.name].add(_root(argument))
            for node in ast.walk(function.node):  # what a variable points into is written through it
                if isinstance(node, ast.Assign) and _target(node) in found[function.name]:
                    found[function.name].add(_root(node.value))
            changed = changed or len(found[function.name]) != before
    return found


def _root(node: ast.expr) -> str:
    while isinstance(node, ast.Attribute | ast.Subscript):
        node = node.value
    return node.id if isinstance(node, ast.Name) else ""
