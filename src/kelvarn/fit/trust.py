"""How far to believe a fit: how much of the answer was seen, what the data cannot tell, and what it is good for."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.model.log_data import Floats
from kelvarn.sentence import figures, joined, say
from kelvarn.units import Quantity, Scale, round_up_s, show

from .causes import Causes, causes_of
from .clipping import clipped
from .design import KINDS, Kind, unit_course
from .observed import FitError, Observed, noise_K
from .response import LogFit, ResponseFit, apply_to, fit_response

ENOUGH = 0.9
"""Share of the final value that should have been seen before a gain is called known."""
WORTH_AIC = 4.0
_NO_ANSWER = 0.3  # share of variance: what explains less is chance


@dataclass(frozen=True, eq=False)
class FitReport:
    """A fit with what is to be thought of it.

    Attributes:
        fit: the model asked for.
        others: the other kinds that could be fitted, with the same logs.
        seen: share of the final value that the answer to the first change of the drive reaches; None where it
            integrates.
        checks: how it fits logs that it was not fitted to.
        causes: whether what it explains is the drive's doing.
    """

    fit: ResponseFit
    others: dict[Kind, ResponseFit]
    seen: float | None
    checks: tuple[LogFit, ...]
    causes: Causes

    @property
    def prefers(self) -> Kind:
        """The kind that Akaike's criterion prefers; the simpler one unless another is clearly better."""
        return preferred({self.fit.kind: self.fit, **self.others})

    def warnings(self, scale: Scale = Scale.CELSIUS) -> list[str]:
        """What to know before the fit is believed, in sentences, the gravest first."""
        return _warnings(self, scale)

    def verdict(self, scale: Scale = Scale.CELSIUS) -> str:
        """What it is good for, in one line."""
        return _verdict(self, scale)


_ORDER: tuple[Kind, ...] = ("integrating", "one_lag", "two_lags")


def preferred(fits: dict[Kind, ResponseFit]) -> Kind:
    """The simplest kind that no more complex one beats by more than is usual by chance."""
    best = next(kind for kind in _ORDER if kind in fits)
    for kind in _ORDER:
        if kind in fits and fits[kind].aic < fits[best].aic - WORTH_AIC:
            best = kind
    return best


def report(
    logs: Sequence[Observed], kind: Kind | None = None, checks: Sequence[Observed] = (), *, robust: bool = False,
    way: int = 0,
) -> FitReport:  # fmt: skip
    """Fit all kinds, and say what to think of one of them.

    Args:
        logs: fitted to.
        kind: which one is asked for; None: the preferred one.
        checks: logs that it is only laid over.
        robust: outliers count less.
        way: 1 where the drive heats, −1 where it cools, 0 where that is not known.

    Raises:
        FitError: nothing can be fitted; says what is missing.
    """
    fits: dict[Kind, ResponseFit] = {}
    for each in KINDS:
        try:
            fits[each] = fit_response(logs, each, robust=robust, near=fits.get("one_lag"))
        except (FitError, np.linalg.LinAlgError):
            if each == kind:
                raise
    if not fits:
        raise FitError(say("No model can be fitted to this log; look at its columns."))
    _answers(fits)
    asked = kind or preferred(fits)
    fit = fits.pop(asked)
    fit = _drifting(fit, logs, robust=robust)
    return FitReport(fit, fits, seen_share(fit), tuple(apply_to(fit, log) for log in checks), causes_of(fit, way))


def _answers(fits: dict[Kind, ResponseFit]) -> None:
    """Raise FitError where the temperatures do not answer the drive."""
    best = max(fits.values(), key=lambda fit: fit.explained)
    log = best.logs[0].log
    gain = best.gain
    if best.explained < _NO_ANSWER or (gain.low <= 0 <= gain.high and best.explained < ENOUGH):
        raise FitError(
            say("“{log}”: the temperature does not answer the drive within this log; it may be "
                "shorter than the dead time, or the probe sits elsewhere. Record until the "
                "temperature has plainly moved.", log=log.name)
        )  # fmt: skip


