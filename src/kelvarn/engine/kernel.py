"""The closed loop, sample by sample: probes, control law, drives, rig. One compiled call is one run."""

import math

from .codes import (
    AGE,
    AT_REST,
    CONVERTER,
    CORRECT_SLOPE,
    CORRECT_TRUE,
    DEAD_TIME,
    DRAW_CHANGES,
    END_A,
    END_B,
    EVENT_A,
    EVENT_B,
    EVENT_C,
    FAULT_CHANGES,
    HAND,
    KIND,
    LAG,
    LINK_CHANGES,
    LOAD_CHANGES,
    MOVES,
    NO_CONVERTER,
    OFFSET,
    ON_OFF,
    ONE_WAY,
    POWER_W,
    SITS_IN,
    SLOPE,
    STALL,
    SUPPLY_CHANGES,
    SURROUNDINGS_CHANGE,
    VALVE,
)  # fmt: skip
from .codes import BY_SUPPLY as BY_SUPPLY_SLOT
from .curved import advance_curved, content, temperature
from .drives import LEVEL, MOTOR, SWITCH_ONS, drive_step, drive_steps, push_change, share_out
from .drives import SHORTEST_OFF as DRIVE_SHORTEST_OFF
from .drives import SHORTEST_ON as DRIVE_SHORTEST_ON
from .heat import (
    EXTRA,
    ONE,
    PROBE,
    SURROUNDINGS,
    TERMS,
    TIME_EPS,
    add_link,
    advance,
    advance_once,
    prepare,
    put_slot,
    slot_of,
)
from .jit import compiled
from .laws import (
    ASKED,
    D_TERM,
    GIVEN,
    I_TERM,
    LEFT,
    P_TERM,
    hand_step,
    on_off_start,
    on_off_step,
    pid_start,
    pid_step,
)
from .probes import aged, begin_fault, reading
from .scratch import SCRATCH
from .watching import other_readings

# Rows of the trace, each of one value per sample.
MEASURED, DRIVE, ASKED_DRIVE, P, I, D, DELAY_LEFT = range(7)  # noqa: E741
TRACE_ROWS = 7
# Rows of what is recorded of each drive: W, and relative flow or position of one that moves something.
DRIVE_WATTS, DRIVE_FLOW = range(2)
# Totals of a run: heat brought by loads and lost to the surroundings in J; when a body left every sensible range, s.
LOADED, LOST, DIVERGED_AT = range(3)
TOTALS_SIZE = 3
# What a run returns but for the index of a body: all well, too many steps, arrays of shapes it was not made for.
FINISHED, GIVEN_UP, MISFIT = -1, -2, -3
# Totals of each drive: level times seconds times its watts in J; switchings.
MOVED, ONS, MIN_ON, MIN_OFF = range(4)
DRIVE_TOTALS_SIZE = 4

_COLDEST, _HOTTEST = -273.15, 20000.0


READ = "d d d d ? d1 d2 d1 q2 d2 d1 q1 q1 d2 d2 q d2 q d2 d d1"
"""Types of what is the same for all candidates, from `h` to `setpoint`."""


