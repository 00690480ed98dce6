"""Heat flow of a rig whose links are plain conductances, advanced exactly between changes.

The state z is bodies 0…n−1 in degC, then the surroundings (degC, still), a constant 1 that carries loads, the probes
(degC) and the heat lost to the surroundings so far (J). It stands in blocks of eight, shape (blocks, 8), so that the
compiler works on whole vectors; the rest of the last block is zero.

All of it moves by one matrix, dz/dt = A z + Σ b_d·power_d over the drives, so a span δ is
z ← e^(Aδ) z + Σ Γ_d(δ)·power_d with Γ_d(s) = ∫₀ˢ e^(Aσ) b_d dσ. A switching of a drive by Δ at τ inside the span adds
Γ_d(δ−τ)·Δ, at any τ: switching instants are honoured to rounding and no step size enters the result. What radiates,
melts or is driven by a fan is no such matrix; `nonlinear.py` advances it. `matrices.py` makes them.
"""

from .compiled import part, subroutine
from .heat import between, rate_between, turning
from .matrices import (
    MOST_SWITCHES,
    ONE,
    PROBE,
    SURROUNDINGS,
    TERMS,
    Linear,
    add_power,
    assemble,
    copy_grid,
    into_blocks,
    prepare,
    prepare_all,
    product,
    put_slot,
    slot_of,
)
from .plant import TIME_EPS, Plant, State
from .records import Block4, Blocks


@subroutine
def begin_linear(plant: Plant, state: State, linear: Linear) -> None:
    """Write the state at the start."""
    n = plant.bodies.size
    for i in range(n):
        put_slot(linear.z, i, plant.bodies[i].start_degC)
    put_slot(linear.z, n + SURROUNDINGS, plant.rig[0].outside_degC)
    put_slot(linear.z, n + ONE, 1.0)
    for p in range(plant.probes.size):
        put_slot(linear.z, n + PROBE + p, plant.bodies[plant.probes[p].sits_in].start_degC)
    prepare_all(plant, state, linear)


@part
def advance(
    t: float, span: float, transition: Block4, push: Blocks, plant: Plant, state: State, linear: Linear
) -> None:
    """Advance the state over one span, taking drive changes off the delay lines at their instants.

    Args:
        t, span: start and length, s.
        transition, push: for spans of this length.
        plant, state, linear: the run.
    """
    end, pushed, by_drive, after = t + span, linear.pushed, linear.by_drive, linear.after
    linear.switched[0] = 0
    for d in range(plant.drives.size):
        drive, line = state.drives[d], state.lines[d]
        while drive.head != drive.tail and line[drive.head].at_s <= t + TIME_EPS:
            drive.acting = line[drive.head].level
            drive.head = drive.head + 1 if drive.head + 1 < line.size else 0
        power = drive.acting * drive.full_W
        for b in range(pushed.shape[0]):
            for i in range(8):
                pushed[b, i] = push[d, b, i] * power + (pushed[b, i] if d > 0 else 0.0)
                by_drive[b, i] = linear.series[d, 0, b, i] * power + (by_drive[b, i] if d > 0 else 0.0)
        drive.moved_J += power * span
    product(transition, linear.z, pushed, after)
    for d in range(plant.drives.size):
        drive, line = state.drives[d], state.lines[d]
        while drive.head != drive.tail and line[drive.head].at_s < end - TIME_EPS:
            if linear.switched[0] == 0:
                copy_grid(after, linear.smooth)
            left = end - line[drive.head].at_s
            change = (line[drive.head].level - drive.acting) * drive.full_W
            add_power(linear.series[d], left, change, after)
            drive.moved_J += change * left
            drive.acting = line[drive.head].level
            drive.head = drive.head + 1 if drive.head + 1 < line.size else 0
            if linear.switched[0] < MOST_SWITCHES:
                switch = linear.switches[linear.switched[0]]
                switch.after_s, switch.drive, switch.change_W = span - left, d, change
                linear.switched[0] += 1
    product(linear.rates, after, linear.zero, linear.slope_after)
    _follow(span, plant, state, linear)
    for b in range(after.shape[0]):
        for i in range(8):
            linear.z[b, i], linear.slope[b, i] = after[b, i], linear.slope_after[b, i]


