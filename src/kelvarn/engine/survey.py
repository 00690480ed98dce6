"""The numbers of a run, read off its samples in one go; `measures` says what they mean."""

import math
from dataclasses import dataclass
from typing import NamedTuple

from .compiled import part, subroutine
from .happenings import CourseRecord
from .laws.curve import Code as CurveCode
from .laws.pid import FIRST_AT_LIMIT, LAST_AT_LIMIT
from .plant import NONE, TIME_EPS, Plant, State
from .records import Codes, Grid, Reals, Table

_FIRST_AT_LIMIT, _LAST_AT_LIMIT = int(FIRST_AT_LIMIT), int(LAST_AT_LIMIT)
_STEP_TAKEN, _STARTS = int(CurveCode.STEP_TAKEN), int(CurveCode.STARTS)


class Trace(NamedTuple):
    """What a run leaves for each sample."""

    setpoint_degC: Reals
    asked: Reals
    given: Reals
    p: Reals
    i: Reals
    d: Reals
    delay_left_s: Reals
    law_code: Codes
    guard_code: Codes
    alarm_code: Codes
    tripped: Codes  # a bit for each guard of the rig that has tripped, cut-offs too
    bodies_degC: Grid  # of each body that has a name
    lowest_degC: Reals  # of the judged body until the next sample
    highest_degC: Reals
    readings_degC: Grid  # of each probe
    put_out: Grid  # output of each drive until the next sample, before its dead time
    drives_W: Grid  # what acts of each drive until the next sample
    flow: Grid  # of each drive that moves something
    ice_kg: Grid  # on each body that ices


@dataclass(slots=True)
class SpanPlace:
    """A stretch of a run to be read, from a setpoint change or an event to the next one inclusive."""

    from_s: float
    to_s: float
    first: int  # sample
    last: int  # sample
    target_degC: float  # of a setpoint change; an event is judged against the plan
    change: int  # of the plan; none of an event
    after_event: bool
    ramp_K_per_s: float  # with which the setpoint gets there; 0: at once
    changes_after: bool  # whether the setpoint changes where it ends: the last sample has the next one's


@dataclass(slots=True)
class SpanFound:
    """What is read in a window; NONE where there is none."""

    start_degC: float
    target_degC: float  # of an event the setpoint at the end
    tenth_s: float
    nine_tenths_s: float
    beyond_K: float  # past the setpoint, in the direction of the change
    beyond_s: float
    settled_s: float  # after the start
    inside_s: float  # how long it has been inside the band at the end; below 0: it is not
    sag_K: float
    sag_s: float
    trip_s: float  # after an event, until a trip or cut-off acts; NONE: none does
    trip_place: int  # of the guard then, in the rig
    alarm_s: float  # likewise until an alarm is on
    alarm_code: int
    guard_s: float  # likewise until another guard rules, or the action at a probe fault
    guard_code: int
    act_s: float  # after an event, until the goal is left; NONE: it is kept, or was not before
    iae_Ks: float
    ise_K2s: float
    itae_Ks2: float
    steady_error_K: float
    swing_K: float
    swing_period_s: float
    tracking_max_K: float
    tracking_rms_K: float


@dataclass(slots=True)
class RunFound:
    """What is read in the whole run."""

    mean_drive: float
    travel: float
    samples_at_limit: int
    steps_taken: int  # of a curve
    worst_over_K: float  # NONE where the setpoint is never reached
    worst_under_K: float
    inside_share: float  # of the samples at which the goal is kept
    alarms: int  # that began
    alarm_samples: int
    trips: int  # trips and cut-offs that acted
    ended_s: float  # since when one that stays holds the drives off to the end; NONE: none does
    ended_place: int  # which guard of the rig that is
    ready_s: float  # NONE: it is not ready at the end


@dataclass(slots=True)
class BodyFound:
    """How far a body went."""

    lowest_degC: float
    highest_degC: float
    beyond: int  # samples above its limit
    passed_s: float  # when it was first above its limit; NONE: never
    end_degC: float
    after_degC: float  # highest since `since_s` of the rig
    after_low_degC: float  # and lowest


class Found(NamedTuple):
    """All that is read."""

    windows: Table[SpanPlace]
    in_windows: Table[SpanFound]
    in_run: Table[RunFound]
    bodies: Table[BodyFound]


@part
def _crossing(t0: float, y0: float, t1: float, y1: float, level: float) -> float:
    """Instant at which a straight line from one point to the next passes a level."""
    return t0 + (t1 - t0) * (level - y0) / (y1 - y0)


@part
def _value_at(at_s: float, k: int, h: float, y: Reals) -> float:
    """Value between sample k and the next."""
    return y[k] + (y[k + 1] - y[k]) * (at_s - k * h) / h


