"""Logs made for the tests of fitting, whose truth is known."""

import math

import numpy as np

from kelvarn.fit.observed import Observed, observed
from kelvarn.fit.replay import nonlinear, recorded_drive, replay
from kelvarn.model.log_data import Floats, LogData
from kelvarn.model.rig import Rig

NOISE, STEP = 0.1, 0.0625


def shown(y: Floats, seed: int) -> Floats:
    made = y + NOISE * np.random.default_rng(seed).standard_normal(y.size)
    return np.asarray(np.round(made / STEP) * STEP)


def step_log(
    seed: int = 0, gain: float = 100.0, lag: float = 900.0, lag2: float = 0.0, dead: float = 30.0, *, seen: float = 0.9,
    drive: float = 0.5, every: float = 2.0, before: float = 120.0, rest: float = 19.0,
) -> LogData:  # fmt: skip
    """A step that saw so much of its final value, by the closed form."""
    before = every * math.ceil(before / every)  # the drive changes at a row: it counts from the row that shows it
    t = np.arange(0, before + dead + (lag + lag2) * math.log(1 / (1 - seen)), every)
    x = np.maximum(t - before - dead, 0)
    fast = np.exp(-x / lag2) if lag2 else 0.0
    way = 1 - (lag * np.exp(-x / lag) - lag2 * fast) / (lag - lag2)
    return LogData(t, shown(rest + gain * drive * way, seed), np.where(t >= before, drive, 0.0))


def played(log: LogData, rig: Rig, seed: int = 0, start: float | None = None) -> LogData:
    """What a rig shows under the drive of a log."""
    made = observed("x", LogData(log.time_s, np.linspace(0, 9, log.time_s.size), log.drive, log.surroundings_degC))
    course = recorded_drive(made, nonlinear=nonlinear(rig))
    y = replay(rig, course, start if start is not None else rig.surroundings.temperature_degC)
    return LogData(log.time_s, shown(y, seed), log.drive, log.surroundings_degC)


def up_and_down(rows: int = 2000, every: float = 5.0, level: float = 0.6, room: float | None = 19.0) -> LogData:
    t = np.arange(rows) * every
    u = np.where((t > 300) & (t < 0.6 * t[-1]), level, 0.0)
    return LogData(t, np.zeros(rows), u, None if room is None else np.full(rows, room))


def of(data: LogData, name: str = "log") -> Observed:
    return observed(name, data)
