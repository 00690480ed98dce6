"""The ultimate point: the gain of a P controller at which a loop just keeps ringing, and the period of that."""

import math
from typing import NamedTuple

import scipy

from .process import FirstOrder, Plant


class Ultimate(NamedTuple):
    """Gain in 1/K (drive 0…1 per kelvin) and period in s."""

    gain_per_K: float
    period_s: float


def ultimate(plant: Plant) -> Ultimate | None:
    """The ultimate point of a continuous loop; None without a dead time, since it then never rings.

    Where the phase of the plant is −180°: ω·L + atan(ω·T) = π for one lag, ω·L = π/2 for a ramp; the gain is the
    inverse of the plant's there. Åström and Hägglund, Advanced PID Control, 2006, section 2.
    """
    delay = plant.dead_time_s
    if delay <= 0:
        return None
    if not isinstance(plant, FirstOrder):
        omega = math.pi / (2 * delay)
        return Ultimate(omega / plant.rise_K_per_s, 2 * math.pi / omega)
    lag = plant.lag_s
    # The root lies between that of a ramp and that of a dead time alone.
    ends = math.pi / (2 * delay), math.pi / delay
    root = scipy.optimize.brentq(lambda w: w * delay + math.atan(w * lag) - math.pi, *ends, xtol=1e-300, rtol=8.9e-16)
    omega = float(root)
    return Ultimate(math.hypot(1.0, omega * lag) / plant.gain_K, 2 * math.pi / omega)
