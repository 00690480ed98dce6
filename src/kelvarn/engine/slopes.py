"""Heat flow that is not linear: radiation, melting, fans and valves, ice.

The state x is one array: bodies 0…n−1, probes (degC), relative flow or position of each drive that moves something
(0…1), ice and water of each body that ices (`icing.py`), and the heat lost to the surroundings so far (J). A body that
melts is carried by its heat content, as the temperature θ it would have without its latent heat: dθ/dt is the heat
flowing in over C, without a jump where melting begins, and T is found from θ.
"""

from typing import NamedTuple

from .compiled import part, subroutine
from .heat import carried, conductance
from .icing import ice_rates, open_share
from .plant import BodyRecord, LinkRecord, Plant, State
from .records import Blocks, Grid, Reals


class Adaptive(NamedTuple):
    """What the integration works on."""

    x: Reals
    squares: Blocks  # two matrices
    work: Grid  # WORK_ROWS rows
    into_W: Reals  # into each body, whatever its state


STAGES = 6
WORK_ROWS = STAGES + 8
AT, RATE, SOLVED, DEGC, PER_THETA, RATE_BEFORE, RATE_AFTER, ERROR = range(STAGES, WORK_ROWS)
"""Rows of the work, after one for each stage."""
_SLOWEST_FLOW = 1e-3  # below it the slope of flow^m, endless at 0 for m < 1, is taken here


@subroutine
def content(degC: float, body: BodyRecord) -> float:
    """θ of a body at a temperature."""
    width = body.melted_at_degC - body.melts_from_degC
    if body.latent_K == 0.0 or degC <= body.melts_from_degC:
        return degC
    if degC >= body.melted_at_degC:
        return degC + body.latent_K
    return body.melts_from_degC + (degC - body.melts_from_degC) * (1.0 + body.latent_K / width)


@part
def temperature(theta: float, body: BodyRecord) -> tuple[float, float]:
    """Temperature of a body in degC, and its slope dT/dθ."""
    extra = body.latent_K
    if extra == 0.0 or theta <= body.melts_from_degC:
        return theta, 1.0
    if theta >= body.melted_at_degC + extra:
        return theta - extra, 1.0
    slope = 1.0 / (1.0 + extra / (body.melted_at_degC - body.melts_from_degC))
    return body.melts_from_degC + (theta - body.melts_from_degC) * slope, slope


@part
def _by_flow(link: LinkRecord, flow: float) -> float:
    """By how much a link's conductance grows with the flow along it, W/K."""
    e = link.flow_exponent
    slope: float = link.full_W_per_K * e * max(flow, _SLOWEST_FLOW) ** (e - 1.0)
    return slope


@subroutine
def _add_ices(x: Reals, wanted: bool, jacobian: Grid, plant: Plant, state: State, adaptive: Adaptive,
              dx: Reals) -> None:  # fmt: skip
    """What grows, melts and runs off; as `slopes`, once the rows of the bodies are in K/s."""
    flows = plant.bodies.size + plant.probes.size
    ices = flows + plant.drives.size
    for e in range(plant.ices.size):
        ice, link, slot = plant.ices[e], state.links[plant.ices[e].link], ices + 2 * e
        flow, way, way_slope = 0.0, 1.0, 0.0
        blocks = link.mover >= 0 and plant.drives[link.mover].ice == e
        if link.mover >= 0:
            flow = max(x[flows + link.mover], 0.0)
        if blocks:
            way, way_slope = open_share(ice, x[slot])
        body = ice.body
        (wets, grows, drips, wets_T, grows_T, drips_T, wets_ice, grows_ice, drips_ice, wets_g, grows_g,
         drips_g) = ice_rates(ice, adaptive.work[DEGC, body], x[slot], conductance(link, flow * way))  # fmt: skip
        dx[body] += wets + grows
        dx[slot], dx[slot + 1] = grows, drips
        if not wanted:
            continue
        by_flow = _by_flow(link, flow * way) if link.mover >= 0 else 0.0
        g_ice = by_flow * flow * way_slope
        jacobian[body, body] += wets_T + grows_T
        jacobian[slot, body], jacobian[slot + 1, body] = grows_T, drips_T
        jacobian[body, slot] += wets_ice + grows_ice + (wets_g + grows_g) * g_ice
        jacobian[slot, slot] = grows_ice + grows_g * g_ice
        jacobian[slot + 1, slot] = drips_ice + drips_g * g_ice
        if link.mover >= 0:
            jacobian[body, flows + link.mover] += (wets_g + grows_g) * by_flow * way
            jacobian[slot, flows + link.mover] = grows_g * by_flow * way
            jacobian[slot + 1, flows + link.mover] = drips_g * by_flow * way


