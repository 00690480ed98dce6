"""What is read off a run of alarms, trips, guards and limits, in one go."""

import math

from .compiled import part, subroutine
from .guard_records import RULERS, Ruler
from .plant import NONE, TIME_EPS, Plant, State
from .records import Table
from .survey import BodyFound, Found, RunFound, SpanFound, SpanPlace, Trace


@part
def _trips(code: int) -> bool:
    """Whether a guard code says that a trip or a thermal cut-off rules."""
    return code % RULERS == Ruler.LATCHED_TRIP or code % RULERS == Ruler.THERMAL_CUT_OFF


@subroutine
def _count(last: int, trace: Trace, whole: RunFound) -> None:
    """Count alarms and trips as they begin, and the samples with an alarm."""
    before = 0
    tripped = False
    for k in range(last + 1):
        code, trips = trace.alarm_code[k], _trips(trace.guard_code[k])
        if code != 0 or before != 0:
            began = code & ~before
            while began > 0:
                whole.alarms += began & 1
                began >>= 1
            whole.alarm_samples += 1 if code != 0 and k < last else 0
        if trips and not tripped:
            whole.trips += 1
        before, tripped = code, trips


@subroutine
def survey_safety(plant: Plant, state: State, trace: Trace, found: Found) -> None:
    """Read alarms and trips of a run, how long after events they and the end of the goal came, how far bodies went."""
    whole, rig, last = found.in_run[0], plant.rig[0], trace.given.size - 1
    whole.ready_s = state.loop[0].ready_s
    whole.alarms = whole.alarm_samples = whole.trips = 0
    if rig.guarded:
        _count(last, trace, whole)
    for w in range(found.windows.size):
        window, each = found.windows[w], found.in_windows[w]
        each.trip_s = each.act_s = each.guard_s = each.alarm_s = NONE
        if not window.after_event or window.last < 0:
            continue
        for k in range(window.first, last + 1 if rig.guarded else 0):
            code, since_s = trace.guard_code[k], k * rig.h - window.from_s
            if each.alarm_s == NONE and trace.alarm_code[k] != 0:
                each.alarm_s, each.alarm_code = since_s, trace.alarm_code[k]
            if _trips(code):
                each.trip_s, each.trip_code = since_s, code
                break
            if each.guard_s == NONE and (code % RULERS == Ruler.GUARD or code % RULERS == Ruler.PROBE_FAULT):
                each.guard_s, each.guard_code = since_s, code
        if rig.goal_body >= 0 and window.first <= last:
            _time_to_act(window, plant, trace, each)
    if rig.since_s > 0.0:
        _extremes_since(min(math.ceil(rig.since_s / rig.h - TIME_EPS), last), trace, found.bodies)
    else:
        for i in range(found.bodies.size):
            found.bodies[i].after_low_degC = found.bodies[i].lowest_degC
            found.bodies[i].after_degC = found.bodies[i].highest_degC


@part
def _extremes_since(first: int, trace: Trace, bodies: Table[BodyFound]) -> None:
    """How high and how low each body is at samples from one on."""
    for i in range(trace.bodies_degC.shape[0]):
        lowest = highest = trace.bodies_degC[i, first]
        for k in range(first + 1, trace.given.size):
            degC = trace.bodies_degC[i, k]
            lowest, highest = min(lowest, degC), max(highest, degC)
        bodies[i].after_low_degC, bodies[i].after_degC = lowest, highest


@part
def _time_to_act(window: SpanPlace, plant: Plant, trace: Trace, found: SpanFound) -> None:
    """From an event until the goal is left, where it was kept as the event began."""
    rig = plant.rig[0]
    for k in range(window.first, trace.given.size):
        if not rig.goal_low_degC <= trace.bodies_degC[rig.goal_body, k] <= rig.goal_high_degC:
            found.act_s = NONE if k == window.first else k * rig.h - window.from_s
            break
