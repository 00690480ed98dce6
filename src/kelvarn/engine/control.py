"""The control step: plan → ask → rule → took. The same for simulation, live loop and proof of what is handed over.

The setpoint is an output of the plan's state; the law asks for a drive; what is stronger than the law rules; only then
does the law learn what was really given. A step is told how much time has passed, and knows of the world only its
inputs. What outlives a power cut: trips and alarms that stay until reset is pressed, a stop by hand, where the plan
had got to, what was done once, settings, and the law's memory where the restart guard keeps it; `resume` forgets all
else.
"""

import math
from dataclasses import fields
from typing import Any, NamedTuple

from kelvarn.model.candidate import Controller
from kelvarn.model.guards import Restart
from kelvarn.model.law import Way
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .ages import aged, ms_of
from .compiled import part, subroutine
from .decision import Decision
from .guard_records import Guarding, GuardKind, GuardState, Now, Resumes, Timing
from .guarding import guarding_of
from .guards import begin_anew, rule, watch
from .inputs import Inputs, Reading, Said
from .laws import Laws, ask, curve, laws_of, on_off, pid, rearm, restart, retune, took
from .permits import look_at_override, look_at_permits
from .plan import Course, DayState, PlanState, PlanTables, pass_time, plan_tables, setpoint_step
from .records import Table, table

_CLOCK = int(Resumes.CLOCK)


class Control(NamedTuple):
    """All that the control step knows and keeps."""

    timing: Table[Timing]
    held: Table[Reading]  # what each probe read last
    plan: PlanTables
    laws: Laws
    guarding: Guarding
    decision: Table[Decision]


@part
def control_step(control: Control, inputs: Inputs, passed_ms: int) -> None:
    """Take one sample; `control.decision` then says what was decided.

    Args:
        control: it.
        inputs: of this sample.
        passed_ms: since the sample before; of no account at the first one since the start.
    """
    out, timing, guarding, said = control.decision[0], control.timing[0], control.guarding, inputs.said[0]
    now = guarding.now[0]
    now.returned_ms = aged(now.returned_ms, passed_ms)
    now.stopped = (now.stopped and not said.again) or said.stop
    if said.begin:
        restart(control.laws)
        _begin_plan(control.plan.state[0])
    for p in range(len(control.held)):
        if inputs.readings[p].valid:
            control.held[p].degC, control.held[p].valid = inputs.readings[p].degC, True
    if not control.held[timing.control_probe].valid:
        _wait_for_reading(guarding, timing, said, out)
        return
    if now.started and passed_ms <= 0:  # the same sample once more
        return
    y, took_ms = control.held[timing.control_probe].degC, passed_ms if now.started else 0
    h = (passed_ms if now.started else timing.interval_ms) / 1000.0
    now.started = True
    if said.reset:
        rearm(control.laws)
    if now.lost:
        setpoint = now.lost_degC
    else:
        seen = inputs.readings[timing.control_probe].valid
        setpoint = setpoint_step(control.plan, timing, took_ms, y, seen, said.week_ms)
    setpoint += said.nudge_K
    if timing.limited:
        setpoint = min(max(setpoint, timing.lowest_degC), timing.highest_degC)
    out.setpoint_degC = setpoint
    out.nudge_K = timing.mirror * said.nudge_K
    out.ready = abs(y - out.setpoint_degC) <= timing.band_K
    look_at_permits(guarding, inputs)
    look_at_override(now, said, control.plan.state[0].began and not now.lost, out.ready)
    if said.retunes:
        retune(control.laws, said, timing.mirror * y)
    ask(control.laws, timing.mirror * out.setpoint_degC, timing.mirror * y, took_ms, h, out)
    watch(guarding, inputs, control.held, timing, took_ms, out)
    rule(guarding, timing, said, out)
    took(control.laws, out.given, h, out)
    now.given = out.given


