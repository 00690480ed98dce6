"""The closed loop, sample by sample: changes → probes → control step → drives → heat → record."""

from enum import IntEnum
from math import inf

from kelvarn.units import KELVIN_AT_0_DEGC

from .applying import Heat, apply_change
from .compiled import entry, part, subroutine
from .control import Control
from .drives import drive_step, flow_at, left_of, output_at, push_change, share_out
from .guard_records import RULERS, Ruler
from .guards import code_of
from .happenings import OnTrial, take_sample
from .icing import add_damp, record_ices, way_left
from .linear import advance, advance_once, advance_to_switch, begin_linear
from .matrices import PROBE, SURROUNDINGS, prepare_all, product, put_slot, slot_of
from .nonlinear import advance_adaptive, begin_adaptive
from .plant import NONE, TIME_EPS, ChangeKind, DriveKind, Plant, State
from .probes import aged, felt, reading
from .safety import survey_safety
from .survey import Found, Trace, place_windows, survey
from .switches import act_between_samples, body_degC, held_at, look_at_switches, switch_loads


class Outcome(IntEnum):
    """How a stretch of a run ended."""

    DONE = 0
    LEFT_RANGE = 1  # a body left every sensible range
    GIVEN_UP = 2  # too many steps


_THERMAL_CUT_OFF = int(Ruler.THERMAL_CUT_OFF)
_COLDEST, _HOTTEST = -KELVIN_AT_0_DEGC, 20000.0
_MOST_MOVES = 200
"""Moves of switches in one sample that are followed."""


@entry
def run_loop(
    first: int,
    last: int,
    plant: Plant,
    on_trial: OnTrial,
    state: State,
    heat: Heat,
    trace: Trace,
    found: Found,
) -> int:
    """Compute a run from one sample to before another; from 0 it begins, and at its last sample it is read.

    Args:
        first, last: samples.
        plant, on_trial: what runs.
        state, heat: what is kept of it from one call to the next; all zero at first.
        trace, found: written.

    Returns:
        An `Outcome`; of one that failed, `state.loop` says where.
    """
    samples, control = plant.rig[0].samples, on_trial.control
    if first == 0:
        _begin(plant, state, heat)
    for k in range(first, last):
        outcome = _look(k, plant, state, heat, trace)
        if outcome != Outcome.DONE:
            return outcome
        _read_probes(k, plant, state, heat, trace)
        t = k * plant.rig[0].h
        for p in range(plant.probes.size):
            reading, probe = on_trial.inputs.readings[p], state.probes[p]
            reading.degC, reading.valid, reading.at_end = probe.shown_degC, True, probe.at_end
        take_sample(on_trial, k)
        if plant.played.size > 0:
            control.decision[0].given = plant.played[k]
        if plant.rig[0].switched:
            look_at_switches(plant, state, heat)
        _record(k, control, plant, state, trace)
        if plant.rig[0].matters:
            _see_ready(t, control.decision[0].setpoint_degC, plant, state, heat)
        if k < samples - 1:
            _take_weather(k, plant, state, heat)
            _take_drive_faults(t, plant, state, heat)
            state.loop[0].trips_load = control.decision[0].loads_cut
            switch_loads(plant, state, heat)
            _drive(k, t, control, plant, state, trace)
            if plant.rig[0].switched:
                _advance_switched(k, control.decision[0].drives_cut, plant, state, heat, trace)
            else:
                _advance_sample(k, t, plant, state, heat)
            _note_extremes(k, plant, state)
        _record_heat(k, plant, state, trace)
    if last == samples:
        _finish(plant, state, heat)
        if on_trial.happening[0].waited_ms > 0:
            place_windows(on_trial.course, plant.rig[0].h, samples - 1, found.windows)
        survey(plant, state, trace, found)
        survey_safety(plant, state, trace, found)
    return Outcome.DONE


