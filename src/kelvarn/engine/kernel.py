"""The closed loop, sample by sample: probe, control law, drive, rig. One compiled call is one run."""

import math

import numpy as np

from .codes import LINK_CHANGES, LOAD_CHANGES, ON_OFF
from .drives import SHORTEST_OFF as DRIVE_SHORTEST_OFF
from .drives import SHORTEST_ON as DRIVE_SHORTEST_ON
from .drives import STATE_SIZE as DRIVE_STATE_SIZE
from .drives import SWITCH_ONS, drive_step
from .heat import (
    EXTRA,
    ONE,
    PROBE,
    SURROUNDINGS,
    TERMS,
    TIME_EPS,
    add_link,
    add_power,
    advance,
    drive_series,
    exponential,
)
from .heat import LOST as LOST_SLOT
from .jit import compiled
from .laws import (
    ASKED,
    D_TERM,
    DECISION_SIZE,
    GIVEN,
    I_TERM,
    LEFT,
    P_TERM,
    STATE_SIZE,
    on_off_start,
    on_off_step,
    pid_start,
    pid_step,
)

# Rows of the trace, each of one value per sample.
MEASURED, DRIVE, ASKED_DRIVE, P, I, D, DELAY_LEFT, POWER = range(8)  # noqa: E741
TRACE_ROWS = 8
# Totals of a run: heat moved by the drive, brought by loads and lost to the surroundings in J; switchings; when a body
# left every sensible range, s.
ENERGY, LOADED, LOST, ONS, MIN_ON, MIN_OFF, DIVERGED_AT = range(7)
TOTALS_SIZE = 7

_COLDEST, _HOTTEST = -273.15, 20000.0


