"""Where a setting of the control step comes from: the field of the model, its unit, range and sentence, its formula."""

import ast
import inspect
import textwrap
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

from pydantic import BaseModel

from kelvarn.engine import guarding
from kelvarn.engine.guard_records import Guard, PermitRecord
from kelvarn.engine.laws import by_hand, curve, on_off, pid

from .program import field_notes
from .pruned import Setting

_MADE_BY: dict[Any, tuple[Callable[..., Any], str]] = {
    pid.PidRecord: (pid.settings_of, "law"),
    on_off.OnOffRecord: (on_off.settings_of, "law"),
    curve.CurveRecord: (curve.settings_of, "model"),
    by_hand.ByHand: (by_hand.settings_of, "model"),
    Guard: (guarding.guard_record, "guard"),
    PermitRecord: (guarding.permit_record, "permit"),
}
"""What fills in the fields of a record, and what it calls the part of the model that it reads."""


@dataclass(frozen=True)
class SettingLine:
    """A line of the settings.

    Attributes:
        name, value: as C has them; the value a number, or a formula of lines before it.
        unit, low, high: of the field of the model; None where there is none.
        says: a sentence on what it means, and what more or less of it does.
        edited: whether it is a number, and no formula.
        part, field: of the model, that it is; None where it is none alone.
    """

    name: str
    value: float | int | str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    says: str = ""
    edited: bool = True
    part: BaseModel | None = None
    field: str = ""


def lines_of(setting: Setting, name: str, value: float, part: BaseModel | None) -> list[SettingLine]:
    """The lines of a setting: itself; or the fields of the model that it follows from, and its formula.

    Args:
        setting: it.
        name: what it is called.
        value: what it is.
        part: of the model, that fills its row in; None where none does.
    """
    note = field_notes(setting.record).get(setting.name, "")
    plain = SettingLine(name, value, says=_sentence(note))
    if part is None:
        return [plain]
    if setting.record not in _MADE_BY:
        same = next(
            (each for each in (setting.name, setting.name.replace("_ms", "_s")) if each in type(part).model_fields), ""
        )
        return [_of_field(name, value, part, same)] if same else [plain]
    made_by, variable = _MADE_BY[setting.record]
    node = _keyword(made_by, setting.name, part)
    if node is None:
        return [plain]
    node = _decided(node, {variable: part})
    attributes = [each for each in ast.walk(node) if isinstance(each, ast.Attribute)]
    fields = [each.attr for each in attributes if _is_field(each, variable, part)]
    if len(fields) == 1 and not isinstance(node, ast.BinOp) and not getattr(node, "follows", False):
        return [_of_field(name, value, part, fields[0])]
    formula = _formula(node, variable, part)
    if formula is None:
        return [plain]
    of_fields = [_of_field(each.upper(), getattr(part, each), part, each) for each in fields]
    return [*of_fields, SettingLine(name, formula, says=_sentence(note), edited=False)]


def _keyword(made_by: Callable[..., Any], name: str, part: BaseModel) -> ast.expr | None:
    """What a record's field is filled in with."""
    tree = _tree(made_by)
    within: list[ast.AST] = [tree]
    for node in ast.walk(tree):
        if isinstance(node, ast.match_case) and isinstance(node.pattern, ast.MatchClass):
            owner = node.pattern.cls
            if isinstance(owner, ast.Attribute) and owner.attr == type(part).__name__:
                within = list(node.body)
    for scope in within:
        for node in ast.walk(scope):
            if isinstance(node, ast.Call):
                for keyword in node.keywords:
                    if keyword.arg == name:
                        return keyword.value
            if isinstance(node, ast.Assign):
                for target, value in _pairs(node):
                    if isinstance(target, ast.Attribute) and target.attr == name:
                        return value
    return None


def _pairs(node: ast.Assign) -> list[tuple[ast.expr, ast.expr]]:
    """What an assignment writes to, and what it writes there."""
    target, value = node.targets[0], node.value
    if isinstance(target, ast.Tuple) and isinstance(value, ast.Tuple):
        return list(zip(target.elts, value.elts, strict=True))
    return [(target, value)]


@cache
def _tree(made_by: Callable[..., Any]) -> ast.Module:
    return ast.parse(textwrap.dedent(inspect.getsource(made_by)))