@subroutine
def _wait_for_reading(guarding: Guarding, timing: Timing, said: Said, out: Decision) -> None:
    """Before the first reading the law is not asked: off, but for what has tripped."""
    now = guarding.now[0]
    out.asked = out.proposed = out.p = out.i = out.d = out.delay_left_s = 0.0
    out.law_code, out.ready = 0, False
    now.override = now.no_heating = now.no_cooling = -1
    now.blind = True
    rule(guarding, timing, said, out)
    now.given = out.given


@subroutine
def _begin_plan(plan: PlanState) -> None:
    """Back to the start of the plan."""
    plan.begun = 0
    plan.age_ms = plan.clock_ms = 0
    plan.reached = False


@subroutine
def resume(control: Control, away_ms: int) -> None:
    """Begin anew with what was stored, as the restart guard says; without one the plan goes on by the clock.

    Args:
        control: before its first sample, with what was stored filled in; or as the power left it.
        away_ms: for how long there was no power; 0 where no clock says so.
    """
    guarding, plan = control.guarding, control.plan.state[0]
    begin_anew(guarding)
    now, keeps, resumes = guarding.now[0], False, _CLOCK
    for g in range(len(guarding.guards)):
        guard = guarding.guards[g]
        if guard.kind == GuardKind.RESTART:
            keeps, resumes = guard.keeps_memory, guard.resumes
            now.lost, now.lost_degC = resumes == Resumes.LOST, guard.own_degC
    if resumes == Resumes.START:
        _begin_plan(plan)
    elif resumes == Resumes.CLOCK and plan.begun > 0:
        pass_time(plan, away_ms)
        control.plan.day[0].age_ms += away_ms
    if not keeps:
        restart(control.laws)
    for p in range(len(control.held)):
        control.held[p].valid = False


def stored_fields(rig: Rig | None) -> dict[Any, tuple[str, ...]]:
    """What a device stores, of each record: all that `resume` goes on from."""
    found: dict[Any, tuple[str, ...]] = {
        GuardState: ("active",),
        Now: ("stopped",),
        PlanState: ("begun", "age_ms", "from_degC", "reached", "count", "clock_ms"),
        DayState: ("begun", "from_degC", "to_degC", "ramp_K_per_s", "early_s", "age_ms"),
        on_off.State: ("done",),
    }
    if rig is not None and any(isinstance(guard, Restart) and guard.keeps_memory for guard in rig.guards):
        for law_state in (on_off.State, pid.State, curve.State):
            found[law_state] = tuple(each.name for each in fields(law_state))
    return found


def control_of(
    controller: Controller, course: Course, interval_s: float, way: Way, make: Any = table, rig: Rig | None = None,
    trial: Trial | None = None,
) -> Control:  # fmt: skip
    """A controller before its first sample.

    Args:
        controller, course: what it does.
        interval_s: time between samples.
        way: which way the drives go.
        make: makes a table, as for `laws_of`.
        rig, trial: whose guards, permits and band count; None for none.
    """
    plan = None if trial is None else trial.plan
    low = -math.inf if plan is None or plan.lowest_degC is None else plan.lowest_degC
    high = math.inf if plan is None or plan.highest_degC is None else plan.highest_degC
    least, most = controller.range_of_drive(way)
    timing = Timing(
        interval_ms=ms_of(interval_s),
        mirror=float(way.sign),
        only_heats=way.sign > 0 and not way.both,
        control_probe=0 if rig is None else rig.control_index,
        band_K=0.5 if trial is None else trial.band_K,
        limited=math.isfinite(low) or math.isfinite(high),
        lowest_degC=low,
        highest_degC=high,
        least=least,
        most=most,
    )
    return Control(
        timing=make(Timing, [timing]),
        held=make(Reading, [Reading() for _ in range(1 if rig is None else len(rig.probes))]),
        plan=plan_tables(course, make),
        laws=laws_of(controller, way, make),
        guarding=guarding_of(rig, make),
        decision=make(Decision, [Decision()]),
    )
