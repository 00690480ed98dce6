"""Heat flow that is not linear, advanced: `slopes.py` says what flows.

Between two changes of a drive it is advanced in steps that adapt to their error: by an explicit method (`explicit.py`)
where that span is short beside the quickest body, which is the rule; else, and where there is ice, by a linearly
implicit Runge–Kutta method of order 4 with an error estimate of order 3, stable however quick a body is: RODAS of
Hairer and Wanner, Solving Ordinary Differential Equations II, 1996, section IV.7, its coefficients as stated there.
"""

import math

import numpy as np

from .compiled import part, subroutine
from .crossing import NEAR_K, count_of, edge_of, share_at
from .drives import flow_at, left_of
from .explicit import bulge_K, explicit_step, quickest_per_s
from .heat import between, turning_share
from .plant import TIME_EPS, Plant, State
from .records import Grid, Reals
from .slopes import (
    AT,
    ERROR,
    RATE,
    RATE_AFTER,
    RATE_BEFORE,
    SOLVED,
    STAGES,
    Adaptive,
    content,
    slopes,
    temperature,
)

_GAMMA = 0.25
_A = np.array(
    [
        [0.0, 0.0, 0.0, 0.0, 0.0],
        [1.544, 0.0, 0.0, 0.0, 0.0],
        [0.9466785280815826, 0.2557011698983284, 0.0, 0.0, 0.0],
        [3.314825187068521, 2.896124015972201, 0.9986419139977817, 0.0, 0.0],
        [1.221224509226641, 6.019134481288629, 12.53708332932087, -0.6878860361058950, 0.0],
        [1.221224509226641, 6.019134481288629, 12.53708332932087, -0.6878860361058950, 1.0],
    ]
)
_C = np.array(
    [
        [0.0, 0.0, 0.0, 0.0, 0.0],
        [-5.6688, 0.0, 0.0, 0.0, 0.0],
        [-2.430093356833875, -0.2063599157091915, 0.0, 0.0, 0.0],
        [-0.1073529058151375, -9.594562251023355, -20.47028614809616, 0.0, 0.0],
        [7.496443313967647, -10.24680431464352, -33.99990352819905, 11.70890893206160, 0.0],
        [8.083246795921522, -7.981132988064893, -31.52159432874371, 16.31930543123136, -6.058818238834054],
    ]
)
_EXPLICIT_UP_TO = 30.0
"""Up to so many of the quickest time constant a span takes the explicit method less (measured on 45 rigs)."""
_EXPLICIT_SHARE = 0.1
"""Of the tolerance: its errors add up at corners, as where a fan stops; 4.8e-4 K with all of it (measured)."""
_ABSURD = 1e9  # K, of an error
_SHORTEST = 1e-7  # of a span: a step this short is taken whatever its error, at a corner of the heat content


@part
def _fill_matrix(step: float, jacobian: Grid, m: Grid) -> None:
    """1/(γh) − J."""
    for i in range(m.shape[0]):
        for j in range(m.shape[0]):
            m[i, j] = -jacobian[i, j]
        m[i, i] += 1.0 / (_GAMMA * step)


@part
def _factor(m: Grid) -> None:
    """LU factors in place of 1/(γh) − J, the inverses of the pivots on the diagonal.

    No pivoting: heat only flows from warm to cold, so that among bodies and probes each row's diagonal outweighs the
    rest of it; flows depend on nothing else and the heat lost acts on nothing, so that their rows cannot grow.
    """
    size = m.shape[0]
    for k in range(size):
        inverse = 1.0 / m[k, k]
        m[k, k] = inverse
        for i in range(k + 1, size):
            if m[i, k] != 0.0:
                factor = m[i, k] * inverse
                m[i, k] = factor
                for j in range(k + 1, size):
                    m[i, j] -= factor * m[k, j]


@part
def _solve(m: Grid, b: Reals) -> None:
    """Solve with the factors of `_factor`, in place."""
    size = m.shape[0]
    for i in range(1, size):
        s = b[i]
        for j in range(i):
            s -= m[i, j] * b[j]
        b[i] = s
    for i in range(size - 1, -1, -1):
        s = b[i]
        for j in range(i + 1, size):
            s -= m[i, j] * b[j]
        b[i] = s * m[i, i]