@part
def _own_setpoint(k: int, window: SpanPlace, plan: Reals) -> float:
    """Setpoint at a sample as the window has it: at its end that of the next may have begun."""
    if k < window.last or not window.changes_after or k - 1 < window.first:
        return plan[k]
    before = plan[k - 1]
    if k - 2 < window.first:
        return before
    after = before + (before - plan[k - 2])
    if not window.after_event and (after - window.target_degC) * (before - window.target_degC) <= 0.0:
        return window.target_degC
    return after


@subroutine
def _read(window: SpanPlace, h: float, band_K: float, y: Reals, low: Reals, high: Reals, plan: Reals,
          found: SpanFound) -> None:  # fmt: skip
    """Read a window of at least two samples: its start, its samples, and its end where that is no sample."""
    found.tenth_s = found.nine_tenths_s = found.settled_s = found.swing_period_s = NONE
    first, last = window.first, window.last
    lead = first > 0 and first * h > window.from_s + TIME_EPS
    tail = window.to_s > last * h + TIME_EPS and last + 1 < y.size
    points = last - first + 1 + (1 if lead else 0) + (1 if tail else 0)
    start = _value_at(window.from_s, first - 1, h, y) if lead else y[first]
    target = _own_setpoint(last, window, plan) if window.after_event else window.target_degC
    found.start_degC, found.target_degC = start, target
    gap = target - start
    sign = 1.0 if gap > 0 else -1.0
    found.beyond_K, found.sag_K = -math.inf, -1.0
    iae = ise = itae = 0.0
    steady, steady_count = 0.0, 0
    steady_from = window.to_s - (window.to_s - window.from_s) / 10
    late_from = window.to_s - (window.to_s - window.from_s) / 4
    late_low, late_high, late_mean, late_count = math.inf, -math.inf, 0.0, 0
    inside_from = NONE
    t0 = y0 = r0 = 0.0
    was_outside = False
    for j in range(points):
        k = first + j - (1 if lead else 0)
        if k < first:
            t1, y1, r1 = window.from_s, start, plan[first]
        elif k > last:
            t1, y1, r1 = window.to_s, _value_at(window.to_s, last, h, y), _own_setpoint(last, window, plan)
        else:
            t1, y1, r1 = k * h, y[k], _own_setpoint(k, window, plan)
        least = most = y1
        if first <= k < last:  # all of the course until the next sample belongs here
            least, most = low[k], high[k]
        error = y1 - r1
        if j > 0:  # trapezium rule
            before, now, span = y0 - r0, error, t1 - t0
            iae += span * (abs(before) + abs(now)) / 2.0
            ise += span * (before * before + now * now) / 2.0
            itae += span * (abs(before) * (t0 - window.from_s) + abs(now) * (t1 - window.from_s)) / 2.0
        base = r1 if window.after_event else target
        is_outside = abs(y1 - base) > band_K
        if is_outside:
            inside_from = NONE
        elif was_outside:
            base_before = r0 if window.after_event else target
            edge = math.copysign(band_K, y0 - base_before)
            inside_from = _crossing(t0, y0 - base_before, t1, y1 - base, edge)
        elif j == 0:
            inside_from = window.from_s
        if gap != 0.0:
            if found.tenth_s == NONE and (y1 - start) / gap >= 0.1:
                found.tenth_s = t1 if j == 0 else _crossing(t0, y0, t1, y1, start + 0.1 * gap)
            if found.nine_tenths_s == NONE and (y1 - start) / gap >= 0.9:
                found.nine_tenths_s = t1 if j == 0 else _crossing(t0, y0, t1, y1, start + 0.9 * gap)
            beyond = max(sign * (least - target), sign * (most - target))
            if beyond > found.beyond_K:
                found.beyond_K, found.beyond_s = beyond, t1
        went = max(most - start, start - least)
        if went > found.sag_K:
            found.sag_K, found.sag_s = went, t1
        if t1 >= steady_from:
            steady += error
            steady_count += 1
        if t1 >= late_from:
            late_mean += y1
            late_count += 1
            late_low, late_high = min(late_low, least), max(late_high, most)
        t0, y0, r0, was_outside = t1, y1, r1, is_outside
    found.iae_Ks, found.ise_K2s, found.itae_Ks2 = iae, ise, itae
    found.steady_error_K, found.swing_K = steady / steady_count, late_high - late_low
    found.inside_s = NONE if inside_from == NONE else window.to_s - inside_from
    found.settled_s = NONE if inside_from == NONE else inside_from - window.from_s
    found.swing_period_s = _period(late_from, late_mean / late_count, last, h, y)
    _track(window, h, band_K, y, plan, found)


@part
def _track(window: SpanPlace, h: float, band_K: float, y: Reals, plan: Reals, found: SpanFound) -> None:
    """Largest and rms distance from the plan along a ramp, after the first reach."""
    found.tracking_max_K = found.tracking_rms_K = NONE
    if window.ramp_K_per_s == 0.0:
        return
    first = window.first
    end_s = first * h + abs(window.target_degC - plan[first]) / window.ramp_K_per_s
    count, most, squares = 0, 0.0, 0.0
    for k in range(first, window.last + 1):
        if k * h > end_s + TIME_EPS:
            break
        error = abs(y[k] - _own_setpoint(k, window, plan))
        if count > 0 or error <= band_K:
            count += 1
            most = max(most, error)
            squares += error * error
    if count > 0:
        found.tracking_max_K, found.tracking_rms_K = most, math.sqrt(squares / count)


