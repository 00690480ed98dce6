"""Edits of trials, plans, guards and permits that reach further than one field."""

from typing import Any

from kelvarn.sentence import say

from .bank import BANK, MARK_SETS, from_bank, with_marks
from .edit import EditError, change, put, with_fields
from .guards import GUARD_KINDS, MOST_GUARDS, ONLY_ONE, PERMIT_KINDS, RuleBase
from .names import free_name
from .project import Project
from .trial import DayPart, NamedSetpoint, SetpointChange, Trial

_HOUR = 3600.0


def add_from_bank(project: Project, like: str, wanted: str) -> tuple[Project, str]:
    """Add a trial of the bank that is like another one; returns the project and its name."""
    made = from_bank(project, project.trial(like), next(each for each in BANK if each.name == wanted))
    name = free_name(made.name, [trial.name for trial in project.trials])
    return with_fields(project, trials=(*project.trials, with_fields(made, name=name))), name


def add_whole_bank(project: Project, like: str) -> Project:
    """Add every trial of the bank that is not there by its name."""
    for each in BANK:
        if each.name not in [trial.name for trial in project.trials]:
            project, _ = add_from_bank(project, like, each.name)
    return project


def move_trial(project: Project, name: str, by: int) -> Project:
    """Move a trial up (below 0) or down in the list; it stays at the ends."""
    trials = list(project.trials)
    place = [trial.name for trial in trials].index(name)
    to = min(max(place + by, 0), len(trials) - 1)
    trials.insert(to, trials.pop(place))
    return with_fields(project, trials=tuple(trials))


def add_mark_set(project: Project, trial: int, wanted: str) -> Project:
    """Add the marks of a set to a trial."""
    found = next(each for each in MARK_SETS if each.name == wanted)
    made: Project = put(project, ("trials", trial), with_marks(project.trials[trial], project.rig, found))
    return made


def marks_to_all(project: Project, trial: int) -> Project:
    """Ask of every trial what one is asked, but for marks about its events; marks on the same measure are replaced."""
    given = tuple(mark for mark in project.trials[trial].marks if mark.event is None)
    about = {(mark.measure, mark.body) for mark in given}

    def marked(other: Trial) -> Trial:
        kept = tuple(m for m in other.marks if m.event is not None or (m.measure, m.body) not in about)
        return with_fields(other, marks=(*given, *kept))

    trials = tuple(each if k == trial else marked(each) for k, each in enumerate(project.trials))
    return with_fields(project, trials=trials)


def copy_event(project: Project, trial: int, index: int, to: str) -> Project:
    """Copy an event to another trial, at the same instant where that is inside it, else in its middle."""
    event, target = project.trials[trial].events[index], project.trial(to)
    at_s = event.at_s if event.at_s < target.duration_s else float(round(target.duration_s / 2))
    name = free_name(event.name, [other.name for other in target.events])
    events = (*target.events, with_fields(event, name=name, at_s=at_s))
    place = [each.name for each in project.trials].index(to)
    made: Project = put(project, ("trials", place, "events"), events)
    return made


def add_change(project: Project, trial: int) -> Project:
    """Add a setpoint change after the last one."""
    found = project.trials[trial]
    last = found.plan.changes[-1]
    at_s = float(round((last.at_s + found.duration_s) / 2))
    if not last.at_s < at_s < found.duration_s:
        raise EditError(say("There is no time left after the last setpoint change; make the trial longer."))
    return change(
        project,
        ("trials", trial, "plan", "changes"),
        lambda old: (*old, SetpointChange(at_s=at_s, to_degC=last.to_degC)),
    )


def remove_change(project: Project, trial: int, index: int) -> Project:
    """Remove a setpoint change; the one after the first takes its place at the start. The last one stays."""
    changes = project.trials[trial].plan.changes
    if len(changes) == 1:
        raise EditError(say("A plan needs one setpoint; the last one cannot be removed."))
    left = list(changes[:index] + changes[index + 1 :])
    left[0] = with_fields(left[0], at_s=0.0)
    made: Project = put(project, ("trials", trial, "plan", "changes"), tuple(left))
    return made


def add_day_part(project: Project, trial: int) -> Project:
    """Add a part of the day, after the last one."""
    plan = project.trials[trial].plan
    from_s = plan.week[-1].to_s % 86400 if plan.week else 6 * _HOUR
    part = DayPart(from_s=from_s, to_s=(from_s + 4 * _HOUR) % 86400, to_degC=plan.changes[0].to_degC)
    made: Project = put(project, ("trials", trial, "plan", "week"), (*plan.week, part))
    return made


def add_named(project: Project, trial: int) -> Project:
    """Add a named setpoint."""
    plan = project.trials[trial].plan
    name = free_name("Operation", [each.name for each in plan.setpoints])
    added = (*plan.setpoints, NamedSetpoint(name=name, to_degC=plan.changes[0].to_degC))
    made: Project = put(project, ("trials", trial, "plan", "setpoints"), added)
    return made


