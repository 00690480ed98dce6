"""Heat flow that is not linear: radiation, melting, fans and valves.

The state x is one array: bodies 0…n−1, probes (degC), relative flow or position of each drive that moves something
(0…1), and the heat lost to the surroundings so far (J). A body that melts is carried by its heat content, as the
temperature θ it would have without its latent heat: dθ/dt is the heat flowing in over C, without a jump where melting
begins, and T is found from θ.

Between two changes of a drive it is advanced by a linearly implicit Runge–Kutta method of order 4 with an error
estimate of order 3, stable however quick a body is: RODAS of Hairer and Wanner, Solving Ordinary Differential
Equations II, 1996, section IV.7, with its coefficients as stated there. Steps adapt to the error.
"""

import math

import numpy as np

from .codes import (
    ACTS_ON,
    AT_FULL,
    AT_REST,
    END_A,
    END_B,
    EXPONENT,
    LAG,
    MELT_FROM,
    MELT_K,
    MELT_TO,
    MOVER,
    MOVES,
    ONE_WAY,
    RADIATES,
    SITS_IN,
    SPEED_LAG,
    STALL,
)  # fmt: skip
from .drives import HEAD, LINE_LEVEL, LINE_SLOPE, LINE_T, TAIL
from .heat import TIME_EPS
from .jit import part, subroutine
from .probes import KELVIN

_GAMMA = 0.25
_STAGES = 6
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
_SLOWEST_FLOW = 1e-3  # below it the slope of flow^m, endless at 0 for m < 1, is taken here
_ABSURD = 1e9  # K, of an error
_SHORTEST = 1e-7  # of a span: a step this short is taken whatever its error, at a corner of the heat content


@subroutine
def content(degC, melt):
    """θ of a body at a temperature."""
    width = melt[MELT_TO] - melt[MELT_FROM]
    if melt[MELT_K] == 0.0 or degC <= melt[MELT_FROM]:
        return degC
    if degC >= melt[MELT_TO]:
        return degC + melt[MELT_K]
    return melt[MELT_FROM] + (degC - melt[MELT_FROM]) * (1.0 + melt[MELT_K] / width)


@part
def temperature(x, melt, i):
    """Temperature of body i in degC, and its slope dT/dθ."""
    theta, extra = x[i], melt[i, MELT_K]
    if extra == 0.0 or theta <= melt[i, MELT_FROM]:
        return theta, 1.0
    if theta >= melt[i, MELT_TO] + extra:
        return theta - extra, 1.0
    slope = 1.0 / (1.0 + extra / (melt[i, MELT_TO] - melt[i, MELT_FROM]))
    return melt[i, MELT_FROM] + (theta - melt[i, MELT_FROM]) * slope, slope


