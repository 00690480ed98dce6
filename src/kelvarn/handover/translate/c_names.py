"""What things are called in C."""

import re
from typing import Any

from .program import Function
from .pruned import Pruned, Setting

_TAKEN = frozenset(("LOW", "HIGH", "INPUT", "OUTPUT", "CHANGE", "DEFAULT", "EULER", "PI"))
"""Names that the C++ dialect of maker boards has for something else."""


def title(name: str) -> str:
    """`on_off` as `OnOff`."""
    return "".join(part.capitalize() for part in name.split("_"))


def record_name(record: Any) -> str:
    """The type of a record."""
    name = record.__name__.removesuffix("Record")
    return title(record.__module__.rpartition(".")[2]) + "State" if name == "State" else name


def group_name(group: Any) -> str:
    """The type of a group of tables."""
    name: str = group.__name__.removesuffix("Tables")
    return name


def lower(name: str) -> str:
    """`GuardState` as `guard_state`."""
    return re.sub(r"(?<=[a-z])(?=[A-Z])", "_", name).lower()


def function_names(functions: list[Function]) -> dict[str, str]:
    """The name of each function; with its module, where others have the same."""
    plain = {each.name: each.name.rpartition(".")[2].lstrip("_") for each in functions}
    found = {}
    for name, short in plain.items():
        module = name.split(".")[-2]
        shared = sum(other == short for other in plain.values()) > 1
        found[name] = f"{module}_{short}" if shared and ".laws." in f".{name}" and module != "laws" else short
    return found


def setting_names(pruned: Pruned, rows: dict[Any, list[str]]) -> dict[Setting, str]:
    """The name of each setting, in capitals.

    Args:
        pruned: whose settings.
        rows: what the rows of tables are called, where they have names.
    """
    found: dict[Setting, str] = {}
    for each in pruned.settings:
        name = each.name.upper()
        if each.record in rows:
            name = f"{rows[each.record][each.row]}_{name}"
        if name in found.values() or name in _TAKEN:
            name = f"{lower(record_name(each.record)).upper()}_{name}"
        found[each] = name
    return found


def identifier(text: str, taken: set[str]) -> str:
    """A name of the user's as a C identifier in capitals that is not taken."""
    plain = re.sub(r"\W+", "_", text, flags=re.ASCII).strip("_").upper() or "RULE"
    plain = f"N_{plain}" if plain[0].isdigit() else plain
    found, number = plain, 2
    while found in taken:
        found, number = f"{plain}_{number}", number + 1
    taken.add(found)
    return found