@compiled(
    "int64(float64, float64, float64[::1], float64[::1], int64[::1], int64[::1], float64[::1],"
    " float64[::1], int64[::1], int64[::1], float64[::1],"
    " int64, int64, float64, float64, float64[::1], int64,"
    " int64, float64, float64, float64[::1],"
    " int64, float64, float64[::1], float64[::1],"
    " float64[:, ::1], int64[::1], float64[:, ::1], float64[::1])"
)
def run_loop(
    h,
    step_limit,
    inv_c,
    start,
    link_a,
    link_b,
    link_g,
    event_t,
    event_kind,
    event_index,
    event_change,
    drive_kind,
    drive_body,
    drive_power,
    dead_time,
    drive_settings,
    line_size,
    probe_body,
    probe_lag,
    probe_step,
    noise,
    law,
    mirror,
    law_settings,
    setpoint,
    trace,
    reasons,
    temperatures,
    totals,
):
    """Run one candidate on one trial.

    Args:
        h, step_limit: sample interval and longest integration step, s.
        inv_c, start: K/J of the bodies; state at the start, shape (n+2,).
        link_a, link_b, link_g: links, among them one of 0 W/K for each door.
        event_t, event_kind, event_index, event_change: what changes when, in order of time.
        drive_kind … line_size: drive; power is negative for one that cools; line_size bounds the delay line.
        probe_body, probe_lag, probe_step, noise: probe; noise in K for each sample.
        law, mirror, law_settings: ON_OFF or PID; mirror is −1 for a cooling drive.
        setpoint: degC at each sample.
        trace, reasons, temperatures, totals: written; shapes (TRACE_ROWS, m), (m,), (n, m), (TOTALS_SIZE,).

    Returns:
        −1, or the index of the body that left every sensible range.
    """
    n, samples = inv_c.size, setpoint.size
    size = n + EXTRA
    blocks = (size + 7) // 8
    state, work = np.zeros((blocks, 8)), np.zeros((blocks, 8))
    z = state.reshape(-1)
    z[: n + 1] = start[: n + 1]
    z[n + ONE] = 1.0
    z[n + PROBE] = start[n + 1]
    flow, scratch_a, scratch_b = np.zeros((size, size)), np.zeros((size, size)), np.zeros((size, size))
    for j in range(link_g.size):
        add_link(flow, link_a[j], link_b[j], link_g[j], n, inv_c)
    if probe_lag > 0.0:
        flow[n + PROBE, probe_body] = 1.0 / probe_lag
        flow[n + PROBE, n + PROBE] = -1.0 / probe_lag
    transition, part_transition = np.zeros((blocks, 8, blocks, 8)), np.zeros((blocks, 8, blocks, 8))
    series = np.zeros((TERMS, blocks, 8))
    parts = max(1, math.ceil(h / step_limit - TIME_EPS))
    span = h / parts
    exponential(flow, span, transition, scratch_a, scratch_b)
    drive_series(flow, drive_body, inv_c[drive_body], series)
    push, part_push = np.zeros((blocks, 8)), np.zeros((blocks, 8))
    add_power(series, span, 1.0, push)
    moved = np.zeros(1)
    law_state = np.zeros(STATE_SIZE)
    decision = np.zeros(DECISION_SIZE)
    drive_state = np.zeros(DRIVE_STATE_SIZE)
    drive_state[DRIVE_SHORTEST_ON] = drive_state[DRIVE_SHORTEST_OFF] = -1.0
    line_t, line_level = np.zeros(line_size), np.zeros(line_size)
    ends = np.zeros(2, np.int64)
    totals[:] = 0.0
    level, load, next_event = 0.0, 0.0, 0
    for k in range(samples):
        t = k * h
        end = t + h
        # Probe.
        y = (z[n + PROBE] if probe_lag > 0.0 else z[probe_body]) + noise[k]
        if probe_step > 0.0:
            y = math.floor(y / probe_step + 0.5) * probe_step
        # Law.
        r = setpoint[k]
        if law == ON_OFF:
            if k == 0:
                on_off_start(law_state)
            reason = on_off_step(mirror * r, mirror * y, h, law_settings, law_state, decision)
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
        for i in range(n):
            temperatures[i, k] = z[i]
            if not _COLDEST - 1.0 < z[i] < _HOTTEST:
                totals[DIVERGED_AT] = t
                return i
        if k == samples - 1:
            trace[POWER, k] = level * drive_power
            break
        # Drive.
        drive_step(
            drive_kind,
            decision[GIVEN],
            t,
            h,
            dead_time,
            drive_settings,
            drive_state,
            line_t,
            line_level,
            ends,
        )
        # Rig, part by part; a part in which an event begins or ends is split there.
        before = moved[0]
        for part in range(parts):
            t = k * h + part * span
            end = t + span
            if next_event == event_t.size or event_t[next_event] >= end - TIME_EPS:
                level = advance(
                    t,
                    span,
                    level,
                    drive_power,
                    transition,
                    push,
                    series,
                    state,
                    work,
                    line_t,
                    line_level,
                    ends,
                    moved,
                )
                totals[LOADED] += load * span
                continue
            while t < end - TIME_EPS:
                while next_event < event_t.size and event_t[next_event] <= t + TIME_EPS:
                    index, change = event_index[next_event], event_change[next_event]
                    if event_kind[next_event] == LINK_CHANGES:
                        add_link(flow, link_a[index], link_b[index], change, n, inv_c)
                    elif event_kind[next_event] == LOAD_CHANGES:
                        flow[index, n + ONE] += change * inv_c[index]
                        load += change
                    else:
                        z[n + SURROUNDINGS] += change
                    next_event += 1
                until = end
                if next_event < event_t.size and event_t[next_event] < end - TIME_EPS:
                    until = event_t[next_event]
                exponential(flow, until - t, part_transition, scratch_a, scratch_b)
                drive_series(flow, drive_body, inv_c[drive_body], series)
                part_push[:] = 0.0
                add_power(series, until - t, 1.0, part_push)
                level = advance(
                    t, until - t, level, drive_power, part_transition, part_push, series, state, work,
                    line_t, line_level, ends, moved,
                )  # fmt: skip
                totals[LOADED] += load * (until - t)
                t = until
            exponential(flow, span, transition, scratch_a, scratch_b)
            push[:] = 0.0
            add_power(series, span, 1.0, push)
        trace[POWER, k] = (moved[0] - before) / h
    totals[ENERGY] = moved[0]
    totals[LOST] = z[n + LOST_SLOT]
    totals[ONS] = drive_state[SWITCH_ONS]
    totals[MIN_ON] = drive_state[DRIVE_SHORTEST_ON]
    totals[MIN_OFF] = drive_state[DRIVE_SHORTEST_OFF]
    return -1
