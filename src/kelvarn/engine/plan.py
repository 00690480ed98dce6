"""The setpoint of a plan: one step a sample, as the control step takes it; and, for drawing, at any instants.

A ramp from the start begins at what the control probe first shows: that is what a device knows. A change that waits
stops the plan's own clock, once its setpoint is there, until the temperature is inside the band; so what follows comes
later by what was waited. Parts of the day, by the clock, stand over the plan's own changes, which then do not wait.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from kelvarn.model import trial

from .ages import in_week, ms_of
from .compiled import part
from .guard_records import Timing
from .guarding import days_of
from .plant import TIME_EPS
from .records import Long, Table, table

_SHORTEST_S = 1e-9  # a ramp between almost equal setpoints takes this long, for the division's sake


@dataclass(slots=True)
class SetpointRecord:
    """The setpoint goes to a value."""

    after_ms: Long  # since the change before it; of the first one, since the last, where the plan begins anew
    early_s: float  # by how much before that millisecond
    to_degC: float
    ramp_K_per_s: float  # 0: at once
    waits: bool


@dataclass(slots=True)
class DayPartRecord:
    """A setpoint for a part of some days."""

    days: int  # a bit for each, the lowest for Monday
    from_ms: int
    lasts_ms: int
    to_degC: float


@dataclass(slots=True)
class PlanState:
    """Where a plan has got to."""

    begun: int = 0  # changes so far; of one that begins anew, in this round
    age_ms: Long = 0  # of the last one, without what was waited
    from_degC: float = 0.0  # setpoint when it began
    reached: bool = False  # whether it, which waits, is reached
    began: bool = False  # whether a change began at this sample
    count: int = 0  # changes since the start
    clock_ms: Long = 0  # since then, without what was waited


@dataclass(slots=True)
class DayState:
    """Where the setpoint is on its way, of a plan with parts of the day."""

    begun: bool = False
    from_degC: float = 0.0
    to_degC: float = 0.0
    ramp_K_per_s: float = 0.0
    early_s: float = 0.0
    age_ms: Long = 0


class PlanTables(NamedTuple):
    """A plan and where it has got to."""

    changes: Table[SetpointRecord]
    parts: Table[DayPartRecord]
    state: Table[PlanState]
    day: Table[DayState]


Course = trial.Plan | Sequence[trial.SetpointChange]
"""A plan; or no more than its changes, or those of a trial with its repeats and day parts written out."""


def plan_tables(plan: Course, make: Any = table) -> PlanTables:
    """A plan before its first sample; its limits hold for each setpoint.

    Args:
        plan: it.
        make: makes a table, as for `laws.laws_of`.
    """
    changes: Sequence[trial.SetpointChange] = plan.changes if isinstance(plan, trial.Plan) else plan
    whole = plan if isinstance(plan, trial.Plan) else trial.Plan(changes=(trial.SetpointChange(at_s=0, to_degC=0),))
    records, before_ms = [], 0
    for change in changes:
        at_ms = ms_of(change.at_s)
        records.append(SetpointRecord(
            at_ms - before_ms, at_ms / 1000 - change.at_s, whole.limited(change.to_degC), change.ramp_K_per_s or 0.0,
            change.waits and not whole.week,
        ))  # fmt: skip
        before_ms = at_ms
    records[0].after_ms = ms_of(whole.again_s) - before_ms if whole.again_s is not None else 0
    parts = [DayPartRecord(days_of(part.days), ms_of(part.from_s), ms_of(part.lasts_s), whole.limited(part.to_degC))
             for part in whole.week]  # fmt: skip
    return PlanTables(
        make(SetpointRecord, records), make(DayPartRecord, parts), make(PlanState, [PlanState()]),
        make(DayState, [DayState()]),
    )  # fmt: skip


@part
def _glided(from_degC: float, to_degC: float, ramp_K_per_s: float, for_s: float) -> float:
    """Setpoint on its way from one to another for so long."""
    if ramp_K_per_s == 0.0:
        return to_degC
    gap = to_degC - from_degC
    needs_s = max(abs(gap) / ramp_K_per_s, _SHORTEST_S)
    return from_degC + gap * min(max(for_s / needs_s, 0.0), 1.0)


@part
def setpoint_step(plan: PlanTables, timing: Timing, passed_ms: int, y: float, seen: bool, week_ms: int) -> float:
    """Setpoint at a sample, in degC. A ramp that a later change interrupts leaves off where it got to.

    Args:
        plan: it; written.
        timing: its band says how near counts as reached.
        passed_ms: since the sample before.
        y: measured, degC; seen: whether it is.
        week_ms: of the clock, as `inputs.Said` has it.
    """
    changes, state = plan.changes, plan.state[0]
    state.began = False
    if state.begun == 0:
        state.begun, state.count, state.from_degC = 1, 1, y
    else:
        pass_time(state, passed_ms)
    before = changes[state.begun - 1]
    _wait(before, state, y, seen, timing.band_K)
    if len(changes) > 1 or changes[0].after_ms > 0:
        _begin_those_due(changes, state, y, seen, timing.band_K)
    now = changes[state.begun - 1]
    if len(plan.parts) > 0:
        return _over_the_day(plan, now, passed_ms, y, week_ms)
    return _glided(state.from_degC, now.to_degC, now.ramp_K_per_s, state.age_ms / 1000.0 + now.early_s)


@part
def _begin_those_due(changes: Table[SetpointRecord], state: PlanState, y: float, seen: bool, band_K: float) -> None:
    """Begin the changes that are due by the plan's own clock."""
    while True:
        following = state.begun if state.begun < len(changes) else 0
        last, change = changes[state.begun - 1], changes[following]
        if (following == 0 and change.after_ms == 0) or state.age_ms < change.after_ms:
            break
        took_s = change.after_ms / 1000.0 - change.early_s + last.early_s
        state.from_degC = _glided(state.from_degC, last.to_degC, last.ramp_K_per_s, took_s)
        state.age_ms -= change.after_ms
        state.begun = following + 1
        state.count += 1
        state.began, state.reached = True, False
        _wait(change, state, y, seen, band_K)