@part
def _implicit_step(step: float, fresh: bool, plant: Plant, state: State, adaptive: Adaptive) -> None:
    """One step from x: its end in row AT of the work, its error in ERROR."""
    x, work = adaptive.x, adaptive.work
    size = x.size
    jacobian, m = adaptive.squares[0], adaptive.squares[1]
    y, f, b = work[AT], work[RATE], work[SOLVED]
    for stage in range(STAGES):
        for i in range(size):
            y[i] = x[i]
        for j in range(stage):
            share = _A[stage, j]
            for i in range(size):
                y[i] += share * work[j, i]
        slopes(y, stage == 0 and not fresh, jacobian, plant, state, adaptive, f)
        if stage == 0:
            for i in range(size):
                work[RATE_BEFORE, i] = f[i]
            _fill_matrix(step, jacobian, m)
            _factor(m)
        for i in range(size):
            b[i] = f[i]
        for j in range(stage):
            share = _C[stage, j] / step
            for i in range(size):
                b[i] += share * work[j, i]
        _solve(m, b)
        for i in range(size):
            work[stage, i] = b[i]
    for i in range(size):
        work[ERROR, i] = b[i]
        y[i] += b[i]


@part
def _follow(step: float, explicit: bool, plant: Plant, state: State, adaptive: Adaptive) -> None:
    """Note how far each body goes in a step from x to row AT of the work, also between its ends."""
    x, work = adaptive.x, adaptive.work
    for i in range(plant.bodies.size):
        low, high = min(x[i], work[AT, i]), max(x[i], work[AT, i])
        if work[RATE_BEFORE, i] * work[RATE_AFTER, i] < 0.0:
            share = turning_share(x[i], work[RATE_BEFORE, i], work[AT, i], work[RATE_AFTER, i], step)
            extreme = between(x[i], work[RATE_BEFORE, i], work[AT, i], work[RATE_AFTER, i], step, share)
            if explicit:
                extreme += (share * (1.0 - share)) ** 2 * bulge_K(i, step, adaptive)
            low, high = min(low, extreme), max(high, extreme)
        low, high = temperature(low, plant.bodies[i])[0], temperature(high, plant.bodies[i])[0]
        body = state.bodies[i]
        body.now_low_degC, body.now_high_degC = min(body.now_low_degC, low), max(body.now_high_degC, high)


@subroutine
def _crossing(step: float, plant: Plant, state: State, adaptive: Adaptive) -> float:
    """Where in a step from x to row AT of the work a switch first comes to its level, 0…1; below 0: none does."""
    x, work, soonest = adaptive.x, adaptive.work, -1.0
    for s in range(count_of(plant)):
        i, degC, sign = edge_of(s, plant, state)
        if math.isinf(degC):
            continue
        level = content(degC, plant.bodies[i])
        if sign * (x[i] - level) < 0.0:
            share = share_at(x[i], work[RATE_BEFORE, i], work[AT, i], work[RATE_AFTER, i], step, level, sign)
            if share >= 0.0 and (soonest < 0.0 or share < soonest):
                soonest = share
    return soonest


@part
def _at_edge(plant: Plant, state: State, adaptive: Adaptive) -> bool:
    """Whether a switch is to act now."""
    for s in range(count_of(plant)):
        i, degC, sign = edge_of(s, plant, state)
        if sign * (temperature(adaptive.x[i], plant.bodies[i])[0] - degC) >= -NEAR_K:
            return True
    return False


@part
def _largest(errors: Reals) -> float:
    """The largest error of all but the heat lost; at most _ABSURD."""
    largest = 0.0
    for i in range(errors.size - 1):
        largest = max(largest, abs(errors[i]))
        if not abs(errors[i]) < _ABSURD:  # too long a step goes anywhere, also to what is no number
            largest = _ABSURD
    return largest


