"""What rules over a law: which guard or permit is on at a sample, and which of several rules.

The order stands in `Ruler`: the lower number rules. A thermal cut-off is a switch of its own: the kernel looks at it,
and the controller knows nothing of it.
"""

import math

from .compiled import part
from .decision import Decision
from .guard_records import (
    RULERS,
    Does,
    Guard,
    Guarding,
    GuardKind,
    GuardState,
    IntervalKind,
    Ruler,
    Timing,
    Until,
    Watches,
)
from .plant import NONE, TIME_EPS
from .records import Reals

# Plain numbers for compiled code:
_POWER_CUT = int(Ruler.POWER_CUT)
_GUARD = int(Ruler.GUARD)
_PERMIT = int(Ruler.PERMIT)
_OVERRIDE = int(Ruler.OVERRIDE)
_STANDS_STILL = int(Ruler.STANDS_STILL)


@part
def code_of(ruler: int, place: int) -> int:
    """Guard code."""
    return ruler + RULERS * place


@part
def look_around(guarding: Guarding, t: float) -> None:
    """Find what troubles the controller itself at a sample: power, link, missed samples; nudges and presses of reset.

    Args:
        guarding: `now` is written.
        t: instant, s.
    """
    now, intervals = guarding.now[0], guarding.intervals
    now.power_cut = now.stalled = now.reset = False
    now.orders_lost_s, now.nudge_K = NONE, 0.0
    while now.place < len(intervals) and intervals[now.place].to_s <= t + TIME_EPS:
        now.place += 1
    for k in range(now.place, len(intervals)):
        each = intervals[k]
        if each.from_s > t + TIME_EPS:
            break
        if each.to_s <= t + TIME_EPS:
            continue
        if each.kind == IntervalKind.POWER_CUT:
            now.power_cut = True
        elif each.kind == IntervalKind.ORDERS_LOST:
            now.orders_lost_s = max(now.orders_lost_s, t - each.from_s)
        elif each.kind == IntervalKind.STALLED:
            now.stalled = each.value == NONE or (now.taken_s != NONE and t < now.taken_s + each.value - TIME_EPS)
            now.hung_at = each.given
        elif each.kind == IntervalKind.NUDGE:
            now.nudge_K += each.value
        elif each.kind == IntervalKind.RESET:
            now.reset = True
    if not now.stalled:
        now.elapsed_s = NONE if now.taken_s == NONE else t - now.taken_s
        now.taken_s = t


@part
def look_at_permits(guarding: Guarding, t: float, begun: int, near: bool) -> None:
    """Find which permit is missing at a sample, and which override by hand holds.

    Args:
        guarding, t: as for `look_around`, which came before.
        begun: changes of the plan begun so far.
        near: whether the temperature is inside the band.
    """
    now, intervals = guarding.now[0], guarding.intervals
    now.no_heating = now.no_cooling = now.override = -1
    for k in range(now.place, len(intervals)):
        each = intervals[k]
        if each.from_s > t + TIME_EPS:
            break
        if each.to_s <= t + TIME_EPS or each.over:
            continue
        if each.kind == IntervalKind.NO_HEATING:
            now.no_heating = each.index if now.no_heating < 0 else min(now.no_heating, each.index)
        elif each.kind == IntervalKind.NO_COOLING:
            now.no_cooling = each.index if now.no_cooling < 0 else min(now.no_cooling, each.index)
        elif each.kind == IntervalKind.OVERRIDE:
            if each.begun < 0:
                each.begun = begun
            if (each.until == Until.PLAN and begun > each.begun) or (each.until == Until.REACHED and near):
                each.over = True
            else:
                now.override, now.override_drive = each.index, each.value


@part
def _lasts(state: GuardState, is_so: bool, t: float, after_s: float) -> bool:
    """Whether something has been so for long enough."""
    if not is_so:
        state.since_s = NONE
        return False
    if state.since_s == NONE:
        state.since_s = t
    return t - state.since_s >= after_s - TIME_EPS