@part
def _period(from_s: float, mean: float, last: int, h: float, y: Reals) -> float:
    """Mean time between up-crossings of a level from an instant on; NONE for fewer than two."""
    ups, first_up, last_up = 0, 0.0, 0.0
    for k in range(math.ceil(from_s / h - TIME_EPS), last):
        if y[k] < mean <= y[k + 1]:
            last_up = _crossing(k * h, y[k], (k + 1) * h, y[k + 1], mean)
            first_up = last_up if ups == 0 else first_up
            ups += 1
    return (last_up - first_up) / (ups - 1) if ups > 1 else NONE


@part
def _departures(band_K: float, y: Reals, trace: Trace, whole: RunFound) -> None:
    """The largest distances from the setpoint once it is reached; a setpoint that jumps is to be reached anew."""
    whole.worst_over_K = whole.worst_under_K = NONE
    reached = False
    for k in range(y.size):
        r = trace.setpoint_degC[k]
        if k > 0 and abs(r - trace.setpoint_degC[k - 1]) > band_K:
            reached = False
        if not reached and abs(y[k] - r) <= band_K:
            reached = True
            whole.worst_over_K, whole.worst_under_K = max(whole.worst_over_K, 0.0), max(whole.worst_under_K, 0.0)
        if reached:
            whole.worst_over_K = max(whole.worst_over_K, trace.highest_degC[k] - r)
            whole.worst_under_K = max(whole.worst_under_K, r - trace.lowest_degC[k])


@subroutine
def survey(plant: Plant, state: State, trace: Trace, found: Found) -> None:
    """Read all of a run.

    Args:
        plant, state, trace: the run, at its end.
        found: `windows` says what to read; the rest is written.
    """
    rig = plant.rig[0]
    # A response model of two lags has a body that is not shown; the judged one always is.
    y = trace.bodies_degC[rig.judged_body]
    for w in range(found.windows.size):
        if found.windows[w].last > found.windows[w].first:
            _read(found.windows[w], rig.h, rig.band_K, y, trace.lowest_degC, trace.highest_degC, trace.setpoint_degC,
                  found.in_windows[w])  # fmt: skip
    total = travel = 0.0
    taken = 0
    count, last = 0, trace.given.size - 1
    for k in range(last):
        total += trace.given[k]
        travel += abs(trace.given[k + 1] - trace.given[k])
        if _FIRST_AT_LIMIT <= trace.law_code[k] <= _LAST_AT_LIMIT and trace.guard_code[k] == 0:
            count += 1
        if trace.law_code[k] == _STEP_TAKEN or trace.law_code[k] == _STARTS:
            taken += 1
    whole = found.in_run[0]
    whole.steps_taken, whole.inside_share = taken, state.loop[0].inside / last
    _departures(rig.band_K, y, trace, whole)
    whole.mean_drive, whole.travel, whole.samples_at_limit = total / last, travel, count
    for i in range(found.bodies.size):
        found.bodies[i].lowest_degC = state.bodies[i].lowest_degC
        found.bodies[i].highest_degC = state.bodies[i].highest_degC
        found.bodies[i].beyond, found.bodies[i].passed_s = state.bodies[i].beyond, state.bodies[i].passed_s
        if i < trace.bodies_degC.shape[0]:
            found.bodies[i].end_degC = trace.bodies_degC[i, last]


@subroutine
def place_windows(changes: Table[CourseRecord], h: float, last: int, windows: Table[SpanPlace]) -> None:
    """Place the windows of a plan that waited where its changes did begin.

    Args:
        changes: of the trial's course, at the end of the run.
        h, last: sample interval in s, and the last sample.
        windows: as they would lie had nothing waited; written.
    """
    end = last * h
    for w in range(windows.size):
        window = windows[w]
        if window.change >= 0:
            window.from_s = changes[window.change].begun_s
    for w in range(windows.size):
        window = windows[w]
        if window.from_s == NONE:
            window.first, window.last = last, -1
            continue
        window.to_s, window.changes_after = end, False
        for v in range(windows.size):
            other = windows[v]
            if other.from_s > window.from_s + TIME_EPS and other.from_s <= window.to_s + TIME_EPS:
                window.changes_after = (window.changes_after and other.from_s > window.to_s - TIME_EPS) or (
                    other.change >= 0
                )
                window.to_s = other.from_s
        window.first = min(math.ceil(window.from_s / h - TIME_EPS), last + 1)
        window.last = min(math.floor(window.to_s / h + TIME_EPS), last) if window.from_s <= end else -1
