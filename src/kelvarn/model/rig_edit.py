"""Edits of the rig that reach further than one field: parts come and go, and names are followed through the project."""

import re
from collections.abc import Callable
from typing import Any

from kelvarn.sentence import say

from .bodies import Body, DrawOff, Link
from .drives import DRIVE_KINDS
from .edit import EditError, append, put, remove, with_fields
from .events import Event
from .fields import SURROUNDINGS
from .mark import Mark
from .names import free_name
from .probes import Probe
from .project import Project
from .response import ResponseModel
from .rig import MAX_BODIES, MAX_DRIVES, MAX_PROBES, Rig

_NEW_CAPACITY_J_PER_K = 500.0
_NEW_CONDUCTANCE_W_PER_K = 1.0
_NEW_FLOW_W_PER_K = 10.0


def rename_body(project: Project, old: str, new: str) -> Project:
    """Rename a body everywhere it is referred to."""

    def follow(part: Any) -> Any:
        fields = {key: new for key in ("a", "b", "body", "to") if getattr(part, key, None) == old}
        return part.model_copy(update=fields) if fields else part

    rig, response = project.rig, project.rig.response
    bodies = tuple(with_fields(b, name=new) if b.name == old else b for b in rig.bodies)
    if response is not None:
        response = with_fields(response, name=new)
        new = response.name
    else:
        new = bodies[rig.body_index(old)].name
    rig = with_fields(
        rig,
        bodies=bodies,
        response=response,
        links=tuple(follow(link) for link in rig.links),
        drives=tuple(follow(drive) for drive in rig.drives),
        probes=tuple(follow(probe) for probe in rig.probes),
        draw_offs=tuple(follow(draw_off) for draw_off in rig.draw_offs),
        goal=follow(rig.goal),
        guards=tuple(follow(guard) for guard in rig.guards),
        judged=new if rig.judged == old else rig.judged,
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
        raise EditError(say("A rig has at most {most} bodies; take one out, or make two of them one.", most=MAX_BODIES))
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
    return append(project, ("rig", "links"), Link(a=a, b=b, conductance_W_per_K=_NEW_CONDUCTANCE_W_PER_K))


def remove_link(project: Project, index: int) -> Project:
    """Take a link out."""
    return remove(project, ("rig", "links"), index)


def remove_body(project: Project, name: str) -> Project:
    """Take a body out, with its links and the events and marks that are about it."""
    rig = project.rig
    if len(rig.bodies) == 1:
        raise EditError(say("The last body cannot be removed; a rig needs one."))
    users = [
        (drive.heated_body, say("“{part}” acts on “{body}”; give it another body first.", part=drive.name, body=name))
        for drive in rig.drives
    ]
    users += [
        (probe.body, say("“{part}” sits in “{body}”; give it another body first.", part=probe.name, body=name))
        for probe in rig.probes
    ]
    users += [
        (each.body, say("“{part}” is drawn from “{body}”; give it another body first.", part=each.name, body=name))
        for each in rig.draw_offs
    ]
    for body, says in users:
        if body == name:
            raise EditError(says)
    rig = with_fields(
        rig,
        bodies=tuple(body for body in rig.bodies if body.name != name),
        links=tuple(link for link in rig.links if name not in (link.a, link.b)),
        goal=None if rig.goal is not None and rig.goal.body == name else rig.goal,
        guards=tuple(guard for guard in rig.guards if getattr(guard, "body", None) != name),
        judged=None if rig.judged == name else rig.judged,
    )
    return _drop_events(
        project,
        rig,
        lambda event: name in (getattr(event, "body", None), getattr(event, "to", None)),
        lambda mark: mark.body == name,
    )


def rename_drive(project: Project, index: int, new: str) -> Project:
    """Rename a drive; the links that it drives and the events about it follow."""
    rig = project.rig
    old = rig.drives[index].name
    drives = tuple(with_fields(d, name=new) if k == index else d for k, d in enumerate(rig.drives))
    new = drives[index].name
    links = tuple(with_fields(link, driven_by=new) if link.driven_by == old else link for link in rig.links)
    return _follow_in_events(project, with_fields(rig, drives=drives, links=links), "drive", old, new)


def rename_probe(project: Project, index: int, new: str) -> Project:
    """Rename a probe; the events and guards about it follow."""
    return _rename_with_events(project, "probes", index, new, "probe")


def rename_draw_off(project: Project, index: int, new: str) -> Project:
    """Rename a draw-off; the events that run it follow."""
    return _rename_with_events(project, "draw_offs", index, new, "draw_off")


def _rename_with_events(project: Project, parts: str, index: int, new: str, field: str) -> Project:
    found = list(getattr(project.rig, parts))
    old, found[index] = found[index].name, with_fields(found[index], name=new)
    new = found[index].name
    guards = tuple(
        guard.model_copy(update={field: new}) if getattr(guard, field, None) == old else guard
        for guard in project.rig.guards
    )
    rig = with_fields(project.rig, guards=guards, **{parts: tuple(found)})
    return _follow_in_events(project, rig, field, old, new)


def _follow_in_events(project: Project, rig: Rig, field: str, old: str, new: str) -> Project:
    """The project with another rig, in which something that events name has another name."""
    trials = tuple(
        trial.model_copy(
            update={
                "events": tuple(
                    event.model_copy(update={field: new}) if getattr(event, field, None) == old else event
                    for event in trial.events
                )
            }
        )
        for trial in project.trials
    )
    return with_fields(project, rig=rig, trials=trials)


def add_drive(project: Project, kind: str, body: str) -> tuple[Project, str]:
    """Add a drive of a kind that acts on a body (a fan or valve: on nothing yet); returns the project and its name."""
    rig = project.rig
    if len(rig.drives) == MAX_DRIVES:
        raise EditError(say("A rig has at most {most} drives; take one out.", most=MAX_DRIVES))
    of_kind = DRIVE_KINDS[kind]
    name = free_name(of_kind.new_name, [drive.name for drive in rig.drives])
    made = of_kind(**{**of_kind.begins_as(body), "name": name})
    return _with_rig(project, with_fields(rig, drives=(*rig.drives, made))), name


def change_kind(project: Project, index: int, kind: str) -> Project:
    """Make a drive one of another kind; what both kinds have is kept, and links let go of one that moves no more.

    One that is called as a new one of its kind is called as one of the other: a fan is no "Heater 2".
    """
    rig = project.rig
    old = rig.drives[index]
    of_kind = DRIVE_KINDS[kind]
    kept = {name: getattr(old, name) for name in of_kind.model_fields if hasattr(old, name) and name != "kind"}
    made = of_kind(**{**of_kind.begins_as(old.heated_body or rig.probe.body), **_known(kept)})
    links = rig.links
    if not of_kind.moves:
        links = tuple(with_fields(x, driven_by=None) if x.driven_by == old.name else x for x in links)
    drives = (*rig.drives[:index], made, *rig.drives[index + 1 :])
    changed = _with_rig(project, with_fields(rig, drives=drives, links=links))
    if re.fullmatch(rf"{old.new_name}( \d+)?", old.name) and old.new_name != of_kind.new_name:
        taken = [drive.name for k, drive in enumerate(drives) if k != index]
        changed = rename_drive(changed, index, free_name(of_kind.new_name, taken))
    return changed


def _known(fields: dict[str, Any]) -> dict[str, Any]:
    """Fields without those that say nothing."""
    return {name: value for name, value in fields.items() if value is not None}


def remove_drive(project: Project, index: int) -> Project:
    """Take a drive out, with the events about it; links that it drove stay, with what they carry at rest."""
    rig = project.rig
    if len(rig.drives) == 1:
        raise EditError(say("The last drive cannot be removed; a rig needs one."))
    gone = rig.drives[index].name
    links = tuple(with_fields(link, driven_by=None) if link.driven_by == gone else link for link in rig.links)
    drives = rig.drives[:index] + rig.drives[index + 1 :]
    return _drop_events(
        project,
        with_fields(rig, drives=drives, links=links),
        lambda event: getattr(event, "drive", None) == gone and event.kind == "drive_fault",
        lambda mark: False,
    )


def add_probe(project: Project, body: str) -> tuple[Project, str]:
    """Add a probe that watches a body; returns the project and its name."""
    rig = project.rig
    if len(rig.probes) == MAX_PROBES:
        raise EditError(say("A rig has at most {most} probes; take one out.", most=MAX_PROBES))
    name = free_name("Probe", [probe.name for probe in rig.probes])
    made = Probe(name=name, body=body, role="watch", lag_s=rig.probe.lag_s, interval_s=rig.probe.interval_s)
    return _with_rig(project, with_fields(rig, probes=(*rig.probes, made))), name


def set_role(project: Project, index: int, role: str) -> Project:
    """Give a probe a role; the one that controlled watches from then on where another one takes over."""
    rig = project.rig
    if role != "control" and rig.probes[index].role == "control":
        raise EditError(say("One probe must control; give another one that role."))
    probes = tuple(
        with_fields(p, role=role if k == index else "watch" if role == p.role == "control" else p.role)
        for k, p in enumerate(rig.probes)
    )
    return _with_rig(project, with_fields(rig, probes=probes))


def remove_probe(project: Project, index: int) -> Project:
    """Take a probe out, with the events and guards about it."""
    if project.rig.probes[index].role == "control":
        name = project.rig.probes[index].name
        raise EditError(say("“{probe}” controls; give another probe that role first.", probe=name))
    return _remove_with_events(project, "probes", index, "probe")


def add_draw_off(project: Project, body: str) -> tuple[Project, str]:
    """Add a draw-off from a body; returns the project and its name."""
    rig = project.rig
    name = free_name("Draw-off", [found.name for found in rig.draw_offs])
    made = DrawOff(name=name, body=body, flow_W_per_K=_NEW_FLOW_W_PER_K)
    return _with_rig(project, with_fields(rig, draw_offs=(*rig.draw_offs, made))), name


def remove_draw_off(project: Project, index: int) -> Project:
    """Take a draw-off out, with the events that run it."""
    return _remove_with_events(project, "draw_offs", index, "draw_off")


def _remove_with_events(project: Project, parts: str, index: int, field: str) -> Project:
    found = getattr(project.rig, parts)
    gone = found[index].name
    guards = tuple(guard for guard in project.rig.guards if getattr(guard, field, None) != gone)
    rig = with_fields(project.rig, guards=guards, **{parts: found[:index] + found[index + 1 :]})
    return _drop_events(project, rig, lambda event: getattr(event, field, None) == gone, lambda mark: False)


def _drop_events(project: Project, rig: Rig, about: Callable[[Event], bool], judged: Callable[[Mark], bool]) -> Project:
    """A project with another rig, without the events and marks about what has gone."""
    trials = []
    for trial in project.trials:
        events = tuple(event for event in trial.events if not about(event))
        left = {event.name for event in events}
        marks = tuple(m for m in trial.marks if not judged(m) and (m.event is None or m.event in left))
        trials.append(with_fields(trial, events=events, marks=marks))
    return with_fields(project, rig=rig, trials=tuple(trials))


def drive_link(project: Project, index: int) -> tuple[Project, str]:
    """Let a fan drive a link: the rig's first fan or valve, or a new fan; returns the project and the fan's name."""
    movers = [drive.name for drive in project.rig.drives if drive.moves]
    if movers:
        name = movers[0]
    else:
        project, name = add_drive(project, "fan", "")
    link = project.rig.links[index]
    full = link.full_W_per_K or max(4 * link.conductance_W_per_K, 1.0)
    made = with_fields(link, driven_by=name, full_W_per_K=full)
    changed: Project = put(project, ("rig", "links", index), made)
    return changed, name


def to_response(project: Project, response: ResponseModel) -> Project:
    """Put a response model in place of bodies and links; what acts on the probed body acts on it from then on.

    The answer was read off the probe: it has the delays of drive and probe in it, so these keep none of their own.
    """
    rig, name = project.rig, response.name
    now = {"dead_time_s": 0.0}
    drives = tuple(with_fields(d, **now, **({"body": name} if hasattr(d, "body") else {})) for d in rig.drives)
    probes = tuple(with_fields(p, body=name, lag_s=0.0, **now) for p in rig.probes)
    goal = (
        rig.goal.model_copy(update={"body": name}) if rig.goal is not None and rig.goal.body == rig.probe.body else None
    )
    changed = with_fields(
        rig, bodies=(), links=(), draw_offs=(), response=response, drives=drives, probes=probes, goal=goal, judged=None
    )
    gone = set(rig.body_names) - {rig.probe.body}

    def about(event: Event) -> bool:
        return event.kind == "draw_off" or not gone.isdisjoint({getattr(event, "body", ""), getattr(event, "to", "")})

    kept = _drop_events(project, rig, about, lambda mark: mark.body in gone)
    trials = tuple(
        trial.model_copy(
            update={
                "events": tuple(_moved(event, rig.probe.body, name) for event in trial.events),
                "marks": tuple(_moved(mark, rig.probe.body, name) for mark in trial.marks),
            }
        )
        for trial in kept.trials
    )
    return with_fields(project, rig=changed, trials=trials)


def _moved(part: Any, old: str, new: str) -> Any:
    return part.model_copy(update={"body": new}) if getattr(part, "body", None) == old else part


def _with_rig(project: Project, rig: Rig) -> Project:
    changed: Project = put(project, ("rig",), rig)
    return changed
