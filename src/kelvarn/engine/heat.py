"""Heat flow of a rig, advanced exactly between changes.

The state is one array: bodies 0…n−1 in degC, then the surroundings (degC, still), a constant 1 that carries loads, the
probe (degC) and the heat lost to the surroundings so far (J). It stands in blocks of eight, shape (blocks, 8), so that
the compiler works on whole vectors; the rest of the last block is zero.

All of it moves by one matrix, dz/dt = A z + b·power, so a span δ is z ← e^(Aδ) z + Γ(δ)·power with
Γ(s) = ∫₀ˢ e^(Aσ) b dσ. A switching of the drive by Δ at τ inside the span adds Γ(δ−τ)·Δ, at any τ: switching instants
are honoured to rounding and no step size enters the result. e^(Aδ) is made by scaling and squaring of its Taylor series
(Moler and Van Loan, SIAM Review 45, 2003, method 3), Γ by its own series, for which spans are kept so short that the
fastest time constant is at least twice the span.
"""

import numpy as np

from .jit import part, subroutine

# Slots after the bodies.
SURROUNDINGS, ONE, PROBE, LOST = range(4)
EXTRA = 4

TIME_EPS = 1e-9
"""Instants closer than this, in s, are one: sums of intervals miss by rounding."""

EXPONENTIAL_TERMS = 12
"""Terms of the scaled exponential: at a norm of 0.5 the first one left out is below 1e-13."""
TERMS = 9
"""Terms of Γ: at a norm of 0.5 the first one left out is below 1e-9 of the drive's push in one span."""


@subroutine
def add_link(flow, a, b, conductance, n, inv_c):
    """Add W/K between two ends, each a body or the surroundings at n, to the matrix A."""
    for here, there in ((a, b), (b, a)):
        row, scale = here, conductance
        if here < n:
            scale *= inv_c[here]
        else:
            row = n + LOST
        flow[row, there] += scale
        flow[row, here] -= scale


@subroutine
def exponential(flow, span, result, power, product):
    """result = e^(flow·span) in blocks; `power` and `product` are scratch of flow's shape."""
    size = flow.shape[0]
    largest = 0.0
    for i in range(size):
        row = 0.0
        for j in range(size):
            # The row of lost heat is in J, not K; it feeds nothing back and must not shorten the scaling.
            if i != size - 1:
                row += abs(flow[i, j])
        largest = max(largest, row * span)
    halvings = 0
    while largest > 0.5:
        largest *= 0.5
        halvings += 1
    scaled = span / 2.0**halvings
    total = np.eye(size)
    power[:] = total
    for term in range(1, EXPONENTIAL_TERMS + 1):
        for i in range(size):
            for j in range(size):
                s = 0.0
                for k in range(size):
                    s += flow[i, k] * power[k, j]
                product[i, j] = s * scaled / term
        power[:] = product
        total += power
    for _ in range(halvings):
        for i in range(size):
            for j in range(size):
                s = 0.0
                for k in range(size):
                    s += total[i, k] * total[k, j]
                product[i, j] = s
        total[:] = product
    for i in range(size):
        for j in range(size):
            result[j // 8, j % 8, i // 8, i % 8] = total[i, j]


@subroutine
def drive_series(flow, body, inv_c, series):
    """series[q] = A^q b / (q+1)!, the coefficients of Γ(s)/s; b is one watt into `body`."""
    size = flow.shape[0]
    series[:] = 0.0
    series[0, body // 8, body % 8] = inv_c
    for q in range(1, TERMS):
        for i in range(size):
            s = 0.0
            for k in range(size):
                s += flow[i, k] * series[q - 1, k // 8, k % 8]
            series[q, i // 8, i % 8] = s / (q + 1.0)


@part
def add_power(series, span, watts, z):
    """z += Γ(span)·watts, by Horner's rule, eight rows at a time so that they stay in registers."""
    scale = span * watts
    for b in range(z.shape[0]):
        c = series[TERMS - 1, b]
        g0, g1, g2, g3, g4, g5, g6, g7 = c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7]
        for q in range(1, TERMS):
            c = series[TERMS - 1 - q, b]
            g0 = g0 * span + c[0]
            g1 = g1 * span + c[1]
            g2 = g2 * span + c[2]
            g3 = g3 * span + c[3]
            g4 = g4 * span + c[4]
            g5 = g5 * span + c[5]
            g6 = g6 * span + c[6]
            g7 = g7 * span + c[7]
        z[b, 0] += scale * g0
        z[b, 1] += scale * g1
        z[b, 2] += scale * g2
        z[b, 3] += scale * g3
        z[b, 4] += scale * g4
        z[b, 5] += scale * g5
        z[b, 6] += scale * g6
        z[b, 7] += scale * g7


@part
def propagate(transition, push, watts, z, work):
    """z ← transitionᵀ z + push·watts, eight rows at a time; two sums each, since one would wait for itself."""
    for b in range(z.shape[0]):
        p = push[b]
        z0, z1, z2, z3 = watts * p[0], watts * p[1], watts * p[2], watts * p[3]
        z4, z5, z6, z7 = watts * p[4], watts * p[5], watts * p[6], watts * p[7]
        y0 = y1 = y2 = y3 = y4 = y5 = y6 = y7 = 0.0
        for block in range(z.shape[0]):
            for pair in range(4):
                even, odd = transition[block, 2 * pair, b], transition[block, 2 * pair + 1, b]
                u, v = z[block, 2 * pair], z[block, 2 * pair + 1]
                z0 += even[0] * u
                z1 += even[1] * u
                z2 += even[2] * u
                z3 += even[3] * u
                z4 += even[4] * u
                z5 += even[5] * u
                z6 += even[6] * u
                z7 += even[7] * u
                y0 += odd[0] * v
                y1 += odd[1] * v
                y2 += odd[2] * v
                y3 += odd[3] * v
                y4 += odd[4] * v
                y5 += odd[5] * v
                y6 += odd[6] * v
                y7 += odd[7] * v
        w = work[b]
        w[0], w[1], w[2], w[3] = z0 + y0, z1 + y1, z2 + y2, z3 + y3
        w[4], w[5], w[6], w[7] = z4 + y4, z5 + y5, z6 + y6, z7 + y7
    for b in range(z.shape[0]):
        for i in range(8):
            z[b, i] = work[b, i]


@part
def advance(t, span, level, full, transition, push, series, z, work, line_t, line_level, ends, moved):
    """Advance the state over one span, taking drive changes off the delay line at their instants.

    Args:
        t, span: start and length, s.
        level, full: output level at the start, 0…1, and the watts of level 1.
        transition, push: of `exponential` for this span, and Γ(span), shape of z.
        series: of `drive_series`.
        z, work: state, advanced in place, and scratch of its shape.
        line_t, line_level, ends: the delay line, as in drives.py.
        moved: J, added to at index 0.

    Returns:
        The level at the end.
    """
    end = t + span
    head, tail = ends[0], ends[1]
    while head != tail and line_t[head] <= t + TIME_EPS:
        level = line_level[head]
        head = head + 1 if head + 1 < line_t.size else 0
    watts = level * full
    propagate(transition, push, watts, z, work)
    moved[0] += watts * span
    while head != tail and line_t[head] < end - TIME_EPS:
        left = end - line_t[head]
        change = (line_level[head] - level) * full
        add_power(series, left, change, z)
        moved[0] += change * left
        level = line_level[head]
        head = head + 1 if head + 1 < line_t.size else 0
    ends[0] = head
    return level
