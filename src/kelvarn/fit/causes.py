"""Whether what a fit explains is the drive's doing: its sign, what a free start explains alone, what comes first."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from kelvarn.model.log_data import Floats
from kelvarn.sentence import say

from .design import Kind, columns_of, unit_course
from .least_squares import solved
from .observed import Observed, noise_K
from .response import LogFit, ResponseFit

_LEAST_SHARE = 0.9
"""Of what a free start leaves, the drive must explain at least so much,"""
_LEAST_SURE = 40.0
"""with so much more likelihood on as many rows as are independent, as AIC counts."""
_LAGS = 30
_RATIOS = (0.05, 0.25, 0.8)
_LARGE_CHANGE = 0.15  # of the drive's range
_EARLY_SHARE = 0.05  # of what a change of the drive does in the end, seen before it
_SURE = 4.0  # standard deviations
_WINDOWS = (0.25, 0.5, 1.0)  # in lags
_BENT = 1.5  # times the gain at one end of the drive's range
_BEND_EXPLAINS = 0.4
_BEND_SURE = 10.0
_SLOWER = (0.5, 0.7, 1.0, 1.4)
_KNEES = (0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8)
_LIVELY = 5.0  # times the noise
_LEAST_ALIKE = 0.5  # correlation


@dataclass(frozen=True)
class Causes:
    """What speaks against a fit being the answer to its drive.

    Attributes:
        way: the sign that the gain of this drive must have; 0: not known.
        gain: what it is.
        share: of what is left without the drive, how much it explains; None where that is not told from chance.
        early: share of what a change of the drive does that is seen before it.
        bend: gain at the largest drive over that at the smallest; 1: the same, or not told.
        alike: correlation of what the later half of a log and of its model do beside their trends, the least one; 1
            where they do nothing.
    """

    way: int
    gain: float
    share: float | None
    early: float
    bend: float
    alike: float

    @property
    def denied(self) -> str | None:
        """Why it is no model of what the drive does, and what to record; None where nothing denies it."""
        if self.way * self.gain < 0:
            moves, does = ("falls", "heats") if self.way > 0 else ("rises", "cools")
            return say("the temperature {moves} as the drive rises, but this drive {does} (say so first "
                       "where it does not): its column is inverted, or a controller followed the "
                       "temperature; record a step set by hand", moves=moves, does=does)  # fmt: skip
        if self.early > _EARLY_SHARE:
            return say("the temperature moves before the drive does: their clocks are apart, or the drive "
                       "followed the temperature; record both by one clock, with the drive set by hand")  # fmt: skip
        if (self.share is None or self.share < _LEAST_SHARE) and not self.bends:
            return say("what it does without the drive explains it nearly as well, so the drive's effect is "
                       "not seen; begin at rest, switch the drive by hand and let it answer")  # fmt: skip
        if self.alike < _LEAST_ALIKE:
            return say("the later swings of the temperature are not those that the drive would make: "
                       "something else moved it; record with all else left alone")  # fmt: skip
        return None

    @property
    def must_cool(self) -> bool:
        """Whether it is a model only of a drive that cools, where nobody said what the drive does."""
        return self.way == 0 and self.gain < 0

    @property
    def bends(self) -> bool:
        """Whether the gain differs plainly between small and large drive."""
        return not 1 / _BENT < self.bend < _BENT


def causes_of(fit: ResponseFit, way: int) -> Causes:
    """What speaks against a fit, of the logs that it was fitted to; `way` as in `Causes`."""
    return Causes(way, fit.gain.value, _share(fit), _early(fit), _bend(fit), min(map(_alike, fit.logs)))


def _share(fit: ResponseFit) -> float | None:
    """How much of what is left without the drive it explains; None where chance would do as well."""
    left = sum(float(each.residual_K @ each.residual_K) for each in fit.logs)
    without = sum(_without_drive(fit, each.log) for each in fit.logs)
    if without <= 0 or _likelier(fit, without, left) < _LEAST_SURE:
        return None
    return 1.0 - left / without


def _likelier(fit: ResponseFit, before: float, after: float) -> float:
    """By how much AIC falls with a sum of squares, on as many rows as are independent."""
    rows = sum(each.log.t.size for each in fit.logs) / fit.inflation
    return rows * math.log(max(before, 1e-300) / max(after, 1e-300))


def _without_drive(fit: ResponseFit, log: Observed) -> float:
    """Sum of squares of what is left of a log by the best of starts, rests and lags, without its drive."""
    idle = replace(log, at_s=log.at_s[:1], drive=log.drive[:1])
    if fit.rests and log.still:  # what stands still goes on standing still
        return _left_of(idle, [0.0], "integrating", without=("gain", "slope"))
    if fit.kind == "integrating":
        return _left_of(idle, [0.0], "integrating", without=("gain",))
    two = fit.kind == "two_lags"
    lags = np.log(np.geomspace(max(log.interval_s, 1e-3), 30 * log.span_s, _LAGS))
    tries = [[lag, ratio] if two else [lag] for lag in lags.tolist() for ratio in (_RATIOS if two else (0.0,))]

    def left(x: Sequence[float]) -> float:
        lag = math.exp(min(max(x[0], -20.0), 40.0))
        theta = [lag, lag * min(max(x[1], 1e-3), 1.0), 0.0] if two else [lag, 0.0]
        return _left_of(idle, theta, fit.kind, without=("gain",))

    from scipy.optimize import minimize

    near = minimize(left, min(tries, key=left), method="Nelder-Mead", options={"maxfev": 80, "xatol": 1e-4})
    return float(near.fun)


def _left_of(log: Observed, theta: list[float], kind: Kind, without: tuple[str, ...]) -> float:
    fixed, columns, names = columns_of(kind, theta, log, drifts=False, rests=False)
    columns = columns[:, [k for k, name in enumerate(names) if name not in without]]
    missed = log.y - fixed - columns @ solved(columns, log.y - fixed, None)
    return float(missed @ missed)


def _alike(each: LogFit) -> float:
    """Correlation of the later halves of a log and its model, beside straight trends; 1 where either stands still."""
    log, half = each.log, each.log.t.size // 2
    least = _LIVELY * max(noise_K(log.y), log.step_K / 3, 1e-9)
    found = []
    for course in (log.y, each.model_degC):
        t = log.t[half:] - log.t[half]
        found.append(course[half:] - np.polyval(np.polyfit(t, course[half:], 1), t))
    if min(float(np.std(course)) for course in found) < least:
        return 1.0
    return float(np.asarray(np.corrcoef(found))[0, 1])


def _early(fit: ResponseFit) -> float:
    """Share of the effect of the drive's changes that is seen before them; 0 where it is not told from noise.

    Before each change the course is carried on from the first half of a stretch over its second half, both of what was
    measured and of the model, which accounts for what earlier changes still do.
    """
    if fit.kind == "integrating" or not fit.slowest_s:
        return 0.0
    return max(_early_in(fit, share * fit.slowest_s) for share in _WINDOWS)


def _early_in(fit: ResponseFit, window_s: float) -> float:
    found, doubts = [], []
    gain = fit.value("gain_K")
    for each in fit.logs:
        log, least = each.log, _LARGE_CHANGE * float(np.ptp(each.log.drive))
        noise = max(noise_K(log.y), log.step_K / 3, 1e-9)
        earlier = log.t[0]
        for at, before, after in zip(log.at_s[1:], log.drive[:-1], log.drive[1:], strict=True):
            width = min(window_s, at - earlier)
            earlier = at
            inside = np.flatnonzero((log.t >= at - width) & (log.t < at))
            if abs(after - before) < least or inside.size < 8 or width < 0.5 * window_s:
                continue
            size = gain * (after - before)
            found.append(_carried_on(log.t[inside], log.y[inside] - each.model_degC[inside], fit.slowest_s) / size)
            doubts.append(5 * noise / math.sqrt(inside.size / 2) / abs(size))
    if not found:
        return 0.0
    mean, doubt = float(np.mean(found)), float(np.sqrt(np.mean(np.square(doubts)) / len(found)))
    scatter = float(np.std(found)) / math.sqrt(len(found))
    return mean if mean > _SURE * max(doubt, scatter) else 0.0


def _carried_on(t: Floats, left_K: Floats, lag_s: float) -> float:
    """By how much the last quarter of a stretch differs from its first half, carried on by the lag."""
    half, last = t.size // 2, max(t.size // 4, 1)
    columns = np.column_stack([np.ones(t.size), np.exp(-(t - t[0]) / lag_s)])
    weights = solved(columns[:half], left_K[:half], None)
    return float(np.mean((left_K - columns @ weights)[-last:]))


def _bend(fit: ResponseFit) -> float:
    """Gain of a large drive over that of a small one, where two gains explain plainly more; 1.0 where they do not."""
    logs = [each.log for each in fit.logs]
    if fit.kind == "integrating" or any(np.unique(np.round(log.drive, 2)).size < 3 for log in logs):
        return 1.0
    most = max(float(np.abs(log.drive).max()) for log in logs)
    without = sum(float(each.residual_K @ each.residual_K) for each in fit.logs)
    left, ratio = min(_bent_at(fit, share * most, slower) for share in _KNEES for slower in _SLOWER)
    plainly = left < (1 - _BEND_EXPLAINS) * without and _likelier(fit, without, left) > _BEND_SURE
    return ratio if plainly else 1.0


def _bent_at(fit: ResponseFit, knee: float, slower: float) -> tuple[float, float]:
    """What is left over where the drive has another gain above a level, and that gain over the one below.

    `slower`: factor on the lags, which bent to what one gain lacks.
    """
    left, ratios = 0.0, []
    theta = [slower * value for value in fit.theta[:-1]] + [fit.theta[-1]]
    for log in (each.log for each in fit.logs):
        fixed, columns, _ = columns_of(fit.kind, theta, log, drifts=False, rests=fit.rests)
        over = np.sign(log.drive) * np.maximum(np.abs(log.drive) - knee, 0.0)
        above = unit_course(fit.kind, theta, log.at_s, over, log.t, held=True, late=True)
        columns = np.column_stack([columns, above])
        best = solved(columns, log.y - fixed, None)
        missed = log.y - fixed - columns @ best
        left += float(missed @ missed)
        below = best[0] if abs(best[0]) > 1e-9 else 1e-9
        ratios.append(min(max(float(1.0 + best[-1] / below), 0.01), 100.0))
    return left, float(np.exp(np.mean(np.log(ratios))))
