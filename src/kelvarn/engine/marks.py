"""Marks: is a measure within the limit set on it?"""

from dataclasses import dataclass

from kelvarn.model.mark import Mark
from kelvarn.model.trial import Trial

from .measures import Measures


@dataclass(frozen=True)
class Verdict:
    """A mark judged on a run. `value` None means the measure does not exist there, and `reason` says why."""

    mark: Mark
    value: float | None
    met: bool
    reason: str


def judge(trial: Trial, measures: Measures) -> tuple[Verdict, ...]:
    """All marks of a trial on the measures of a run; a measure that does not exist does not meet its mark."""
    return tuple(_judge_one(mark, measures) for mark in trial.marks)


def _judge_one(mark: Mark, measures: Measures) -> Verdict:
    value, reason = value_of(mark, measures)
    if value is None:
        return Verdict(mark, None, False, reason)
    match mark.direction:
        case "at_most":
            met = value <= mark.limit
        case "at_least":
            met = value >= mark.limit
        case "within":
            met = abs(value) <= mark.limit
    return Verdict(mark, value, met, "")


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
            if mark.measure == "hottest_degC":
                return measures.hottest_degC[mark.body], ""
            if mark.measure == "coldest_degC":
                return measures.coldest_degC[mark.body], ""
            source_of = measures.beyond_limit_s if mark.measure == "beyond_limit_s" else measures.limit_margin_K
            return source_of[mark.body], "the body has no rated limit"
