"""Expressions in C: precedence without needless brackets, and no conversion that is not written out."""

import ast
import math
from dataclasses import dataclass, field
from typing import Any

from .c_names import lower, record_name
from .known import Known, local_types
from .program import BOOL, INT, LONG, REAL, Function, Kind, Type
from .pruned import Pruned, Setting, is_editable

_BINARY = {
    ast.Mult: ("*", 13), ast.Div: ("/", 13), ast.Mod: ("%", 13), ast.Add: ("+", 12), ast.Sub: ("-", 12),
    ast.LShift: ("<<", 11), ast.RShift: (">>", 11), ast.Lt: ("<", 10), ast.LtE: ("<=", 10), ast.Gt: (">", 10),
    ast.GtE: (">=", 10), ast.Eq: ("==", 9), ast.NotEq: ("!=", 9), ast.BitAnd: ("&", 8), ast.BitOr: ("|", 6),
    ast.And: ("&&", 5), ast.Or: ("||", 4),
}  # fmt: skip
_ATOM, _PREFIX, _BITS, _TERNARY = 20, 14, (11, 8, 6), 3
_C_TYPES = {Kind.REAL: "real", Kind.INT: "int32_t", Kind.LONG: "int64_t", Kind.BOOL: "bool", Kind.NONE: "void"}
_MATH = {math.floor: "FLOOR_OF", math.exp: "EXP_OF", math.log: "LOG_OF"}
_BIG = 32767  # what an int of 16 bits holds


def c_type(kind: Type) -> str:
    """The C type of a scalar."""
    return _C_TYPES[kind.kind]


@dataclass(frozen=True)
class Text:
    """An expression in C, how strongly its outermost operator binds, and its type."""

    text: str
    binds: int
    type: Type

    def inside(self, binds: int) -> str:
        """Itself, in brackets where what is around it binds more strongly."""
        return self.text if self.binds >= binds else f"({self.text})"


