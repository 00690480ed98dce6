"""Where a rig comes to rest: its heat balance, solved directly by Newton's method; and what makes a rig impossible."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from kelvarn.model.drives import heated_body
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig
from kelvarn.units import KELVIN_AT_0_DEGC

from . import codes
from .layout import Floats, lay_out
from .tables import demand_levels, drive_table

_MOST_STEPS = 200
_LONGEST_STEP_K = 200.0
_SOLVED_W = 1e-9
_MOST_DEMAND = 4.0  # how far beyond what the drive has a need is still worked out, to be told


@dataclass(frozen=True)
class Verdict:
    """Whether a rig can hold a setpoint.

    Attributes:
        holding_drive: demand that holds it at rest, −1…1, below 0 where a cooling drive is needed beside a heating one;
            beyond that range it cannot; None where nothing near would do.
        end_degC: rest temperature of each body at its worst: with what heats stuck on, or, where all drives cool, with
            these stopped.
    """

    holding_drive: float | None
    end_degC: dict[str, float]

    @property
    def can(self) -> bool:
        """Whether the drives can hold it."""
        return self.holding_drive is not None and -1.0 <= self.holding_drive <= 1.0


def rest_degC(rig: Rig, demand: float) -> Floats | None:
    """Rest temperature of each body with a constant demand, shape (bodies,); None where some body keeps all its heat.

    Args:
        rig: the rig.
        demand: −1…1 as a law gives it; switching and steps of the drives are averaged out.
    """
    if not all(SURROUNDINGS in reached(rig, name) for name in rig.body_names):
        return None
    layout = lay_out(rig)
    table = drive_table(rig, layout)
    levels = demand_levels(rig, table, demand)
    n = len(layout.inv_c)
    outside = layout.start[n]
    given, drawn = np.zeros(n), np.zeros(n)
    for body in rig.bodies:
        given[layout.entry[body.name]] += body.own_heat_W
    for row, level in zip(table, levels, strict=True):
        if row[codes.ACTS_ON] >= 0:
            given[int(row[codes.ACTS_ON])] += level * row[codes.POWER_W]
    for draw_off in rig.draw_offs:
        if draw_off.always:
            at = layout.entry[draw_off.body]
            drawn[at] += draw_off.flow_W_per_K
            given[at] += draw_off.flow_W_per_K * rig.inlet_degC(draw_off)
    links = [
        (a, b, values[codes.AT_REST] + (values[codes.AT_FULL] * max(levels[mover], 0.0) ** values[codes.EXPONENT]
                                        if mover >= 0 else 0.0), values[codes.RADIATES], one_way)
        for (a, b, mover, one_way), values in zip(layout.ends, layout.values, strict=True)
    ]  # fmt: skip
    degC = np.full(n, outside)
    for _ in range(_MOST_STEPS):
        flux, slope = _balance(degC, outside, given, drawn, links)
        step = np.linalg.solve(slope, -flux)
        degC = degC + step * min(1.0, _LONGEST_STEP_K / max(float(np.abs(step).max()), 1e-30))
        degC = np.maximum(degC, -KELVIN_AT_0_DEGC)
        if np.abs(step).max() < 1e-10 or np.abs(flux).max() < _SOLVED_W:
            break
    named: Floats = degC[: len(rig.body_names)]
    return named


def _balance(
    degC: Floats, outside: float, given: Floats, drawn: Floats, links: list[tuple[int, int, float, float, int]]
) -> tuple[Floats, Floats]:
    """Heat into each body, W, and its derivative by each temperature, W/K."""
    n = degC.size
    flux = given - drawn * degC
    slope = np.diag(-drawn)
    for a, b, g, radiates, one_way in links:
        ta, tb = (degC[end] if end < n else outside for end in (a, b))
        ka, kb = ta + KELVIN_AT_0_DEGC, tb + KELVIN_AT_0_DEGC
        heat = g * (tb - ta) + radiates * (kb**4 - ka**4)
        for here, sign in ((a, 1.0), (b, -1.0)):
            if here == n or (one_way and here == a):
                continue
            flux[here] += sign * heat
            if a < n:
                slope[here, a] -= sign * (g + 4 * radiates * ka**3)
            if b < n:
                slope[here, b] += sign * (g + 4 * radiates * kb**3)
    return flux, slope


@lru_cache(maxsize=64)
def can_hold(rig: Rig, setpoint_degC: float) -> Verdict | None:
    """Judge a setpoint for the probed body; None where the rig never comes to rest."""
    at = rig.body_index(rig.probe.body)
    full = rest_degC(rig, 1.0)
    if full is None:
        return None
    worst = full if rig.heats else rest_degC(rig, 0.0)
    assert worst is not None
    end = {name: float(value) for name, value in zip(rig.body_names, worst, strict=True)}
    low = -1.0 if rig.heats and rig.cools else 0.0

    def miss(demand: float) -> float:
        found = rest_degC(rig, demand)
        assert found is not None  # it comes to rest at any demand as at full
        return float(found[at]) - setpoint_degC

    return Verdict(_zero(miss, low, 1.0, float(full[at]) - setpoint_degC), end)


def _zero(miss: Callable[[float], float], low: float, high: float, at_high: float) -> float | None:
    """Where a monotonic function of the demand is 0, by the Illinois variant of regula falsi.

    Where that is beyond `high` it is looked for up to a few times as much; below a `low` of 0, where no drive acts, it
    is told by a straight line. None where it is nowhere near.
    """
    at_low = miss(low)
    if at_low == at_high:
        return None
    if at_low * at_high > 0 and abs(at_low) <= abs(at_high):
        return low - at_low * (high - low) / (at_high - at_low) if low == 0.0 else None
    while at_low * at_high > 0:
        if high >= _MOST_DEMAND:
            return None
        high *= 2
        at_high = miss(high)
    for _ in range(60):
        middle = high - at_high * (high - low) / (at_high - at_low)
        found = miss(middle)
        if abs(found) < 1e-7 or abs(high - low) < 1e-9:
            return float(middle)
        if found * at_high < 0:
            low, at_low = high, at_high
        else:
            at_low /= 2
        high, at_high = middle, found
    return float(high)


@lru_cache(maxsize=4)
def oddities(rig: Rig) -> tuple[str, ...]:
    """What makes a rig impossible or pointless, one sentence each. Kept: it is asked for at every step of a drag."""
    names, found = rig.body_names, []
    if len(names) > 1:
        found += [
            f"Nothing is linked to {name}: no heat flows to or from it."
            for name in names
            if reached(rig, name) == {name}
        ]
    moved = {link.driven_by for link in rig.links if link.full_W_per_K > 0}
    for drive in rig.drives:
        body = heated_body(drive)
        if rig.response is None and body is None and drive.name not in moved:
            found.append(f"{drive.name} moves nothing: name it at a link that it drives, with W/K at full flow.")
        elif body is not None and rig.probe.body not in reached(rig, body):
            found.append(f"No heat of {drive.name} reaches {rig.probe.body}, where {rig.probe.name} sits: link them.")
    heated = heated_body(rig.drive) or rig.probe.body
    integrates = rig.response is not None and rig.response.kind == "integrating"
    if SURROUNDINGS not in reached(rig, heated) and not integrates:
        verb = "warmer and warmer" if rig.heats else "colder and colder"
        found.append(f"There is no way for heat to the surroundings: it only gets {verb}. Add a heat loss.")
    return tuple(found)


def reached(rig: Rig, start: str) -> set[str]:
    """All that heat gets to from a body; it does not go on through the surroundings."""
    found, queue = {start}, [start]
    drawn = {draw_off.body for draw_off in rig.draw_offs if draw_off.always and draw_off.flow_W_per_K > 0}
    while queue:
        here = queue.pop()
        if here in drawn:
            found.add(SURROUNDINGS)
        for link in rig.all_links:
            if link.carries and here in (link.a, link.b) and here != SURROUNDINGS:
                there = link.b if here == link.a else link.a
                if there not in found:
                    found.add(there)
                    queue.append(there)
    return found
