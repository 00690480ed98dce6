"""When a body crosses the level of a switch that needs no software: a thermal cut-off, or a drive's own thermostat.

Such a switch is one for the body that it sits on, whatever any probe reads and when. Both integrations look after each
span whether one is crossed in it, and end the span there; `switches.py` then lets it act.
"""

from math import inf

from .compiled import part
from .heat import between
from .plant import Plant, State

NEAR_K = 1e-4
"""So near to its level a switch acts: the instants found are that good."""
_LOOKS = 16
_HALVINGS = 40


@part
def count_of(plant: Plant) -> int:
    """How many switches there may be: the cut-offs, of which the last one is none, then one for each drive."""
    return plant.cut_offs.size - 1 + plant.drives.size


@part
def edge_of(s: int, plant: Plant, state: State) -> tuple[int, float, float]:
    """Body of a switch; the temperature at which it acts next, an endless one where it does not; 1 where from below.

    Args:
        s: the switch: cut-offs first, then each drive's own thermostat.
        plant, state: the rig, and where it stands.
    """
    cut_offs = plant.cut_offs.size - 1
    if s < cut_offs:
        cut_off = plant.cut_offs[s]
        if state.cut_offs[s].open:
            return cut_off.body, cut_off.closes_degC, -1.0
        return cut_off.body, cut_off.at_degC, 1.0
    settings, drive = plant.drives[s - cut_offs], state.drives[s - cut_offs]
    if settings.dial_degC == inf or settings.acts_on < 0:
        return 0, inf, 1.0
    if drive.blocked:
        return settings.acts_on, settings.dial_degC - settings.dial_band_K, -1.0
    return settings.acts_on, inf if drive.welded else settings.dial_degC, 1.0


@part
def share_at(y0: float, rate0: float, y1: float, rate1: float, span: float, level: float, sign: float) -> float:
    """Where in a smooth span a course first comes to a level, 0…1; below 0: it does not.

    Args:
        y0, rate0, y1, rate1, span: as for `heat.between`; it is not there at the start.
        level, sign: the level; 1 where it comes from below, else −1.
    """
    low = 0.0
    for look in range(1, _LOOKS + 1):
        high = look / _LOOKS
        if sign * (between(y0, rate0, y1, rate1, span, high) - level) >= 0.0:
            for _ in range(_HALVINGS):
                middle = 0.5 * (low + high)
                if sign * (between(y0, rate0, y1, rate1, span, middle) - level) >= 0.0:
                    high = middle
                else:
                    low = middle
            return high
        low = high
    return -1.0