@part
def _watch_level(guard: Guard, state: GuardState, reading: float, t: float, reset: bool) -> None:
    """A trip, or an alarm at a level."""
    beyond = guard.sign * (reading - guard.level_degC)
    if _lasts(state, beyond >= 0.0, t, guard.after_s):
        state.active = True
    elif beyond < -guard.hysteresis_K and (reset or not guard.latches):
        state.active = False


@part
def _watch_probe(guard: Guard, state: GuardState, reading: float, t: float) -> None:
    """Whether the control probe is seen to be faulty."""
    if not state.armed or reading != state.from_degC:
        state.armed, state.from_degC, state.seen_s = True, reading, t
    still = guard.still_s > 0.0 and t - state.seen_s >= guard.still_s - TIME_EPS
    beyond = reading <= guard.low_degC or reading >= guard.high_degC
    state.active = _lasts(state, beyond, t, guard.after_s) or still


@part
def _watch_rise(guard: Guard, state: GuardState, ahead: float, y: float, t: float, given: float, reset: bool) -> None:
    """Much drive without an answer; `ahead` and `y` in the direction in which the drive acts.

    What is given now was so since the last sample: that is where the time and the rise count from.
    """
    state.armed = given >= guard.at_least and ahead >= guard.away_K
    if not state.armed or y - state.from_degC >= guard.rise_K:
        state.from_degC, state.since_s = y, t
    if state.active and reset:
        state.active, state.since_s, state.from_degC = False, t, y
    elif state.armed and t - state.since_s >= guard.after_s - TIME_EPS:
        state.active = True


@part
def _watch_on_time(guard: Guard, state: GuardState, t: float, given: float) -> None:
    """The longest time on, and the break after it."""
    if state.active:
        if t - state.seen_s >= guard.rest_s - TIME_EPS:
            state.active, state.since_s = False, t
    elif given == 0.0 or state.since_s == NONE:
        state.since_s = t
    elif t - state.since_s >= guard.after_s - TIME_EPS:
        state.active, state.seen_s = True, t


@part
def _watch_distance(guard: Guard, state: GuardState, away: float, full: bool, t: float, reset: bool) -> None:
    """An alarm away from the setpoint, once that was reached; or at full drive and still away."""
    if abs(away) <= guard.away_K:
        state.armed = True
    counts = full if guard.watches == Watches.SATURATED else state.armed
    if _lasts(state, counts and abs(away) > guard.away_K, t, guard.after_s):
        state.active = True
    elif (abs(away) <= max(guard.away_K - guard.hysteresis_K, 0.0) or not counts) and (reset or not guard.latches):
        state.active = False


@part
def _given_by(guard: Guard, last: float, t: float) -> float:
    """What a guard that is on gives at an instant."""
    if guard.does == Does.FULL:
        return 1.0
    if guard.does == Does.FIXED:
        if guard.cycle_s == 0.0:
            return guard.duty
        into = t - math.floor(t / guard.cycle_s + TIME_EPS) * guard.cycle_s
        return (1.0 if guard.duty > 0.0 else -1.0) if into < abs(guard.duty) * guard.cycle_s - TIME_EPS else 0.0
    return last if guard.does == Does.HOLD else 0.0


@part
def watch(guarding: Guarding, readings: Reals, timing: Timing, t: float, out: Decision) -> None:
    """See what each guard says; alarms and what is cut are written into the decision.

    Args:
        guarding: guards with their settings and state; written.
        readings: of each probe, degC.
        timing: time between samples, and what has passed.
        t: instant of the sample, s.
        out: the decision; written.
    """
    control_probe, mirror = timing.control_probe, timing.mirror
    now, r, y = guarding.now[0], out.setpoint_degC, readings[control_probe]
    ahead = mirror * (r - y)
    for g in range(len(guarding.guards)):
        guard, state = guarding.guards[g], guarding.states[g]
        reading = readings[guard.probe]
        if guard.kind == GuardKind.TRIP or (guard.kind == GuardKind.ALARM and guard.watches <= Watches.LOW):
            _watch_level(guard, state, reading, t, now.reset)
        elif guard.kind == GuardKind.ALARM:
            away = r - reading
            most = timing.most if now.given > 0.0 else timing.least
            full = abs(now.given) >= abs(most) - 1e-9 and away * now.given * mirror > 0.0
            _watch_distance(guard, state, away, full, t, now.reset)
        elif guard.kind == GuardKind.PROBE_FAULT:
            _watch_probe(guard, state, y, t)
        elif guard.kind == GuardKind.NO_RISE:
            way = -1.0 if now.given < 0.0 else 1.0
            _watch_rise(guard, state, way * ahead, way * mirror * y, t, abs(now.given), now.reset)
        elif guard.kind == GuardKind.LINK_LOST:
            state.active = now.orders_lost_s != NONE and now.orders_lost_s >= guard.after_s - TIME_EPS
        elif guard.kind == GuardKind.LONGEST_ON:
            _watch_on_time(guard, state, t, now.given)
        elif guard.kind == GuardKind.RESTART:
            state.active = now.returned_s != NONE and t - now.returned_s < guard.after_s - TIME_EPS


