"""A rig's heat flow laid out in lists: bodies, links and where heat enters."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from kelvarn.model.bodies import Body
from kelvarn.model.drives import Fan, Valve
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig

Floats = npt.NDArray[np.floating[Any]]
Ints = npt.NDArray[np.int64]

STEFAN_BOLTZMANN_W_PER_M2K4 = 5.670374419e-8


@dataclass(frozen=True)
class Layout:
    """A rig's heat flow in arrays, and where heat enters: for two lags in a row, into the first."""

    inv_c: list[float]
    melt: Floats
    start: Floats
    ends: list[tuple[int, int, int, int]]
    values: list[list[float]]
    entry: dict[str, int]


def lay_out(rig: Rig, start_degC: float | None = None) -> Layout:
    """Lay a rig's heat flow out; `start_degC` is where every body starts, None for a cold start."""
    bodies = rig.all_bodies
    inv_c = [1 / body.capacity_J_per_K for body in bodies]
    entry = {body.name: i for i, body in enumerate(bodies)}
    outside = len(bodies)
    ends: list[tuple[int, int, int, int]] = []
    values: list[list[float]] = []
    if rig.response is not None and rig.response.kind == "two_lags":
        # The named body is the second lag; the first one, not shown, is what the heat enters.
        outside = 2
        entry[rig.response.name] = 1
        inv_c = [1.0, inv_c[0]]
        ends.append((1, 0, -1, 1))
        values.append([1 / rig.response.lag2_s, 0.0, 1.0, 0.0])
    for link in rig.all_links:
        mover = rig.drive_index(link.driven_by) if link.driven_by is not None else -1
        a, b = (outside if end == SURROUNDINGS else entry[end] for end in (link.a, link.b))
        ends.append((a, b, mover, 0))
        full = link.full_W_per_K if mover >= 0 else 0.0
        radiates = link.radiating_m2 * STEFAN_BOLTZMANN_W_PER_M2K4
        values.append([link.conductance_W_per_K, full, link.flow_exponent, radiates])
    n = len(inv_c)
    melt, start = np.zeros((n, 3)), np.full(n + 1, rig.surroundings.temperature_degC)
    for i in range(n):
        body = bodies[min(i, len(bodies) - 1)]
        start[i] = _start_degC(body, start_degC, start[n])
        if body.melting is not None:
            latent_K = body.melting.latent_J * inv_c[i]
            melt[i] = body.melting.from_degC, body.melting.to_degC, latent_K
    return Layout(inv_c, melt, start, ends, values, entry)


def is_curved(rig: Rig) -> bool:
    """Whether a rig's heat flow is no plain sum of conductances: it radiates, melts or has a fan or valve."""
    return (
        any(link.radiating_m2 > 0 for link in rig.links)
        or any(body.melting is not None for body in rig.bodies)
        or any(isinstance(drive, Fan | Valve) for drive in rig.drives)
    )


def _start_degC(body: Body, start_degC: float | None, outside: float) -> float:
    if start_degC is not None:
        return start_degC
    return outside if body.start_degC is None else body.start_degC