def _drifting(fit: ResponseFit, logs: Sequence[Observed], *, robust: bool) -> ResponseFit:
    """The same with surroundings that drift, where that explains a great deal and the log is long enough to tell."""
    known = all(log.outside_s is not None for log in logs)
    long = min(log.span_s for log in logs) > 4 * fit.slowest_s
    if fit.kind == "integrating" or known or not long:
        return fit
    drifting = fit_response(logs, fit.kind, robust=robust, drifts=True)
    return drifting if drifting.aic < fit.aic - 10 * fit.inflation else fit


def seen_share(fit: ResponseFit) -> float | None:
    """Share of its final value that the answer to the first change of the drive reaches in the longest log."""
    if fit.kind == "integrating":
        return None
    best = 0.0
    for each in fit.logs:
        log = each.log
        ends = np.array([0.0, max(log.t[-1] - log.at_s[1], 1e-3)])
        course = unit_course(
            fit.kind, fit.theta, np.array([-1.0, 0.0]), np.array([0.0, 1.0]), ends, held=True, late=True
        )
        best = max(best, float(course[-1]))
    return best


def more_s(fit: ResponseFit, seen: float) -> float:
    """How much longer a log must run to see 95 % of the final value, s."""
    return max(fit.slowest_s * math.log(max(1.0 - seen, 1e-9) / 0.05), 0.0)


def _warnings(report: FitReport, scale: Scale) -> list[str]:
    fit, seen = report.fit, report.seen
    found: list[str] = []
    if seen is not None and seen < ENOUGH:
        more = show(round_up_s(more_s(fit, seen)), Quantity.DURATION)
        saw = figures(f"{100 * seen:.0f}", "")
        text = say("This log saw {saw} % of the final value: the gain is a guess; let it run {more} longer.",
                   saw=saw, more=more)  # fmt: skip
        found.append(text)
    found += [text for log in fit.logs for text in _of_log(log.log, scale)]
    found += _uncertain(fit)
    better = report.prefers
    if better != fit.kind and _ORDER.index(better) < _ORDER.index(fit.kind):
        found.append(say("{kinds} explains it as well, with fewer values.", kinds=KINDS[better]))
    elif better != fit.kind:
        rms = [show(each.rms_K, Quantity.DIFFERENCE, scale) for each in (report.others[better], fit)]
        text = say("{lags} explain it better: {rms} rms instead of {was}." if better == "two_lags"
                   else "{lags} explains it better: {rms} rms instead of {was}.",
                   lags=KINDS[better], rms=rms[0], was=rms[1])  # fmt: skip
        found.append(text)
    elif fit.autocorrelation > 0.5 and fit.inflation > 20:
        found.append(
            say(
                "The residual is a slow wave, not noise: surroundings drifted, or there is more to it "
                "than this model (try the rig itself); the intervals are widened for it."
            )
        )
    for check in report.checks:
        if not holds(check, fit.rms_K):
            found.append(
                say(
                    "On “{log}” it misses by {rms} rms, {worst} at worst: it does not hold there.",
                    log=check.log.name,
                    rms=show(check.rms_K, Quantity.DIFFERENCE, scale),
                    worst=show(check.worst_K, Quantity.DIFFERENCE, scale),
                )
            )
    return found


def holds(check: LogFit, rms_K: float) -> bool:
    """Whether a model that missed by so much holds on a log that it was not fitted to."""
    return check.rms_K <= max(2.5 * rms_K, 3 * noise_K(check.log.y), 0.1)


def _of_log(log: Observed, scale: Scale) -> list[str]:
    found: list[str] = []
    for each in clipped(log):
        shown = show(each.degC, Quantity.TEMPERATURE, scale)
        found.append(
            say(
                "“{log}” stays at exactly {shown} for {rows} rows: its probe may read nothing {side} "
                "that; leave that stretch out.",
                log=log.name,
                shown=shown,
                rows=each.rows,
                side=each.side,
            )
        )
    gaps = np.diff(log.t)
    if gaps.size and float(gaps.max()) > 20 * log.interval_s and not log.breaks:
        at = show(float(log.t[int(gaps.argmax())]), Quantity.DURATION)
        gap = show(float(gaps.max()), Quantity.DURATION)
        found.append(say("“{log}” has a gap of {gap} at {at}.", log=log.name, gap=gap, at=at))
    return found