@part
def rule(guarding: Guarding, out: Decision) -> None:
    """Decide what is given: `proposed` unless something stronger than the law rules; the guard code says what does.

    Of guards of one rank the one that gives least rules, whatever their order. A trip that switches the load off
    decides no drive: it stands outside the order, like an alarm.
    """
    now, rank = guarding.now[0], _STANDS_STILL
    out.given, out.guard_code, out.alarm_code = out.proposed, 0, 0
    out.drives_cut = out.loads_cut = False
    if now.override >= 0:
        out.given, out.guard_code, rank = now.override_drive, code_of(_OVERRIDE, now.override), _OVERRIDE
    wants = out.given
    if wants == 0.0 and out.delay_left_s > 0.0 and now.override < 0:  # it is missing also while a delay counts
        wants = 1.0 if now.no_heating >= 0 else -1.0
    if (wants > 0.0 and now.no_heating >= 0) or (wants < 0.0 and now.no_cooling >= 0):
        place = now.no_heating if wants > 0.0 else now.no_cooling
        out.given, out.guard_code, rank = 0.0, code_of(_PERMIT, place), _PERMIT
    bit, out.tripped = 1, 0
    for g in range(len(guarding.guards)):
        guard, active = guarding.guards[g], guarding.states[g].active
        if guard.kind == GuardKind.ALARM:
            out.alarm_code += bit if active else 0
            bit *= 2
        elif active:
            if guard.kind == GuardKind.TRIP or guard.kind == GuardKind.NO_RISE:
                out.tripped += 1 << guard.place
                out.drives_cut = out.drives_cut or guard.does == Does.CONTACTOR
            if guard.does == Does.LOAD:
                out.loads_cut = True
                continue
            gives = _given_by(guard, now.given, now.taken_s)
            if guard.rank < rank or (guard.rank == rank and abs(gives) < abs(out.given)):
                out.given, out.guard_code, rank = gives, code_of(guard.rank, guard.place), guard.rank
    if now.orders_lost_s != NONE and not out.drives_cut:
        _keep_last_order(guarding, out)


@part
def _keep_last_order(guarding: Guarding, out: Decision) -> None:
    """No order arrives: the last one stays, until a watchdog at the drive acts."""
    now = guarding.now[0]
    out.given, out.guard_code = now.given, code_of(_STANDS_STILL, 0)
    for g in range(len(guarding.guards)):
        guard = guarding.guards[g]
        if guard.kind == GuardKind.LINK_LOST and guarding.states[g].active:
            out.given, out.guard_code = _given_by(guard, now.given, now.taken_s), code_of(_GUARD, guard.place)


@part
def without_power(guarding: Guarding, t: float, out: Decision) -> None:
    """What a sample is while there is no power: nothing is measured, asked or given."""
    now = guarding.now[0]
    if not now.was_cut:
        now.was_cut, now.cut_from_s = True, t
    now.given = 0.0
    out.asked = out.proposed = out.given = out.p = out.i = out.d = out.delay_left_s = 0.0
    out.law_code, out.alarm_code = 0, 0
    out.guard_code = code_of(_POWER_CUT, 0)
    out.drives_cut, out.loads_cut = True, False