@subroutine
def _begin(plant: Plant, state: State, heat: Heat) -> None:
    """Write all that is kept, as it is at the start. `acting` of each drive is its level before the run."""
    loop, rig = state.loop[0], plant.rig[0]
    loop.outside_degC, loop.step_s = rig.outside_degC, rig.h
    loop.ready_s, loop.cut_off = NONE, -1
    for i in range(plant.bodies.size):
        body, degC = state.bodies[i], plant.bodies[i].start_degC
        body.lowest_degC = body.highest_degC = body.after_low_degC = body.after_degC = degC
        body.passed_s = NONE
    for j in range(plant.links.size):
        now, link = state.links[j], plant.links[j]
        now.a, now.b, now.mover, now.one_way = link.a, link.b, link.mover, link.one_way
        now.still_W_per_K, now.full_W_per_K = link.still_W_per_K, link.full_W_per_K
        now.flow_exponent, now.radiating_W_per_K4 = link.flow_exponent, link.radiating_W_per_K4
        now.ice = link.ice
    for d in range(plant.drives.size):
        settings, drive = plant.drives[d], state.drives[d]
        drive.full_W, drive.supply, drive.left = settings.power_W, 1.0, 1.0
        drive.stuck = drive.forced = NONE
        drive.shortest_on_s = drive.shortest_off_s = NONE
        if settings.moves:
            drive.target = flow_at(settings, drive.acting, 1.0, True)
        if settings.kind == DriveKind.VALVE:
            drive.level = drive.motor = drive.acting
        elif drive.acting > 0.0:  # what was before the run ends when the first order arrives
            push_change(settings.dead_time_s, 0.0, 0.0, drive, state.lines[d])
    for p in range(plant.probes.size):
        state.probes[p].sits_in = plant.probes[p].sits_in
        state.probes[p].start_degC = plant.bodies[plant.probes[p].sits_in].start_degC
        state.probes[p].fault = -1
    if rig.nonlinear:
        begin_adaptive(plant, state, heat.adaptive)
    else:
        begin_linear(plant, state, heat.linear)


@part
def _sensed_degC(p: int, plant: Plant, state: State, heat: Heat) -> float:
    """Temperature that a probe has now, degC."""
    n, seat = plant.bodies.size, state.probes[p].sits_in
    if plant.probes[p].lag_s == 0.0:
        return body_degC(seat, plant, heat) if seat < n else state.loop[0].outside_degC
    return heat.adaptive.x[n + p] if plant.rig[0].nonlinear else slot_of(heat.linear.z, n + PROBE + p)


@part
def _look(k: int, plant: Plant, state: State, heat: Heat, trace: Trace) -> Outcome:
    """Record the bodies, and see that they are where bodies can be."""
    loop = state.loop[0]
    loop.failed_s = k * plant.rig[0].h
    if loop.steps >= plant.rig[0].most_steps:
        return Outcome.GIVEN_UP
    for i in range(plant.bodies.size):
        degC = body_degC(i, plant, heat)
        if not _COLDEST - 1.0 < degC < _HOTTEST:
            loop.failed_body = i
            return Outcome.LEFT_RANGE
        body = state.bodies[i]
        body.now_low_degC = body.now_high_degC = degC
        if not plant.bodies[i].low_limit_degC <= degC <= plant.bodies[i].limit_degC and k < plant.rig[0].samples - 1:
            body.beyond += 1
        if i < trace.bodies_degC.shape[0]:
            trace.bodies_degC[i, k] = degC
        if i == plant.rig[0].goal_body and k < plant.rig[0].samples - 1:
            loop.inside += 1 if plant.rig[0].goal_low_degC <= degC <= plant.rig[0].goal_high_degC else 0
    for d in range(plant.drives.size):
        if plant.drives[d].moves:
            trace.flow[d, k] = heat.adaptive.x[plant.bodies.size + plant.probes.size + d]
            if plant.drives[d].ice >= 0:
                trace.flow[d, k] *= way_left(plant.drives[d].ice, plant, heat.adaptive.x)
    if plant.ices.size > 0:
        record_ices(k, plant, state, heat.adaptive.x, trace.ice_kg)
    return Outcome.DONE


