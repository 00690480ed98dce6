"""Which lanes go with a log in each view of the Fit station."""

from kelvarn.desktop.lanes.log import LaidCourse, LogScene, log_lanes
from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Label, Level, Shown
from kelvarn.fit.response import LogFit, ResponseFit, RestedLogFit
from kelvarn.fit.trust import FitReport, steady_from_s
from kelvarn.fit.what_changed import Comparison
from kelvarn.model.log import Log
from kelvarn.model.log_data import LogData
from kelvarn.sentence import figures
from kelvarn.units import Quantity, Scale, show

from .edits import LogEdits
from .knowledge import Knowledge

_WAVE = 0.5  # correlation from row to row from which what is left over is called a wave


def fit_of(known: Knowledge, log: Log) -> LogFit | None:
    """How the model fits a log; None where it is not laid over it."""
    found = known.fitted
    if found is None:
        return None
    logs = (*found.fit.logs, *found.checks)
    return next((each for each in logs if each.log.name == log.name), None)


def scene_of(
    known: Knowledge, edits: LogEdits, log: Log, data: LogData, scale: Scale, view: str,
    other: tuple[str, LogData] | None,
) -> Shown:  # fmt: skip
    """Lanes of a log: as it is read, with the model over it, or with what was expected of it."""
    if view == "changed" and isinstance(known.comparison, Comparison):
        return log_lanes(_compared(known.comparison, log, data, scale))
    if view != "fit":
        return log_lanes(LogScene(log, data, scale, other=other))
    fit, end = fit_of(known, log), data.duration_s
    courses = () if fit is None else (LaidCourse(tell("model"), fit.log.t, fit.model_degC, 1, strong=True),)
    labels: tuple[Label, ...] = ()
    levels: tuple[Level, ...] = ()
    said = ""
    found = known.fitted
    if isinstance(fit, RestedLogFit) and isinstance(found, FitReport):
        labels, levels = _said(found, fit, scale)
        if found.fit.autocorrelation > _WAVE and found.fit.inflation > 20:
            said = tell("a slow wave: surroundings drifted, or there is more to it than this model")
    return log_lanes(
        LogScene(
            log, data, scale, courses, other, labels, levels, said,
            edge=lambda first, t: edits.drag_used(log.name, end, first=first, time_s=t),
            span=lambda k, t: edits.drag_left_out(log.name, k, t, end=False, end_s=end),
            span_end=lambda k, t: edits.drag_left_out(log.name, k, t, end=True, end_s=end),
        )
    )  # fmt: skip


def _said(found: FitReport, log: RestedLogFit, scale: Scale) -> tuple[tuple[Label, ...], tuple[Level, ...]]:
    """Dead time and lag where they are, and where it would end."""
    fit: ResponseFit = found.fit
    if log.log.at_s.size < 2 or fit.kind == "integrating":
        return (), ()
    step = float(log.log.at_s[1])
    dead, lag = fit.values["dead_time_s"], fit.values["lag_s"]
    labels = []
    low = float(log.log.y.min())
    if dead.value > 0.5 * log.log.interval_s:
        text = tell("{dead} dead time", dead=show(dead.value, Quantity.DURATION))
        labels.append(Label(text, step + dead.value, low, "ink", "since"))
    at = step + dead.value + lag.value
    if at < log.log.t[-1]:
        k = int((log.log.t >= at).argmax())
        labels.append(
            Label(
                tell("{lag} lag", lag=show(lag.value, Quantity.DURATION)), at, float(log.model_degC[k]), "ink", "since"
            )
        )
    still = steady_from_s(log.log)
    if still is not None and still < log.log.t[-1] - 0.1 * log.log.span_s:
        labels.append(
            Label(
                tell("stands still from {still}", still=show(still, Quantity.DURATION)),
                still,
                float(log.log.y[-1]),
                "moss",
                "since",
            )
        )
    levels = []
    if log.log.at_s.size == 2 and found.seen is not None and log.log.outside_s is None:
        end = log.rest_degC.value + fit.value("gain_K") * float(log.log.drive[-1])
        if found.seen > 0.3:
            text = tell("would end at {end}; this log saw {percent} % of it",
                        end=show(end, Quantity.TEMPERATURE, scale),
                        percent=figures(f"{100 * found.seen:.0f}", ""))  # fmt: skip
            levels.append(Level(end, "muted", text=text))
    return tuple(labels), tuple(levels)


def _compared(found: Comparison, log: Log, data: LogData, scale: Scale) -> LogScene:
    courses = [LaidCourse("expected", found.expected.log.t, found.expected.model_degC, 1, strong=True)]
    if found.changes:
        courses.append(LaidCourse(tell("with what changed"), found.explained.log.t, found.explained.model_degC, 2))
    return LogScene(log, data, scale, tuple(courses))
