"""The setpoint of a plan: one step a sample, as the control step takes it; and, for drawing, at any instants.

A ramp from the start begins at what the control probe first shows: that is what a device knows. A change that waits
stops the plan's own clock, once its setpoint is there, until the temperature is inside the band; so what follows comes
later by what was waited.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from kelvarn.model import trial

from .compiled import part
from .plant import NONE, TIME_EPS
from .records import Table

_SHORTEST_S = 1e-9  # a ramp between almost equal setpoints takes this long, for the division's sake


@dataclass(slots=True)
class SetpointRecord:
    """From an instant on the setpoint goes to a value."""

    at_s: float
    to_degC: float
    ramp_K_per_s: float  # 0: at once
    waits: bool
    begun_s: float = NONE  # kept: when it did begin


@dataclass(slots=True)
class PlanState:
    """Where a plan has got to."""

    begun: int = 0  # changes so far
    from_degC: float = 0.0  # setpoint when the last one began
    waited_s: float = 0.0  # by which its clock is behind
    reached: bool = False  # whether the last one, which waits, is reached


Course = trial.Plan | Sequence[trial.SetpointChange]
"""A plan's changes, or those of a trial with its repeats and day parts written out."""


def changes_of(course: Course) -> list[SetpointRecord]:
    """The changes of a course."""
    changes = course.changes if isinstance(course, trial.Plan) else course
    return [SetpointRecord(each.at_s, each.to_degC, each.ramp_K_per_s or 0.0, each.waits) for each in changes]


@part
def _on_the_way(change: SetpointRecord, from_degC: float, t: float) -> float:
    """Setpoint at an instant after a change began."""
    if change.ramp_K_per_s == 0.0:
        return change.to_degC
    gap = change.to_degC - from_degC
    needs_s = max(abs(gap) / change.ramp_K_per_s, _SHORTEST_S)
    return from_degC + gap * min(max((t - change.at_s) / needs_s, 0.0), 1.0)


@part
def setpoint_step(changes: Table[SetpointRecord], state: PlanState, t: float, y: float, band_K: float) -> float:
    """Setpoint at a sample, in degC. A ramp that a later change interrupts leaves off where it got to.

    Args:
        changes, state: the plan.
        t: instant of the sample, s; the first one is that of the first change.
        y: measured, degC.
        band_K: how near counts as reached.
    """
    if state.begun == 0:
        state.begun, state.from_degC = 1, y
        changes[0].begun_s = 0.0
    _wait(changes[state.begun - 1], state, t, y, band_K)
    while state.begun < len(changes) and changes[state.begun].at_s <= t - state.waited_s + TIME_EPS:
        following = changes[state.begun]
        state.from_degC = _on_the_way(changes[state.begun - 1], state.from_degC, following.at_s)
        state.begun += 1
        state.reached = False
        if following.begun_s == NONE:
            following.begun_s = following.at_s + state.waited_s
        _wait(following, state, t, y, band_K)
    return _on_the_way(changes[state.begun - 1], state.from_degC, t - state.waited_s)


@part
def _wait(change: SetpointRecord, state: PlanState, t: float, y: float, band_K: float) -> None:
    """Let the plan's clock stand still while a change that waits is there but not reached."""
    if not change.waits or state.reached:
        return
    arrives_s = change.at_s
    if change.ramp_K_per_s > 0.0:
        arrives_s += abs(change.to_degC - state.from_degC) / change.ramp_K_per_s
    if t - state.waited_s >= arrives_s - TIME_EPS:
        state.waited_s = t - arrives_s
        state.reached = abs(y - change.to_degC) <= band_K


def corners(plan: Course, start_degC: float) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Corners of a plan: instants in s, two at a step, and setpoints in degC; straight between, level after the last.

    Args:
        plan: the plan; what waits is taken to be reached at once.
        start_degC: where a ramp from the start begins.
    """
    at_s: list[float] = []
    degC: list[float] = []
    changes, setpoint = changes_of(plan), start_degC
    for index, change in enumerate(changes):
        until_s = changes[index + 1].at_s if index + 1 < len(changes) else np.inf
        end_s = change.at_s
        if change.ramp_K_per_s > 0:
            end_s += max(abs(change.to_degC - setpoint) / change.ramp_K_per_s, _SHORTEST_S)
        reached = _on_the_way(change, setpoint, until_s)
        at_s += [change.at_s, min(end_s, until_s)]
        degC += [setpoint if change.ramp_K_per_s > 0 else change.to_degC, reached]
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
