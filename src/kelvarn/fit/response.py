"""Fitting a response: gain, lags and dead time from logs with any drive signal.

Output error: the model's own course is laid beside the temperatures, and the sum of squares of what is left over is
made least (L. Ljung, System Identification, 2nd ed. 1999, section 4.2). The course is linear in gain, rest and start,
so these are solved for exactly at each trial of lags and dead time (variable projection: G. Golub and V. Pereyra,
1973), which leaves one to three values for the search, begun from several places.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.engine.run import Stopped, current_go_on
from kelvarn.model.log_data import Floats
from kelvarn.model.response import ResponseModel
from kelvarn.sentence import say

from .design import Kind, columns_of, names_of, split_theta
from .least_squares import Estimate, covariance, estimate_of, solved, step_covariance
from .observed import FitError, Observed

_COARSE_ROWS = 1200
_STARTS = 3
_FINE_SHARES = tuple(0.004 * 1.25**k for k in range(20))  # up to a quarter of the span
_ROBUST_ROUNDS = 6
_HUBER = 1.345  # times the scatter: 95 % as good as plain least squares where all errors are normal
_LONGEST_LAGS = 30.0  # lags looked for, in spans of the log


@dataclass(frozen=True, eq=False)
class LogFit:
    """How a model fits one log.

    Attributes:
        log: the log.
        model_degC: its course at the log's rows, shape (n,).
    """

    log: Observed
    model_degC: Floats

    @property
    def residual_K(self) -> Floats:
        """Measured less model."""
        return np.asarray(self.log.y - self.model_degC)

    @property
    def rms_K(self) -> float:
        """Root mean square of what is left over."""
        return float(np.sqrt(np.mean(self.residual_K**2)))

    @property
    def worst_K(self) -> float:
        """The largest of it."""
        return float(np.abs(self.residual_K).max())


@dataclass(frozen=True, eq=False)
class RestedLogFit(LogFit):
    """How a response fits a log, with what is the log's own.

    Attributes:
        rest_degC: rest temperature (of an integrating one, where it started); above the surroundings where those are
            known, K.
        drift_K_per_h: of the rest; None where it does not drift.
    """

    rest_degC: Estimate
    drift_K_per_h: Estimate | None


@dataclass(frozen=True, eq=False)
class ResponseFit:
    """A fitted response.

    Attributes:
        kind: which model.
        values: gain_K (or rise_K_per_s), lag_s, lag2_s, dead_time_s, each with its interval; gain below 0 cools.
        logs: how it fits each log.
        correlations: between its values, by pairs of names, −1…1.
        rms_K, worst_K, explained: over all logs; the last is the share of variance.
        aic: Akaike's criterion, n ln(RSS/n) + 2k with the correction for few rows (C. Hurvich and C. Tsai, 1989).
        inflation: by how much residuals that follow one another widen the intervals' squares.
        autocorrelation: of the residuals, from one row to the next.
        rests: whether logs that stand still before the drive moves are taken as at rest there.
    """

    kind: Kind
    values: dict[str, Estimate]
    logs: tuple[RestedLogFit, ...]
    correlations: dict[tuple[str, str], float]
    rms_K: float
    worst_K: float
    explained: float
    aic: float
    inflation: float
    autocorrelation: float
    rests: bool

    def value(self, name: str) -> float:
        """A value; 0 where the kind has none of that name."""
        found = self.values.get(name)
        return 0.0 if found is None else found.value

    @property
    def gain(self) -> Estimate:
        """What full drive does: K in the end, or K/s where it integrates; below 0 it cools."""
        return self.values[_gain_name(self.kind)]

    @property
    def theta(self) -> list[float]:
        """Lags and dead time, as `names_of` names them."""
        return [self.value(name) for name in names_of(self.kind)]

    @property
    def slowest_s(self) -> float:
        """Sum of its lags; 0 where it integrates."""
        return self.value("lag_s") + self.value("lag2_s")

    def model(self, like: ResponseModel | None = None) -> ResponseModel:
        """It as a response model; name, unit and limit as another one has them."""
        kept = {} if like is None else {"name": like.name, "unit": like.unit, "limit_degC": like.limit_degC}
        found = {
            name: abs(v.value) if name in ("gain_K", "rise_K_per_s") else v.value for name, v in self.values.items()
        }
        return ResponseModel.model_validate({"kind": self.kind, **kept, **found})


def _gain_name(kind: Kind) -> str:
    return "rise_K_per_s" if kind == "integrating" else "gain_K"


class _Problem:
    """Lags and dead time to be found for some logs; all else is solved for."""

    def __init__(self, kind: Kind, logs: Sequence[Observed], *, drifts: bool, rests: bool) -> None:
        self.kind, self.logs, self.drifts, self.rests = kind, logs, drifts, rests
        self.rows = sum(log.t.size for log in logs)
        self.weights: Floats | None = None

    def at(self, theta: Sequence[float]) -> tuple[Floats, Floats, Floats, list[tuple[int, str]]]:
        """Design, target, weights of the columns that fit best, and what each column is: (log, name)."""
        parts = [columns_of(self.kind, theta, log, drifts=self.drifts, rests=self.rests) for log in self.logs]
        width = 1 + sum(columns.shape[1] - 1 for _, columns, _ in parts)
        design, target = np.zeros((self.rows, width)), np.empty(self.rows)
        what: list[tuple[int, str]] = [(-1, "gain")]
        row, column = 0, 1
        for index, (log, (fixed, columns, names)) in enumerate(zip(self.logs, parts, strict=True)):
            end, more = row + log.t.size, columns.shape[1] - 1
            design[row:end, 0] = columns[:, 0]
            design[row:end, column : column + more] = columns[:, 1:]
            target[row:end] = log.y - fixed
            what += [(index, name) for name in names[1:]]
            row, column = end, column + more
        return design, target, solved(design, target, self.weights), what

    def missed(self, theta: Sequence[float]) -> Floats:
        """What is left over at lags and a dead time."""
        design, target, best, _ = self.at(theta)
        left = target - design @ best
        return np.asarray(left if self.weights is None else left * self.weights)


def fit_response(
    logs: Sequence[Observed], kind: Kind = "one_lag", *, robust: bool = False, drifts: bool = False,
    near: ResponseFit | None = None,
) -> ResponseFit:  # fmt: skip
    """Fit a model to one or more logs, which share gain, lags and dead time.

    Args:
        logs: each with a rest and a start of its own.
        kind: which model.
        robust: outliers count less (Huber's weights).
        drifts: the rest of each log may drift evenly.
        near: a fit of one lag to the same logs, where there is one: two lags are looked for from there.

    Raises:
        FitError: the temperatures do not answer the drive.
        Stopped: it was stopped.
    """
    if not logs:
        raise FitError(say("No log is there to fit to; open one and say that it is fitted to."))
    seeds: list[list[float]] = []
    if kind == "two_lags":  # one lag lies at its edge: whatever it finds is a place to begin
        lag, dead = (near or fit_response(logs, "one_lag", robust=robust, drifts=drifts)).theta
        seeds = [[lag, 0.03 * lag, dead], [0.9 * lag, 0.2 * lag, 0.5 * dead], [0.6 * lag, 0.5 * lag, 0.0]]
    # What stands still before the drive moves is taken as at rest, unless a free start explains plainly more.
    resting = _fit(logs, kind, seeds, robust=robust, drifts=drifts, rests=True)
    if not any(log.still for log in logs):
        return resting
    free = _fit(logs, kind, seeds, robust=robust, drifts=drifts, rests=False)
    rows = sum(log.t.size for log in logs) / free.inflation
    plainly = 2 * rows * math.log(resting.rms_K / max(free.rms_K, 1e-12)) > _PLAINLY
    return free if plainly and _sensible(free, resting) else resting


_PLAINLY = 20.0
"""By how much a free start must explain more, as AIC counts on independent rows."""


def _sensible(free: ResponseFit, resting: ResponseFit) -> bool:
    """Whether a free start has not bent to what the model lacks: gain and rest are still about where they were."""
    gains = free.value("gain_K"), resting.value("gain_K")
    near = gains[0] * gains[1] > 0 and 0.5 < gains[0] / gains[1] < 2
    for log in free.logs:
        y, rest = log.log.y, log.rest_degC.value
        room = float(np.ptp(y))
        if log.log.outside_degC is not None:
            rest += float(log.log.outside_degC.mean())
        near = near and float(y.min()) - room <= rest <= float(y.max()) + room
    return near


def _fit(
    logs: Sequence[Observed], kind: Kind, seeds: list[list[float]], *, robust: bool, drifts: bool, rests: bool
) -> ResponseFit:
    """Fit with one way to begin: at rest, or free."""
    coarse = [_thinned(log, max(50, _COARSE_ROWS // len(logs))) for log in logs]
    space = _Space(kind, logs)
    problem = _Problem(kind, coarse, drifts=drifts, rests=rests)
    begins = [*_beginnings(problem, space), *seeds]
    found = min((_search(problem, space, theta) for theta in begins), key=lambda pair: pair[1])
    problem = _Problem(kind, logs, drifts=drifts, rests=rests)
    theta, _ = _search(problem, space, found[0])
    for _ in range(_ROBUST_ROUNDS if robust else 0):
        design, target, best, _ = problem.at(theta)
        left = np.abs(target - design @ best)
        scatter = max(1.4826 * float(np.median(left)), 1e-9)
        problem.weights = np.sqrt(np.minimum(1.0, _HUBER * scatter / np.maximum(left, 1e-12)))
        theta, _ = _search(problem, space, theta)
    return _report(problem, theta)


def _thinned(log: Observed, rows: int) -> Observed:
    stride = -(-log.t.size // rows)
    kept = {name: getattr(log, name) for name in log.__dataclass_fields__}
    return Observed(**{**kept, "t": np.ascontiguousarray(log.t[::stride]), "y": np.ascontiguousarray(log.y[::stride])})


class _Space:
    """Where lags and dead time are looked for: logarithms of the lags, the dead time over the span."""

    def __init__(self, kind: Kind, logs: Sequence[Observed]) -> None:
        self.kind = kind
        self.span = max(log.span_s for log in logs)
        self.shortest = max(0.2 * min(log.interval_s for log in logs), 1e-3)
        moved = [log.t[-1] - log.at_s[1] for log in logs]
        self.most_dead = max(0.9 * max(moved), self.shortest)

    @property
    def bounds(self) -> tuple[list[float], list[float]]:
        low, high = math.log(self.shortest), math.log(_LONGEST_LAGS * self.span)
        lows: list[float] = {"integrating": [], "one_lag": [low], "two_lags": [low, math.log(1e-3)]}[self.kind]
        highs: list[float] = {"integrating": [], "one_lag": [high], "two_lags": [high, 0.0]}[self.kind]
        return [*lows, 0.0], [*highs, self.most_dead / self.span]

    def theta(self, x: Sequence[float]) -> list[float]:
        dead = float(x[-1]) * self.span
        if self.kind == "integrating":
            return [dead]
        lag = math.exp(x[0])
        return [lag, dead] if self.kind == "one_lag" else [lag, lag * math.exp(x[1]), dead]

    def x(self, theta: Sequence[float]) -> list[float]:
        lag, lag2, dead = split_theta(self.kind, theta)
        if self.kind == "integrating":
            return [dead / self.span]
        made = [math.log(lag)] if self.kind == "one_lag" else [math.log(lag), math.log(max(lag2 / lag, 1e-3))]
        return [*made, dead / self.span]


def _beginnings(problem: _Problem, space: _Space) -> list[list[float]]:
    """The best few of a grid of lags and dead times."""
    # Fine in the dead time: a drive that swings fits nearly as well a whole swing later.
    lags = [space.span * share for share in (0.004, 0.012, 0.035, 0.1, 0.25, 0.6, 1.5)]
    lags = [lag for lag in lags if lag > space.shortest] or [2 * space.shortest]
    finest = min(np.diff(log.at_s).min(initial=space.span) for log in problem.logs)
    shares = (0.004, 0.015, 0.05, 0.15) if finest > 0.2 * space.span else _FINE_SHARES
    deads = [0.0, *(min(space.span * share, 0.9 * space.most_dead) for share in shares)]
    tries: list[list[float]]
    if space.kind == "integrating":
        tries = [[dead] for dead in deads]
    elif space.kind == "one_lag":
        tries = [[lag, dead] for lag in lags for dead in deads]
    else:
        tries = [[lag, ratio * lag, dead] for lag in lags for ratio in (0.05, 0.25, 0.8) for dead in deads[:4]]
    scored = sorted(((float(np.sum(problem.missed(theta) ** 2)), theta) for theta in tries), key=lambda pair: pair[0])
    return [theta for _, theta in scored[:_STARTS]]


def _search(problem: _Problem, space: _Space, theta: Sequence[float]) -> tuple[list[float], float]:
    """The least squares near a place."""
    from scipy.optimize import least_squares

    go_on = current_go_on()
    lows, highs = space.bounds

    def missed(x: Floats) -> Floats:
        if go_on is not None and not go_on(0.5):
            raise Stopped
        return problem.missed(space.theta(x.tolist()))

    start = np.clip(space.x(theta), np.array(lows) + 1e-9, np.array(highs) - 1e-9)
    made = least_squares(
        missed, start, bounds=(lows, highs), x_scale=[*([1.0] * (len(lows) - 1)), 0.05],
        ftol=1e-10, xtol=1e-9, gtol=1e-12, diff_step=1e-5, max_nfev=60,
    )  # fmt: skip
    return space.theta(made.x.tolist()), float(made.cost)


def _report(problem: _Problem, theta: Sequence[float]) -> ResponseFit:
    """Values with their intervals, of the whole Jacobian at the best place."""
    design, target, best, what = problem.at(theta)
    left = target - design @ best
    weights = np.ones(left.size) if problem.weights is None else problem.weights
    slopes = np.column_stack([*_theta_slopes(problem, theta, best), design])
    names = [*((-1, name) for name in names_of(problem.kind)), *what]
    cov, inflation, follows = covariance(
        slopes * weights[:, None], left * weights, [log.t.size for log in problem.logs]
    )
    y = np.concatenate([log.y for log in problem.logs])
    cov = cov + step_covariance(slopes, y - left, y, max(log.step_K for log in problem.logs))
    flat = {name: k for k, (index, name) in enumerate(names) if index < 0}
    gain = _gain_name(problem.kind)
    values = {gain: estimate_of(best[0], cov[flat["gain"], flat["gain"]], -math.inf)}
    for k, name in enumerate(names_of(problem.kind)):
        least = 1e-6 * problem.logs[0].interval_s  # below this a dead time is none
        values[name] = estimate_of(theta[k] if theta[k] > least else 0.0, cov[k, k], 0.0)
    keys = {**{name: k for k, name in enumerate(names_of(problem.kind))}, gain: flat["gain"]}
    n, k = left.size, slopes.shape[1] + 1
    rss = max(float(left @ left), 1e-300)
    spread = float(np.sum(np.concatenate([log.y - log.y.mean() for log in problem.logs]) ** 2))
    fits, row = [], 0
    width = len(names_of(problem.kind))
    for index, log in enumerate(problem.logs):
        course = log.y - left[row : row + log.t.size]
        own = {name: width + j for j, (of, name) in enumerate(what) if of == index}
        fits.append(_log_fit(log, course, own, best, cov, width))
        row += log.t.size
    return ResponseFit(
        kind=problem.kind,
        values=values,
        logs=tuple(fits),
        correlations=_correlations(keys, cov),
        rms_K=math.sqrt(rss / n),
        worst_K=float(np.abs(left).max()),
        explained=1.0 - rss / spread if spread > 0 else 0.0,
        aic=n * math.log(rss / n) + 2 * k + 2 * k * (k + 1) / max(n - k - 1, 1),
        inflation=inflation,
        autocorrelation=follows,
        rests=problem.rests,
    )


def _theta_slopes(problem: _Problem, theta: Sequence[float], best: Floats) -> list[Floats]:
    """How the course changes with each lag and the dead time, all else held: central differences of exact courses."""
    found = []
    for k, value in enumerate(theta):
        step = max(1e-4 * value, 1e-4 * problem.logs[0].interval_s)
        low, high = list(theta), list(theta)
        low[k], high[k] = max(value - step, 0.0 if k == len(theta) - 1 else value * 0.5), value + step
        found.append((_course(problem, high, best) - _course(problem, low, best)) / (high[k] - low[k]))
    return found


def _course(problem: _Problem, theta: Sequence[float], best: Floats) -> Floats:
    design, target, _, _ = problem.at(theta)
    fixed = np.concatenate([log.y for log in problem.logs]) - target
    return np.asarray(design @ best + fixed)


def _correlations(keys: dict[str, int], cov: Floats) -> dict[tuple[str, str], float]:
    found = {}
    names = sorted(keys)
    for i, a in enumerate(names):
        for b in names[i + 1 :]:
            spread = math.sqrt(max(cov[keys[a], keys[a]] * cov[keys[b], keys[b]], 1e-300))
            found[a, b] = float(cov[keys[a], keys[b]] / spread)
    return found


def _log_fit(log: Observed, course: Floats, own: dict[str, int], best: Floats, cov: Floats, width: int) -> RestedLogFit:
    def value(name: str) -> Estimate:
        k = own[name]
        return estimate_of(best[k - width], cov[k, k], -math.inf)

    rest = value("rest" if "rest" in own else "start")
    drift = value("drift") if "drift" in own else (value("slope") if "slope" in own else None)
    return RestedLogFit(log, course, rest, drift)


def apply_to(fit: ResponseFit, log: Observed) -> LogFit:
    """A fitted model laid over a log that it was not fitted to: only rest and start are the log's own."""
    fixed, columns, _ = columns_of(fit.kind, fit.theta, log, drifts=False, rests=False)
    moved = fixed + fit.gain.value * columns[:, 0]
    others = columns[:, 1:]
    return LogFit(log, np.asarray(moved + others @ solved(others, log.y - moved, None)))