@part
def slopes(
    x,
    jacobian,
    wanted,
    inv_c,
    melt,
    ends_of,
    links,
    probes,
    drives,
    watts,
    targets,
    ramps,
    into,
    drawn,
    outside,
    degC,
    dx,
):
    """dx/dt, and where `wanted` its Jacobian.

    Args:
        x: state; jacobian: shape (size, size), written where wanted; dx: written.
        inv_c, melt, ends_of, links, probes, drives: the rig, laid out as in codes.py.
        watts: of each drive at full, now.
        targets, ramps: of each drive that moves something, its flow's target and the rate of its position in 1/s.
        into: W into each body that do not depend on the state.
        drawn: W/K drawn from each body.
        outside: temperature of the surroundings, degC.
        degC: scratch, temperatures of the bodies and their slopes, shape (2, size).
    """
    n, count, movers = inv_c.size, probes.shape[0], drives.shape[0]
    size = x.size
    lost = size - 1
    if wanted:
        jacobian[:] = 0.0
    dx[lost] = 0.0
    for i in range(n):
        degC[0, i], degC[1, i] = temperature(x, melt, i)
        dx[i] = into[i] - drawn[i] * degC[0, i]
        dx[lost] += drawn[i] * degC[0, i]
        if wanted:
            jacobian[i, i] = -drawn[i] * degC[1, i]
            jacobian[lost, i] = drawn[i] * degC[1, i]
    for k in range(links.shape[0]):
        a, b, mover = ends_of[k, END_A], ends_of[k, END_B], ends_of[k, MOVER]
        ta = degC[0, a] if a < n else outside
        tb = degC[0, b] if b < n else outside
        g = links[k, AT_REST]
        if mover >= 0:
            flow = max(x[n + count + mover], 0.0)
            if flow > 0.0:
                g += links[k, AT_FULL] * flow ** links[k, EXPONENT]
        heat = g * (tb - ta)
        ga = gb = g
        if links[k, RADIATES] > 0.0:
            ka, kb = ta + KELVIN, tb + KELVIN
            heat += links[k, RADIATES] * (kb * kb * kb * kb - ka * ka * ka * ka)
            ga += 4.0 * links[k, RADIATES] * ka * ka * ka
            gb += 4.0 * links[k, RADIATES] * kb * kb * kb
        row_a, row_b = (a if a < n else lost), (b if b < n else lost)
        feels = ends_of[k, ONE_WAY] == 0
        if feels:
            dx[row_a] += heat
        dx[row_b] -= heat
        if wanted:
            if a < n:
                da = -ga * degC[1, a]
                if feels:
                    jacobian[row_a, a] += da
                jacobian[row_b, a] -= da
            if b < n:
                db = gb * degC[1, b]
                if feels:
                    jacobian[row_a, b] += db
                jacobian[row_b, b] -= db
            if mover >= 0:
                flow = max(x[n + count + mover], _SLOWEST_FLOW)
                e = links[k, EXPONENT]
                df = links[k, AT_FULL] * e * flow ** (e - 1.0) * (tb - ta)
                if feels:
                    jacobian[row_a, n + count + mover] += df
                jacobian[row_b, n + count + mover] -= df
    for d in range(movers):
        slot = n + count + d
        dx[slot] = 0.0
        if drives[d, MOVES] == 0.0:
            continue
        body = int(drives[d, ACTS_ON])
        if body >= 0:
            dx[body] += watts[d] * x[slot]
            if wanted:
                jacobian[body, slot] += watts[d]
        if drives[d, SPEED_LAG] > 0.0:
            dx[slot] = (targets[d] - x[slot]) / drives[d, SPEED_LAG]
            if wanted:
                jacobian[slot, slot] = -1.0 / drives[d, SPEED_LAG]
        else:
            dx[slot] = ramps[d]
    for i in range(n):
        dx[i] *= inv_c[i]
        if wanted:
            for j in range(size):
                jacobian[i, j] *= inv_c[i]
    for p in range(count):
        dx[n + p] = 0.0
        if probes[p, LAG] > 0.0:
            body = int(probes[p, SITS_IN])
            dx[n + p] = (degC[0, body] - x[n + p]) / probes[p, LAG]
            if wanted:
                jacobian[n + p, body] = degC[1, body] / probes[p, LAG]
                jacobian[n + p, n + p] = -1.0 / probes[p, LAG]


@part
def _factor(m):
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
def _solve(m, b):
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