def _decided(node: ast.expr, known: dict[str, Any]) -> ast.expr:
    """An expression with its choices made, and what is only converted left out."""
    if isinstance(node, ast.IfExp):
        holds = eval(compile(ast.Expression(node.test), "", "eval"), {"__builtins__": {}}, known)
        return _decided(node.body if holds else node.orelse, known)
    if isinstance(node, ast.BoolOp):
        return _decided(node.values[0], known)
    if isinstance(node, ast.Call) and len(node.args) == 1:
        inside = _decided(node.args[0], known)
        return ast.Call(node.func, [inside], []) if _is_root(node) else inside
    if isinstance(node, ast.BinOp):
        sign = node.left
        if isinstance(sign, ast.Attribute) and sign.attr == "sign":
            return _decided(node.right, known)
        return ast.BinOp(_decided(node.left, known), node.op, _decided(node.right, known))
    if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id in known:
        part = known[node.value.id]
        made = getattr(type(part), node.attr, None)
        if isinstance(made, property) and made.fget is not None:
            body = ast.parse(textwrap.dedent(inspect.getsource(made.fget))).body[0]
            assert isinstance(body, ast.FunctionDef)
            result = _result_of(body.body, part)
            if result is not None:
                inner = _renamed(_decided(result, {"self": part}), node.value.id)
                own = node.attr.removeprefix("acting_")
                # What acts in place of a field that is empty follows from another one.
                inner.follows = own in type(part).model_fields and own != getattr(inner, "attr", own)  # type: ignore[attr-defined]
                return inner
    return node


def _is_root(node: ast.Call) -> bool:
    return isinstance(node.func, ast.Attribute) and node.func.attr == "sqrt"


def _result_of(body: list[ast.stmt], part: BaseModel) -> ast.expr | None:
    """What a property of a part of the model gives, its choices made; None where it does more than choose."""
    for statement in body:
        if isinstance(statement, ast.Return):
            return statement.value
        if isinstance(statement, ast.If):
            holds = eval(compile(ast.Expression(statement.test), "", "eval"), {"__builtins__": {}}, {"self": part})
            found = _result_of(statement.body if holds else statement.orelse, part)
            if found is not None:
                return found
        elif not (isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)):
            return None
    return None


def _renamed(node: ast.expr, name: str) -> ast.expr:
    for each in ast.walk(node):
        if isinstance(each, ast.Name) and each.id == "self":
            each.id = name
    return node


def _is_field(node: ast.AST, variable: str, part: BaseModel) -> bool:
    return (
        isinstance(node, ast.Attribute)
        and isinstance(node.value, ast.Name)
        and node.value.id == variable
        and node.attr in type(part).model_fields
    )


_SYMBOLS = {ast.Mult: "*", ast.Div: "/"}


def _formula(node: ast.expr, variable: str, part: BaseModel) -> str | None:
    """A product, quotient or root of fields in C; None where it is anything else."""
    if _is_field(node, variable, part):
        assert isinstance(node, ast.Attribute)
        return node.attr.upper()
    if isinstance(node, ast.BinOp) and type(node.op) in _SYMBOLS:
        sides = [_formula(each, variable, part) for each in (node.left, node.right)]
        if None not in sides:
            return f"({sides[0]} {_SYMBOLS[type(node.op)]} {sides[1]})"
    if isinstance(node, ast.Call) and _is_root(node) and (inside := _formula(node.args[0], variable, part)):
        return f"SQRT_OF({inside})"
    return None


def _of_field(name: str, value: float, part: BaseModel, field: str) -> SettingLine:
    """A line by the declaration of a field."""
    info = type(part).model_fields[field]
    extra: Any = info.json_schema_extra or {}
    low = high = None
    for limit in info.metadata:
        low, high = getattr(limit, "ge", low), getattr(limit, "le", high)
    parts = [f"{info.title}: {_sentence(info.description or '')}"]
    parts += [f"{word.capitalize()}: {extra[word]}." for word in ("more", "less") if word in extra]
    own = getattr(part, field)
    if own is not None and value == -own != 0 and low is not None and high is not None:
        low, high = -high, -low
        parts.append("Negated, since the law is written for heating.")
    unit = str(extra.get("unit", ""))
    if name.endswith("_MS"):
        unit, low, high = "ms", None if low is None else low * 1000, None if high is None else high * 1000
    if low is not None and high is not None and not low <= value <= high:
        low = high = None  # an empty field stands for something beyond its range
    return SettingLine(name, value, unit, low, high, " ".join(parts), part=part, field=field)


def _sentence(text: str) -> str:
    text = text.strip()
    return text[:1].upper() + text[1:] + ("" if not text or text.endswith(".") else ".") if text else ""


def follow_milliseconds(lines: dict[str, SettingLine]) -> list[SettingLine]:
    """Settings, by name; seconds that a setting in milliseconds says too follow from that."""
    found, follow = [], []
    for name, line in lines.items():
        other = lines.get(f"{name[:-2]}_MS") if name.endswith("_S") else None
        same = other is not None and (other.part, other.field) == (line.part, line.field)
        if same and other is not None and not isinstance(other.value, str) and line.value == other.value / 1000:
            follow.append(SettingLine(name, f"SECONDS_OF({other.name})", says=line.says, edited=False))
        else:
            found.append(line)
    return found + follow