def set_named(project: Project, trial: int, index: int, new: NamedSetpoint) -> Project:
    """Have another named setpoint in place of one; whatever carries its name follows, in name and temperature."""
    plan = project.trials[trial].plan
    old = plan.setpoints[index]

    def follow(parts: tuple[Any, ...]) -> tuple[Any, ...]:
        update = {"named": new.name, "to_degC": new.to_degC}
        return tuple(part.model_copy(update=update) if part.named == old.name else part for part in parts)

    setpoints = tuple(new if k == index else each for k, each in enumerate(plan.setpoints))
    changed = with_fields(plan, setpoints=setpoints, changes=follow(plan.changes), week=follow(plan.week))
    made: Project = put(project, ("trials", trial, "plan"), changed)
    return made


def remove_named(project: Project, trial: int, index: int) -> Project:
    """Remove a named setpoint; what carried the name keeps the temperature."""
    plan = project.trials[trial].plan
    old = plan.setpoints[index].name

    def free(parts: tuple[Any, ...]) -> tuple[Any, ...]:
        return tuple(part.model_copy(update={"named": None}) if part.named == old else part for part in parts)

    left = plan.setpoints[:index] + plan.setpoints[index + 1 :]
    changed = with_fields(plan, setpoints=left, changes=free(plan.changes), week=free(plan.week))
    made: Project = put(project, ("trials", trial, "plan"), changed)
    return made


def take_named(project: Project, path: tuple[str | int, ...], name: str | None) -> Project:
    """Let a setpoint change or day part at a path go to a named setpoint, or to its own."""
    trial = project.trials[int(path[1])]
    degC = {each.name: each.to_degC for each in trial.plan.setpoints}
    return change(
        project, path, lambda part: with_fields(part, named=name, **({} if name is None else {"to_degC": degC[name]}))
    )


def rule_path(project: Project, name: str) -> tuple[str | int, ...] | None:
    """Where the guard or permit of a name stands; None where there is none."""
    for kind in ("guards", "permits"):
        for index, rule in enumerate(getattr(project.rig, kind)):
            if rule.name == name:
                return "rig", kind, index
    return None


def add_rule(project: Project, kind: str, made: RuleBase | None = None) -> tuple[Project, str]:
    """Add a guard or permit of a kind, as usual for the rig or as given; returns the project and its name.

    Raises:
        EditError: there is one already of a kind that is there once, or there are too many.
    """
    rig = project.rig
    where = "guards" if kind in GUARD_KINDS else "permits"
    of_kind: type[RuleBase] = GUARD_KINDS[kind] if kind in GUARD_KINDS else PERMIT_KINDS[kind]
    if kind in ONLY_ONE and any(guard.kind == kind for guard in rig.guards):
        raise EditError(say("The rig has its {what} already; change that one.", what=of_kind.what))
    if where == "guards" and len(rig.guards) == MOST_GUARDS:
        raise EditError(say("A rig has at most {most} guards and alarms; take one out.", most=MOST_GUARDS))
    taken = [rule.name for rule in (*rig.guards, *rig.permits)]
    if made is None:
        made = of_kind(**{"name": of_kind.new_name, **of_kind.begins_as(rig)})
    made = with_fields(made, name=free_name(made.name, taken))
    changed: Project = put(project, ("rig", where), (*getattr(rig, where), made))
    return changed, made.name


def rename_rule(project: Project, old: str, new: str) -> Project:
    """Rename a guard or permit; events that speak of it follow."""
    path = rule_path(project, old)
    assert path is not None
    changed: Project = put(project.rig, (*path[1:], "name"), new)
    name = getattr(changed, str(path[1]))[path[2]].name

    def follow(trial: Trial) -> Trial:
        events = tuple(
            event.model_copy(update={"permit": name}) if getattr(event, "permit", None) == old else event
            for event in trial.events
        )
        return trial.model_copy(update={"events": events})

    return with_fields(project, rig=changed, trials=tuple(follow(trial) for trial in project.trials))


def remove_rule(project: Project, name: str) -> Project:
    """Take a guard or permit out, with the events that speak of it and the marks on these."""
    rig = project.rig
    guards = tuple(rule for rule in rig.guards if rule.name != name)
    permits = tuple(rule for rule in rig.permits if rule.name != name)
    trials = []
    for trial in project.trials:
        events = tuple(event for event in trial.events if getattr(event, "permit", None) != name)
        left = {event.name for event in events}
        marks = tuple(mark for mark in trial.marks if mark.event is None or mark.event in left)
        trials.append(with_fields(trial, events=events, marks=marks))
    return with_fields(project, rig=with_fields(rig, guards=guards, permits=permits), trials=tuple(trials))


def add_trial_as(project: Project, made: Trial) -> tuple[Project, str]:
    """Add a trial under its name or the next free one; returns the project and that name."""
    name = free_name(made.name, [trial.name for trial in project.trials])
    return with_fields(project, trials=(*project.trials, with_fields(made, name=name))), name
