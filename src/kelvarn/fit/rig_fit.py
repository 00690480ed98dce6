"""Fitting the rig itself: chosen parameters free, the others held, with priors from their tolerances.

Output error through the engine: least squares of measured less replayed, with one more residual for each free
parameter, its distance from the value that it had over half its tolerance (a tolerance is taken as two standard
deviations). So what the log does not tell stays where it was.
"""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.engine.prepare import RunError
from kelvarn.model.log_data import Floats
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import Parameter, parameters, varied
from kelvarn.sentence import say

from .least_squares import Z95, Estimate, following
from .observed import FitError, Observed, noise_K
from .replay import RecordedDrive, away_K, nonlinear, recorded_drive, replay, unsettled
from .response import LogFit

_MOST_TRIES = 25
_FURTHEST = 2.5  # logarithms a parameter may move by, each way


@dataclass(frozen=True, eq=False)
class RigFit:
    """A rig fitted to logs.

    Attributes:
        rig: with what was found.
        free: parameters that were free, as they were before.
        values: what each became, with its interval.
        told: for each, by how much the logs narrowed what its tolerance left open: 1 is not at all, 0 wholly.
        alike: pairs that the logs cannot tell apart.
        beyond: what moved by more than its tolerance: something is missing in the rig, or it was thought wrong.
        logs: how it fits each log.
        rms_K, worst_K: over all logs.
        aic: as of a response.
    """

    rig: Rig
    free: tuple[Parameter, ...]
    values: tuple[Estimate, ...]
    told: tuple[float, ...]
    alike: tuple[tuple[str, str], ...]
    beyond: tuple[str, ...]
    logs: tuple[LogFit, ...]
    rms_K: float
    worst_K: float
    aic: float


def choosable(rig: Rig) -> list[Parameter]:
    """What of a rig can be set free: all that has a tolerance and a value, but for the surroundings and the noise."""
    return [p for p in parameters(rig) if p.path[-1] not in ("temperature_degC", "noise_K")]


def fit_rig(rig: Rig, logs: Sequence[Observed], free: Sequence[Parameter] | None = None) -> RigFit:
    """Fit a rig.

    Args:
        rig: as it is thought to be.
        logs: of the real one; each may have surroundings of its own, which are free where nobody recorded them.
        free: parameters to be found; None takes all that have a tolerance, which holds each near what it was.

    Raises:
        FitError: nothing is free, or the rig cannot be computed near where it is.
        Stopped: it was stopped.
    """
    from scipy.optimize import least_squares

    chosen = tuple(choosable(rig) if free is None else free)
    if not chosen:
        raise FitError(say("Nothing of this rig is free to be fitted; choose at least one value with a tolerance."))
    if not logs:
        raise FitError(say("No log is there to fit to; open one and say that it is fitted to."))
    problem = _Problem(rig, logs, chosen)
    scatter = max(problem.noise_K(), 1e-3)
    for _ in range(2):  # the second time with what is left over as the measure of it
        x0 = problem.x0
        try:
            made = least_squares(
                lambda x, scatter=scatter: problem.missed(x, scatter), x0, bounds=problem.bounds, x_scale=problem.scale,
                diff_step=1e-3, ftol=1e-7, xtol=1e-6, max_nfev=_MOST_TRIES,
            )  # fmt: skip
        except RunError as error:
            raise FitError(say("The rig cannot be replayed: {error}", error=error)) from error
        left = problem.left(made.x)
        rms = float(np.sqrt(np.mean(left**2)))
        if rms < 1.5 * scatter:
            break
        scatter = rms
    return problem.report(made.x, scatter)


