"""Ice that grows where damp air meets a body below 0 °C: a coarse model.

Vapour goes to the surface as heat does: by Lewis' relation (Lewis number 1) the air brings g / c_p kg/s for each unit
of humidity ratio that it is above that over the surface, g being the link's conductance. Saturation pressures are
those of Magnus' formula with the coefficients of Sonntag 1990. Ice lies evenly: its layer of RHO_KG_PER_M3 conducts as
Yonko and Sepsy 1967 give for it, stands in series with the link, and closes the way of the air in proportion to its
mass. It melts where the body is above 0 °C, so that the body stays near 0 °C until it is gone; what melts drains at
0 °C. The surface is as warm as the body; the air's dew point stays as it is given; the heat that the ice itself holds
is left out.

Ice and water are carried as the kelvins by which their heat of fusion would warm their body: `x` has two slots for each
iced body, the ice on it and the water that has run off.
"""

import math

from kelvarn.model.icing import Icing

from .compiled import part, subroutine
from .plant import IceRecord, Plant, State
from .records import Grid, Reals

FUSION_J_PER_KG = 333.55e3
VAPORISATION_J_PER_KG = 2.501e6
CP_J_PER_KGK = 1006.0
PRESSURE_PA = 101325.0
RHO_KG_PER_M3 = 250.0
CONDUCTS_W_PER_MK = 0.02422 + 7.214e-4 * RHO_KG_PER_M3 + 1.1797e-6 * RHO_KG_PER_M3**2
_LEAST_OPEN = 0.02  # of the way of the air
_FREEZES_WITHIN_K = 0.2  # below 0 °C: what comes freezes in part there, since a corner would hold up the integration
_MELTS_IN_S = 20.0
_LAST_K = 0.05  # of ice: less melts and vanishes the slower the less there is
_HOTTEST_DEGC = 60.0  # up to which the humidity over a surface is followed; ice and dew are long gone there


def layer_K_per_W(icing: Icing, ice_kg: float) -> float:
    """Resistance of so much ice on a surface: thickness over conductivity and area."""
    return ice_kg / (RHO_KG_PER_M3 * CONDUCTS_W_PER_MK * icing.area_m2 * icing.area_m2)


@part
def humidity_over(degC: float) -> tuple[float, float]:
    """Humidity ratio of air saturated over water, below 0 °C over ice, kg/kg, and its slope by temperature, 1/K."""
    at = min(degC, _HOTTEST_DEGC)
    if at < 0.0:
        a, b = 22.46, 272.62
    else:
        a, b = 17.62, 243.12
    pressure = 611.2 * math.exp(a * at / (b + at))
    dry = PRESSURE_PA - pressure
    slope = pressure * a * b / ((b + at) * (b + at))
    if degC > _HOTTEST_DEGC:
        slope = 0.0
    return 0.622 * pressure / dry, 0.622 * PRESSURE_PA / (dry * dry) * slope


@part
def open_share(ice: IceRecord, ice_K: float) -> tuple[float, float]:
    """Share of the air's way that ice leaves, and its slope by the ice, 1/K."""
    if ice.blocks_K <= 0.0 or ice_K <= 0.0:
        return 1.0, 0.0
    share = 1.0 - ice_K / ice.blocks_K
    if share <= _LEAST_OPEN:
        return _LEAST_OPEN, 0.0
    return share, -1.0 / ice.blocks_K


