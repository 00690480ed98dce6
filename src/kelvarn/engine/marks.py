"""Marks: is a measure within the limit set on it?"""

from dataclasses import dataclass

from kelvarn.model.mark import MEASURES, Mark
from kelvarn.model.trial import Trial
from kelvarn.units import Scale, show

from .measures import Measures, Span

_NEVER_THERE = "it never reaches its setpoint"
PRESUMES = frozenset(
    {name for name, kind in MEASURES.items() if kind.scope == "window"}
    | {"energy_J", "mean_drive", "time_at_limit_s", "travel", "switch_ons_per_h", "steps_per_h", "shortest_on_s",
       "shortest_off_s", "worst_over_K", "worst_under_K", "relay_life_years"}
)  # fmt: skip
"""Measures that say something for a run only where it comes to its setpoint."""


@dataclass(frozen=True)
class Verdict:
    """A mark judged on a run.

    `value` None means the measure does not exist there, and `reason` says why; with a value it says why that does not
    meet the mark although it is within its limit.
    """

    mark: Mark
    value: float | None
    met: bool
    reason: str

    @property
    def left(self) -> float | None:
        """What is left to the limit, in the measure's unit, below 0 beyond it; None without a value."""
        return None if self.value is None else _left(self.mark, self.value)

    def text(self, scale: Scale) -> str:
        """Its value in words, or why there is none."""
        if self.value is None:
            return self.reason
        value = show(self.value, self.mark.kind.quantity, scale)
        return f"{value} ({self.reason})" if self.reason else value


def judge(trial: Trial, measures: Measures) -> tuple[Verdict, ...]:
    """All marks of a trial on the measures of a run.

    A measure that does not exist does not meet its mark, and a run that comes to none of its setpoints meets none that
    presumes it: what does not heat does not overshoot either.
    """
    stages = stages_reached(trial, measures)
    there = not stages or any(stages.values())
    return tuple(_judge_one(mark, measures, there=there) for mark in trial.marks)


def stages_reached(trial: Trial, measures: Measures) -> dict[int, bool]:
    """Of each stage that the drives can bring about, by its change of the plan: whether the run comes to its setpoint.

    It does where it gets past it, settles, or in the end is as near as the trial's band or a mark on the steady error.
    """
    near = max([trial.band_K, *(mark.limit for mark in trial.marks if mark.measure == "steady_error_K")])
    found: dict[int, bool] = {}
    stage = -1
    for window in measures.windows:
        stage = window.setpoint_change if window.opens == "setpoint" else stage
        if stage not in measures.beyond:
            found[stage] = found.get(stage, False) or _comes_to(window, near)
    return found


def _comes_to(window: Span, near_K: float) -> bool:
    """Whether a stretch of a run comes to its setpoint."""
    of = window.values.get
    away, swing = of("steady_error_K"), of("swing_K") or 0.0
    if window.opens == "setpoint" and "overshoot_K" in window.reasons and away is not None:
        return True  # it begins there
    if (of("overshoot_K") or 0.0) > 0 or of("settling_s") is not None or of("recovery_s") is not None:
        return True
    return away is not None and abs(away) <= max(near_K, swing / 2)


def _judge_one(mark: Mark, measures: Measures, *, there: bool) -> Verdict:
    value, reason = value_of(mark, measures)
    if value is None:
        return Verdict(mark, None, False, reason)
    if not there and mark.measure in PRESUMES:
        return Verdict(mark, value, False, _NEVER_THERE)
    return Verdict(mark, value, _left(mark, value) >= 0.0, "")


def _left(mark: Mark, value: float) -> float:
    """How far a value is from the limit of a mark on the side where it is met."""
    match mark.direction:
        case "at_most":
            return mark.limit - value
        case "at_least":
            return value - mark.limit
        case "within":
            return mark.limit - abs(value)


def value_of(mark: Mark, measures: Measures) -> tuple[float | None, str]:
    """The measure that a mark is on, or why there is none; its limit plays no part."""
    match mark.kind.scope:
        case "window":
            source = measures.main if mark.stage is None else measures.stage(mark.stage)
            if source is None:
                return None, "the stage is not come to"
            return source.values.get(mark.measure), source.reasons.get(mark.measure, "")
        case "event":
            assert mark.event is not None  # the model's validator sees to it
            try:
                window = measures.event(mark.event)
            except KeyError:
                return None, "the event lies beyond the last reading"
            return window.values.get(mark.measure), window.reasons.get(mark.measure, "")
        case "run":
            return measures.values[mark.measure], measures.reasons.get(mark.measure, "")
        case "body":
            assert mark.body is not None  # the model's validator sees to it
            if mark.body not in measures.hottest_degC:
                return None, "the run knows no such body"
            if mark.measure == "hottest_degC":
                return measures.hottest_degC[mark.body], ""
            if mark.measure == "coldest_degC":
                return measures.coldest_degC[mark.body], ""
            source_of = measures.beyond_limit_s if mark.measure == "beyond_limit_s" else measures.limit_margin_K
            return source_of[mark.body], "the body has no rated limit"
