"""Where a rig comes to rest: linear heat balance, solved directly."""

from dataclasses import dataclass

import numpy as np

from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig

from .arrays import Floats


@dataclass(frozen=True)
class Verdict:
    """Whether a rig can hold a setpoint.

    Attributes:
        holding_drive: drive 0…1 that holds it at rest; above 1 or below 0 means it cannot.
        stuck_degC: rest temperature of each body with the drive stuck on.
    """

    holding_drive: float
    stuck_degC: dict[str, float]


def rest_degC(rig: Rig, power_W: float) -> Floats | None:
    """Rest temperature of each body with a constant drive; None where some body has no way to lose heat."""
    n = len(rig.bodies)
    matrix, known = np.zeros((n, n)), np.zeros(n)
    known[rig.body_index(rig.drive.body)] = power_W if rig.drive.acts == "heats" else -power_W
    for link in rig.links:
        a, b, g = rig.body_index(link.a), rig.body_index(link.b), link.conductance_W_per_K
        for here, there in ((a, b), (b, a)):
            if here == n:
                continue
            matrix[here, here] += g
            if there == n:
                known[here] += g * rig.surroundings.temperature_degC
            else:
                matrix[here, there] -= g
    if np.linalg.matrix_rank(matrix) < n:
        return None
    return np.linalg.solve(matrix, known)


def can_hold(rig: Rig, setpoint_degC: float) -> Verdict | None:
    """Judge a setpoint for the probed body; None where the rig never comes to rest."""
    off, full = rest_degC(rig, 0.0), rest_degC(rig, rig.drive.power_W)
    if off is None or full is None:
        return None
    at = rig.body_index(rig.probe.body)
    gain = float(full[at] - off[at])
    if gain == 0:
        return None
    stuck = {body.name: float(full[i]) for i, body in enumerate(rig.bodies)}
    return Verdict((setpoint_degC - float(off[at])) / gain, stuck)


def oddities(rig: Rig) -> list[str]:
    """What makes a rig impossible or pointless, one sentence each."""
    reached = _reached(rig, rig.drive.body)
    found = [
        f"Nothing is linked to {body.name}: no heat flows to or from it."
        for body in rig.bodies
        if len(rig.bodies) > 1 and _reached(rig, body.name) == {body.name}
    ]
    if rig.probe.body not in reached:
        found.append(f"No heat of {rig.drive.name} reaches {rig.probe.body}, where {rig.probe.name} sits: link them.")
    if SURROUNDINGS not in reached:
        verb = "warmer and warmer" if rig.drive.acts == "heats" else "colder and colder"
        found.append(f"There is no way for heat to the surroundings: it only gets {verb}. Add a heat loss.")
    return found


def _reached(rig: Rig, start: str) -> set[str]:
    """All that heat gets to from a body; it does not go on through the surroundings."""
    found, queue = {start}, [start]
    while queue:
        here = queue.pop()
        for link in rig.links:
            if link.conductance_W_per_K > 0 and here in (link.a, link.b) and here != SURROUNDINGS:
                there = link.b if here == link.a else link.a
                if there not in found:
                    found.add(there)
                    queue.append(there)
    return found
