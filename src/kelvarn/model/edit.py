"""Edits: pure functions from a project to a new, validated one.

A path names a field from the project down, such as ("rig", "bodies", 1, "capacity_J_per_K"). Every function raises
`pydantic.ValidationError` (or `EditError`) where the result would be no valid project; the old one is untouched.
"""

from collections.abc import Callable, Sequence
from typing import Any, Literal, TypeVar

from pydantic import ValidationError

from kelvarn.sentence import say
from kelvarn.units import Quantity

from .candidate import Candidate
from .events import EVENT_KINDS
from .fields import ModelBase
from .names import free_name
from .project import Project
from .rig import Rig

Path = tuple[str | int, ...]
P = TypeVar("P", bound=ModelBase)


class EditError(ValueError):
    """The edit cannot be done. The message is one sentence for the user."""


def value_at(root: Any, path: Path) -> Any:
    """What stands at a path."""
    for step in path:
        root = root[step] if isinstance(step, int) else getattr(root, step)
    return root


def quantity_at(root: Any, path: Path) -> Quantity:
    """What kind of value stands at a path; a plain number where its field says nothing."""
    extra = type(value_at(root, path[:-1])).model_fields[str(path[-1])].json_schema_extra
    return Quantity(str(extra["quantity"])) if isinstance(extra, dict) and "quantity" in extra else Quantity.NUMBER


def put(root: Any, path: Path, value: Any) -> Any:
    """A copy of `root` with `value` at the path; every part on the way is validated anew.

    Args:
        root: a part of the model, or a tuple of them.
        path: names of fields and places in tuples, from the root down.
        value: what stands there afterwards.
    """
    if not path:
        return value
    step, rest = path[0], path[1:]
    if isinstance(step, int):
        items = list(root)
        items[step] = put(items[step], rest, value)
        return tuple(items)
    return with_fields(root, **{step: put(getattr(root, step), rest, value)})


def with_fields(part: P, **fields: Any) -> P:
    """A validated copy of a part with some fields changed."""
    kept = {name: getattr(part, name) for name in type(part).model_fields}
    return type(part).model_validate({**kept, **fields})


Parts = Literal["bodies", "links", "drives", "probes"]


def with_each(rig: Rig, parts: Parts, change: Callable[[Any], dict[str, Any]]) -> Rig:
    """A validated copy of a rig with fields of all its parts of a kind changed.

    Args:
        rig: the rig.
        parts: which kind.
        change: given a part, the fields of it that are other; none keeps it as it is.
    """
    made = tuple(with_fields(part, **fields) if (fields := change(part)) else part for part in getattr(rig, parts))
    return with_fields(rig, **{parts: made})


def rename_candidate(project: Project, old: str, new: str) -> Project:
    """Rename a candidate; the choice follows, and what was handed over of it."""
    candidates = tuple(with_fields(c, name=new) if c.name == old else c for c in project.candidates)
    index = [c.name for c in project.candidates].index(old)
    chosen = candidates[index].name if project.chosen == old else project.chosen
    new = candidates[index].name
    follow = {
        name: tuple(with_fields(each, candidate=new) if each.candidate == old else each for each in kept)
        for name, kept in (
            ("handed_over", project.handed_over), ("proofs", project.proofs), ("adjustable", project.adjustable),
        )
    }  # fmt: skip
    return with_fields(project, candidates=candidates, chosen=chosen, **follow)


def rename_event(project: Project, trial: int, old: str, new: str) -> Project:
    """Rename an event of a trial; marks on it follow."""
    before = project.trials[trial]
    events = tuple(with_fields(e, name=new) if e.name == old else e for e in before.events)
    name = events[[e.name for e in before.events].index(old)].name
    marks = tuple(m.model_copy(update={"event": name}) if m.event == old else m for m in before.marks)
    changed: Project = put(project, ("trials", trial), with_fields(before, events=events, marks=marks))
    return changed


def add_event(project: Project, trial: int, kind: str) -> Project:
    """Add an event of a kind to a trial, in its middle, where everything has room to be seen.

    Raises:
        EditError: the rig lacks what it needs.
    """
    before, of_kind = project.trials[trial], EVENT_KINDS[kind]
    if lacking := of_kind.missing(project.rig):
        raise EditError(lacking)
    middle = float(round(before.duration_s / 2))
    lasts = max(1.0, float(round(before.duration_s / 20)))
    wanted = of_kind.begins_as(project.rig)
    name = free_name(wanted["name"], [event.name for event in before.events])
    event = of_kind(**{"at_s": middle, "lasts_s": lasts, **wanted, "name": name})
    changed: Project = put(project, ("trials", trial, "events"), (*before.events, event))
    return changed


def add_trial(project: Project, like: str) -> tuple[Project, str]:
    """Add a copy of a trial under the next free name; returns the project and that name."""
    name = free_name(like, [trial.name for trial in project.trials])
    made = with_fields(project.trial(like), name=name)
    return with_fields(project, trials=(*project.trials, made)), name


def remove_trial(project: Project, name: str) -> Project:
    """Remove a trial; the last one stays. Raises EditError for that one."""
    if len(project.trials) == 1:
        raise EditError(say("The last trial cannot be deleted; candidates need one to run on."))
    return with_fields(project, trials=tuple(trial for trial in project.trials if trial.name != name))


def remove_event(project: Project, trial: int, index: int) -> Project:
    """Remove an event of a trial, with the marks on it."""
    before = project.trials[trial]
    gone = before.events[index].name
    changed: Project = put(
        project,
        ("trials", trial),
        with_fields(
            before,
            events=_without(before.events, index),
            marks=tuple(m for m in before.marks if m.event != gone),
        ),
    )
    return changed


def add_candidate(project: Project, candidate: Candidate) -> tuple[Project, str]:
    """Add a candidate under its name or the next free one; returns the project and that name."""
    name = free_name(candidate.name, [c.name for c in project.candidates])
    added = with_fields(candidate, name=name, hidden=False)
    return with_fields(project, candidates=(*project.candidates, added)), name


def add_candidates(project: Project, candidates: Sequence[Candidate]) -> Project:
    """Add candidates of another project. Raises EditError where there is no room for them, or one does not fit."""
    for candidate in candidates:
        try:
            project, _ = add_candidate(project, candidate)
        except ValidationError as error:
            said = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
            raise EditError(
                say("“{candidate}” does not fit this project: {said}.", candidate=candidate.name, said=said)
            ) from error
    return project


def remove_candidate(project: Project, name: str) -> Project:
    """Remove a candidate; the last one stays."""
    if len(project.candidates) == 1:
        raise EditError(say("The last candidate cannot be deleted; add another one first."))
    left = tuple(c for c in project.candidates if c.name != name)
    return with_fields(project, candidates=left, chosen=None if project.chosen == name else project.chosen)


def append(project: Project, path: Path, part: ModelBase) -> Project:
    """Add a part at the end of the list at a path."""
    return change(project, path, lambda parts: (*parts, part))


def remove(project: Project, path: Path, index: int) -> Project:
    """Remove one part from the list at a path."""
    return change(project, path, lambda parts: _without(parts, index))


def change(project: Project, path: Path, how: Callable[[Any], Any]) -> Project:
    """Replace what stands at a path by a function of it."""
    changed: Project = put(project, path, how(value_at(project, path)))
    return changed


def _without(parts: tuple[Any, ...], index: int) -> tuple[Any, ...]:
    return parts[:index] + parts[index + 1 :]