_SAID = {"gain_K": "gain", "rise_K_per_s": "rise", "lag_s": "lag", "lag2_s": "second lag", "dead_time_s": "dead time"}


def _uncertain(fit: ResponseFit) -> list[str]:
    """Values that the data leave open, and pairs that they cannot tell apart."""
    found: list[str] = []
    wide = [name for name, v in fit.values.items() if name != "dead_time_s" and v.half > 0.3 * abs(v.value)]
    pairs = [(a, b) for (a, b), rho in fit.correlations.items() if abs(rho) > 0.99 and {a, b} & set(wide)]
    for a, b in pairs[:2]:
        found.append(
            say(
                "{value} and {other} cannot be told apart by this log: many pairs fit as well; let it "
                "run longer, or switch the drive off and on again.",
                value=_SAID[a].capitalize(),
                other=_SAID[b],
            )
        )
    told = {name for pair in pairs[:2] for name in pair}
    for name in wide:
        if name not in told:
            share = 100 * fit.values[name].half / max(abs(fit.values[name].value), 1e-12)
            found.append(
                say(
                    "The {said} is known to no better than ±{share} %.",
                    said=_SAID[name],
                    share=figures(f"{min(share, 999):.0f}", ""),
                )
            )
    dead = fit.values["dead_time_s"]
    interval = max(log.log.interval_s for log in fit.logs)
    if dead.half > max(0.5 * dead.value, interval) and fit.kind != "integrating":
        found.append(
            say(
                "The dead time is somewhere between {low} and {high}.",
                low=show(dead.low, Quantity.DURATION),
                high=show(dead.high, Quantity.DURATION),
            )
        )
    return found


def _verdict(report: FitReport, scale: Scale) -> str:
    fit, seen, checks = report.fit, report.seen, report.checks
    low = min(float(np.quantile(log.log.y, 0.02)) for log in fit.logs)
    high = max(float(np.quantile(log.log.y, 0.98)) for log in fit.logs)
    ends = (show(round(end), Quantity.TEMPERATURE, scale) for end in (low, high))
    between = joined(" to ", ends)
    ratio = fit.value("dead_time_s") / fit.slowest_s if fit.slowest_s else 0.0
    dead = fit.values["dead_time_s"]
    certain = dead.half <= 0.3 * max(dead.value, 0.02 * fit.slowest_s)
    if report.causes.denied is not None:
        return say("not usable for tuning: {denied}", denied=report.causes.denied)
    if fit.explained < 0.9 and not report.causes.bends:
        return say("not usable for tuning: it explains {percent} % of what was seen",
                   percent=figures(f"{100 * max(fit.explained, 0):.0f}", ""))  # fmt: skip
    failed = next((check for check in checks if not holds(check, fit.rms_K)), None)
    if failed is not None:
        return say("not usable for tuning: it does not hold on “{log}”", log=failed.log.name)
    if report.causes.bends:
        most = "more" if report.causes.bend > 1 else "less"
        good = say("usable for a first look only: a large drive does {most} for its size than a small one", most=most)
    elif seen is not None and seen < 0.5:
        good = say("usable for a first look only: {percent} % of the final value was seen",
                   percent=figures(f"{100 * seen:.0f}", ""))  # fmt: skip
    elif certain:
        good = say(
            "usable for {law}, {between}", law=say("a PI") if ratio < 0.5 else say("a careful PI"), between=between
        )
    else:
        good = say("usable for on/off and a slow PI, {between}; its dead time is not well known", between=between)
    silent = list[str]()
    if not any(_cools(log.log) for log in fit.logs):
        silent.append(say("cooling"))
    if len(fit.logs) == 1 and not checks:
        silent.append(say("another day"))
    if checks:
        good = say("{good}; it holds on “{log}” too", good=good, log=checks[0].log.name)
    good = say("{good}; not checked: {silent}", good=good, silent=joined(", ", silent)) if silent else good
    if report.causes.must_cool:
        return say("not usable for tuning unless the drive cools: the temperature falls as it rises; "
                   "else its column is inverted, or a controller followed the temperature. Where it "
                   "cools: {good}", good=good)  # fmt: skip
    return good


