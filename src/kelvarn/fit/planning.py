"""What to record, so that gain, lag and dead time come out within a wished precision.

The intervals of a fit can be had before there is a log: they are made of the course's sensitivities, which a rough
model gives, and of the scatter that readings will have (experiment design by the information matrix: G. Goodwin and R.
Payne, Dynamic System Identification, 1977). What is known beforehand of one more copy of a known rig adds to it.
"""

import math
from dataclasses import dataclass

import numpy as np

from kelvarn.model.log_data import Floats, LogData

from .design import Kind, columns_of, names_of, unit_course
from .least_squares import Z95
from .observed import FitError, Observed, observed

_MOST_ROWS = 4000
LEAST_RISE = 50.0  # times the scatter, that a step should move it by


@dataclass(frozen=True)
class Rough:
    """A rig as it is roughly known.

    Attributes:
        kind, gain_K, lag_s, lag2_s, dead_time_s: its answer; of an integrating one the gain is its rise, K/s.
        noise_K, resolution_K: of its readings.
        rest_degC: rest temperature.
        most_drive: that no step may pass, for the limits of the bodies.
    """

    kind: Kind
    gain_K: float
    lag_s: float
    lag2_s: float
    dead_time_s: float
    noise_K: float
    resolution_K: float
    rest_degC: float = 20.0
    most_drive: float = 1.0

    @property
    def theta(self) -> list[float]:
        """Lags and dead time as a fit has them."""
        return {
            "integrating": [self.dead_time_s],
            "one_lag": [self.lag_s, self.dead_time_s],
            "two_lags": [self.lag_s, self.lag2_s, self.dead_time_s],
        }[self.kind]

    @property
    def scatter_K(self) -> float:
        """Of a reading: its noise, and a step's twelfth part of its square."""
        return math.hypot(max(self.noise_K, 1e-4), self.resolution_K / math.sqrt(12.0))


@dataclass(frozen=True)
class Recording:
    """A recording that could be made.

    Attributes:
        before_s: at rest before the step.
        lasts_s: from the step on.
        every_s: between rows.
        start, drive: drive before and after the step.
    """

    before_s: float
    lasts_s: float
    every_s: float
    start: float
    drive: float

    @property
    def whole_s(self) -> float:
        """How long it takes."""
        return self.before_s + self.lasts_s


@dataclass(frozen=True)
class Plan:
    """What to record, and what it will tell.

    Attributes:
        recording: the shortest that is good enough, or the longest looked at.
        enough: whether it is.
        precision: predicted 95 % interval of each value, half its width: gain and lags as shares, dead time in s.
        end_degC: where the step ends.
        wait_s: after it, until the rig is at rest again within 0.5 K.
        longer: other lengths, and what they would tell: (s, precision).
    """

    recording: Recording
    enough: bool
    precision: dict[str, float]
    end_degC: float
    wait_s: float
    longer: tuple[tuple[float, dict[str, float]], ...]


def step_for(rough: Rough) -> float:
    """The drive to step to from off: half of it, or what moves it well where that is more, within the limits."""
    wanted = 0.5
    if rough.kind != "integrating":
        wanted = max(wanted, min(1.0, LEAST_RISE * rough.scatter_K / abs(rough.gain_K)))
    if rough.most_drive <= 0:
        raise FitError("A limit of the rig lies below its rest temperature; no step can be made.")
    return min(wanted, rough.most_drive)


_ROUND = (1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)


def round_up(seconds: float) -> float:
    """The next time that people say: a figure and a half, of seconds, minutes or hours."""
    unit = 1.0 if seconds < 60 else 60.0 if seconds < 3600 else 3600.0
    ten = 10.0 ** math.floor(math.log10(max(seconds / unit, 1e-3)))
    return next(unit * ten * step for step in _ROUND if unit * ten * step >= 0.999 * seconds)


def predicted(rough: Rough, recording: Recording, known: dict[str, float] | None = None) -> dict[str, float]:
    """The 95 % intervals that a fit to a recording will have, half their width.

    Args:
        rough: what is recorded.
        recording: how.
        known: shares by which values are known beforehand (two standard deviations); None: not at all.

    Returns:
        Gain (or rise) and lags as shares of their value, dead time in s.
    """
    log, design = _design(rough, recording)
    names = [*names_of(rough.kind), "gain"]
    slopes = np.column_stack([*_slopes(rough, log), design])
    gain_at = len(names_of(rough.kind))
    thinned = max(1.0, recording.whole_s / recording.every_s / log.t.size)
    information = slopes.T @ slopes / (rough.scatter_K**2 / thinned)
    values = [*rough.theta, rough.gain_K]
    for name, share in (known or {}).items():
        k = gain_at if name in ("gain_K", "rise_K_per_s") else names.index(name)
        width = max(abs(share * values[k]) / 2, 1e-9)
        information[k, k] += 1.0 / width**2
    scale = 1.0 / np.sqrt(np.maximum(np.diag(information), 1e-300))
    cov = np.linalg.pinv(information * np.outer(scale, scale), rcond=1e-13, hermitian=True) * np.outer(scale, scale)
    found = {}
    for k, name in enumerate(names):
        half = Z95 * math.sqrt(max(float(cov[k, k]), 0.0))
        key = ("rise_K_per_s" if rough.kind == "integrating" else "gain_K") if name == "gain" else name
        found[key] = half if name == "dead_time_s" else half / max(abs(values[k]), 1e-12)
    return found