@subroutine
def ice_rates(ice: IceRecord, degC: float, ice_K: float, g: float) -> tuple[float, ...]:
    """How ice grows and melts.

    Args:
        ice: where.
        degC: of the body.
        ice_K: ice on it.
        g: conductance of the link without what the ice keeps off, W/K.

    Returns:
        What the body warms by vapour that turns to water or ice, by what freezes less what melts, and what runs off,
        all K/s; then the slopes of the three by the temperature, by the ice, and by g.
    """
    over, over_slope = humidity_over(degC)
    gap = ice.air_humidity - over
    vapour, by_degC = ice.takes_K * g * gap, -ice.takes_K * g * over_slope
    lies = max(ice_K, 0.0)
    stays, stays_slope = lies / (lies + _LAST_K), _LAST_K / ((lies + _LAST_K) * (lies + _LAST_K))
    freezing = min(max(-degC / _FREEZES_WITHIN_K, 0.0), 1.0)
    freezing_slope = -1.0 / _FREEZES_WITHIN_K if 0.0 < freezing < 1.0 else 0.0
    # What is drier than the surface takes ice away, where there is some; dew that has run off takes no part.
    share = 1.0 if gap > 0.0 else stays * freezing
    share_by_degC = 0.0 if gap > 0.0 else stays * freezing_slope
    share_by_ice = 0.0 if gap > 0.0 else stays_slope * freezing
    frozen = freezing if gap > 0.0 else 1.0
    frozen_by_degC = freezing_slope if gap > 0.0 else 0.0
    taken = share * vapour
    taken_by_degC = share_by_degC * vapour + share * by_degC
    taken_by_ice = share_by_ice * vapour
    taken_by_g = share * ice.takes_K * gap
    warm = max(degC, 0.0)
    melts = stays * warm / _MELTS_IN_S
    melts_by_degC = stays / _MELTS_IN_S if degC > 0.0 else 0.0
    melts_by_ice = stays_slope * warm / _MELTS_IN_S
    grows, drips = frozen * taken - melts, (1.0 - frozen) * taken + melts
    grows_by_degC = frozen_by_degC * taken + frozen * taken_by_degC - melts_by_degC
    grows_by_ice = frozen * taken_by_ice - melts_by_ice
    return (
        taken * VAPORISATION_J_PER_KG / FUSION_J_PER_KG, grows, drips,
        taken_by_degC * VAPORISATION_J_PER_KG / FUSION_J_PER_KG, grows_by_degC, taken_by_degC - grows_by_degC,
        taken_by_ice * VAPORISATION_J_PER_KG / FUSION_J_PER_KG, grows_by_ice, taken_by_ice - grows_by_ice,
        taken_by_g * VAPORISATION_J_PER_KG / FUSION_J_PER_KG, frozen * taken_by_g, (1.0 - frozen) * taken_by_g,
    )  # fmt: skip


@subroutine
def way_left(e: int, plant: Plant, x: Reals) -> float:
    """Share of the air's way that one of the ices leaves now."""
    slot = plant.bodies.size + plant.probes.size + plant.drives.size + 2 * e
    return open_share(plant.ices[e], x[slot])[0]


@subroutine
def record_ices(k: int, plant: Plant, state: State, x: Reals, ice_kg: Grid) -> None:
    """Record the ice of a sample; arguments as the kernel has them, and the row for each body that ices."""
    loop, ices = state.loop[0], plant.bodies.size + plant.probes.size + plant.drives.size
    loop.ice_kg = 0.0
    for e in range(plant.ices.size):
        ice_kg[e, k] = max(x[ices + 2 * e], 0.0) * plant.ices[e].kg_per_K
        loop.ice_kg += ice_kg[e, k]
    loop.most_ice_kg = max(loop.most_ice_kg, loop.ice_kg)


@subroutine
def add_damp(plant: Plant, state: State, x: Reals) -> None:
    """Add up, at the end, what vapour brought by turning to water and ice, and what ran off."""
    loop, ices = state.loop[0], plant.bodies.size + plant.probes.size + plant.drives.size
    for e in range(plant.ices.size):
        grown_kg = (x[ices + 2 * e] - plant.ices[e].start_K) * plant.ices[e].kg_per_K
        drained_kg = x[ices + 2 * e + 1] * plant.ices[e].kg_per_K
        loop.drained_kg += drained_kg
        loop.damp_J += VAPORISATION_J_PER_KG * (grown_kg + drained_kg) + FUSION_J_PER_KG * grown_kg