@subroutine
def smooth_span(
    span,
    tolerance,
    usual,
    x,
    inv_c,
    melt,
    ends_of,
    links,
    probes,
    drives,
    watts,
    targets,
    ramps,
    into,
    drawn,
    outside,
    square,
    work,
):
    """Advance the state over a span in which no drive changes.

    Args:
        span: s; tolerance: K in one step.
        usual: step that the error allows, s, and steps taken so far, kept up to date; and the most steps of a run.
        square, work: scratch, shapes (2, size, size) and (11, size).
        The rest: as for `slopes`.
    """
    size = x.size
    checked = size - 1  # all but the heat lost
    jacobian, m = square[0], square[1]
    y, f, b = work[_STAGES], work[_STAGES + 1], work[_STAGES + 2]
    degC = work[_STAGES + 3 : _STAGES + 5]
    done, fresh = 0.0, False
    while done < span * (1.0 - 1e-12) and usual[1] < usual[2]:
        usual[1] += 1.0
        step = min(usual[0], span - done)
        for stage in range(_STAGES):
            for i in range(size):
                y[i] = x[i]
            for j in range(stage):
                share = _A[stage, j]
                for i in range(size):
                    y[i] += share * work[j, i]
            slopes(y, jacobian, stage == 0 and not fresh, inv_c, melt, ends_of, links, probes, drives, watts, targets,
                   ramps, into, drawn, outside, degC, f)  # fmt: skip
            if stage == 0:
                fresh = True
                for i in range(size):
                    for j in range(size):
                        m[i, j] = -jacobian[i, j]
                    m[i, i] += 1.0 / (_GAMMA * step)
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
        error = 0.0
        for i in range(checked):
            error = max(error, abs(work[_STAGES - 1, i]))
            if not abs(work[_STAGES - 1, i]) < _ABSURD:  # too long a step goes anywhere, also to what is no number
                error = _ABSURD
        if error == _ABSURD and step <= _SHORTEST * span:
            x[0] = math.nan  # no step is short enough: the caller sees it
            done = span
        allowed = step * min(max(0.9 * math.sqrt(math.sqrt(tolerance / max(error, 1e-30))), 0.2), 6.0)
        if error <= tolerance or (step <= _SHORTEST * span and error < _ABSURD):
            for i in range(size):
                x[i] = y[i] + work[_STAGES - 1, i]
            done += step
            fresh = False
            if step < usual[0]:  # cut short by the end of the span: that says nothing against a longer one
                allowed = max(allowed, usual[0])
        usual[0] = allowed


@subroutine
def advance_curved(
    t,
    span,
    levels,
    watts,
    targets,
    ramps,
    tolerance,
    usual,
    x,
    inv_c,
    melt,
    ends_of,
    links,
    probes,
    drives,
    steady,
    into,
    drawn,
    outside,
    square,
    work,
    lines,
    ends,
    moved,
):
    """Advance the state over one span, stopping at each change of a drive.

    Arguments as for `slopes` and `heat.advance`; `steady` holds the W into each body by loads and draw-offs.
    """
    end, flow_slot = t + span, inv_c.size + probes.shape[0]
    while t < end - TIME_EPS:
        until = end
        for i in range(into.size):
            into[i] = steady[i]
        for d in range(levels.size):
            head, tail = ends[d, HEAD], ends[d, TAIL]
            while head != tail and lines[d, LINE_T, head] <= t + TIME_EPS:
                levels[d], ramps[d] = lines[d, LINE_LEVEL, head], lines[d, LINE_SLOPE, head]
                if drives[d, MOVES] > 0.0:
                    targets[d] = levels[d] if levels[d] >= drives[d, STALL] else 0.0
                    if drives[d, SPEED_LAG] == 0.0:
                        x[flow_slot + d] = targets[d]
                head = head + 1 if head + 1 < lines.shape[2] else 0
            ends[d, HEAD] = head
            if head != tail and lines[d, LINE_T, head] < until - TIME_EPS:
                until = lines[d, LINE_T, head]
            body = int(drives[d, ACTS_ON])
            if drives[d, MOVES] == 0.0 and body >= 0:
                into[body] += levels[d] * watts[d]
        smooth_span(
            until - t,
            tolerance,
            usual,
            x,
            inv_c,
            melt,
            ends_of,
            links,
            probes,
            drives,
            watts,
            targets,
            ramps,
            into,
            drawn,
            outside,
            square,
            work,
        )
        for d in range(levels.size):
            went = ramps[d] * (until - t)
            moved[d] += (levels[d] + went / 2.0) * watts[d] * (until - t)
            levels[d] += went
        t = until
