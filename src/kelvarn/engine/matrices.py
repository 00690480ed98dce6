"""The matrices of a rig whose links are plain conductances, and what is done with them; `linear.py` says what for.

e^(Aδ) is made by scaling and squaring of its Taylor series (Moler and Van Loan, SIAM Review 45, 2003, method 3), Γ by
its own series, for which spans are kept so short that the fastest time constant is at least twice the span.
"""

from dataclasses import dataclass
from typing import NamedTuple

from .compiled import part, subroutine
from .heat import carried, conductance
from .plant import DriveState, Plant, State
from .records import Block4, Block5, Blocks, Grid, Ints, Table

# Slots after the bodies; the probes follow one another, and the heat lost is the last.
SURROUNDINGS, ONE, PROBE = range(3)
EXTRA = 3  # besides the probes

EXPONENTIAL_TERMS = 12
"""Terms of the scaled exponential: at a norm of 0.5 the first one left out is below 1e-13."""
TERMS = 9
"""Terms of Γ: at a norm of 0.5 the first one left out is below 1e-9 of the drive's push in one span."""
MOST_SWITCHES = 64
"""Switchings of all drives in one span whose corners are followed; of more, the first ones."""


@dataclass(slots=True)
class SwitchOrder:
    """A switching inside a span."""

    after_s: float  # from the span's start
    drive: int
    change_W: float


class Linear(NamedTuple):
    """What the integration works on."""

    flow: Grid  # A
    powers: Blocks  # three matrices for `exponential`
    rates: Block4  # A in blocks
    transition: Block5  # e^(A·length) of each length of a segment
    push: Block4  # Γ(length) of each, and of each drive
    part_transition: Block4  # of a span cut short by a change
    part_push: Blocks
    series: Block4  # coefficients of Γ of each drive
    z: Grid
    after: Grid  # z at the end of the span
    smooth: Grid  # the same without the switchings inside it
    pushed: Grid  # what the drives add
    slope: Grid  # A z
    slope_after: Grid
    by_drive: Grid  # what of the slope is by drives at the start of the span
    zero: Grid
    kept_z: Grid  # before the span: z, its slope, extremes of the bodies, the drives
    kept_slope: Grid
    kept_extremes: Grid
    kept_drives: Table[DriveState]
    switches: Table[SwitchOrder]
    switched: Ints  # how many of them


@part
def slot_of(z: Grid, i: int) -> float:
    """Value of a slot of the state."""
    return z[i >> 3, i & 7]


@part
def put_slot(z: Grid, i: int, value: float) -> None:
    """Set a slot of the state."""
    z[i >> 3, i & 7] = value


@subroutine
def assemble(plant: Plant, state: State, flow: Grid) -> None:
    """Write the matrix A of the rig as it is now.

    Args:
        plant, state: the rig, and its conductances now.
        flow: the matrix in blocks, 1/s; written.
    """
    n, last = plant.bodies.size, flow.shape[0] - 1
    flow[:] = 0.0
    for j in range(state.links.size):
        link = state.links[j]
        _, by_a, by_b = carried(link, conductance(link, 0.0), 0.0, 0.0)
        for way in range(1 if link.one_way else 2):
            here, there = (link.b, link.a) if way == 0 else (link.a, link.b)
            row, scale = (here, plant.bodies[here].per_capacity_K_per_J) if here < n else (last, 1.0)
            flow[row, there] += (by_a if way == 0 else by_b) * scale
            flow[row, here] -= (by_b if way == 0 else by_a) * scale
    for i in range(n):
        drawn, per_capacity = state.bodies[i].drawn_W_per_K, plant.bodies[i].per_capacity_K_per_J
        flow[i, i] -= drawn * per_capacity
        flow[i, n + ONE] += state.bodies[i].into_W * per_capacity
        flow[last, i] += drawn
    for p in range(plant.probes.size):
        if plant.probes[p].lag_s > 0.0:
            slot = n + PROBE + p
            flow[slot, state.probes[p].sits_in] = 1.0 / plant.probes[p].lag_s  # the surroundings come after the bodies
            flow[slot, slot] = -1.0 / plant.probes[p].lag_s


@part
def copy_grid(source: Grid, target: Grid) -> None:
    """Copy a matrix."""
    for i in range(source.shape[0]):
        for j in range(source.shape[1]):
            target[i, j] = source[i, j]