@part
def _read_probes(k: int, plant: Plant, state: State, heat: Heat, trace: Trace) -> None:
    """What the probes show; a fault that is due now is so for the reading already."""
    loop, t = state.loop[0], k * plant.rig[0].h
    while (
        loop.next_change < plant.changes.size
        and plant.changes[loop.next_change].at_s <= t + TIME_EPS
        and plant.changes[loop.next_change].kind == ChangeKind.FAULT
    ):
        apply_change(plant.changes[loop.next_change], plant, state, heat)
        loop.next_change += 1
    for p in range(plant.probes.size):
        probe, kept = plant.probes[p], state.probes[p]
        degC = _sensed_degC(p, plant, state, heat)
        if probe.late_samples > 0:
            if probe.peek_segment < 0:
                state.history[p, k % state.history.shape[1]] = degC
            degC = aged(k, p, probe, kept.start_degC, state.history)
        sensed = felt(probe, degC, plant.noise[p, k])
        trace.readings_degC[p, k] = reading(k, t, sensed, probe, kept, plant.curves, plant.faults, state.faults)


@part
def _take_weather(k: int, plant: Plant, state: State, heat: Heat) -> None:
    """The surroundings drift: from this sample to the next they are what they are halfway."""
    if plant.weather.size == 0:
        return
    state.loop[0].outside_degC += plant.weather[k] - (plant.weather[k - 1] if k > 0 else 0.0)
    if not plant.rig[0].nonlinear:
        put_slot(heat.linear.z, plant.bodies.size + SURROUNDINGS, state.loop[0].outside_degC)
        product(heat.linear.rates, heat.linear.z, heat.linear.zero, heat.linear.slope)


@part
def _take_drive_faults(t: float, plant: Plant, state: State, heat: Heat) -> None:
    """A drive that fails now does so for the output of this sample already."""
    loop = state.loop[0]
    while loop.next_change < plant.changes.size and plant.changes[loop.next_change].at_s <= t + TIME_EPS:
        kind = plant.changes[loop.next_change].kind
        if kind != ChangeKind.STUCK and kind != ChangeKind.WELDED:
            break
        apply_change(plant.changes[loop.next_change], plant, state, heat)
        loop.next_change += 1


@part
def _see_ready(t: float, setpoint_degC: float, plant: Plant, state: State, heat: Heat) -> None:
    """Note since when all that matters has been near its setpoint and inside the goal."""
    loop, rig, is_ready = state.loop[0], plant.rig[0], True
    for i in range(plant.bodies.size):
        if plant.bodies[i].ready_K != NONE:
            is_ready = is_ready and abs(body_degC(i, plant, heat) - setpoint_degC) <= plant.bodies[i].ready_K
    if rig.goal_body >= 0:
        is_ready = is_ready and rig.goal_low_degC <= body_degC(rig.goal_body, plant, heat) <= rig.goal_high_degC
    if not is_ready:
        loop.ready_s = NONE
    elif loop.ready_s == NONE:
        loop.ready_s = t


@part
def _record(k: int, control: Control, plant: Plant, state: State, trace: Trace) -> None:
    """Record what was decided; an open cut-off lets none of it through."""
    out, cut_off = control.decision[0], state.loop[0].cut_off
    trace.tripped[k] = out.tripped | state.loop[0].opened
    state.loop[0].opened = 0
    trace.setpoint_degC[k], trace.asked[k], trace.given[k] = out.setpoint_degC, out.asked, out.given
    trace.p[k], trace.i[k], trace.d[k], trace.delay_left_s[k] = out.p, out.i, out.d, out.delay_left_s
    trace.law_code[k], trace.guard_code[k], trace.alarm_code[k] = out.law_code, out.guard_code, out.alarm_code
    if cut_off >= 0 and out.guard_code % RULERS != Ruler.POWER_CUT:
        trace.guard_code[k] = code_of(_THERMAL_CUT_OFF, plant.cut_offs[cut_off].place)


