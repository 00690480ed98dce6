"""The limit cycle of on/off on one lag with a dead time, or on a ramp: exactly how far it swings, and how often.

After switching on, the temperature goes on falling for the dead time, then rises towards where full drive would end,
and for the dead time beyond switching off: two exponentials. Tsypkin, Relay Control Systems, 1984, section 3.
"""

import math
from dataclasses import replace
from typing import NamedTuple

import scipy

from kelvarn.engine.steady import rest_degC
from kelvarn.engine.step import open_loop, usual_drive
from kelvarn.model.drives import Relay
from kelvarn.model.on_off import OnOff
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig
from kelvarn.sentence import say

from .process import FirstOrder, Plant, PlantError, plant_of

_WIDEST_K = 1e4
_SIGMAS = 4.0
_DESCRIBES = 0.1  # of the swing: a step that one lag misses by more is not of one lag


class Swing(NamedTuple):
    """The cycle: lowest and highest from the setpoint in K, upwards the way the drive pushes; period in s."""

    low_K: float
    high_K: float
    period_s: float

    @property
    def swing_K(self) -> float:
        """From lowest to highest."""
        return self.high_K - self.low_K


def swing(plant: Plant, above_rest_K: float, below_K: float, above_K: float) -> Swing:
    """The cycle of on/off.

    Args:
        plant: what is switched.
        above_rest_K: how far the setpoint is from where the plant rests without drive, the way the drive pushes.
        below_K, above_K: edges from the setpoint; on below, off above.

    Raises:
        PlantError: it does not cycle, since full drive does not reach the edge or no drive does not leave it.
    """
    on, off, delay = above_rest_K - below_K, above_rest_K + above_K, plant.dead_time_s
    if not isinstance(plant, FirstOrder):
        raise PlantError(say("On a rig that only rises, on/off has a cycle only where something takes the heat away."))
    full, lag = plant.gain_K, plant.lag_s
    if on <= 0:
        raise PlantError(say("Without drive it rests beyond the edge at which it switches on, and never does."))
    if off >= full:
        raise PlantError(say("Full drive does not reach the edge at which it switches off."))
    fade = math.exp(-delay / lag)
    high = full - (full - off) * fade
    low = on * fade
    up_s = lag * math.log((full - low) / (full - off))
    down_s = lag * math.log(high / on)
    return Swing(low - above_rest_K, high - above_rest_K, up_s + down_s + 2 * delay)


def scatter_K(probe: Probe) -> float:
    """What a band must be wider than: four standard deviations of the reading's noise, or one of its steps."""
    return max(_SIGMAS * probe.noise_K, probe.resolution_K)


def as_switched(plant: Plant, rig: Rig, share: float) -> Plant:
    """A plant with what comes late by switching besides: the reading, the relay's contacts, the slow window.

    Args:
        plant: as its step was read, where none of this shows.
        rig: its control probe and its drives.
        share: of an interval and a window; 0.5 for what is usual, 1 for what is at worst.
    """
    late_s = share * rig.probe.interval_s
    late_s += max(
        drive.operate_s if isinstance(drive, Relay) else share * getattr(drive, "window_s", 0.0) for drive in rig.drives
    )
    return replace(plant, dead_time_s=plant.dead_time_s + late_s)


def swing_of(rig: Rig, law: OnOff, setpoint_degC: float) -> Swing:
    """The cycle of an on/off law on a rig, by the one lag and dead time of its open-loop step.

    Args:
        rig: the rig.
        law: on/off.
        setpoint_degC: round which it swings.

    Raises:
        RunError, PlantError: there is no such step, or no cycle; or one lag does not describe the rig so well that its
            cycle would be that of the run, or the law has delays of its own.
    """
    if rig.way.both or law.shortest_on_s or law.shortest_off_s or law.confirm_s or law.decide_every_s or law.once:
        raise PlantError(say("The cycle is worked out for on/off that switches at its edges, one way only."))
    reading = open_loop(rig, usual_drive(rig, setpoint_degC), "cold").reading
    plant = as_switched(plant_of(reading), rig, 0.5)
    on, off = law.on_off_degC(setpoint_degC, rig.way)
    sign = rig.way.sign
    found = swing(plant, above_rest_K(rig, setpoint_degC), sign * (setpoint_degC - on), sign * (off - setpoint_degC))
    if reading is None or reading.rms_K > _DESCRIBES * found.swing_K:
        raise PlantError(say("One lag does not describe this rig well enough to tell its cycle."))
    return found


def above_rest_K(rig: Rig, setpoint_degC: float) -> float:
    """How far a setpoint is from where the probed body rests without drive, the way the drive pushes.

    Raises:
        PlantError: it does not come to rest.
    """
    rest = rest_degC(rig, 0.0)
    if rest is None:
        raise PlantError(say("The rig does not come to rest without drive."))
    return rig.way.sign * (setpoint_degC - float(rest[rig.body_index(rig.probe.body)]))


def band_for(plant: Plant, above_rest_K: float, wanted: float, what: str) -> float:
    """The symmetric band, in K to either side, whose cycle has a swing in K or a period in s.

    Args:
        plant, above_rest_K: as for `swing`.
        wanted: the swing or period; `what` says which, "swing_K" or "period_s".

    Raises:
        PlantError: even no band swings further, or slower; or the widest does not.
    """

    def off_by(band_K: float) -> float:
        return float(getattr(swing(plant, above_rest_K, band_K, band_K), what)) - wanted

    if off_by(0.0) > 0:
        said = "swings further" if what == "swing_K" else "is slower"
        raise PlantError(say("even without a band it {said}", said=said))
    assert isinstance(plant, FirstOrder)
    widest = min(above_rest_K, plant.gain_K - above_rest_K, _WIDEST_K) * (1 - 1e-9)
    if widest <= 0 or off_by(widest) < 0:
        raise PlantError(say("no band that full drive can cross is wide enough"))
    return float(scipy.optimize.brentq(off_by, 0.0, widest, xtol=1e-12))