@compiled(f"{READ} d1 q d1 {SCRATCH} d2 q1 d2 d2 d3 d1 d2 -> q")
def run_loop(
    h,
    step_limit,
    tolerance,
    most_steps,
    curved,
    inv_c,
    melt,
    start,
    link_ends,
    link_values,
    event_t,
    event_kind,
    event_index,
    event_values,
    drive_table,
    sharing,
    probe_table,
    control,
    noise,
    mirror,
    setpoint,
    start_levels,
    law,
    law_settings,
    levels,
    demands,
    moved,
    before,
    watts,
    targets,
    ramps,
    drive_state,
    lines,
    ends,
    state,
    rate,
    work,
    flow,
    scratch,
    transition,
    part_transition,
    series,
    push,
    part_push,
    x,
    squares,
    curved_work,
    steady,
    into,
    drawn,
    usual,
    links,
    probe_state,
    history,
    rates,
    plain,
    law_state,
    decision,
    trace,
    reasons,
    temperatures,
    readings,
    of_drives,
    totals,
    drive_totals,
):
    """Run one candidate on one trial.

    Args:
        h: sample interval, s.
        step_limit: longest step of the exact integration, s.
        tolerance, most_steps: error of a step of the adaptive one, K, and the steps after which it is given up.
        curved: whether the rig needs the adaptive integration.
        inv_c, melt, start: K/J and melting of the bodies; degC at the start, the surroundings last, shape (n+1,).
        link_ends, link_values: links, among them one of 0 W/K for each door.
        event_t, event_kind, event_index, event_values: what changes when, in order of time.
        drive_table, sharing: drives.
        probe_table, control, noise: probes, which of them controls, and noise in K, shape (probes, m).
        mirror: −1 where all drives cool, else 1.
        setpoint: degC at each sample.
        start_levels: of the drives before the run.
        law, law_settings: ON_OFF, PID or HAND.
        levels … decision: what `scratch.scratch` makes, all zero.
        trace, reasons, temperatures, readings, of_drives, totals, drive_totals: written; shapes (TRACE_ROWS, m), (m,),
            (named bodies, m), (probes, m), (2, drives, m), (TOTALS_SIZE,), (drives, DRIVE_TOTALS_SIZE).

    Returns:
        FINISHED, GIVEN_UP, MISFIT, or the index of the body that left every sensible range.
    """
    n, samples = inv_c.size, setpoint.size
    drives, probes, shown = drive_table.shape[0], probe_table.shape[0], temperatures.shape[0]
    size = n + EXTRA + probes
    # What the compiler cannot know otherwise, and makes vector instructions of (measured).
    if not (
        state.shape[1] == rate.shape[1] == work.shape[1] == 8
        and transition.shape[1] == transition.shape[3] == part_transition.shape[1] == part_transition.shape[3] == 8
        and series.shape[1] == TERMS
        and series.shape[3] == push.shape[2] == part_push.shape[2] == 8
        and trace.shape[1] == readings.shape[1] == temperatures.shape[1] == of_drives.shape[2] == samples
    ):
        return MISFIT
    # Drives.
    for d in range(drives):
        watts[d], levels[d] = drive_table[d, POWER_W], start_levels[d]
        drive_state[d, DRIVE_SHORTEST_ON] = drive_state[d, DRIVE_SHORTEST_OFF] = -1.0
        if drive_table[d, MOVES] > 0.0 and levels[d] >= drive_table[d, STALL]:
            targets[d] = levels[d]
        if drive_table[d, KIND] == VALVE:
            drive_state[d, LEVEL] = drive_state[d, MOTOR] = levels[d]
        elif levels[d] > 0.0:  # what was before the run ends when the first order arrives
            push_change(drive_table[d, DEAD_TIME], 0.0, 0.0, lines[d], ends[d])
    # A view made for each sample would be counted in and out each time.
    main_settings, main_state, main_line, main_ends = drive_table[0], drive_state[0], lines[0], ends[0]
    supply = 1.0
    usual[0], usual[2] = h, most_steps
    for j in range(link_values.shape[0]):
        for slot in range(link_values.shape[1]):
            links[j, slot] = link_values[j, slot]  # doors change them
    drawn_in = 0.0
    outside = start[n]
    parts, span = 1, h
    if curved:
        for i in range(n):
            x[i] = content(start[i], melt[i])
        for p in range(probes):
            x[n + p] = start[int(probe_table[p, SITS_IN])]
        for d in range(drives):
            x[n + probes + d] = targets[d]
    else:
        for i in range(n + 1):
            put_slot(state, i, start[i])
        put_slot(state, n + ONE, 1.0)
        for j in range(link_values.shape[0]):
            add_link(
                flow, link_ends[j, END_A], link_ends[j, END_B], link_ends[j, ONE_WAY], link_values[j, AT_REST], n, inv_c
            )
        for p in range(probes):
            body, slot = int(probe_table[p, SITS_IN]), n + PROBE + p
            put_slot(state, slot, start[body])
            if probe_table[p, LAG] > 0.0:
                flow[slot, body] = 1.0 / probe_table[p, LAG]
                flow[slot, slot] = -1.0 / probe_table[p, LAG]
        parts = max(1, math.ceil(h / step_limit - TIME_EPS))
        span = h / parts
        prepare(flow, span, inv_c, drive_table, transition, push, series, scratch)
    # Probes.
    for p in range(probes):
        c = probe_table[p]
        straight = c[OFFSET] == 0.0 and c[SLOPE] == 1.0 and c[CORRECT_SLOPE] == 1.0 and c[CORRECT_TRUE] == 0.0
        plain[p] = straight and c[CONVERTER] == NO_CONVERTER
    control_settings, control_state = probe_table[control], probe_state[control]
    for slot in range(TOTALS_SIZE):
        totals[slot] = 0.0
    load, next_event = 0.0, 0
    for k in range(samples):
        t = k * h
        if curved and usual[1] >= usual[2]:
            totals[DIVERGED_AT] = t
            return GIVEN_UP
        # Bodies.
        for i in range(n):
            degC = slot_of(state, i) if not curved else temperature(x, melt, i)[0]
            if not _COLDEST - 1.0 < degC < _HOTTEST:
                totals[DIVERGED_AT] = t
                return i
            if i < shown:
                temperatures[i, k] = degC
        # What is due now, such as a fault, is so for the reading already.
        while (
            next_event < event_t.size
            and event_t[next_event] <= t + TIME_EPS
            and event_kind[next_event] == FAULT_CHANGES
        ):
            values = event_values[next_event]
            begin_fault(t, values[EVENT_A], values[EVENT_B], values[EVENT_C], probe_state[event_index[next_event]])
            next_event += 1
        # Probes.
        body = int(control_settings[SITS_IN])
        degC = slot_of(state, body) if not curved else temperature(x, melt, body)[0]
        sensed = degC
        if control_settings[LAG] > 0.0:
            sensed = slot_of(state, n + PROBE + control) if not curved else x[n + control]
        if control_settings[AGE] > 0.0:
            sensed = aged(k, h, degC, sensed, control_settings, history[control], rates[control])
        y = reading(t, sensed, noise[control, k], control_settings, control_state, plain[control])
        readings[control, k] = y
        if probes > 1:
            other_readings(k, h, control, curved, n, state, x, melt, probe_table, probe_state, plain, noise, history,
                           rates, readings)  # fmt: skip
        # Law.
        r = setpoint[k]
        if law == ON_OFF:
            if k == 0:
                on_off_start(law_state)
            reason = on_off_step(mirror * r, mirror * y, h, law_settings, law_state, decision)
        elif law == HAND:
            reason = hand_step(law_settings, decision)
        else:
            if k == 0:
                pid_start(mirror * y, law_settings, law_state)
            reason = pid_step(mirror * r, mirror * y, h, law_settings, law_state, decision)
        trace[MEASURED, k] = y
        trace[DRIVE, k] = decision[GIVEN]
        trace[ASKED_DRIVE, k] = decision[ASKED]
        trace[P, k] = decision[P_TERM]
        trace[I, k] = decision[I_TERM]
        trace[D, k] = decision[D_TERM]
        trace[DELAY_LEFT, k] = decision[LEFT]
        reasons[k] = reason
        for d in range(drives):
            if curved and drive_table[d, MOVES] > 0.0:
                of_drives[DRIVE_FLOW, d, k] = x[n + probes + d]
            of_drives[DRIVE_WATTS, d, k] = levels[d] * watts[d]
        if k == samples - 1:
            break
        # Drives.
        if drives == 1:
            demands[0] = max(decision[GIVEN], 0.0)
        else:
            share_out(decision[GIVEN], sharing, drive_table, demands)
        drive_step(demands[0], t, h, main_settings, main_state, main_line, main_ends)
        if drives > 1:
            drive_steps(1, demands, t, h, drive_table, drive_state, lines, ends)
        for d in range(drives):
            before[d] = moved[d]
        # Rig, part by part; a part in which something changes is split there.
        for part in range(parts):
            t = k * h + part * span
            end = t + span
            if next_event == event_t.size or event_t[next_event] >= end - TIME_EPS:
                if curved:
                    advance_curved(t, span, levels, watts, targets, ramps, tolerance, usual, x, inv_c, melt, link_ends,
                                   links, probe_table, drive_table, steady, into, drawn, outside, squares,
                                   curved_work, lines, ends, moved)  # fmt: skip
                else:
                    advance(t, span, levels, watts, transition, push, series, state, rate, work, lines, ends, moved)
                totals[LOADED] += load * span
                totals[LOST] -= drawn_in * span
                continue
            while t < end - TIME_EPS:
                while next_event < event_t.size and event_t[next_event] <= t + TIME_EPS:
                    kind, index, values = event_kind[next_event], event_index[next_event], event_values[next_event]
                    if kind == LINK_CHANGES:
                        links[index, AT_REST] += values[EVENT_A]
                        if not curved:
                            add_link(flow, link_ends[index, END_A], link_ends[index, END_B], link_ends[index, ONE_WAY],
                                     values[EVENT_A], n, inv_c)  # fmt: skip
                    elif kind == LOAD_CHANGES:
                        steady[index] += values[EVENT_A]
                        load += values[EVENT_A]
                        if not curved:
                            flow[index, n + ONE] += values[EVENT_A] * inv_c[index]
                    elif kind == DRAW_CHANGES:
                        g, heat = values[EVENT_A], values[EVENT_A] * values[EVENT_B]
                        drawn[index] += g
                        steady[index] += heat
                        drawn_in += heat
                        if not curved:
                            flow[index, index] -= g * inv_c[index]
                            flow[index, n + ONE] += heat * inv_c[index]
                            flow[size - 1, index] += g
                    elif kind == SURROUNDINGS_CHANGE:
                        outside += values[EVENT_A]
                        if not curved:
                            put_slot(state, n + SURROUNDINGS, slot_of(state, n + SURROUNDINGS) + values[EVENT_A])
                    elif kind == SUPPLY_CHANGES:
                        supply += values[EVENT_A]
                        for d in range(drives):
                            if drive_table[d, BY_SUPPLY_SLOT] > 0.0:
                                watts[d] = drive_table[d, POWER_W] * supply * supply
                    else:
                        begin_fault(t, values[EVENT_A], values[EVENT_B], values[EVENT_C], probe_state[index])
                    next_event += 1
                until = end
                if next_event < event_t.size and event_t[next_event] < end - TIME_EPS:
                    until = event_t[next_event]
                if curved:
                    usual[0] = min(usual[0], until - t)
                    advance_curved(t, until - t, levels, watts, targets, ramps, tolerance, usual, x, inv_c, melt,
                                   link_ends, links, probe_table, drive_table, steady, into, drawn, outside,
                                   squares, curved_work, lines, ends, moved)  # fmt: skip
                else:
                    advance_once(t, until - t, flow, inv_c, drive_table, levels, watts, part_transition, part_push,
                                 series, state, rate, work, lines, ends, moved, scratch)  # fmt: skip
                totals[LOADED] += load * (until - t)
                totals[LOST] -= drawn_in * (until - t)
                t = until
            if not curved:
                prepare(flow, span, inv_c, drive_table, transition, push, series, scratch)
        for d in range(drives):
            of_drives[DRIVE_WATTS, d, k] = (moved[d] - before[d]) / h
    totals[LOST] += x[x.size - 1] if curved else slot_of(state, size - 1)
    for d in range(drives):
        drive_totals[d, MOVED] = moved[d]
        drive_totals[d, ONS] = drive_state[d, SWITCH_ONS]
        drive_totals[d, MIN_ON] = drive_state[d, DRIVE_SHORTEST_ON]
        drive_totals[d, MIN_OFF] = drive_state[d, DRIVE_SHORTEST_OFF]
    return FINISHED
