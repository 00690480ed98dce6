"""The relay test: a drive that switches to and fro round what holds the setpoint makes the loop ring.

Its ultimate point is read from the fundamental waves of drive and reading over whole periods, so that a ringing that is
not symmetric counts as well. Åström and Hägglund, Automatica 20, 1984.
"""

import cmath
import math
from dataclasses import dataclass

import numpy as np

from kelvarn.engine.run import compute
from kelvarn.engine.steady import can_hold
from kelvarn.engine.step import averaged
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, show

from .process import Plant, PlantError
from .ultimate import Ultimate

_ALWAYS_K = 150.0  # beyond the setpoint, from where the lower step is always taken
_LEAST_HOLDING = 0.02
_SHARE = 0.9  # of the way to the nearer limit
_PERIODS = 14  # of the run; those of its second half are read
_LONGEST_SAMPLES = 400_000
_LEAST_SAMPLES = 4  # in a period: with fewer it rings from sample to sample, which tells nothing of the rig
_SETTLES_LAGS = 6.0  # in lags, before which nothing is read


@dataclass(frozen=True)
class RelayTest:
    """A relay test.

    Attributes:
        found: the ultimate point that it tells.
        periods: how many were read.
    """

    found: Ultimate
    periods: int


def relay_test(rig: Rig, setpoint_degC: float, plant: Plant) -> RelayTest:
    """Ring a rig by on/off round a setpoint, without noise and with drives that are not switched.

    Args:
        rig, setpoint_degC: what rings, and where.
        plant: its reading, which says how long to wait.

    Raises:
        RunError: it cannot be run.
        PlantError: it does not ring.
    """
    calm = averaged(rig.unguarded)
    h = rig.probe.interval_s
    lag = getattr(plant, "lag_s", 0.0)
    slow = max(plant.dead_time_s, rig.probe.lag_s, h)
    last = _SETTLES_LAGS * lag + _PERIODS * 8 * slow
    duration = min(max(last, 200 * h), _LONGEST_SAMPLES * h)
    trial = Trial(
        name="Relay test", duration_s=duration, plan=Plan(changes=(SetpointChange(at_s=0, to_degC=setpoint_degC),)),
        start_degC=setpoint_degC,
    )  # fmt: skip
    run = compute(calm, _relay(calm, setpoint_degC), trial)
    middle = (float(run.drive.max()) + float(run.drive.min())) / 2
    on = np.flatnonzero((run.drive[1:] > middle) & (run.drive[:-1] <= middle)) + 1
    on = on[on >= run.time_s.size // 2]
    if on.size < 3:
        raise PlantError(say("Under on/off it does not oscillate, so that a relay test tells nothing."))
    first, end = int(on[0]), int(on[-1])
    periods = on.size - 1
    period_s = (end - first) * h / periods
    if period_s < _LEAST_SAMPLES * h:
        raise PlantError(
            say("Under on/off it oscillates every {period} readings, which is the reading's doing and "
                "not the rig's; read more often for a relay test.", period=figures(f"{period_s / h:.2g}", ""))
        )  # fmt: skip
    drive, reading = (_fundamental(wave[first:end], periods) for wave in (run.drive, run.measured_degC))
    if abs(drive) == 0 or abs(reading) == 0:
        raise PlantError(say("Under on/off nothing can be read, so that a relay test tells nothing."))
    return RelayTest(Ultimate(abs(drive) / abs(reading), period_s), periods)


def _relay(rig: Rig, setpoint_degC: float) -> Curve:
    """A curve of two steps, as far below as above what holds the setpoint. Raises PlantError where nothing does."""
    verdict = can_hold(rig, setpoint_degC)
    holding = None if verdict is None else verdict.holding_drive
    if verdict is None or holding is None or not verdict.can:
        raise PlantError(say("No drive between its limits holds the setpoint, so that a relay test tells nothing."))
    if holding < -_LEAST_HOLDING:
        raise PlantError(
            say("Cooling holds the setpoint, and a relay test steps what heats: take a higher setpoint for it.")
        )
    if not _LEAST_HOLDING < holding < 1 - _LEAST_HOLDING:
        share = show(holding, Quantity.DRIVE)
        raise PlantError(
            say("{share} holds the setpoint: that leaves a relay test no room to step to both sides of it.",
                share=share)
        )  # fmt: skip
    half = _SHARE * min(holding, 1 - holding)
    always = setpoint_degC + rig.way.sign * _ALWAYS_K
    return Curve(
        steps=(
            CurveStep(from_degC=always, drive=holding - half, back_off_K=0.0),
            CurveStep(from_degC=setpoint_degC, drive=holding + half, back_off_K=0.0),
        )
    )


def _fundamental(wave: np.ndarray, periods: int) -> complex:
    """The wave's part of one period, of so many whole ones."""
    turns = np.exp(-2j * math.pi * periods * np.arange(wave.size) / wave.size)
    found = complex(np.dot(wave, turns)) * 2 / wave.size
    return found if cmath.isfinite(found) else 0j