@part
def pass_time(state: PlanState, passed_ms: int) -> None:
    """Let the plan's own clock run."""
    state.age_ms += passed_ms
    state.clock_ms += passed_ms


@part
def _wait(change: SetpointRecord, state: PlanState, y: float, seen: bool, band_K: float) -> None:
    """Let the plan's clock stand still while a change that waits is there but not reached."""
    if not change.waits or state.reached:
        return
    arrives_s = 0.0
    if change.ramp_K_per_s > 0.0:
        arrives_s = abs(change.to_degC - state.from_degC) / change.ramp_K_per_s
    late_s = state.age_ms / 1000.0 + change.early_s - arrives_s
    if late_s >= -TIME_EPS:
        late_ms = max(math.floor(late_s * 1000.0 + 1e-6), 0)
        state.age_ms -= late_ms
        state.clock_ms -= late_ms
        state.reached = seen and abs(y - change.to_degC) <= band_K


@part
def _over_the_day(plan: PlanTables, own: SetpointRecord, passed_ms: int, y: float, week_ms: int) -> float:
    """Setpoint of the part of the day that it is, the later in the table first; outside every part the plan's own.

    A part comes and goes at once; a ramp is the plan's own, where its change begins outside every part.
    """
    state, day = plan.state[0], plan.day[0]
    to_degC, held = own.to_degC, False
    for k in range(len(plan.parts)):
        each = plan.parts[k]
        if in_week(each.days, each.from_ms, each.lasts_ms, week_ms):
            to_degC, held = each.to_degC, True
    day.age_ms += passed_ms
    own_began = state.began or not day.begun
    state.began = day.begun and to_degC != day.to_degC
    if not day.begun or to_degC != day.to_degC:
        ramps = own_began and not held
        for_s = (day.age_ms - state.age_ms) / 1000.0 + day.early_s
        day.from_degC = _glided(day.from_degC, day.to_degC, day.ramp_K_per_s, for_s) if day.begun else y
        day.begun, day.to_degC, day.age_ms = True, to_degC, 0
        day.ramp_K_per_s = day.early_s = 0.0
        if ramps:
            day.age_ms, day.ramp_K_per_s, day.early_s = state.age_ms, own.ramp_K_per_s, own.early_s
    return _glided(day.from_degC, day.to_degC, day.ramp_K_per_s, day.age_ms / 1000.0 + day.early_s)


def corners(plan: Course, start_degC: float) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Corners of a plan: instants in s, two at a step, and setpoints in degC; straight between, level after the last.

    Args:
        plan: the plan; what waits is taken to be reached at once.
        start_degC: where a ramp from the start begins.
    """
    at_s: list[float] = []
    degC: list[float] = []
    changes, setpoint = plan.changes if isinstance(plan, trial.Plan) else plan, start_degC
    for index, change in enumerate(changes):
        until_s = changes[index + 1].at_s if index + 1 < len(changes) else np.inf
        end_s = change.at_s
        if change.ramp_K_per_s:
            end_s += max(abs(change.to_degC - setpoint) / change.ramp_K_per_s, _SHORTEST_S)
        reached = _glided(setpoint, change.to_degC, change.ramp_K_per_s or 0.0, until_s - change.at_s)
        at_s += [change.at_s, min(end_s, until_s)]
        degC += [setpoint if change.ramp_K_per_s else change.to_degC, reached]
        if until_s > end_s and until_s < np.inf:
            at_s.append(until_s)
            degC.append(reached)
        setpoint = reached
    return np.array(at_s), np.array(degC)


def setpoint_at(plan: Course, time_s: npt.NDArray[np.floating[Any]], start_degC: float) -> npt.NDArray[np.float64]:
    """Setpoint in degC at each instant of `time_s` (any shape, in s); `start_degC` as for `corners`."""
    return np.interp(time_s, *corners(plan, start_degC))


def ramp_end_s(plan: trial.Plan, index: int, start_degC: float) -> float:
    """When the change of this index reaches its setpoint, were it left alone; its start for one at once.

    Args:
        plan: the plan.
        index: of its change.
        start_degC: setpoint that the change begins at.
    """
    change = plan.changes[index]
    if change.ramp_K_per_s is None:
        return change.at_s
    before = start_degC
    if index > 0:
        earlier = plan.changes[:index]
        before = float(setpoint_at(earlier, np.array([change.at_s]), start_degC)[0])
    return change.at_s + abs(change.to_degC - before) / change.ramp_K_per_s
