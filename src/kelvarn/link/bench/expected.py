"""What the trial promised of a device: its run, from where the device began."""

from typing import NamedTuple

from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Run, compute
from kelvarn.model.candidate import Controller
from kelvarn.model.edit import with_fields
from kelvarn.model.event_base import LONGEST_S
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

from .session import Session

_JUST_S, _JUST_SAMPLES = 60.0, 5


class Expected(NamedTuple):
    """What the trial promised, from an instant of the session on."""

    from_s: float
    run: Run


def trial_from_now(session: Session, *, begins: bool) -> tuple[Trial, float]:
    """The trial that a device goes through: its plan, where it has just begun, else what it keeps now; and since when.

    Args:
        session: the device.
        begins: whether its plan was let begin from here.
    """
    trial, last = session.carried.trial, session.last
    assert last is not None
    up_s, interval_s = last.t_ms / 1000.0, session.carried.project.rig.probe.interval_s
    start = last.reading_degC
    if begins:
        return with_fields(trial, events=(), marks=(), start_degC=start), session.time_s
    if up_s <= max(_JUST_S, _JUST_SAMPLES * interval_s):
        return with_fields(trial, events=(), marks=(), start_degC=start), session.time_s - up_s
    plan = Plan(changes=(SetpointChange(at_s=0.0, to_degC=last.setpoint_degC),))
    lasts_s = min(trial.duration_s, LONGEST_S)
    made = with_fields(trial, events=(), start_degC=start, plan=plan, marks=(), duration_s=lasts_s)
    return made, session.time_s


def computed(rig: Rig, law: Controller, trial: Trial, from_s: float) -> Expected | None:
    """The run, from an instant of the session on; None where it cannot be computed."""
    try:
        return Expected(from_s, compute(rig, law, trial))
    except RunError:
        return None
