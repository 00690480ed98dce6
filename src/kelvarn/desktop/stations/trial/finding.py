"""What can be found of a trial: trials, events, guards and permits."""

from collections.abc import Callable
from functools import partial

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.view import View
from kelvarn.desktop.stations.station import Place
from kelvarn.model.project import Project
from kelvarn.sentence import joined

from .panel import Selected


def places(project: Project, view: View, select: Callable[[Selected], object]) -> list[Place]:
    """Each with what shows it; `select` shows an event or a rule."""
    rig = project.rig
    found: list[Place] = [
        (tell("{trial}: trial", trial=each.name), partial(view.select_trial, each.name)) for each in project.trials
    ]
    events = view.trial(project).events
    found += [
        (tell("{event}: event, {kind}", event=each.name, kind=each.what), partial(select, Selected("event", each.name)))
        for each in events
    ]
    rules = (*rig.guards, *rig.permits)
    found += [(joined(": ", (each.name, each.what)), partial(select, Selected("rule", each.name))) for each in rules]
    return found