class _Problem:
    """Parameters to be found, as shares of two standard deviations of what their tolerances say."""

    def __init__(self, rig: Rig, logs: Sequence[Observed], free: tuple[Parameter, ...]) -> None:
        self.rig, self.logs, self.free = rig, logs, free
        self.courses: list[RecordedDrive] = [recorded_drive(log, nonlinear=nonlinear(rig)) for log in logs]
        self.starts = [log.first_degC for log in logs]
        self.open = [k for k, course in enumerate(self.courses) if course.outside_degC is None]
        outside = [self._first_outside(k) for k in self.open]
        breaks = sum(len(course.breaks) for course in self.courses)
        self.unsettled = [(k, body) for k, log in enumerate(logs) for body in unsettled(rig, log)]
        away = [away_K(rig, logs[k]) for k, _ in self.unsettled]
        self.strength_W = max(drive.power_W for drive in rig.drives)
        self.x0 = np.array([0.0] * (len(free) + len(away)) + outside + [0.0] * breaks)
        wide = [_FURTHEST if not p.in_kelvins else 20.0 for p in free] + [4 * far_K for far_K in away]
        wide += [60.0] * len(outside) + [100.0] * breaks
        self.bounds = (self.x0 - wide, self.x0 + wide)
        scale = [0.1 if not p.in_kelvins else 0.5 for p in free] + [2.0] * len(away)
        self.scale = np.array(scale + [1.0] * len(outside) + [0.3] * breaks)
        self.widths = np.array([*map(_width, free), *away])

    def _first_outside(self, k: int) -> float:
        log = self.logs[k]
        return self.starts[k] if log.still and log.drive[0] == 0 else self.rig.surroundings.temperature_degC

    def noise_K(self) -> float:
        return float(np.mean([max(noise_K(log.y), log.step_K / math.sqrt(12)) for log in self.logs]))

    def rig_at(self, x: Floats) -> Rig:
        """The rig with its free parameters at a place: the logarithm of a share, or kelvins."""
        places = []
        for p, value in zip(self.free, x.tolist(), strict=False):
            moved = value if p.in_kelvins else math.expm1(value)
            places.append(moved / p.size)
        made: Rig = varied(self.rig, self.free, places)
        return made

    def courses_at(self, x: Floats) -> list[Floats]:
        rig = self.rig_at(x)
        others = x[len(self.widths) :].tolist()
        away = dict(zip(self.unsettled, x[len(self.free) :].tolist(), strict=False))
        outside = dict(zip(self.open, others, strict=False))
        brought = [share * self.strength_W for share in others[len(self.open) :]]
        found = []
        for k, (course, start) in enumerate(zip(self.courses, self.starts, strict=True)):
            many = len(course.breaks)
            begins = {body: further_K for (log, body), further_K in away.items() if log == k}
            found.append(replay(rig, course, start, outside.get(k), brought[:many], begins))
            brought = brought[many:]
        return found

    def left(self, x: Floats) -> Floats:
        """Measured less replayed."""
        return np.concatenate([log.y - c for log, c in zip(self.logs, self.courses_at(x), strict=True)])

    def prior(self, x: Floats) -> Floats:
        """Distance of each parameter from what it was, and of starts, in standard deviations."""
        return np.asarray(x[: len(self.widths)] / self.widths)

    def missed(self, x: Floats, scatter: float) -> Floats:
        return np.concatenate([self.left(x) / scatter, self.prior(x)])

    def report(self, x: Floats, scatter: float) -> RigFit:
        courses = self.courses_at(x)
        left = np.concatenate([log.y - c for log, c in zip(self.logs, courses, strict=True)])
        slopes = np.column_stack([self._slope(x, k) for k in range(x.size)])
        inflation, _ = following(left, [log.t.size for log in self.logs])
        variance = max(float(left @ left) / max(left.size - x.size, 1), scatter**2 * 1e-6) * inflation
        prior = np.diag(np.append(self.widths**-2.0, np.zeros(x.size - self.widths.size)))
        cov = np.linalg.pinv(slopes.T @ slopes / variance + prior, rcond=1e-13, hermitian=True)
        values, told = [], []
        for k, (p, width) in enumerate(zip(self.free, self.widths.tolist(), strict=False)):
            half = Z95 * math.sqrt(max(cov[k, k], 0.0))
            if p.in_kelvins:
                values.append(Estimate(p.value + x[k], p.value + x[k] - half, p.value + x[k] + half))
            else:
                values.append(
                    Estimate(p.value * math.exp(x[k]), p.value * math.exp(x[k] - half), p.value * math.exp(x[k] + half))
                )
            told.append(min(1.0, math.sqrt(max(cov[k, k], 0.0)) / width))
        n, rss = left.size, max(float(left @ left), 1e-300)
        return RigFit(
            rig=self.rig_at(x),
            free=self.free,
            values=tuple(values),
            told=tuple(told),
            alike=self._alike(slopes),
            beyond=tuple(p.text for p, away in zip(self.free, self.prior(x).tolist(), strict=False) if abs(away) > 2.0),
            logs=tuple(LogFit(log, course) for log, course in zip(self.logs, courses, strict=True)),
            rms_K=math.sqrt(rss / n),
            worst_K=float(np.abs(left).max()),
            aic=n * math.log(rss / n) + 2 * (x.size + 1),
        )

    def _slope(self, x: Floats, k: int) -> Floats:
        """How the courses change with a parameter: central differences of the engine's runs."""
        step = 2e-3 if k < len(self.free) and not self.free[k].in_kelvins else 2e-2
        low, high = x.copy(), x.copy()
        low[k] -= step
        high[k] += step
        return np.asarray((self.left(low) - self.left(high)) / (2 * step))

    def _alike(self, slopes: Floats) -> tuple[tuple[str, str], ...]:
        """Pairs whose effects on the temperatures are nearly the same, so that only one figure of both is told."""
        size = np.sqrt(np.einsum("ij,ij->j", slopes, slopes))
        size[size == 0] = 1.0
        same = (slopes / size).T @ (slopes / size)
        pairs = itertools.combinations(range(len(self.free)), 2)
        return tuple((self.free[i].text, self.free[j].text) for i, j in pairs if abs(same[i, j]) > 0.985)


def _width(p: Parameter) -> float:
    """Standard deviation of a parameter: half its tolerance."""
    return p.size / 2 if p.in_kelvins else max(math.log1p(p.size) / 2, 1e-6)


def replayed(rig: Rig, log: Observed) -> LogFit:
    """A rig as it is, laid over a log; the surroundings are those recorded, else as the rig has them."""
    return LogFit(log, replay(rig, recorded_drive(log, nonlinear=nonlinear(rig)), log.first_degC))
