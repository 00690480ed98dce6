"""Heat flow of a rig whose links are plain conductances, advanced exactly between changes.

The state z is bodies 0…n−1 in degC, then the surroundings (degC, still), a constant 1 that carries loads, the probes
(degC) and the heat lost to the surroundings so far (J). It stands in blocks of eight, shape (blocks, 8), so that the
compiler works on whole vectors; the rest of the last block is zero.

All of it moves by one matrix, dz/dt = A z + Σ b_d·power_d over the drives, so a span δ is
z ← e^(Aδ) z + Σ Γ_d(δ)·power_d with Γ_d(s) = ∫₀ˢ e^(Aσ) b_d dσ. A switching of a drive by Δ at τ inside the span adds
Γ_d(δ−τ)·Δ, at any τ: switching instants are honoured to rounding and no step size enters the result. What radiates,
melts or is driven by a fan is no such matrix; `nonlinear.py` advances it. `matrices.py` makes them.
"""

from math import inf

from .compiled import part, subroutine
from .crossing import NEAR_K, count_of, edge_of, share_at
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
    switched = linear.switched[0] > 0
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
        if low < body.now_low_degC:
            body.now_low_degC = low
        if high > body.now_high_degC:
            body.now_high_degC = high


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


@part
def _keep(plant: Plant, state: State, linear: Linear) -> None:
    """Note what a span changes, so that `_bring_back` can undo it."""
    copy_grid(linear.z, linear.kept_z)
    copy_grid(linear.slope, linear.kept_slope)
    for d in range(plant.drives.size):
        drive, kept = state.drives[d], linear.kept_drives[d]
        kept.acting, kept.head, kept.moved_J = drive.acting, drive.head, drive.moved_J
    for i in range(plant.bodies.size):
        linear.kept_extremes[0, i] = state.bodies[i].now_low_degC
        linear.kept_extremes[1, i] = state.bodies[i].now_high_degC


@part
def _bring_back(plant: Plant, state: State, linear: Linear) -> None:
    """Undo the last span."""
    copy_grid(linear.kept_z, linear.z)
    copy_grid(linear.kept_slope, linear.slope)
    for d in range(plant.drives.size):
        drive, kept = state.drives[d], linear.kept_drives[d]
        drive.acting, drive.head, drive.moved_J = kept.acting, kept.head, kept.moved_J
    for i in range(plant.bodies.size):
        state.bodies[i].now_low_degC = linear.kept_extremes[0, i]
        state.bodies[i].now_high_degC = linear.kept_extremes[1, i]


@part
def _crosses(plant: Plant, state: State, linear: Linear) -> bool:
    """Whether a switch came to its level in the span that was advanced last, also between its ends."""
    for s in range(count_of(plant)):
        i, degC, sign = edge_of(s, plant, state)
        if abs(degC) == inf:
            continue
        extreme = state.bodies[i].now_high_degC if sign > 0.0 else state.bodies[i].now_low_degC
        if sign * (extreme - degC) >= 0.0 and sign * (slot_of(linear.kept_z, i) - degC) < -NEAR_K:
            return True
    return False


@subroutine
def _crossing(span: float, plant: Plant, state: State, linear: Linear) -> float:
    """After how long a switch first came to its level in a smooth span that was advanced; below 0: none did."""
    soonest = -1.0
    for s in range(count_of(plant)):
        i, degC, sign = edge_of(s, plant, state)
        if abs(degC) == inf:
            continue
        y0, by_drive = slot_of(linear.kept_z, i), slot_of(linear.by_drive, i)
        if sign * (y0 - degC) < -NEAR_K:
            rate, rate_after = slot_of(linear.kept_slope, i) + by_drive, slot_of(linear.slope, i) + by_drive
            share = share_at(y0, rate, slot_of(linear.z, i), rate_after, span, degC, sign)
            if share >= 0.0 and (soonest < 0.0 or share * span < soonest):
                soonest = share * span
    return soonest


@part
def _next_change(t: float, end: float, state: State) -> float:
    """When the next change of a drive is felt after an instant; the end where none is before it."""
    soonest = end
    for d in range(state.drives.size):
        drive, line = state.drives[d], state.lines[d]
        k = drive.head
        while k != drive.tail:
            if line[k].at_s > t + TIME_EPS:
                soonest = min(soonest, line[k].at_s)
                break
            k = k + 1 if k + 1 < line.size else 0
    return soonest


@subroutine
def advance_to_switch(t: float, span: float, which: int, plant: Plant, state: State, linear: Linear) -> float:
    """Advance over a span as `advance` does, but at most until a switch that needs no software is to act.

    Args:
        t, span: start and length, s.
        which: matrices of a span of this length; below 0 there are none.
        plant, state, linear: the run.

    Returns:
        The instant that it came to.
    """
    end = t + span
    _keep(plant, state, linear)
    if which >= 0:
        advance(t, span, linear.transition[which], linear.push[which], plant, state, linear)
    else:
        advance_once(t, span, plant, state, linear)
    if not _crosses(plant, state, linear):
        return end
    _bring_back(plant, state, linear)
    while t < end - TIME_EPS:
        # From one change of a drive to the next, since between them the course is smooth.
        until = _next_change(t, end, state)
        _keep(plant, state, linear)
        advance_once(t, until - t, plant, state, linear)
        after_s = _crossing(until - t, plant, state, linear)
        if after_s >= 0.0:
            _bring_back(plant, state, linear)
            advance_once(t, max(after_s, TIME_EPS), plant, state, linear)
            return t + max(after_s, TIME_EPS)
        t = until
    return end