@part
def into_blocks(matrix: Grid, blocks: Block4) -> None:
    """A matrix in blocks, transposed, as `product` wants it."""
    for i in range(matrix.shape[0]):
        for j in range(matrix.shape[0]):
            blocks[j // 8, j % 8, i // 8, i % 8] = matrix[i, j]


@subroutine
def exponential(flow: Grid, span: float, result: Block4, scratch: Blocks) -> None:
    """Result = e^(flow·span) in blocks; `scratch` has the shape of three of flow.

    Args:
        flow: matrix, 1/s.
        span: s.
        result: matrix; written.
        scratch: room; written.
    """
    size = flow.shape[0]
    power, product_of, total = scratch[0], scratch[1], scratch[2]
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
    copy_grid(total, power)
    for term in range(1, EXPONENTIAL_TERMS + 1):
        for i in range(size):
            for j in range(size):
                s = 0.0
                for k in range(size):
                    s += flow[i, k] * power[k, j]
                product_of[i, j] = s * scaled / term
        copy_grid(product_of, power)
        for i in range(size):
            for j in range(size):
                total[i, j] += power[i, j]
    for _ in range(halvings):
        for i in range(size):
            for j in range(size):
                s = 0.0
                for k in range(size):
                    s += total[i, k] * total[k, j]
                product_of[i, j] = s
        copy_grid(product_of, total)
    into_blocks(total, result)


@subroutine
def drive_series(flow: Grid, body: int, per_capacity: float, series: Blocks) -> None:
    """series[q] = A^q b / (q+1)!, the coefficients of Γ(s)/s; b is one watt into `body`."""
    size = flow.shape[0]
    series[:] = 0.0
    series[0, body // 8, body % 8] = per_capacity
    for q in range(1, TERMS):
        for i in range(size):
            s = 0.0
            for k in range(size):
                s += flow[i, k] * series[q - 1, k // 8, k % 8]
            series[q, i // 8, i % 8] = s / (q + 1.0)


@part
def add_power(series: Blocks, span: float, watts: float, z: Grid) -> None:
    """Z += Γ(span)·watts, by Horner's rule, eight rows at a time so that they stay in registers."""
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
def product(matrix: Block4, z: Grid, more: Grid, found: Grid) -> None:
    """Found = matrix · z + more, eight rows at a time; two sums each, since one would wait for itself.

    Args:
        matrix: in blocks.
        z: vector, padded to rows of eight.
        more: added; found: written.
    """
    for b in range(z.shape[0]):
        p = more[b]
        z0, z1, z2, z3 = p[0], p[1], p[2], p[3]
        z4, z5, z6, z7 = p[4], p[5], p[6], p[7]
        y0 = y1 = y2 = y3 = y4 = y5 = y6 = y7 = 0.0
        for block in range(z.shape[0]):
            for pair in range(4):
                even, odd = matrix[block, 2 * pair, b], matrix[block, 2 * pair + 1, b]
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
        w = found[b]
        w[0], w[1], w[2], w[3] = z0 + y0, z1 + y1, z2 + y2, z3 + y3
        w[4], w[5], w[6], w[7] = z4 + y4, z5 + y5, z6 + y6, z7 + y7


@subroutine
def prepare(
    plant: Plant, flow: Grid, span: float, powers: Blocks, transition: Block4, push: Blocks, series: Block4
) -> None:
    """Make transition, push and series for spans of a length; arguments as the fields of `Linear`."""
    exponential(flow, span, transition, powers)
    push[:] = 0.0
    for d in range(plant.drives.size):
        body = plant.drives[d].acts_on
        drive_series(flow, body, plant.bodies[body].per_capacity_K_per_J, series[d])
        add_power(series[d], span, 1.0, push[d])


@subroutine
def prepare_all(plant: Plant, state: State, linear: Linear) -> None:
    """Make all that the rig as it is now needs: after the start, and after each change of it."""
    assemble(plant, state, linear.flow)
    into_blocks(linear.flow, linear.rates)
    for s in range(plant.segments.size):
        which = plant.segments[s].matrices
        prepare(plant, linear.flow, plant.segments[s].length_s, linear.powers, linear.transition[which],
                linear.push[which], linear.series)  # fmt: skip
    product(linear.rates, linear.z, linear.zero, linear.slope)
