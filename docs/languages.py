"""Puts every sentence that the window can say in other languages into their catalogues: `python docs/languages.py`.

A sentence is what `say` and `tell` are given in the source, what the model declares of its fields, and the names of what
can be chosen in a rig. What is new comes without a translation, what has gone goes.
"""

import ast
import importlib
import pkgutil
import sys
from collections.abc import Iterator
from pathlib import Path

import polib

from kelvarn import model
from kelvarn.demos import DEMOS
from kelvarn.demos.experiments import EXPERIMENTS
from kelvarn.desktop.language import ENGLISH, OWN_NAMES, UNIT_WORDS, catalogue_file
from kelvarn.kinds import KINDS
from kelvarn.model import fields, project
from kelvarn.model.bank import MARK_SETS
from kelvarn.model.candidate import STRATEGIES
from kelvarn.model.event_base import heading_of
from kelvarn.model.events import EVENT_KINDS
from kelvarn.model.guards import GUARD_KINDS, PERMIT_KINDS
from kelvarn.model.mark import MEASURES
from kelvarn.model.materials import MATERIALS
from kelvarn.model.probe_types import PROBE_TYPES
from kelvarn.units import Quantity

SOURCE = Path(__file__).parents[1] / "src" / "kelvarn"
_WORDS = ("more", "less", "empty", "cools")


def sentences() -> dict[str, tuple[str, str]]:
    """By key where it stands, and its form for many, "" where it is not counted."""
    found: dict[str, tuple[str, str]] = {".": ("the decimal mark", "")}
    for file in sorted(SOURCE.rglob("*.py")):
        for key, many in of_source(ast.parse(file.read_text())):
            found.setdefault(key, (file.relative_to(SOURCE).as_posix(), many))
    declared = {"model": of_models(), "names": of_names(), "choices": of_choices()}
    for where, texts in declared.items():
        for key in texts:
            if key:
                found.setdefault(key, (where, ""))
    return found


def of_source(tree: ast.Module) -> Iterator[tuple[str, str]]:
    """What `say`, `tell`, `joined` and `say_counted` are given as literals, with the form for many."""
    imported = {
        name.name
        for node in ast.walk(tree)
        if isinstance(node, ast.ImportFrom) and str(node.module).rpartition(".")[2] in ("sentence", "language", "units")
        for name in node.names
    }
    for node in ast.walk(tree):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name) or not node.args:
            continue
        if node.func.id not in imported:
            continue
        texts = list(literals(node.args[0]))
        if node.func.id in ("say", "tell"):
            yield from ((text, "") for text in texts)
        elif node.func.id == "joined":
            yield from ((text, "") for text in texts if any(letter.isalpha() for letter in text))
        elif node.func.id == "say_counted" and texts:  # `counted` itself hands over no literals
            yield texts[0], next(literals(node.args[1]))
        elif node.func.id == "counted":
            one, *many = (next(literals(each)) for each in node.args[1:])
            yield f"{{count}} {one}", f"{{count}} {many[0] if many else one + 's'}"


def literals(node: ast.expr) -> Iterator[str]:
    """The texts that an argument may be: a literal, or either side of a choice."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value
    elif isinstance(node, ast.IfExp):
        yield from literals(node.body)
        yield from literals(node.orelse)


def of_models() -> Iterator[str]:
    """Titles, meanings and words of the fields that the model declares."""
    modules = [importlib.import_module(f"kelvarn.model.{found.name}") for found in pkgutil.iter_modules(model.__path__)]
    kinds = {
        kind
        for module in modules
        for kind in vars(module).values()
        if isinstance(kind, type) and issubclass(kind, fields.ModelBase) and kind.__module__ == module.__name__
    }
    for kind in sorted(kinds, key=lambda kind: kind.__name__):
        for info in kind.model_fields.values():
            yield from of_field(info)


def of_field(info: object) -> Iterator[str]:
    """Everything that a field's declaration says."""
    yield str(getattr(info, "title", None) or "")
    yield str(getattr(info, "description", None) or "")
    extra = getattr(info, "json_schema_extra", None)
    if isinstance(extra, dict):
        yield from (str(extra[word]) for word in _WORDS if word in extra)
        words = extra.get("words")
        if isinstance(words, dict):
            yield from (str(word) for word in words.values())


def of_names() -> Iterator[str]:
    """Names of demos, experiments, measures, materials, types of probes and quantities, and units that are words."""
    for demo in DEMOS:
        yield from (demo.title, demo.brief)
    for each in EXPERIMENTS:
        yield from (each.title, each.line, each.tries, each.look, each.told)
    for measure in MEASURES.values():
        yield measure.title
    for material in MATERIALS.values():
        yield from (material.name, material.limit_why)
    for kind in KINDS:
        yield from of_kind(kind.drafted())
    yield from PROBE_TYPES
    yield from UNIT_WORDS
    yield from (quantity.value for quantity in Quantity)
    yield fields.SURROUNDINGS


def of_choices() -> Iterator[str]:
    """Names of strategies, sets of marks, events, guards and permits, and what measures are."""
    for measure in MEASURES.values():
        yield measure.text
    for strategy in STRATEGIES:
        yield from (strategy, strategy if strategy.isupper() else strategy.lower())
    for marks in MARK_SETS:
        yield marks.name
    for kinds in (EVENT_KINDS, GUARD_KINDS, PERMIT_KINDS):
        for kind in kinds.values():
            yield from (kind.what, heading_of(kind.what))


def of_kind(made: project.Project) -> Iterator[str]:
    """Names that a kind of rig gives to what it is made of."""
    yield made.name
    yield made.first_trial.name
    yield from made.rig.body_names
    for part in (*made.rig.drives, *made.rig.probes, *made.rig.guards):
        yield part.name


def main() -> None:
    """Bring every catalogue up to date; says of each how much of it is translated."""
    found = sentences()
    for code in OWN_NAMES:
        if code == ENGLISH:
            continue
        kept = polib.pofile(str(catalogue_file(code)))
        before = {entry.msgid: entry for entry in kept}
        made = polib.POFile(wrapwidth=110)
        made.metadata = kept.metadata  # with the language's own forms of plural
        for key, (where, many) in sorted(found.items(), key=lambda each: (each[1][0], each[0])):
            known = before.get(key)
            entry = polib.POEntry(msgid=key, msgid_plural=many, occurrences=[(where, "")])
            if many:
                entry.msgstr_plural = known.msgstr_plural if known is not None else {0: "", 1: ""}
            else:
                entry.msgstr = known.msgstr if known is not None else ""
            made.append(entry)
        made.save(str(catalogue_file(code)))
        missing = sum(not entry.translated() for entry in made)
        print(f"{code}: {len(made)} sentences, {missing} without a translation")


if __name__ == "__main__":
    sys.exit(main())
