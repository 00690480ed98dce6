"""The control step: plan → ask → rule → took. The same for simulation, live loop and proof of what is handed over.

The setpoint is an output of the plan's state; the law asks for a drive; what is stronger than the law rules; only then
does the law learn what was really given.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from kelvarn.model.candidate import Controller
from kelvarn.model.events import Event
from kelvarn.model.events import Override as OverrideEvent
from kelvarn.model.events import SettingsChange as SettingsEvent
from kelvarn.model.law import Way
from kelvarn.model.trial import Plan

from .compiled import part
from .decision import Decision
from .guards import Override, rule
from .laws import Laws, ask, laws_of, retune, rows, took
from .laws.pid import SettingsChange
from .plan import PlanState, SetpointChange, changes_of, setpoint_step
from .records import Table, table


@dataclass(slots=True)
class Timing:
    """How often a controller steps and which way."""

    h: float  # s
    mirror: float  # −1 where all drives cool, else 1


class Control(NamedTuple):
    """All that the control step knows and keeps."""

    timing: Table[Timing]
    plan: Table[SetpointChange]
    plan_state: Table[PlanState]
    laws: Laws
    settings_changes: Table[SettingsChange]
    overrides: Table[Override]
    decision: Table[Decision]


@part
def control_step(control: Control, t: float, y: float) -> None:
    """Take one sample; `control.decision` then says what was decided.

    Args:
        control: it.
        t: instant of the sample, s.
        y: measured by the control probe, degC.
    """
    out, timing = control.decision[0], control.timing[0]
    out.setpoint_degC = setpoint_step(control.plan, control.plan_state[0], t, y)
    retune(control.laws, control.settings_changes, t, timing.mirror * y)
    ask(control.laws, timing.mirror * out.setpoint_degC, timing.mirror * y, timing.h, out)
    rule(out, control.overrides, t)
    took(control.laws, out.given, timing.h, out)


def control_of(
    controller: Controller, plan: Plan, interval_s: float, way: Way, make: Any = table, events: Sequence[Event] = ()
) -> Control:
    """A controller before its first sample.

    Args:
        controller, plan: what it does.
        interval_s: time between samples.
        way: which way the drives go.
        make: makes a table, as for `laws_of`.
        events: of a trial; those that are about control count.
    """
    return Control(
        timing=make(Timing, [Timing(interval_s, float(way.sign))]),
        plan=make(SetpointChange, changes_of(plan)),
        plan_state=make(PlanState, [PlanState()]),
        laws=laws_of(controller, way, make),
        settings_changes=make(SettingsChange, settings_changes_of(events)),
        overrides=make(Override, overrides_of(events)),
        decision=make(Decision, [Decision()]),
    )


def overrides_of(events: Sequence[Event]) -> list[Override]:
    """When the drive is held by hand; one that is never at the end, since a table is never empty."""
    held = sorted((event for event in events if isinstance(event, OverrideEvent)), key=lambda event: event.at_s)
    found = [Override(e.at_s, e.at_s + (math.inf if e.lasts_s is None else e.lasts_s), e.drive) for e in held]
    return [*found, Override(math.inf, math.inf, 0.0)]


def settings_changes_of(events: Sequence[Event]) -> list[SettingsChange]:
    """When settings change, and change back, in order of time; one that is never at the end."""
    found = []
    for event in events:
        if isinstance(event, SettingsEvent):
            factors = event.gain_factor, event.ti_factor, event.td_factor
            found.append(SettingsChange(event.at_s, *factors))
            if event.lasts_s is not None:
                found.append(SettingsChange(event.at_s + event.lasts_s, *(1 / factor for factor in factors)))
    return [*sorted(found, key=lambda each: each.at_s), SettingsChange(math.inf, 1.0, 1.0, 1.0)]


_HEATS = Way(1)


class Stepper:
    """Steps the very control step that the kernel runs, one sample at a time and without a compiler.

    Args:
        controller, plan: what it does.
        interval_s: time between samples.
        way: which way the drives go.
        events: as for `control_of`.
    """

    def __init__(
        self, controller: Controller, plan: Plan, interval_s: float, way: Way = _HEATS, events: Sequence[Event] = ()
    ) -> None:
        self._control = control_of(controller, plan, interval_s, way, rows, events)
        self._interval_s, self._sample = interval_s, 0

    def step(self, measured_degC: float) -> Decision:
        """Take the next sample and decide."""
        control_step(self._control, self._sample * self._interval_s, measured_degC)
        self._sample += 1
        return replace(self._control.decision[0])