@part
def _drive(k: int, t: float, control: Control, plant: Plant, state: State, trace: Trace) -> None:
    """Let the drives make output of what was given, but for what is cut, stuck, or blocked by its own thermostat."""
    given, cut = control.decision[0].given, control.decision[0].drives_cut
    if plant.drives.size == 1:
        state.drives[0].demand = max(given, 0.0)
    else:
        share_out(given, plant.rig[0].sharing, plant.drives, state.drives)
    for d in range(plant.drives.size):
        drive = state.drives[d]
        forced = held_at(d, cut, plant, state)
        trace.put_out[d, k] = drive_step(t, plant.rig[0].h, forced, plant.drives[d], drive, state.lines[d])
        trace.drives_W[d, k] = drive.moved_J


@part
def _advance_sample(k: int, t: float, plant: Plant, state: State, heat: Heat) -> None:
    """Let heat flow until the next sample, segment by segment; one in which something changes is split there."""
    loop = state.loop[0]
    for s in range(plant.segments.size):
        segment = plant.segments[s]
        begin = t + segment.from_s
        end = begin + segment.length_s
        if loop.next_change < plant.changes.size and plant.changes[loop.next_change].at_s < end - TIME_EPS:
            _advance_split(begin, end, plant, state, heat)
        else:
            if plant.rig[0].nonlinear:
                advance_adaptive(begin, segment.length_s, plant, state, heat.adaptive)
            else:
                linear, which = heat.linear, segment.matrices
                advance(begin, segment.length_s, linear.transition[which], linear.push[which], plant, state, linear)
            loop.loaded_J += loop.load_W * segment.length_s
            loop.lost_J -= loop.drawn_in_W * segment.length_s
        if plant.rig[0].peeks:
            _peek(k, s, plant, state, heat)


@subroutine
def _advance_switched(k: int, by_trip: bool, plant: Plant, state: State, heat: Heat, trace: Trace) -> None:
    """The same where switches that need no software may act at any instant."""
    loop, linear_rig, anew = state.loop[0], not plant.rig[0].nonlinear, False
    acted = 0
    for s in range(plant.segments.size):
        segment = plant.segments[s]
        begin = t = k * plant.rig[0].h + segment.from_s
        end = begin + segment.length_s
        while t < end - TIME_EPS:
            while loop.next_change < plant.changes.size and plant.changes[loop.next_change].at_s <= t + TIME_EPS:
                apply_change(plant.changes[loop.next_change], plant, state, heat)
                loop.next_change += 1
                anew = True
            until = end
            if loop.next_change < plant.changes.size and plant.changes[loop.next_change].at_s < end - TIME_EPS:
                until = plant.changes[loop.next_change].at_s
            if linear_rig:
                if anew:
                    put_slot(heat.linear.z, plant.bodies.size + SURROUNDINGS, loop.outside_degC)
                    prepare_all(plant, state, heat.linear)
                    anew = False
                whole = t == begin and until == end
                came = advance_to_switch(t, until - t, segment.matrices if whole else -1, plant, state, heat.linear)
            else:
                loop.step_s = min(loop.step_s, until - t)
                came = advance_adaptive(t, until - t, plant, state, heat.adaptive)
            loop.loaded_J += loop.load_W * (came - t)
            loop.lost_J -= loop.drawn_in_W * (came - t)
            t = came
            # One that moves to and fro without end, having no band, is looked at again at the next sample.
            if acted < _MOST_MOVES and act_between_samples(k, t, by_trip, plant, state, heat, trace):
                acted += 1
        if plant.rig[0].peeks:
            _peek(k, s, plant, state, heat)


