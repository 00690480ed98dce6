"""A step of heat flow that is not linear, where no body is quick beside it: six new slopes and no matrix.

The explicit Runge–Kutta method of order 5 of Dormand and Prince with its error estimate of order 4 and its continuation
between the ends: Hairer, Nørsett and Wanner, Solving Ordinary Differential Equations I, 1993, table II.5.2 and section
II.6. The last slope of a step is the first one of the next.
"""

import numpy as np

from .compiled import part, subroutine
from .heat import carried, conductance
from .plant import Plant, State
from .records import Reals
from .slopes import AT, ERROR, RATE_AFTER, RATE_BEFORE, SOLVED, STAGES, Adaptive, slopes, temperature

_A = np.array(
    [
        [1 / 5, 0.0, 0.0, 0.0, 0.0, 0.0],
        [3 / 40, 9 / 40, 0.0, 0.0, 0.0, 0.0],
        [44 / 45, -56 / 15, 32 / 9, 0.0, 0.0, 0.0],
        [19372 / 6561, -25360 / 2187, 64448 / 6561, -212 / 729, 0.0, 0.0],
        [9017 / 3168, -355 / 33, 46732 / 5247, 49 / 176, -5103 / 18656, 0.0],
        [35 / 384, 0.0, 500 / 1113, 125 / 192, -2187 / 6784, 11 / 84],
    ]
)
_ERROR = np.array([71 / 57600, 0.0, -71 / 16695, 71 / 1920, -17253 / 339200, 22 / 525, -1 / 40])
_BULGE = np.array(
    [
        -12715105075 / 11282082432, 0.0, 87487479700 / 32700410799, -10690763975 / 1880347072,
        701980252875 / 199316789632, -1453857185 / 822651844, 69997945 / 29380423,
    ]
)  # fmt: skip


@part
def _sum_conductances(plant: Plant, state: State, adaptive: Adaptive, rates: Reals) -> None:
    """What holds each body to all others and to the surroundings, as hot as it is now, W/K."""
    n = plant.bodies.size
    for i in range(n):
        rates[i] = state.bodies[i].drawn_W_per_K
    for k in range(state.links.size):
        link = state.links[k]
        hottest = state.loop[0].outside_degC
        if link.a < n:
            hottest = max(hottest, temperature(adaptive.x[link.a], plant.bodies[link.a])[0])
        if link.b < n:
            hottest = max(hottest, temperature(adaptive.x[link.b], plant.bodies[link.b])[0])
        _, g, _ = carried(link, conductance(link, 1.0), hottest, hottest)
        if link.a < n:
            rates[link.a] += g
        if link.b < n:
            rates[link.b] += g


@subroutine
def quickest_per_s(plant: Plant, state: State, adaptive: Adaptive) -> float:
    """The quickest rate at which anything may settle as it is now, 1/s; at most twice too high.

    For bodies by the circles of Gershgorin: a row's diagonal outweighs the rest of it.
    """
    rates, quickest = adaptive.work[SOLVED], 0.0
    _sum_conductances(plant, state, adaptive, rates)
    for i in range(plant.bodies.size):
        quickest = max(quickest, 2.0 * rates[i] * plant.bodies[i].per_capacity_K_per_J)
    for p in range(plant.probes.size):
        if plant.probes[p].lag_s > 0.0:
            quickest = max(quickest, 1.0 / plant.probes[p].lag_s)
    for d in range(plant.drives.size):
        if plant.drives[d].speed_lag_s > 0.0:
            quickest = max(quickest, 1.0 / plant.drives[d].speed_lag_s)
    return quickest


@part
def explicit_step(step: float, fresh: bool, plant: Plant, state: State, adaptive: Adaptive) -> None:
    """One step from x: its end in row AT of the work, the slopes there in RATE_AFTER, its error in ERROR.

    Args:
        step: s.
        fresh: whether the slopes at x stand in RATE_BEFORE.
        plant, state, adaptive: what is advanced.
    """
    x, work, jacobian = adaptive.x, adaptive.work, adaptive.squares[0]
    y, error_of = work[AT], work[ERROR]
    if not fresh:
        slopes(x, False, jacobian, plant, state, adaptive, work[RATE_BEFORE])
    for i in range(x.size):
        work[0, i] = work[RATE_BEFORE, i]
    for stage in range(1, STAGES + 1):
        for i in range(x.size):
            y[i] = 0.0
        for j in range(stage):
            share = _A[stage - 1, j]
            for i in range(x.size):
                y[i] += share * work[j, i]
        for i in range(x.size):
            y[i] = x[i] + step * y[i]
        slopes(y, False, jacobian, plant, state, adaptive, work[stage] if stage < STAGES else work[RATE_AFTER])
    for i in range(x.size):
        error = _ERROR[STAGES] * work[RATE_AFTER, i]
        for j in range(STAGES):
            error += _ERROR[j] * work[j, i]
        error_of[i] = step * error


@part
def bulge_K(i: int, step: float, adaptive: Adaptive) -> float:
    """What s² (1 − s)² is taken times, K, to have a body's course at the share s of such a step.

    That comes on top of the cubic that meets values and slopes at both ends.
    """
    bulge = _BULGE[STAGES] * adaptive.work[RATE_AFTER, i]
    for j in range(STAGES):
        bulge += _BULGE[j] * adaptive.work[j, i]
    return step * bulge
