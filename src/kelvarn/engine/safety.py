"""What is read off a run of alarms, trips, guards and limits, in one go."""

from .compiled import part, subroutine
from .guard_records import RULERS, Ruler
from .plant import NONE, Plant, RigData, State
from .survey import Found, RunFound, SpanFound, SpanPlace, Trace


@part
def _begun(now: int, before: int) -> int:
    """Bits that are set now and were not before."""
    return now & ~before


@part
def _bits(code: int) -> int:
    """How many bits are set."""
    found = 0
    while code > 0:
        found += code & 1
        code >>= 1
    return found


@part
def _lowest_bit(code: int) -> int:
    """Place of the first bit that is set."""
    place = 0
    while code >> place & 1 == 0:
        place += 1
    return place


@subroutine
def _count(last: int, trace: Trace, whole: RunFound) -> None:
    """Count alarms and trips as they begin, and the samples with an alarm."""
    alarms = trips = 0
    for k in range(last + 1):
        whole.alarms += _bits(_begun(trace.alarm_code[k], alarms))
        whole.trips += _bits(_begun(trace.tripped[k], trips))
        alarms, trips = trace.alarm_code[k], trace.tripped[k]
        whole.alarm_samples += 1 if alarms != 0 and k < last else 0


@part
def _find_end(last: int, rig: RigData, trace: Trace, whole: RunFound) -> None:
    """Since when a trip that stays, or a cut-off that closes no more, has held the drives off to the end."""
    k = last
    while k >= 0 and trace.tripped[k] & rig.final_guards != 0:
        k -= 1
    if k < last:
        whole.ended_s = (k + 1) * rig.h
        whole.ended_place = _lowest_bit(trace.tripped[k + 1] & rig.final_guards)


@subroutine
def survey_safety(plant: Plant, state: State, trace: Trace, found: Found) -> None:
    """Read alarms and trips of a run, how long after events they and the end of the goal came, how far bodies went."""
    whole, rig, last = found.in_run[0], plant.rig[0], trace.given.size - 1
    whole.ready_s = state.loop[0].ready_s
    whole.alarms = whole.alarm_samples = whole.trips = 0
    whole.ended_s, acts = NONE, False
    if rig.guarded:
        _count(last, trace, whole)
        _find_end(last, rig, trace, whole)
        for k in range(last + 1):
            acts = acts or trace.tripped[k] != 0 or trace.alarm_code[k] != 0 or trace.guard_code[k] != 0
    for w in range(found.windows.size):
        window, each = found.windows[w], found.in_windows[w]
        each.trip_s = each.act_s = each.guard_s = each.alarm_s = NONE
        if not window.after_event or window.last < 0:
            continue
        before = trace.tripped[window.first - 1] if window.first > 0 else 0
        for k in range(window.first, last + 1 if acts else 0):
            code, since_s = trace.guard_code[k], k * rig.h - window.from_s
            if each.alarm_s == NONE and trace.alarm_code[k] != 0:
                each.alarm_s, each.alarm_code = since_s, trace.alarm_code[k]
            begun = _begun(trace.tripped[k], before)
            if begun != 0:  # what had tripped before the event does not count for it
                each.trip_s, each.trip_place = since_s, _lowest_bit(begun)
                break
            before = trace.tripped[k]
            if each.guard_s == NONE and (code % RULERS == Ruler.GUARD or code % RULERS == Ruler.PROBE_FAULT):
                each.guard_s, each.guard_code = since_s, code
        if rig.goal_body >= 0 and window.first <= last:
            _time_to_act(window, plant, trace, each)
    for i in range(found.bodies.size):
        found.bodies[i].after_low_degC = state.bodies[i].after_low_degC
        found.bodies[i].after_degC = state.bodies[i].after_degC


@part
def _time_to_act(window: SpanPlace, plant: Plant, trace: Trace, found: SpanFound) -> None:
    """From an event until the goal is left, where it was kept as the event began."""
    rig = plant.rig[0]
    for k in range(window.first, trace.given.size):
        if not rig.goal_low_degC <= trace.bodies_degC[rig.goal_body, k] <= rig.goal_high_degC:
            found.act_s = NONE if k == window.first else k * rig.h - window.from_s
            break
