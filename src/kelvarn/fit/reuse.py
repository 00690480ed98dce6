"""What fits and logs become: the rig's own values with their ranges, a trial, a kept fit."""

from collections.abc import Sequence

import numpy as np

from kelvarn.model.edit import with_fields
from kelvarn.model.events import DoorOpens
from kelvarn.model.log import FittedValue, KeptFit, Log
from kelvarn.model.log_data import LogData
from kelvarn.model.names import free_name
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.rig_edit import to_response
from kelvarn.model.tolerances import IN_KELVINS, LARGEST_SHARE, Tolerance
from kelvarn.model.trial import Plan, SetpointChange, Trial

from .least_squares import Value
from .response import ResponseFit
from .rig_fit import RigFit

_LEAST_SHARE = 0.002
_MOST_CHANGES = 40


def kept_fit(project: Project, kind: str, values: dict[str, Value], logs: Sequence[str], rms_K: float) -> KeptFit:
    """A fit to be kept in a project; named so that it can be compared later."""
    stem = {"one_lag": "One lag", "two_lags": "Two lags", "integrating": "Integrating", "rig": "The rig"}[kind]
    name = free_name(f"{stem} from {logs[0]}"[:55] if logs else stem, [fit.name for fit in project.fits])
    found = tuple(FittedValue(what=k[:120], value=v.value, low=v.low, high=v.high) for k, v in values.items())
    return KeptFit.model_validate(
        {"name": name, "kind": kind, "logs": tuple(logs), "values": found[:100], "rms_K": rms_K}
    )


def use_response(project: Project, fit: ResponseFit) -> Project:
    """A project whose rig is the fitted response, its ranges the tolerances; the fit is kept.

    Raises:
        pydantic.ValidationError, EditError: the rig cannot be one that is known by its answer.
    """
    made = fit.model(project.rig.response)
    ranges = []
    for name, value in fit.values.items():
        if value.value:
            share = min(max(value.half / abs(value.value), _LEAST_SHARE), LARGEST_SHARE)
            ranges.append(Tolerance(of=name, size=share))
    made = with_fields(made, tolerances=tuple(ranges))
    project = to_response(project, made)
    rest = [log.rest_degC.value for log in fit.logs if log.log.outside_s is None]
    if rest and fit.kind != "integrating":
        around = with_fields(project.rig.surroundings, temperature_degC=round(float(np.mean(rest)), 2))
        project = with_fields(project, rig=with_fields(project.rig, surroundings=around))
    cools = fit.values.get("gain_K", fit.values.get("rise_K_per_s"))
    if cools is not None and cools.value < 0 and project.rig.heats and not project.rig.cools:
        drives = tuple(with_fields(drive, acts="cools") for drive in project.rig.drives)
        project = with_fields(project, rig=with_fields(project.rig, drives=drives))
    kept = kept_fit(project, fit.kind, fit.values, [log.log.name for log in fit.logs], fit.rms_K)
    return with_fields(project, fits=(*project.fits, kept)[-24:])


def use_rig(project: Project, fit: RigFit) -> Project:
    """A project whose rig has the values that were found, with their ranges as tolerances; the fit is kept."""
    rig = fit.rig
    for parameter, value in zip(fit.free, fit.values, strict=True):
        rig = _with_range(rig, parameter.path, value)
    kept = kept_fit(
        project, "rig", {p.text: v for p, v in zip(fit.free, fit.values, strict=True)},
        [log.log.name for log in fit.logs], fit.rms_K,
    )  # fmt: skip
    return with_fields(project, rig=rig, fits=(*project.fits, kept)[-24:])


def _with_range(rig: Rig, path: tuple[str | int, ...], value: Value) -> Rig:
    """A rig whose part at a path has the range of a value as its tolerance."""
    key, kind = str(path[-1]), str(path[0])
    size = (
        value.half
        if key in IN_KELVINS
        else min(max(value.half / max(abs(value.value), 1e-12), _LEAST_SHARE), LARGEST_SHARE)
    )
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
    """
    changes: list[SetpointChange] = []
    if data.setpoint_degC is not None:
        moved = np.flatnonzero(np.append(True, np.abs(np.diff(data.setpoint_degC)) > 0.05))
        for k in moved[:_MOST_CHANGES].tolist():
            at = 0.0 if not changes else round(float(data.time_s[k]), 3)
            if not changes or at > changes[-1].at_s:
                changes.append(SetpointChange(at_s=at, to_degC=round(float(data.setpoint_degC[k]), 3)))
    else:
        end = float(np.mean(data.measured_degC[-max(3, data.measured_degC.size // 20) :]))
        changes = [SetpointChange(at_s=0, to_degC=round(end, 1))]
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
        plan=Plan(changes=tuple(changes)),
        events=tuple(events),
        start_degC=round(float(data.measured_degC[0]), 2),
        marks=tuple(mark for mark in project.first_trial.marks if mark.event is None),
    )
