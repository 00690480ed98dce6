"""What to record, so that gain, lag and dead time come out within a wished precision.

The intervals of a fit can be had before there is a log: they are made of the course's sensitivities, which a rough
model gives, and of the scatter that readings will have (experiment design by the information matrix: G. Goodwin and R.
Payne, Dynamic System Identification, 1977). What is known beforehand of one more copy of a known rig adds to it.
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from kelvarn.engine.prepare import RunError
from kelvarn.engine.steady import rest_degC
from kelvarn.engine.step import open_loop, usual_drive
from kelvarn.model.log_data import Floats, LogData
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import USUAL
from kelvarn.sentence import say
from kelvarn.units import round_up_s

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
class StepTest:
    """A step of the drive that is recorded.

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
class StepTestPlan:
    """What to record, and what it will tell.

    Attributes:
        test: the shortest that is good enough, or the longest looked at.
        enough: whether it is.
        precision: predicted 95 % interval of each value, half its width: gain and lags as shares, dead time in s.
        end_degC: where the step ends.
        wait_s: after it, until the rig is at rest again within 0.5 K.
        gain_if_twice: the same of the gain (or rise), were it twice as long.
    """

    test: StepTest
    enough: bool
    precision: dict[str, float]
    end_degC: float
    wait_s: float
    gain_if_twice: float


def step_for(rough: Rough) -> float:
    """The drive to step to from off: half of it, or what moves it well where that is more, within the limits."""
    wanted = 0.5
    if rough.kind != "integrating":
        wanted = max(wanted, min(1.0, LEAST_RISE * rough.scatter_K / abs(rough.gain_K)))
    if rough.most_drive <= 0:
        raise FitError(say("A limit of the rig lies below its rest temperature; no step can be made."))
    return min(wanted, rough.most_drive)


def predicted(rough: Rough, test: StepTest, known: dict[str, float] | None = None) -> dict[str, float]:
    """The 95 % intervals that a fit to a recording will have, half their width.

    Args:
        rough: what is recorded.
        test: how.
        known: shares by which values are known beforehand (two standard deviations); None: not at all.

    Returns:
        Gain (or rise) and lags as shares of their value, dead time in s.
    """
    log, design = _design(rough, test)
    names = [*names_of(rough.kind), "gain"]
    slopes = np.column_stack([*_slopes(rough, log), design])
    gain_at = len(names_of(rough.kind))
    thinned = max(1.0, test.whole_s / test.every_s / log.t.size)
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


def _design(rough: Rough, test: StepTest) -> tuple[Observed, Floats]:
    rows = int(min(max(test.whole_s / test.every_s, 12), _MOST_ROWS))
    t = np.linspace(0.0, test.whole_s, rows + 1)
    u = np.where(t >= test.before_s - 1e-9, test.drive, test.start)
    # Temperatures that stand still before the step, since the plan asks for that.
    log = observed("plan", LogData(t, np.where(u == test.start, 0.0, np.linspace(1.0, 1e3, t.size)), u))
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


def plan_step_test(
    rough: Rough, gain_share: float = 0.03, lag_share: float = 0.05, *, drive: float | None = None, start: float = 0.0,
    every_s: float | None = None, known: dict[str, float] | None = None,
) -> StepTestPlan:  # fmt: skip
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
    every = every_s or round_up_s(0.75 * wished)
    before = round_up_s(max(20 * every, 0.03 * scale))
    dead_wish = max(every, 0.1 * rough.dead_time_s)
    lengths = (0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.25, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0, 8.0)
    for factor in lengths:
        test = StepTest(before, round_up_s(factor * scale + rough.dead_time_s), every, start, to)
        found = predicted(rough, test, known)
        fine = gain_of(found) <= gain_share and found.get("lag_s", 0.0) <= lag_share
        if fine and found["dead_time_s"] <= dead_wish:
            break
    else:
        fine = False
    end = float(course_degC(rough, test, np.array([0.0, test.whole_s]))[-1])
    wait = 0.0 if rough.kind == "integrating" else max(slow * math.log(max(abs(end - rough.rest_degC) / 0.5, 1.0)), 0.0)
    twice = gain_of(predicted(rough, replace(test, lasts_s=2 * test.lasts_s), known))
    return StepTestPlan(test, fine, found, end, wait, twice)


def gain_of(precision: dict[str, float]) -> float:
    """What is predicted of the gain, or of the rise of an integrating one."""
    return precision["gain_K"] if "gain_K" in precision else precision["rise_K_per_s"]


def course_degC(rough: Rough, test: StepTest, t: Floats) -> Floats:
    """Temperatures of a step test at instants from its beginning, s; it begins at rest at its first drive.

    Args:
        rough: gain, lag and dead time as they are guessed.
        test: drives and when they change.
        t: s.
    """
    at = np.array([-1.0, test.before_s])
    step = np.array([0.0, test.drive - test.start])
    rise = unit_course(rough.kind, rough.theta, at, step, t, held=True, late=True)
    return np.asarray(rough.rest_degC + rough.gain_K * (test.start + rise))


def rough_of(rig: Rig, setpoint_degC: float) -> Rough:
    """A rig as its open-loop step is read.

    Args:
        rig: it.
        setpoint_degC: near which it is stepped.

    Raises:
        FitError: there is no such step, or it does not answer.
    """
    try:
        found = open_loop(rig, usual_drive(rig, setpoint_degC)).reading
    except RunError as error:
        raise FitError(str(error)) from error
    if found is None:
        raise FitError(say("The rig does not answer its drive, so no recording of a step would tell anything."))
    return Rough(
        kind="integrating" if found.gain_K is None else "one_lag",
        gain_K=found.gain_K if found.gain_K is not None else found.rise_K_per_s or 0.0,
        lag_s=found.lag_s or 0.0,
        lag2_s=0.0,
        dead_time_s=found.dead_time_s,
        noise_K=rig.probe.noise_K,
        resolution_K=rig.probe.resolution_K,
        rest_degC=rig.surroundings.temperature_degC,
        most_drive=most_drive(rig),
    )


def most_drive(rig: Rig) -> float:
    """The largest drive at whose rest every body is a tenth of its room below its limit; 1 where there is none."""
    outside = rig.surroundings.temperature_degC
    for share in np.arange(1.0, 0.0, -0.05).tolist():
        ends = rest_degC(rig, share)
        if ends is None:
            return 1.0
        pairs = zip(rig.all_bodies, ends.tolist(), strict=False)
        if all(body.limit_degC is None or outside + (end - outside) / 0.9 <= body.limit_degC for body, end in pairs):
            return float(round(share, 2))
    return 0.05


def usual_tolerances(rough: Rough) -> dict[str, float]:
    """What is known beforehand of one more copy of a rig: the usual tolerances of an answer, as shares."""
    names = {*names_of(rough.kind), "rise_K_per_s" if rough.kind == "integrating" else "gain_K"}
    return {name: share for name, share in USUAL["response"].items() if name in names}