def _cools(log: Observed) -> bool:
    """Whether the log shows it falling by a good part of its range after the drive was taken back."""
    falls = [
        at for at, before, after in zip(log.at_s[1:], log.drive[:-1], log.drive[1:], strict=True) if after < before
    ]
    if not falls:
        return False
    after = log.y[log.t >= falls[-1]]
    if len(log.at_s) > 6:
        return True
    return bool(after.size) and float(after[0] - after.min()) > 0.25 * float(log.y.max() - log.y.min())


@dataclass(frozen=True)
class TwoPoints:
    """The quick graphical estimate of a step: where 28 % and 63 % of the way are passed.

    Attributes:
        gain_K, lag_s, dead_time_s: as read.
        at_28_s, at_63_s: when these were passed, after the step.
    """

    gain_K: float
    lag_s: float
    dead_time_s: float
    at_28_s: float
    at_63_s: float


def two_points(log: Observed) -> TwoPoints | None:
    """The two-point estimate: T = 1.5 (t63 − t28), L = t63 − T (C. Smith, Digital Computer Process Control, 1972).

    None where the log is no single step that comes to rest.
    """
    if log.at_s.size != 2 or log.drive[1] == log.drive[0]:
        return None
    after = log.t >= log.at_s[1]
    t, y = log.t[after] - log.at_s[1], log.y[after]
    before = log.y[~after]
    if y.size < 20 or before.size < 2 or not at_rest(t, y, log.step_K):
        return None
    start, end = float(before.mean()), float(y[-max(5, y.size // 20) :].mean())
    share = (
        np.convolve((y - start) / (end - start), np.ones(5) / 5, "valid")
        if y.size > 60
        else (y - start) / (end - start)
    )
    middle = t[2:-2] if y.size > 60 else t
    at = [float(middle[int(np.argmax(share >= level))]) for level in (0.283, 0.632)]
    lag = 1.5 * (at[1] - at[0])
    return TwoPoints((end - start) / float(log.drive[1] - log.drive[0]), lag, max(at[1] - lag, 0.0), at[0], at[1])


def at_rest(t: Floats, y: Floats, step_K: float) -> bool:
    """Whether a course has come to rest by its end.

    Its slope over the last tenth, carried on for as long as it is old, would add less than a tenth of its range, or is
    not told from its scatter.

    Args:
        t, y: s and degC, shape (n,).
        step_K: of the readings.
    """
    last = t >= t[-1] - 0.1 * (t[-1] - t[0])
    if last.sum() < 4:
        return False
    slope = float(np.polyfit(t[last] - t[-1], y[last], 1)[0])
    doubt = math.sqrt(12.0 / last.sum()) * max(noise_K(y), step_K / 3) / (0.1 * (t[-1] - t[0]))
    return bool(abs(slope) * (t[-1] - t[0]) < 0.1 * float(y.max() - y.min()) or abs(slope) < doubt)


def steady_from_s(log: Observed) -> float | None:
    """From when on a log stands still, by the slope of each twentieth of it; None where it never does."""
    edges = np.linspace(log.t[0], log.t[-1], 21)
    spread, found = float(log.y.max() - log.y.min()), None
    for low, high in itertools.pairwise(edges.tolist()):
        part = (log.t >= low) & (log.t <= high)
        if part.sum() < 4:
            continue
        slope = float(np.polyfit(log.t[part] - low, log.y[part], 1)[0])
        doubt = 2 * math.sqrt(12.0 / part.sum()) * max(noise_K(log.y), log.step_K / 3) / (high - low)
        if abs(slope) * (high - low) < max(0.01 * spread, doubt * (high - low)):
            found = float(low) if found is None else found
        else:
            found = None
    return found
