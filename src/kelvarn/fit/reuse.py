"""What fits and logs become: the rig's own values with their ranges, a trial, a kept fit."""

from dataclasses import replace

import numpy as np

from kelvarn.model.edit import EditError, with_fields
from kelvarn.model.events import DoorOpens
from kelvarn.model.log import MOST_FITS, MOST_VALUES, FittedValue, KeptFit, Log
from kelvarn.model.log_data import LogData
from kelvarn.model.names import free_name
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.rig_edit import to_response
from kelvarn.model.tolerances import IN_KELVINS, LARGEST_SHARE, Tolerance
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.sentence import say

from .design import KINDS
from .least_squares import Estimate
from .response import ResponseFit
from .rig_fit import RigFit
from .setpoints import setpoint_changes
from .trust import FitReport

_LEAST_SHARE = 0.002


def _keeping(project: Project, kind: str, values: dict[str, Estimate], fit: ResponseFit | RigFit) -> Project:
    """A project that keeps a fit, named so that it can be compared later."""
    logs = tuple(each.log.name for each in fit.logs)
    stem = next((title for each, title in KINDS.items() if each == kind), "The rig")
    name = free_name(f"{stem} from {logs[0]}"[:55], [kept.name for kept in project.fits])
    found = tuple(FittedValue(what=k[:120], value=v.value, low=v.low, high=v.high) for k, v in values.items())
    kept = {"name": name, "kind": kind, "logs": logs, "values": found[:MOST_VALUES], "rms_K": fit.rms_K}
    return with_fields(project, fits=(*project.fits, KeptFit.model_validate(kept))[-MOST_FITS:])


def _share(value: Estimate) -> float:
    """A range as a tolerance: a share of its value."""
    return min(max(value.half / max(abs(value.value), 1e-12), _LEAST_SHARE), LARGEST_SHARE)


def use_response(project: Project, found: FitReport) -> Project:
    """A project whose rig is the fitted response, its ranges the tolerances; the fit is kept.

    Raises:
        pydantic.ValidationError, EditError: the rig cannot be one that is known by its answer; or the fit is no model
            of what its drive does.
    """
    fit, causes = found.fit, replace(found.causes, way=project.rig.way.sign)
    if causes.denied is not None:
        raise EditError(say("This fit is no model of the rig: {why}.", why=causes.denied))
    made = fit.model(project.rig.response)
    ranges = tuple(Tolerance(of=name, size=_share(value)) for name, value in fit.values.items() if value.value)
    made = with_fields(made, tolerances=ranges)
    project = to_response(project, made)
    rest = [log.rest_degC.value for log in fit.logs if log.log.outside_s is None]
    if rest and fit.kind != "integrating":
        around = with_fields(project.rig.surroundings, temperature_degC=round(float(np.mean(rest)), 2))
        project = with_fields(project, rig=with_fields(project.rig, surroundings=around))
    return _keeping(project, fit.kind, fit.values, fit)


def use_rig(project: Project, fit: RigFit) -> Project:
    """A project whose rig has the values that were found, with their ranges as tolerances; the fit is kept."""
    rig = fit.rig
    for parameter, value in zip(fit.free, fit.values, strict=True):
        rig = _with_range(rig, parameter.path, value)
    values = {p.text: v for p, v in zip(fit.free, fit.values, strict=True)}
    return _keeping(with_fields(project, rig=rig), "rig", values, fit)


def _with_range(rig: Rig, path: tuple[str | int, ...], value: Estimate) -> Rig:
    """A rig whose part at a path has the range of a value as its tolerance."""
    key, kind = str(path[-1]), str(path[0])
    size = value.half if key in IN_KELVINS else _share(value)
    parts = getattr(rig, kind)
    part = parts[int(path[1])] if len(path) == 3 else parts
    others = tuple(t for t in part.tolerances if t.of != key)
    part = with_fields(part, tolerances=(*others, Tolerance(of=key, size=size)))
    if len(path) == 3:
        made = list(parts)
        made[int(path[1])] = part
        return with_fields(rig, **{kind: tuple(made)})
    return with_fields(rig, **{kind: part})


def trial_of(project: Project, log: Log, data: LogData) -> Trial:
    """A trial of what a log went through: its setpoints, and its left-out spans where a door stood open.

    Where no column holds the setpoint, the temperature that it came to is taken.

    Args:
        project: whose trials' names are taken.
        log: how it is read.
        data: its rows.
    """
    changes = setpoint_changes(data)
    if not changes:
        end = float(np.mean(data.measured_degC[-max(3, data.measured_degC.size // 20) :]))
        changes = (SetpointChange(at_s=0, to_degC=round(end, 1)),)
    doors = [link for link in project.rig.links if link.opened_W_per_K > 0]
    body = doors[0].a if doors else project.rig.judged_body
    events: list[DoorOpens] = []
    for span in log.left_out:
        if "door" in span.why.lower() or "open" in span.why.lower():
            name = free_name(span.why or "Door", [event.name for event in events])
            found = {"name": name, "at_s": span.from_s, "lasts_s": span.to_s - span.from_s, "body": body}
            found |= {"conductance_W_per_K": doors[0].opened_W_per_K if doors else 10.0}
            events.append(DoorOpens.model_validate(found))
    return Trial(
        name=free_name(f"As in {log.name}"[:55], [trial.name for trial in project.trials]),
        duration_s=max(data.duration_s, 10 * project.rig.probe.interval_s),
        plan=Plan(changes=changes),
        events=tuple(events),
        start_degC=round(float(data.measured_degC[0]), 2),
        marks=tuple(mark for mark in project.first_trial.marks if mark.event is None),
    )
