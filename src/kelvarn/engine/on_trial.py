"""A controller and what happens to it in a trial, made ready; and stepping it without a compiler."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from kelvarn.model.candidate import Controller
from kelvarn.model.control_events import (
    ControlStalls,
    OrdersLost,
    Override,
    Pause,
    PowerCut,
    PriceIs,
    ResetPressed,
    SetpointNudge,
    SettingsChange,
)
from kelvarn.model.events import Event
from kelvarn.model.law import Way
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .control import Control, control_of
from .decision import Decision
from .happenings import CourseRecord, Happening, Interval, IntervalKind, OnTrial, take_sample
from .inputs import Inputs, PermitInput, Reading, Said, Until
from .laws import rows
from .missing import gone_spans
from .plan import Course
from .plant import NONE
from .records import table

_UNTIL = {"time": Until.TIME, "plan": Until.PLAN, "reached": Until.REACHED}
_ALONE = {PowerCut: IntervalKind.POWER_CUT, OrdersLost: IntervalKind.ORDERS_LOST, ResetPressed: IntervalKind.RESET}
_HEATS = Way(1)


@dataclass(frozen=True)
class Retuning:
    """From an instant on gain, integral and derivative time are so many times what they were."""

    at_s: float
    gain: float
    ti: float
    td: float


def on_trial_of(
    control: Control, make: Any = table, events: Sequence[Event] = (), rig: Rig | None = None,
    trial: Trial | None = None,
) -> OnTrial:  # fmt: skip
    """What a controller is in a trial, before the first sample.

    Args:
        control: it.
        make: makes a table, as for `laws.laws_of`.
        events: those that are about control count; of a trial, those of it.
        rig, trial: whose permits and clock count; None for none.
    """
    intervals = intervals_of(trial.occurrences if trial is not None else events)
    permits = () if rig is None else rig.permits
    if trial is not None:
        for place, permit in enumerate(permits):
            intervals += [_interval(IntervalKind.GONE, *span, place) for span in gone_spans(permit, trial)]
    intervals.sort(key=lambda each: each.from_s)
    course = [] if trial is None else [CourseRecord(each.at_s, each.at_s if trial.plan.week else NONE)
                                       for each in trial.course]  # fmt: skip
    return OnTrial(
        control=control,
        inputs=Inputs(
            readings=make(Reading, [Reading() for _ in control.held]),
            said=make(Said, [Said()]),
            asked=make(PermitInput, [PermitInput() for _ in permits]),
        ),
        intervals=make(Interval, intervals),
        course=make(CourseRecord, course),
        happening=make(Happening, [Happening(0 if trial is None else math.floor(trial.begins_s * 1000.0 + 1e-6))]),
    )


def _interval(
    kind: IntervalKind, from_s: float, to_s: float, index: int = 0, value: float = 0.0, until: Until = Until.TIME,
    given: float = NONE,
) -> Interval:  # fmt: skip
    return Interval(kind, from_s, to_s, index, value, given, until, 1.0, 1.0, False)


def intervals_of(events: Sequence[Event]) -> list[Interval]:
    """What events mean to a controller."""
    found = []
    for place, event in enumerate(events):
        span = event.at_s, event.end_s
        if isinstance(event, Override):
            found.append(_interval(IntervalKind.OVERRIDE, *span, place, event.drive, _UNTIL[event.until]))
        elif isinstance(event, Pause):
            found.append(_interval(IntervalKind.OVERRIDE, *span, place))
        elif isinstance(event, SetpointNudge):
            found.append(_interval(IntervalKind.NUDGE, *span, place, event.change_K))
        elif isinstance(event, ControlStalls):
            every_s = NONE if event.every_s is None else event.every_s
            given = NONE if event.output is None else event.output
            found.append(_interval(IntervalKind.STALLED, *span, place, every_s, given=given))
        elif isinstance(event, PriceIs):
            found.append(_interval(IntervalKind.PRICE, *span, place, event.price))
        elif type(event) in _ALONE:
            found.append(_interval(_ALONE[type(event)], *span, place))
    for change in retunings_of(events):
        made = _interval(IntervalKind.RETUNED, change.at_s, math.inf, value=change.gain)
        made.ti, made.td = change.ti, change.td
        found.append(made)
    return found


def retunings_of(events: Sequence[Event]) -> list[Retuning]:
    """When settings change, and change back, in order of time."""
    found = []
    for event in events:
        if isinstance(event, SettingsChange):
            factors = event.gain_factor, event.ti_factor, event.td_factor
            found.append(Retuning(event.at_s, *factors))
            if event.lasts_s is not None:
                found.append(Retuning(event.at_s + event.lasts_s, *(1 / factor for factor in factors)))
    return sorted(found, key=lambda each: each.at_s)


class Stepper:
    """Steps the very control step that the kernel runs, one sample at a time and without a compiler.

    Args:
        controller, course: what it does.
        interval_s: time between samples.
        way: which way the drives go.
        events, rig, trial: as for `on_trial_of`.
    """

    def __init__(
        self, controller: Controller, course: Course, interval_s: float, way: Way = _HEATS,
        events: Sequence[Event] = (), rig: Rig | None = None, trial: Trial | None = None,
    ) -> None:  # fmt: skip
        control = control_of(controller, course, interval_s, way, rows, rig, trial)
        self.on_trial = on_trial_of(control, rows, events, rig, trial)
        self._ends = [(-math.inf, math.inf)] if rig is None else [_ends_degC(probe) for probe in rig.probes]
        self._sample = 0

    def step(self, *measured_degC: float) -> Decision:
        """Take the next sample, of each probe where there are several, and decide; NaN is no reading."""
        for reading, degC, (low, high) in zip(self.on_trial.inputs.readings, measured_degC, self._ends, strict=True):
            reading.valid, reading.at_end = not math.isnan(degC), degC <= low or degC >= high
            reading.degC = degC if reading.valid else 0.0
        take_sample(self.on_trial, self._sample)
        self._sample += 1
        return replace(self.on_trial.control.decision[0])


def _ends_degC(probe: Probe) -> tuple[float, float]:
    """What a probe shows at the ends of its range, after its correction; but for what rounding may leave."""
    ends = [probe.lowest_degC, probe.highest_degC]
    if (correction := probe.correction) is not None:
        ends = [correction.true_low_degC + (end - correction.shown_low_degC) * correction.slope for end in ends]
    return min(ends) + 1e-9, max(ends) - 1e-9