@part
def _follow(span: float, plant: Plant, state: State, linear: Linear) -> None:
    """Note how far each body went in a span, also between its ends, from its rates there."""
    switched, loop = linear.switched[0] > 0, state.loop[0]
    judged = plant.rig[0].judged_body
    for i in range(plant.bodies.size):
        before, after, by_drive = slot_of(linear.z, i), slot_of(linear.after, i), slot_of(linear.by_drive, i)
        low, high = min(before, after), max(before, after)
        rate, rate_after = slot_of(linear.slope, i) + by_drive, slot_of(linear.slope_after, i) + by_drive
        if switched and (plant.bodies[i].driven or rate * rate_after < 0.0):
            low, high = _corners(i, rate, by_drive, span, plant, linear)
        elif rate * rate_after < 0.0:
            extreme = turning(before, rate, after, rate_after, span)
            low, high = min(low, extreme), max(high, extreme)
        body = state.bodies[i]
        if low < body.lowest_degC:
            body.lowest_degC = low
        if high > body.highest_degC:
            body.highest_degC = high
        if i == judged:
            loop.lowest_degC, loop.highest_degC = min(loop.lowest_degC, low), max(loop.highest_degC, high)


@part
def _next_switching(linear: Linear, after_s: float, span: float) -> float:
    """When something switches next after an instant of the span; its end where nothing does."""
    soonest = span
    for c in range(linear.switched[0]):
        if after_s < linear.switches[c].after_s < soonest:
            soonest = linear.switches[c].after_s
    return soonest


@subroutine
def _corners(i: int, rate: float, by_drive: float, span: float, plant: Plant, linear: Linear) -> tuple[float, float]:
    """Extremes of a body in a span with switchings: from one to the next its course is smooth.

    Without the switchings it would be smooth all the way; each adds what Γ says from its instant on.

    Args:
        i: body.
        rate: K/s at the start; by_drive: what of it is by drives.
        span, plant, linear: as for `advance`.
    """
    y0, y1, rate1 = slot_of(linear.z, i), slot_of(linear.smooth, i), by_drive
    for j in range(linear.flow.shape[0]):
        rate1 += linear.flow[i, j] * slot_of(linear.smooth, j)
    low = high = y0
    from_s, from_degC, from_rate = 0.0, y0, rate
    while from_s < span:
        at = _next_switching(linear, from_s, span)
        degC = between(y0, rate, y1, rate1, span, at / span)
        now = rate_between(y0, rate, y1, rate1, span, at / span)
        for other in range(linear.switched[0]):
            since = at - linear.switches[other].after_s
            if since > 0.0:
                series = linear.series[linear.switches[other].drive]
                term = series[TERMS - 1, i >> 3, i & 7]
                gain, pace = term, TERMS * term  # Γ(s)/s and its own rate, by Horner's rule
                for q in range(1, TERMS):
                    term = series[TERMS - 1 - q, i >> 3, i & 7]
                    gain, pace = gain * since + term, pace * since + (TERMS - q) * term
                degC += gain * since * linear.switches[other].change_W
                now += pace * linear.switches[other].change_W
        low, high = min(low, degC), max(high, degC)
        if from_rate * now < 0.0:
            extreme = turning(from_degC, from_rate, degC, now, at - from_s)
            low, high = min(low, extreme), max(high, extreme)
        from_s, from_degC, from_rate = at, degC, now
        for other in range(linear.switched[0]):  # what switches now is felt by the body that it acts on
            switch = linear.switches[other]
            if switch.after_s == at and plant.drives[switch.drive].acts_on == i:
                from_rate += switch.change_W * plant.bodies[i].per_capacity_K_per_J
    return low, high


@subroutine
def advance_once(t: float, span: float, plant: Plant, state: State, linear: Linear) -> None:
    """`advance` over a span of another length, for which all is made anew.

    Its own function: `advance` put twice into the loop comes out slower at both places.
    """
    assemble(plant, state, linear.flow)
    into_blocks(linear.flow, linear.rates)
    product(linear.rates, linear.z, linear.zero, linear.slope)
    prepare(plant, linear.flow, span, linear.powers, linear.part_transition, linear.part_push, linear.series)
    advance(t, span, linear.part_transition, linear.part_push, plant, state, linear)