@part
def _link_slopes(k: int, x: Reals, wanted: bool, jacobian: Grid, plant: Plant, state: State, adaptive: Adaptive,
                 dx: Reals) -> None:  # fmt: skip
    """Add what a link carries, W; its place, and arguments as of `slopes`."""
    n, link = plant.bodies.size, state.links[k]
    lost, flows = x.size - 1, n + plant.probes.size
    ices = flows + plant.drives.size
    degC, per_theta = adaptive.work[DEGC], adaptive.work[PER_THETA]
    a, b = link.a, link.b
    ta = degC[a] if a < n else state.loop[0].outside_degC
    tb = degC[b] if b < n else state.loop[0].outside_degC
    flow, ice = 0.0, -1
    if link.mover >= 0:
        flow, ice = max(x[flows + link.mover], 0.0), plant.drives[link.mover].ice
    way, way_slope = 1.0, 0.0
    if ice >= 0:
        way, way_slope = open_share(plant.ices[ice], x[ices + 2 * ice])
    g, kept = conductance(link, flow * way), 1.0
    if link.ice >= 0:
        kept = 1.0 / (1.0 + g * plant.ices[link.ice].resists * max(x[ices + 2 * link.ice], 0.0))
    heat, by_a, by_b = carried(link, g * kept, ta, tb)
    row_a, row_b = (a if a < n else lost), (b if b < n else lost)
    there = 0.0 if link.one_way else 1.0  # whether the end a feels it
    dx[row_a] += there * heat
    dx[row_b] -= heat
    if not wanted:
        return
    if a < n:
        jacobian[row_a, a] -= there * by_a * per_theta[a]
        jacobian[row_b, a] += by_a * per_theta[a]
    if b < n:
        jacobian[row_a, b] += there * by_b * per_theta[b]
        jacobian[row_b, b] -= by_b * per_theta[b]
    if link.mover >= 0:
        by_flow = _by_flow(link, flow * way) * kept * kept * (tb - ta)
        jacobian[row_a, flows + link.mover] += there * by_flow * way
        jacobian[row_b, flows + link.mover] -= by_flow * way
        if ice >= 0:
            jacobian[row_a, ices + 2 * ice] += by_flow * flow * way_slope
            jacobian[row_b, ices + 2 * ice] -= by_flow * flow * way_slope
    if link.ice >= 0:
        by_ice = -g * kept * g * kept * plant.ices[link.ice].resists * (tb - ta)
        jacobian[row_a, ices + 2 * link.ice] += by_ice
        jacobian[row_b, ices + 2 * link.ice] -= by_ice


@part
def _drive_slopes(d: int, x: Reals, wanted: bool, jacobian: Grid, plant: Plant, state: State, dx: Reals) -> None:
    """Add what a drive that moves something brings, W, and how its flow follows; arguments as of `_link_slopes`."""
    slot, settings, drive = plant.bodies.size + plant.probes.size + d, plant.drives[d], state.drives[d]
    dx[slot] = 0.0
    if not settings.moves:
        return
    body = settings.acts_on
    if body >= 0:
        dx[body] += drive.full_W * x[slot]
        if wanted:
            jacobian[body, slot] += drive.full_W
    if settings.speed_lag_s > 0.0:
        dx[slot] = (drive.target - x[slot]) / settings.speed_lag_s
        if wanted:
            jacobian[slot, slot] = -1.0 / settings.speed_lag_s
    else:
        dx[slot] = drive.left * drive.ramp_per_s


@part
def _probe_slopes(p: int, x: Reals, wanted: bool, jacobian: Grid, plant: Plant, state: State, adaptive: Adaptive,
                  dx: Reals) -> None:  # fmt: skip
    """How a probe follows what it sits in; arguments as of `_link_slopes`."""
    n, probe = plant.bodies.size, plant.probes[p]
    slot, seat = n + p, state.probes[p].sits_in
    dx[slot] = 0.0
    if probe.lag_s <= 0.0:
        return
    there = adaptive.work[DEGC, seat] if seat < n else state.loop[0].outside_degC
    dx[slot] = (there - x[slot]) / probe.lag_s
    if wanted:
        if seat < n:
            jacobian[slot, seat] = adaptive.work[PER_THETA, seat] / probe.lag_s
        jacobian[slot, slot] = -1.0 / probe.lag_s


@part
def slopes(x: Reals, wanted: bool, jacobian: Grid, plant: Plant, state: State, adaptive: Adaptive, dx: Reals) -> None:
    """dx/dt, and where `wanted` its Jacobian, shape (size, size)."""
    n, lost = plant.bodies.size, x.size - 1
    degC, per_theta = adaptive.work[DEGC], adaptive.work[PER_THETA]
    if wanted:
        jacobian[:] = 0.0
    dx[lost] = 0.0
    for i in range(n):
        degC[i], per_theta[i] = temperature(x[i], plant.bodies[i])
        drawn = state.bodies[i].drawn_W_per_K
        dx[i] = adaptive.into_W[i] - drawn * degC[i]
        dx[lost] += drawn * degC[i]
        if wanted:
            jacobian[i, i] = -drawn * per_theta[i]
            jacobian[lost, i] = drawn * per_theta[i]
    for k in range(state.links.size):
        _link_slopes(k, x, wanted, jacobian, plant, state, adaptive, dx)
    for d in range(plant.drives.size):
        _drive_slopes(d, x, wanted, jacobian, plant, state, dx)
    for i in range(n):
        dx[i] *= plant.bodies[i].per_capacity_K_per_J
        if wanted:
            for j in range(x.size):
                jacobian[i, j] *= plant.bodies[i].per_capacity_K_per_J
    if plant.ices.size > 0:
        _add_ices(x, wanted, jacobian, plant, state, adaptive, dx)
    for p in range(plant.probes.size):
        _probe_slopes(p, x, wanted, jacobian, plant, state, adaptive, dx)