@dataclass
class Writer:
    """Writes expressions.

    Attributes:
        known, pruned: the program.
        settings: names of settings.
        functions: names of functions.
        used: constants of the engine by name, and helpers, that were written.
    """

    known: Known
    pruned: Pruned
    settings: dict[Setting, str]
    functions: dict[str, str]
    constants: dict[str, int | float] = field(default_factory=dict)
    helpers: set[str] = field(default_factory=set)

    def expr(self, node: ast.expr, function: Function, want: Type | None = None) -> Text:
        """An expression in C, as a type where one is asked for."""
        found = self._plain(node, function, want)
        return found if want is None else self._as(found, want)

    def _as(self, found: Text, want: Type) -> Text:
        if found.type == want or found.type.kind not in _C_TYPES or want.kind not in _C_TYPES:
            return found
        if (found.type, want) in ((INT, LONG), (BOOL, INT), (BOOL, LONG)):  # nothing can be lost
            return found
        return Text(f"({c_type(want)}){found.inside(_PREFIX)}", _PREFIX, want)

    def _plain(self, node: ast.expr, function: Function, want: Type | None) -> Text:
        match node:
            case ast.Constant():
                return self._constant(node, want)
            case ast.Name():
                return Text(node.id, _ATOM, local_types(self.known, function)[node.id])
            case ast.Attribute():
                return self._attribute(node, function)
            case ast.BoolOp():
                symbol, binds = _BINARY[type(node.op)]
                parts = [self.expr(each, function) for each in node.values]
                # Brackets that compilers ask for: && inside ||.
                inner = [f"({each.text})" if binds == 4 and each.binds == 5 else each.inside(binds) for each in parts]
                return Text(f" {symbol} ".join(inner), binds, BOOL)
            case ast.UnaryOp():
                operand = self.expr(node.operand, function)
                symbol = "!" if isinstance(node.op, ast.Not) else "-"
                return Text(symbol + operand.inside(_PREFIX + 1), _PREFIX, BOOL if symbol == "!" else operand.type)
            case ast.BinOp():
                return self._binary(node, function, want)
            case ast.Compare():
                return self._compare(node, function)
            case ast.IfExp():
                kind = want or self.known.type_of(node, function)
                test, then, other = (self.expr(node.test, function), self.expr(node.body, function, kind),
                                     self.expr(node.orelse, function, kind))  # fmt: skip
                text = f"{test.inside(_TERNARY + 1)} ? {then.inside(_TERNARY)} : {other.inside(_TERNARY)}"
                return Text(text, _TERNARY, kind)
            case ast.Call():
                return self._call(node, function)
        raise function.refuse(node, "such an expression")

    def number(self, value: float, want: Type) -> str:
        """A number as C writes it."""
        if want == REAL:
            return f"REAL({float(value)!r})"
        if want == BOOL:
            return "true" if value else "false"
        return f"INT32_C({int(value)})" if abs(value) > _BIG else str(int(value))

    def _constant(self, node: ast.Constant, want: Type | None) -> Text:
        origin: Any = getattr(node, "origin", None)
        value: Any = node.value
        kind = BOOL if isinstance(value, bool) else INT if isinstance(value, int) else REAL
        if isinstance(origin, Setting) and is_editable(origin):
            is_real = origin.record.__annotations__[origin.name] is float
            return Text(self.settings[origin], _ATOM, REAL if is_real else INT)
        if isinstance(origin, str) and not isinstance(value, bool):
            self.constants[origin] = value
            return Text(origin, _ATOM, kind)
        if want in (REAL, BOOL, INT):
            kind = want or kind
        binds = _ATOM if value >= 0 or kind == REAL else _PREFIX
        return Text(self.number(value, kind), binds, kind)

    def table(self, node: ast.expr, function: Function) -> str:
        """The name of a table of constants."""
        return lower(record_name(self.known.type_of(node, function).of))

    def _attribute(self, node: ast.Attribute, function: Function) -> Text:
        kind = self.known.type_of(node, function)
        owner = node.value
        if isinstance(owner, ast.Subscript):
            return Text(f"{self.row(owner, function)}.{node.attr}", _ATOM, kind)
        base = self.expr(owner, function)
        arrow = "->" if isinstance(owner, ast.Name) and not self.is_copy(owner, function) else "."
        return Text(f"{base.text}{arrow}{node.attr}", _ATOM, kind)

    def is_copy(self, node: ast.expr, function: Function) -> bool:
        """Whether a variable is a copy of a row of constants, and no pointer."""
        kind = self.known.type_of(node, function)
        return (
            isinstance(node, ast.Name)
            and node.id not in function.types
            and kind.kind == Kind.RECORD
            and self.known.is_constant(kind.of)
        )

    def row(self, node: ast.Subscript, function: Function) -> str:
        """A row of a table, as something that has fields."""
        kind = self.known.type_of(node.value, function)
        if self.known.is_constant(kind.of):
            return f"{self.table(node.value, function)}_at({self.expr(node.slice, function, INT).text})"
        single = len_of(self.known, node.value, function) == 1
        place = self.expr(node.slice, function, INT).text
        if isinstance(node.value, ast.Name):
            return f"{node.value.id}[{place}]"
        base = self.expr(node.value, function).text
        return base if single else f"{base}[{place}]"

    def _binary(self, node: ast.BinOp, function: Function, want: Type | None) -> Text:
        symbol, binds = _BINARY[type(node.op)]
        kind = self.known.type_of(node, function)
        if kind == INT and want == LONG and symbol in "+-*":
            kind = LONG
        left, right = (self.expr(each, function, kind) for each in (node.left, node.right))
        if symbol == "<<":
            left = Text(f"INT32_C({left.text})", _ATOM, INT) if left.text.isdigit() else left
        # Brackets that compilers ask for, and that keep the order of the source: what binds alike goes from the left.
        mixes = binds in _BITS
        texts = [
            f"({each.text})" if mixes and each.binds < _PREFIX and each.binds != binds else each.inside(binds + k)
            for k, each in enumerate((left, right))
        ]
        return Text(f"{texts[0]} {symbol} {texts[1]}", binds, kind)

    def _compare(self, node: ast.Compare, function: Function) -> Text:
        if isinstance(node.ops[0], ast.In | ast.NotIn):
            those = node.comparators[0]
            assert isinstance(those, ast.Tuple)
            inside = isinstance(node.ops[0], ast.In)
            symbol, joint, binds = ("==", " || ", 4) if inside else ("!=", " && ", 5)
            left = self.expr(node.left, function).inside(9)
            parts = [f"{left} {symbol} {self.expr(each, function).inside(10)}" for each in those.elts]
            return Text(joint.join(parts), binds if len(parts) > 1 else 9, BOOL)
        sides = [node.left, *node.comparators]
        found = [self._compared(by, sides[k], sides[k + 1], function) for k, by in enumerate(node.ops)]
        return found[0] if len(found) == 1 else Text(" && ".join(each.text for each in found), 5, BOOL)

    def _compared(self, by: ast.cmpop, one: ast.expr, other: ast.expr, function: Function) -> Text:
        """A comparison of two."""
        symbol, binds = _BINARY[type(by)]
        kinds = [self.known.type_of(each, function) for each in (one, other)]
        kind = next((each for each in (REAL, LONG) if each in kinds), INT)
        kind = BOOL if all(each == BOOL for each in kinds) else kind
        sides = [self.expr(each, function, kind) for each in (one, other)]
        # Brackets that compilers ask for: comparisons and bits inside comparisons.
        left, right = (f"({each.text})" if each.binds in (*_BITS, 9, 10) else each.inside(binds + 1) for each in sides)
        return Text(f"{left} {symbol} {right}", binds, BOOL)

    def _call(self, node: ast.Call, function: Function) -> Text:
        called = self.known.called(node, function)
        if called in (min, max):
            kind = self.known.type_of(node, function)
            name = f"{called.__name__}_{kind.kind.value}"
            self.helpers.add(name)
            return Text(f"{name}({', '.join(self.expr(each, function, kind).text for each in node.args)})", _ATOM, kind)
        if called is abs:
            kind = self.known.type_of(node.args[0], function)
            name = "ABS_OF" if kind == REAL else f"abs_{kind.kind.value}"
            self.helpers.add(name)
            return Text(f"{name}({self.expr(node.args[0], function).text})", _ATOM, kind)
        if called in _MATH:
            self.helpers.add(_MATH[called])
            return Text(f"{_MATH[called]}({self.expr(node.args[0], function, REAL).text})", _ATOM, REAL)
        if called in (float, int):
            return self.expr(node.args[0], function, REAL if called is float else INT)
        made = self.known.function(called)
        left = self.pruned.params[made.name]
        arguments = [
            self.argument(each, function, made.types[name]) for each, name in zip(node.args, left, strict=True)
        ]
        return Text(f"{self.functions[made.name]}({', '.join(arguments)})", _ATOM, made.result)

    def argument(self, node: ast.expr, function: Function, kind: Type) -> str:
        """What a function is given: a number, or where something is."""
        if kind.kind not in (Kind.RECORD, Kind.TABLE, Kind.GROUP):
            return self.expr(node, function, kind).text
        return self.address(node, function)

    def address(self, node: ast.expr, function: Function) -> str:
        """Where a record, a table or a group is."""
        if isinstance(node, ast.Name):
            return f"&{node.id}" if self.is_copy(node, function) else node.id
        if isinstance(node, ast.Subscript):
            return f"&{self.row(node, function)}"
        kind = self.known.type_of(node, function)
        text = self.expr(node, function).text
        single = kind.kind != Kind.TABLE or len_of(self.known, node, function) == 1
        return f"&{text}" if single else text


def len_of(known: Known, node: ast.expr, function: Function) -> int:
    """How many rows a table has."""
    if isinstance(node, ast.Attribute):
        return known.lengths[known.type_of(node.value, function).of, node.attr]
    kind = known.type_of(node, function)
    return max(length for (owner, name), length in known.lengths.items() if known.member(owner, name) == kind)