@subroutine
def smooth_span(span: float, plant: Plant, state: State, adaptive: Adaptive) -> float:
    """Advance the state over a span in which no drive changes, s; gives how far it came: a switch may end it."""
    x, work, loop = adaptive.x, adaptive.work, state.loop[0]
    size, y, error_of = x.size, work[AT], work[ERROR]
    done, fresh, crosses_s = 0.0, False, 0.0
    explicit = plant.ices.size == 0 and span * quickest_per_s(plant, state, adaptive) <= _EXPLICIT_UP_TO
    tolerance = plant.rig[0].tolerance_K * (_EXPLICIT_SHARE if explicit else 1.0)
    while done < span * (1.0 - 1e-12) and loop.steps < plant.rig[0].most_steps:
        loop.steps += 1
        step = min(loop.step_s, span - done) if crosses_s == 0.0 else crosses_s
        if explicit:
            explicit_step(step, fresh, plant, state, adaptive)
        else:
            _implicit_step(step, fresh, plant, state, adaptive)
        fresh = True
        error = _largest(error_of)
        if error == _ABSURD and step <= _SHORTEST * span:
            x[0] = math.nan  # no step is short enough: the caller sees it
            done = span
        order = 5.0 if explicit else 4.0
        allowed = step * min(max(0.9 * (tolerance / max(error, 1e-30)) ** (1.0 / order), 0.2), 6.0)
        if error <= tolerance or (step <= _SHORTEST * span and error < _ABSURD):
            if not explicit:
                slopes(y, False, adaptive.squares[0], plant, state, adaptive, work[RATE_AFTER])
            if plant.rig[0].switched and crosses_s == 0.0:
                share = _crossing(step, plant, state, adaptive)
                if share >= 0.0:  # once more, to just there
                    crosses_s = max(share, 1e-9) * step
                    continue
            _follow(step, explicit, plant, state, adaptive)
            for i in range(size):
                x[i] = y[i]
                work[RATE_BEFORE, i] = work[RATE_AFTER, i]
            done += step
            fresh = explicit
            if crosses_s > 0.0:  # a step that ends at a crossing says nothing of how long one may be
                crosses_s = 0.0
                if _at_edge(plant, state, adaptive):
                    return done
                continue
            if step < loop.step_s:  # cut short by the end of the span: that says nothing against a longer one
                allowed = max(allowed, loop.step_s)
        crosses_s, loop.step_s = 0.0, allowed
    return span


@subroutine
def begin_adaptive(plant: Plant, state: State, adaptive: Adaptive) -> None:
    """Write the state at the start."""
    n, x = plant.bodies.size, adaptive.x
    for i in range(n):
        x[i] = content(plant.bodies[i].start_degC, plant.bodies[i])
    for p in range(plant.probes.size):
        x[n + p] = plant.bodies[plant.probes[p].sits_in].start_degC
    for d in range(plant.drives.size):
        x[n + plant.probes.size + d] = state.drives[d].target
    for e in range(plant.ices.size):
        x[n + plant.probes.size + plant.drives.size + 2 * e] = plant.ices[e].start_K


@subroutine
def advance_adaptive(t: float, span: float, plant: Plant, state: State, adaptive: Adaptive) -> float:
    """Advance the state over one span, stopping at each change of a drive; arguments as for `linear.advance`.

    Returns:
        The instant that it came to: that of a switch that is to act, else the end.
    """
    end, flow_slot = t + span, plant.bodies.size + plant.probes.size
    while t < end - TIME_EPS:
        until = end
        for i in range(plant.bodies.size):
            adaptive.into_W[i] = state.bodies[i].into_W
        for d in range(plant.drives.size):
            settings, drive, line = plant.drives[d], state.drives[d], state.lines[d]
            changed = False
            while drive.head != drive.tail and line[drive.head].at_s <= t + TIME_EPS:
                drive.acting, drive.ramp_per_s = line[drive.head].level, line[drive.head].slope_per_s
                drive.head = drive.head + 1 if drive.head + 1 < line.size else 0
                changed = True
            if changed and settings.moves:  # of changes at one instant only the last one counts
                drive.target = drive.left * flow_at(settings, drive.acting, drive.supply, drive.target > 0.0)
                if settings.speed_lag_s == 0.0:
                    adaptive.x[flow_slot + d] = drive.target
            if drive.head != drive.tail and line[drive.head].at_s < until - TIME_EPS:
                until = line[drive.head].at_s
            if not settings.moves and settings.acts_on >= 0:
                adaptive.into_W[settings.acts_on] += drive.acting * drive.full_W
        came = smooth_span(until - t, plant, state, adaptive)
        stops = came < until - t
        until = t + came if stops else until
        for d in range(plant.drives.size):
            drive = state.drives[d]
            went = drive.ramp_per_s * (until - t)
            drive.moved_J += left_of(plant.drives[d], drive) * (drive.acting + went / 2.0) * drive.full_W * (until - t)
            drive.acting += went
        t = until
        if stops:
            return t
    return end
