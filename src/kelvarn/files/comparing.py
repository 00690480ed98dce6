"""What differs between two projects, value by value, by where it stands; parts are told apart by their names."""

from typing import Any, NamedTuple

from kelvarn.model.project import Project

_AREAS = {
    "rig": "rig", "candidates": "settings", "trials": "trials", "chosen": "settings", "adjustable": "settings",
    "wiring": "wiring", "logs": "logs", "fits": "logs",
}  # fmt: skip
_LEFT_OUT = frozenset({"kept", "handed_over", "proofs", "first_hour", "lanes", "format", "versions"})
"""What says of the work on a project, not of the project."""
_KEYS = ("name", "drive", "probe", "outlet", "measure", "setting", "check")


class Differs(NamedTuple):
    """A value that differs.

    Attributes:
        area: rig, settings, trials, wiring, logs or other.
        where: it stands, from the whole to the part.
        one, other: the values as files have them; empty where there is none.
    """

    area: str
    where: str
    one: str
    other: str


def differences(one: Project, other: Project) -> list[Differs]:
    """All that differs, in the order of the document."""
    first, second = one.model_dump(mode="json"), other.model_dump(mode="json")
    found = []
    for key in dict.fromkeys((*first, *second)):
        if key not in _LEFT_OUT:
            area = _AREAS.get(key, "other")
            found += [Differs(area, *each) for each in _of(first.get(key), second.get(key), key.replace("_", " "))]
    raws = {log.name: log.raw for log in one.logs}
    found += [Differs("logs", f"logs › {log.name} › its rows", "as they were", "others")
              for log in other.logs if log.name in raws and raws[log.name] != log.raw]  # fmt: skip
    return found


def _of(one: Any, other: Any, where: str) -> list[tuple[str, str, str]]:
    if one == other:
        return []
    if isinstance(one, dict) and isinstance(other, dict):
        keys = dict.fromkeys((*one, *other))
        return [each for key in keys for each in _of(one.get(key), other.get(key), f"{where} › {key}")]
    if isinstance(one, list) and isinstance(other, list):
        return _of_lists(one, other, where)
    return [(where, _text(one), _text(other))]


def _of_lists(one: list[Any], other: list[Any], where: str) -> list[tuple[str, str, str]]:
    mine, theirs = (_named(each) for each in (one, other))
    if mine is None or theirs is None:
        mine, theirs = ({str(k + 1): each for k, each in enumerate(those)} for those in (one, other))
    found = []
    for key in dict.fromkeys((*mine, *theirs)):
        there = f"{where} › {key}"
        if key not in mine or key not in theirs:
            found.append((there, "" if key not in mine else "is there", "" if key not in theirs else "is there"))
        else:
            found += _of(mine[key], theirs[key], there)
    if not found:
        found.append((where, ", ".join(mine), ", ".join(theirs)))  # the order alone
    return found


def _named(those: list[Any]) -> dict[str, Any] | None:
    """Parts of a list by their names; None where they have none of their own."""
    for key in _KEYS:
        if those and all(isinstance(each, dict) and isinstance(each.get(key), str) for each in those):
            names = [each[key] for each in those]
            return dict(zip(names, those, strict=True)) if len(set(names)) == len(names) else None
    return {} if not those else None


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else str(value)