def _design(rough: Rough, recording: Recording) -> tuple[Observed, Floats]:
    rows = int(min(max(recording.whole_s / recording.every_s, 12), _MOST_ROWS))
    t = np.linspace(0.0, recording.whole_s, rows + 1)
    u = np.where(t >= recording.before_s - 1e-9, recording.drive, recording.start)
    # Temperatures that stand still before the step, since the plan asks for that.
    log = observed("plan", LogData(t, np.where(u == recording.start, 0.0, np.linspace(1.0, 1e3, t.size)), u))
    _, design, _ = columns_of(rough.kind, rough.theta, log, drifts=False, rests=True)
    return log, design


def _slopes(rough: Rough, log: Observed) -> list[Floats]:
    found = []
    for k, value in enumerate(rough.theta):
        step = max(1e-3 * value, 1e-3 * log.interval_s)
        sides = []
        for side in (-1.0, 1.0):
            theta = list(rough.theta)
            theta[k] = max(value + side * step, 1e-9)
            _, design, _ = columns_of(rough.kind, theta, log, drifts=False, rests=True)
            sides.append((theta[k], rough.gain_K * design[:, 0]))
        (low, before), (high, after) = sides
        found.append((after - before) / (high - low))
    return found


def plan_recording(
    rough: Rough, gain_share: float = 0.03, lag_share: float = 0.05, *, drive: float | None = None, start: float = 0.0,
    every_s: float | None = None, known: dict[str, float] | None = None,
) -> Plan:  # fmt: skip
    """The shortest step recording that tells gain, lag and dead time well enough.

    Args:
        rough: what is roughly known.
        gain_share, lag_share: how well gain and lag are to be known (95 %); the dead time within the greater of a row
            and 10 % of itself.
        drive, start: drive after and before the step; None takes the most that the limit allows.
        every_s: between rows; None: a fiftieth of the lag, at most a fifth of the dead time, at least a second.
        known: as for `predicted`.

    Raises:
        FitError: there is no room for a step.
    """
    to = step_for(rough) if drive is None else drive
    slow = rough.lag_s + rough.lag2_s
    scale = slow if rough.kind != "integrating" else max(10 * rough.dead_time_s, 60.0)
    wished = max(min(scale / 50, max(rough.dead_time_s, scale / 100) / 5), min(1.0, scale / 50))
    every = every_s or round_up(0.75 * wished)
    before = round_up(max(20 * every, 0.03 * scale))
    dead_wish = max(every, 0.1 * rough.dead_time_s)
    tried: list[tuple[float, dict[str, float]]] = []
    best: Recording | None = None
    for factor in (0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.25, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0, 8.0):
        made = Recording(before, round_up(factor * scale + rough.dead_time_s), every, start, to)
        found = predicted(rough, made, known)
        tried.append((made.lasts_s, found))
        gain = found.get("gain_K", found.get("rise_K_per_s", 0.0))
        good = gain <= gain_share and found.get("lag_s", 0.0) <= lag_share and found["dead_time_s"] <= dead_wish
        if good and best is None:
            best = made
        if best is not None and made.lasts_s > 1.4 * best.lasts_s:
            break
    enough = best is not None
    chosen = best or Recording(before, tried[-1][0], every, start, to)
    rise = _rise(rough, chosen)
    wait = 0.0 if rough.kind == "integrating" else max(slow * math.log(max(abs(rise) / 0.5, 1.0)), 0.0)
    return Plan(chosen, enough, predicted(rough, chosen, known), rough.rest_degC + rise, wait, tuple(tried))


def _rise(rough: Rough, recording: Recording) -> float:
    """How far the recording takes it from rest, K."""
    ends = np.array([0.0, recording.lasts_s])
    made = unit_course(
        rough.kind, rough.theta, np.array([-1.0, 0.0]), np.array([0.0, recording.drive]), ends, held=True, late=True
    )
    return rough.gain_K * float(made[-1])
