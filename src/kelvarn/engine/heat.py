"""Heat flow of a rig whose links are plain conductances, advanced exactly between changes.

The state is one array: bodies 0…n−1 in degC, then the surroundings (degC, still), a constant 1 that carries loads, the
probes (degC) and the heat lost to the surroundings so far (J). It stands in blocks of eight, shape (blocks, 8), so that
the compiler works on whole vectors; the rest of the last block is zero.

All of it moves by one matrix, dz/dt = A z + Σ b_d·power_d over the drives, so a span δ is
z ← e^(Aδ) z + Σ Γ_d(δ)·power_d with Γ_d(s) = ∫₀ˢ e^(Aσ) b_d dσ. A switching of a drive by Δ at τ inside the span adds
Γ_d(δ−τ)·Δ, at any τ: switching instants are honoured to rounding and no step size enters the result. What radiates,
melts or is driven by a fan is no such matrix; `curved.py` advances it. e^(Aδ) is made by scaling and squaring of its
Taylor series (Moler and Van Loan, SIAM Review 45, 2003, method 3), Γ by its own series, for which spans are kept so
short that the fastest time constant is at least twice the span.
"""

from .codes import ACTS_ON
from .drives import HEAD, LINE_LEVEL, LINE_T, TAIL
from .jit import part, subroutine

# Slots after the bodies; the probes follow one another, and the heat lost is the last.
SURROUNDINGS, ONE, PROBE = range(3)
EXTRA = 3  # besides the probes

TIME_EPS = 1e-9
"""Instants closer than this, in s, are one: sums of intervals miss by rounding."""

EXPONENTIAL_TERMS = 12
"""Terms of the scaled exponential: at a norm of 0.5 the first one left out is below 1e-13."""
TERMS = 9
"""Terms of Γ: at a norm of 0.5 the first one left out is below 1e-9 of the drive's push in one span."""


@part
def slot_of(state, i):
    """Value of a slot of the state."""
    return state[i >> 3, i & 7]


@part
def put_slot(state, i, value):
    """Set it."""
    state[i >> 3, i & 7] = value


@subroutine
def add_link(flow, a, b, one_way, conductance, n, inv_c):
    """Add W/K between two ends, each a body or the surroundings at n, to the matrix A; one-way, only b feels it."""
    for way in range(1 if one_way else 2):
        here, there = (b, a) if way == 0 else (a, b)
        row, scale = here, conductance
        if here < n:
            scale *= inv_c[here]
        else:
            row = flow.shape[0] - 1
        flow[row, there] += scale
        flow[row, here] -= scale


@part
def _copy(source, target):
    """Copy a matrix."""
    for i in range(source.shape[0]):
        for j in range(source.shape[1]):
            target[i, j] = source[i, j]


@subroutine
def exponential(flow, span, result, scratch):
    """result = e^(flow·span) in blocks; `scratch` has the shape of three of flow."""
    size = flow.shape[0]
    power, product, total = scratch[0], scratch[1], scratch[2]
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
    total[:] = 0.0
    for i in range(size):
        total[i, i] = 1.0
    _copy(total, power)
    for term in range(1, EXPONENTIAL_TERMS + 1):
        for i in range(size):
            for j in range(size):
                s = 0.0
                for k in range(size):
                    s += flow[i, k] * power[k, j]
                product[i, j] = s * scaled / term
        _copy(product, power)
        for i in range(size):
            for j in range(size):
                total[i, j] += power[i, j]
    for _ in range(halvings):
        for i in range(size):
            for j in range(size):
                s = 0.0
                for k in range(size):
                    s += total[i, k] * total[k, j]
                product[i, j] = s
        _copy(product, total)
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
def add_power(series, d, span, watts, z):
    """z += Γ_d(span)·watts, by Horner's rule, eight rows at a time so that they stay in registers."""
    scale = span * watts
    for b in range(z.shape[0]):
        c = series[d, TERMS - 1, b]
        g0, g1, g2, g3, g4, g5, g6, g7 = c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7]
        for q in range(1, TERMS):
            c = series[d, TERMS - 1 - q, b]
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
def propagate(transition, rate, z, work):
    """z ← transitionᵀ z + rate, eight rows at a time; two sums each, since one would wait for itself."""
    for b in range(z.shape[0]):
        p = rate[b]
        z0, z1, z2, z3 = p[0], p[1], p[2], p[3]
        z4, z5, z6, z7 = p[4], p[5], p[6], p[7]
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
def advance(t, span, levels, watts, transition, push, series, z, rate, work, lines, ends, moved):
    """Advance the state over one span, taking drive changes off the delay lines at their instants.

    Args:
        t, span: start and length, s.
        levels, watts: output level of each drive, 0…1, kept up to date, and the watts of level 1.
        transition: of `exponential` for this span.
        push, series: Γ(span) of each drive, and what `drive_series` made for it.
        z: state, advanced in place; rate, work: scratch of its shape.
        lines, ends: the delay lines, as in drives.py.
        moved: J of each drive, added to.
    """
    end = t + span
    drives = levels.size
    for d in range(drives):
        head, tail = ends[d, HEAD], ends[d, TAIL]
        while head != tail and lines[d, LINE_T, head] <= t + TIME_EPS:
            levels[d] = lines[d, LINE_LEVEL, head]
            head = head + 1 if head + 1 < lines.shape[2] else 0
        ends[d, HEAD] = head
        power = levels[d] * watts[d]
        for b in range(z.shape[0]):
            for i in range(8):
                rate[b, i] = push[d, b, i] * power + (rate[b, i] if d > 0 else 0.0)
        moved[d] += power * span
    propagate(transition, rate, z, work)
    for d in range(drives):
        head, tail = ends[d, HEAD], ends[d, TAIL]
        while head != tail and lines[d, LINE_T, head] < end - TIME_EPS:
            left = end - lines[d, LINE_T, head]
            change = (lines[d, LINE_LEVEL, head] - levels[d]) * watts[d]
            add_power(series, d, left, change, z)
            moved[d] += change * left
            levels[d] = lines[d, LINE_LEVEL, head]
            head = head + 1 if head + 1 < lines.shape[2] else 0
        ends[d, HEAD] = head


@subroutine
def prepare(flow, span, inv_c, drives, transition, push, series, scratch):
    """Make transition, push and series for spans of a length; `drives` is the table of codes.py."""
    exponential(flow, span, transition, scratch)
    push[:] = 0.0
    for d in range(drives.shape[0]):
        body = int(drives[d, ACTS_ON])
        drive_series(flow, body, inv_c[body], series[d])
        add_power(series, d, span, 1.0, push[d])


@subroutine
def advance_once(
    t,
    span,
    flow,
    inv_c,
    drives,
    levels,
    watts,
    transition,
    push,
    series,
    z,
    rate,
    work,
    lines,
    ends,
    moved,
    scratch,
):
    """`advance` over a span of another length, for which all is made anew; transition and push are scratch here.

    Its own function: `advance` put twice into the loop comes out slower at both places.
    """
    prepare(flow, span, inv_c, drives, transition, push, series, scratch)
    advance(t, span, levels, watts, transition, push, series, z, rate, work, lines, ends, moved)
