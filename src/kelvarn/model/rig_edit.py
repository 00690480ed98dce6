"""Edits of the rig that reach further than one field: parts come and go, and names are followed through the project."""

from typing import Any

from .bodies import Body, Link
from .drives import heated_body
from .edit import EditError, put, with_fields
from .fields import SURROUNDINGS
from .names import free_name
from .project import Project
from .rig import MAX_BODIES, Rig

_NEW_CAPACITY_J_PER_K = 500.0
_NEW_CONDUCTANCE_W_PER_K = 1.0


def rename_body(project: Project, old: str, new: str) -> Project:
    """Rename a body everywhere it is referred to."""

    def follow(part: Any) -> Any:
        fields = {key: new for key in ("a", "b", "body", "to") if getattr(part, key, None) == old}
        return part.model_copy(update=fields) if fields else part

    rig = project.rig
    bodies = tuple(with_fields(b, name=new) if b.name == old else b for b in rig.bodies)
    new = next(b.name for b, before in zip(bodies, rig.bodies, strict=True) if before.name == old)
    rig = with_fields(
        rig,
        bodies=bodies,
        links=tuple(follow(link) for link in rig.links),
        drives=tuple(follow(drive) for drive in rig.drives),
        probes=tuple(follow(probe) for probe in rig.probes),
        draw_offs=tuple(follow(draw_off) for draw_off in rig.draw_offs),
    )
    trials = tuple(
        trial.model_copy(
            update={
                "events": tuple(follow(event) for event in trial.events),
                "marks": tuple(follow(mark) for mark in trial.marks),
            }
        )
        for trial in project.trials
    )
    return with_fields(project, rig=rig, trials=trials)


def add_body(project: Project, beside: str) -> tuple[Project, str]:
    """Add a body with a link to another one, or to the surroundings; returns the project and its name."""
    rig = project.rig
    if len(rig.bodies) == MAX_BODIES:
        raise EditError(f"A rig has at most {MAX_BODIES} bodies; take one out, or make two of them one.")
    name = free_name("Body", [body.name for body in rig.bodies])
    bodies = (*rig.bodies, Body(name=name, capacity_J_per_K=_NEW_CAPACITY_J_PER_K))
    link = Link(a=beside, b=name, conductance_W_per_K=_NEW_CONDUCTANCE_W_PER_K)
    if beside == SURROUNDINGS:
        link = Link(a=name, b=SURROUNDINGS, conductance_W_per_K=_NEW_CONDUCTANCE_W_PER_K)
    return _with_rig(project, with_fields(rig, bodies=bodies, links=(*rig.links, link))), name


def unlinked(rig: Rig, body: str) -> list[str]:
    """What a body has no link to yet: other bodies, then the surroundings."""
    others = [other.name for other in rig.bodies if other.name != body] + [SURROUNDINGS]
    return [other for other in others if not any(link.joins(body, other) for link in rig.links)]


def add_link(project: Project, a: str, b: str) -> Project:
    """Link two bodies, or a body and the surroundings."""
    rig = project.rig
    link = Link(a=a, b=b, conductance_W_per_K=_NEW_CONDUCTANCE_W_PER_K)
    return _with_rig(project, with_fields(rig, links=(*rig.links, link)))


def remove_link(project: Project, index: int) -> Project:
    """Take a link out."""
    links = project.rig.links
    return _with_rig(project, with_fields(project.rig, links=links[:index] + links[index + 1 :]))


def remove_body(project: Project, name: str) -> Project:
    """Take a body out, with its links and the events and marks that are about it."""
    rig = project.rig
    if len(rig.bodies) == 1:
        raise EditError("The last body cannot be removed; a rig needs one.")
    users = [(drive.name, heated_body(drive), "acts on") for drive in rig.drives]
    users += [(probe.name, probe.body, "sits in") for probe in rig.probes]
    users += [(draw_off.name, draw_off.body, "is drawn from") for draw_off in rig.draw_offs]
    for part, body, does in users:
        if body == name:
            raise EditError(f"“{part}” {does} “{name}”; give it another body first.")
    rig = with_fields(
        rig,
        bodies=tuple(body for body in rig.bodies if body.name != name),
        links=tuple(link for link in rig.links if name not in (link.a, link.b)),
    )
    trials = []
    for trial in project.trials:
        events = tuple(e for e in trial.events if name not in (getattr(e, "body", None), getattr(e, "to", None)))
        left = {event.name for event in events}
        marks = tuple(m for m in trial.marks if m.body != name and (m.event is None or m.event in left))
        trials.append(with_fields(trial, events=events, marks=marks))
    return with_fields(project, rig=rig, trials=tuple(trials))


def _with_rig(project: Project, rig: Rig) -> Project:
    changed: Project = put(project, ("rig",), rig)
    return changed