@part
def _note_extremes(k: int, plant: Plant, state: State) -> None:
    """Note how far each body went in a sample, and when it first passed a limit."""
    h, since_s = plant.rig[0].h, plant.rig[0].since_s
    for i in range(plant.bodies.size):
        body, limits = state.bodies[i], plant.bodies[i]
        low, high = body.now_low_degC, body.now_high_degC
        body.lowest_degC, body.highest_degC = min(body.lowest_degC, low), max(body.highest_degC, high)
        if k * h < since_s - TIME_EPS:
            body.after_low_degC, body.after_degC = inf, -inf
        else:
            body.after_low_degC, body.after_degC = min(body.after_low_degC, low), max(body.after_degC, high)
        if body.passed_s == NONE and (high > limits.limit_degC or low < limits.low_limit_degC):
            body.passed_s = k * h


@subroutine
def _peek(k: int, s: int, plant: Plant, state: State, heat: Heat) -> None:
    """Note what the probes have at the end of a segment whose readings of it arrive later."""
    for p in range(plant.probes.size):
        if plant.probes[p].peek_segment == s:
            state.history[p, k % state.history.shape[1]] = _sensed_degC(p, plant, state, heat)


@subroutine
def _advance_split(begin: float, end: float, plant: Plant, state: State, heat: Heat) -> None:
    """Let heat flow over a segment in which something changes."""
    loop, t, linear_rig, anew = state.loop[0], begin, not plant.rig[0].nonlinear, False
    while t < end - TIME_EPS:
        while loop.next_change < plant.changes.size and plant.changes[loop.next_change].at_s <= t + TIME_EPS:
            anew = anew or plant.changes[loop.next_change].kind != ChangeKind.SURROUNDINGS
            apply_change(plant.changes[loop.next_change], plant, state, heat)
            loop.next_change += 1
        until = end
        if loop.next_change < plant.changes.size and plant.changes[loop.next_change].at_s < end - TIME_EPS:
            until = plant.changes[loop.next_change].at_s
        if linear_rig:
            put_slot(heat.linear.z, plant.bodies.size + SURROUNDINGS, loop.outside_degC)
            advance_once(t, until - t, plant, state, heat.linear)
        else:
            loop.step_s = min(loop.step_s, until - t)
            advance_adaptive(t, until - t, plant, state, heat.adaptive)
        loop.loaded_J += loop.load_W * (until - t)
        loop.lost_J -= loop.drawn_in_W * (until - t)
        t = until
    if linear_rig and anew:
        prepare_all(plant, state, heat.linear)


@part
def _record_heat(k: int, plant: Plant, state: State, trace: Trace) -> None:
    """Record what acted until the next sample; at the last one, what acts."""
    judged = state.bodies[plant.rig[0].judged_body]
    trace.lowest_degC[k], trace.highest_degC[k] = judged.now_low_degC, judged.now_high_degC
    last = k == plant.rig[0].samples - 1
    for d in range(plant.drives.size):
        drive = state.drives[d]
        if last:
            trace.drives_W[d, k] = left_of(plant.drives[d], drive) * drive.acting * drive.full_W
            trace.put_out[d, k] = output_at(k * plant.rig[0].h, plant.drives[d], drive, state.lines[d])
        else:
            trace.drives_W[d, k] = (drive.moved_J - trace.drives_W[d, k]) / plant.rig[0].h


@part
def _finish(plant: Plant, state: State, heat: Heat) -> None:
    """Add up the heat lost, and what damp air brought."""
    last = plant.bodies.size + PROBE + plant.probes.size
    x = heat.adaptive.x
    if plant.ices.size > 0:
        add_damp(plant, state, x)
    state.loop[0].lost_J += x[x.size - 1] if plant.rig[0].nonlinear else slot_of(heat.linear.z, last)
