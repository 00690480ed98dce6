"""The control step: plan → ask → rule → took. The same for simulation, live loop and proof of what is handed over.

The setpoint is an output of the plan's state; the law asks for a drive; what is stronger than the law rules; only then
does the law learn what was really given.
"""

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from kelvarn.model.candidate import Controller
from kelvarn.model.control_events import SettingsChange
from kelvarn.model.events import Event
from kelvarn.model.law import Way
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .compiled import part, subroutine
from .decision import Decision
from .guard_records import Guarding, GuardKind, Resumes, Ruler, Timing
from .guarding import guarding_of
from .guards import look_around, look_at_permits, rule, watch, without_power
from .laws import Laws, ask, laws_of, rearm, restart, retune, rows, took
from .laws.pid import SettingsRecord
from .plan import Course, PlanState, SetpointRecord, changes_of, setpoint_step
from .plant import NONE
from .records import Reals, Table, table

_STANDS_STILL = int(Ruler.STANDS_STILL)


class Control(NamedTuple):
    """All that the control step knows and keeps."""

    timing: Table[Timing]
    readings: Reals  # of each probe, at this sample
    plan: Table[SetpointRecord]
    plan_state: Table[PlanState]
    laws: Laws
    settings_changes: Table[SettingsRecord]
    guarding: Guarding
    decision: Table[Decision]


@part
def control_step(control: Control, t: float) -> None:
    """Take one sample of the readings; `control.decision` then says what was decided.

    Args:
        control: it.
        t: instant of the sample, s.
    """
    out, timing, guarding = control.decision[0], control.timing[0], control.guarding
    now, y = guarding.now[0], control.readings[timing.control_probe]
    look_around(guarding, t)
    if now.power_cut:
        _without_power(control, t, y)
        return
    if now.was_cut:
        _power_returns(control, t, y)
    if now.stalled:
        if now.hung_at != NONE:
            out.given = now.given = now.hung_at
        out.guard_code = _STANDS_STILL
        return
    h = timing.h if now.elapsed_s == NONE else now.elapsed_s
    if now.reset:
        rearm(control.laws)
    setpoint = now.lost_degC
    if not now.lost:
        setpoint = setpoint_step(control.plan, control.plan_state[0], t, y, timing.band_K)
    out.setpoint_degC = min(max(setpoint + now.nudge_K, timing.lowest_degC), timing.highest_degC)
    out.nudge_K = timing.mirror * now.nudge_K
    out.elapsed_s = max(now.elapsed_s, 0.0)
    look_at_permits(guarding, t, control.plan_state[0].begun, abs(y - out.setpoint_degC) <= timing.band_K)
    retune(control.laws, control.settings_changes, t, timing.mirror * y)
    ask(control.laws, timing.mirror * out.setpoint_degC, timing.mirror * y, h, out)
    watch(guarding, control.readings, timing, t, out)
    rule(guarding, out)
    took(control.laws, out.given, h, out)
    now.given = out.given


@subroutine
def _without_power(control: Control, t: float, y: float) -> None:
    """A sample without power; the plan of a controller with a clock goes on."""
    out, guarding = control.decision[0], control.guarding
    stands = guarding.now[0].lost
    for g in range(len(guarding.guards)):
        if guarding.guards[g].kind == GuardKind.RESTART and guarding.guards[g].resumes != Resumes.CLOCK:
            stands = True
    if not stands or control.plan_state[0].begun == 0:
        out.setpoint_degC = setpoint_step(control.plan, control.plan_state[0], t, y, control.timing[0].band_K)
    without_power(guarding, t, out)


@subroutine
def _power_returns(control: Control, t: float, y: float) -> None:
    """The controller comes back, as the restart guard says; without one its plan goes on by the clock, its law anew."""
    now, plan = control.guarding.now[0], control.plan_state[0]
    now.was_cut, now.returned_s, now.elapsed_s = False, t, NONE
    keeps = False
    for g in range(len(control.guarding.guards)):
        guard = control.guarding.guards[g]
        if guard.kind != GuardKind.RESTART:
            continue
        keeps = guard.keeps_memory
        if guard.resumes == Resumes.STORED:
            plan.waited_s += t - now.cut_from_s
        elif guard.resumes == Resumes.START:
            plan.begun, plan.from_degC, plan.waited_s, plan.reached = 1, y, t, False
        elif guard.resumes == Resumes.LOST:
            now.lost, now.lost_degC = True, guard.own_degC
    if not keeps:
        restart(control.laws)


def control_of(
    controller: Controller, course: Course, interval_s: float, way: Way, make: Any = table,
    events: Sequence[Event] = (), rig: Rig | None = None, trial: Trial | None = None,
) -> Control:  # fmt: skip
    """A controller before its first sample.

    Args:
        controller, course: what it does.
        interval_s: time between samples.
        way: which way the drives go.
        make: makes a table, as for `laws_of`.
        events: of a trial; those that are about control count.
        rig, trial: whose guards, permits and band count; None for none.
    """
    plan = None if trial is None else trial.plan
    low = -math.inf if plan is None or plan.lowest_degC is None else plan.lowest_degC
    high = math.inf if plan is None or plan.highest_degC is None else plan.highest_degC
    least, most = controller.range_of_drive(way)
    timing = Timing(
        h=interval_s,
        mirror=float(way.sign),
        control_probe=0 if rig is None else rig.control_index,
        band_K=0.5 if trial is None else trial.band_K,
        lowest_degC=low,
        highest_degC=high,
        least=least,
        most=most,
    )
    return Control(
        timing=make(Timing, [timing]),
        readings=np.zeros(1 if rig is None else len(rig.probes)),
        plan=make(SetpointRecord, changes_of(course)),
        plan_state=make(PlanState, [PlanState()]),
        laws=laws_of(controller, way, make),
        settings_changes=make(SettingsRecord, settings_changes_of(events)),
        guarding=guarding_of(rig, trial, make, events),
        decision=make(Decision, [Decision()]),
    )


def settings_changes_of(events: Sequence[Event]) -> list[SettingsRecord]:
    """When settings change, and change back, in order of time; one that is never at the end."""
    found = []
    for event in events:
        if isinstance(event, SettingsChange):
            factors = event.gain_factor, event.ti_factor, event.td_factor
            found.append(SettingsRecord(event.at_s, *factors))
            if event.lasts_s is not None:
                found.append(SettingsRecord(event.at_s + event.lasts_s, *(1 / factor for factor in factors)))
    return [*sorted(found, key=lambda each: each.at_s), SettingsRecord(math.inf, 1.0, 1.0, 1.0)]


_HEATS = Way(1)


class Stepper:
    """Steps the very control step that the kernel runs, one sample at a time and without a compiler.

    Args:
        controller, course: what it does.
        interval_s: time between samples.
        way: which way the drives go.
        events, rig, trial: as for `control_of`.
    """

    def __init__(
        self, controller: Controller, course: Course, interval_s: float, way: Way = _HEATS,
        events: Sequence[Event] = (), rig: Rig | None = None, trial: Trial | None = None,
    ) -> None:  # fmt: skip
        self._control = control_of(controller, course, interval_s, way, rows, events, rig, trial)
        self._interval_s, self._sample = interval_s, 0

    def step(self, *measured_degC: float) -> Decision:
        """Take the next sample, of each probe where there are several, and decide."""
        self._control.readings[:] = measured_degC
        control_step(self._control, self._sample * self._interval_s)
        self._sample += 1
        return replace(self._control.decision[0])
