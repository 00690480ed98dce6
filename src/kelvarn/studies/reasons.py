"""Why a measure of a run is what it is, and what would help: by runs that differ in one thing.

The part of a thing is what the measure changes by when it is taken away. Parts that act only together are in none of
them, and what two parts share is in both: the difference to the whole is said as "together".
"""

from collections.abc import Callable
from dataclasses import dataclass

from kelvarn.engine.marks import judge, value_of
from kelvarn.engine.measures import Measures, ended_text, measure
from kelvarn.engine.run import Stopped, compute
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.model.candidate import Candidate
from kelvarn.model.log_data import Floats
from kelvarn.model.mark import Mark
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial, measured_by
from kelvarn.sentence import say

from .alternatives import Alternative, remedies, taken_away
from .batch import Case, CaseResult, run_many
from .margins import missed

EXPLAINED = (
    "overshoot_K",
    "swing_K",
    "steady_error_K",
    "settling_s",
    "sag_K",
    "recovery_s",
    "worst_over_K",
    "worst_under_K",
)
"""Measures that can be asked about."""
_MOST_REMEDIES = 8
_LEAST = 0.02  # share of the whole below which a part is not told
_SAME = 1e-6  # of a measure, that says nothing
_MAY_NEVER_BE = ("settling_s", "recovery_s")
_NOTHING_TO_SETTLE = ("the stage is not come to", "the event lies beyond the last reading")


def can_be_asked(trial: Trial) -> tuple[Mark, ...]:
    """Every measure of a trial's runs that can be asked about, as marks whose limit plays no part."""
    return measured_by(EXPLAINED, trial)


class ReasonError(ValueError):
    """There is nothing to explain. The message is one sentence."""


@dataclass(frozen=True)
class Reason:
    """What a thing adds to a measure.

    Attributes:
        alternative: the rig and law without it.
        value: the measure without it; None where it then has none.
        part: the whole less that; None likewise, and where the whole is none.
    """

    alternative: Alternative
    value: float | None
    part: float | None


@dataclass(frozen=True)
class Remedy:
    """What a change brings.

    Attributes:
        alternative: the rig and law with it.
        value: the measure then; None where it then has none.
        met: marks that are met then.
        missed: by how much marks are missed then, in limits.
    """

    alternative: Alternative
    value: float | None
    met: int
    missed: float


@dataclass(frozen=True)
class Reasons:
    """What a measure is made of.

    Attributes:
        ref: the measure, as a mark whose limit plays no part.
        whole: its value in the run as it is; None where it never settles or recovers.
        parts: the largest first.
        together: what is left of the whole; below 0 where parts overlap.
        remedies: the most helpful first.
        asked, met: marks of the trial, and those met as it is.
        runs: how many were computed.
    """

    ref: Mark
    whole: float | None
    parts: tuple[Reason, ...]
    together: float
    remedies: tuple[Remedy, ...]
    asked: int
    met: int
    runs: int


def subject(trial: Trial, measures: Measures) -> Mark:
    """What is most worth asking about: a mark that is missed, else the overshoot, else the swing.

    Raises:
        ReasonError: nothing of the run can be asked about.
    """
    asked = [verdict for verdict in judge(trial, measures) if verdict.mark.measure in EXPLAINED]
    candidates = [verdict.mark for verdict in sorted(asked, key=lambda verdict: (verdict.met, verdict.value is None))]
    candidates += [Mark(measure=name, limit=0) for name in ("overshoot_K", "swing_K", "steady_error_K")]
    for mark in candidates:
        value, why_not = value_of(mark, measures)
        if (value is not None and abs(value) > 1e-6) or (value is None and _never(mark, measures, why_not)):
            return mark
    if measures.ended is not None:
        raise ReasonError(say("{ended}: what came after it has no other reason.", ended=ended_text(*measures.ended)))
    raise ReasonError(say("Nothing of this run needs a reason: it neither overshoots nor swings nor is off."))


def reasons(
    project: Project, candidate: Candidate, trial: Trial, ref: Mark | None = None,
    tell: Callable[[float], bool] = lambda _: True,
) -> Reasons:  # fmt: skip
    """What a measure of a candidate's run is made of, and what would help.

    Args:
        project, candidate, trial: the run.
        ref: which measure; None for what is most worth it.
        tell: told the share that is done; False ends it.

    Raises:
        ReasonError: it has no such measure.
        RunError: the run itself cannot be computed.
        Stopped: `tell` ended it.
    """
    rig, law = project.rig, candidate.controller
    as_it_is = measure(compute(rig, law, trial))
    ref = ref or subject(trial, as_it_is)
    if ref.measure not in EXPLAINED:
        raise ReasonError(
            say(
                "{measure} is made of too much; {known} can be asked about.",
                measure=ref.title,
                known=", ".join(EXPLAINED),
            )
        )
    whole, why_not = value_of(ref, as_it_is)
    if whole is None and not _never(ref, as_it_is, why_not):
        raise ReasonError(
            say("{measure} of “{candidate}” has no value here: {why}.", measure=ref.title, candidate=candidate.name,
                why=why_not)
        )  # fmt: skip
    without = list(taken_away(rig, law))
    helps = list(remedies(rig, law, holding(rig, trial)))
    found: list[CaseResult] = []
    cases = [Case(k, each.rig, each.law, trial) for k, each in enumerate([Alternative("", rig, law), *without, *helps])]
    for result in run_many(cases):
        found.append(result)
        if not tell(len(found) / len(cases)):
            raise Stopped
    now, away, helped = found[0], found[1 : 1 + len(without)], found[1 + len(without) :]
    parts = sorted(
        (_part(each, result, ref, whole) for each, result in zip(without, away, strict=True)),
        key=lambda part: (-abs(part.part or 0.0), _size(part.value)),
    )
    if whole is None:  # what would make it settle, and how soon
        told = [part for part in parts if part.value is not None]
    else:
        told = [part for part in parts if part.part is None or abs(part.part) >= _LEAST * abs(whole)]
    ranked = sorted(
        (_remedy(each, result, ref) for each, result in zip(helps, helped, strict=True) if result.measures is not None),
        key=lambda remedy: (remedy.missed, -remedy.met, _size(remedy.value)),
    )
    missed_now = missed(now, rig)
    better = [remedy for remedy in ranked if _brings(remedy, missed_now, whole)]
    left = 0.0 if whole is None else abs(whole) - sum(part.part for part in told if part.part is not None)
    return Reasons(
        ref, whole, tuple(told), left, tuple(better[:_MOST_REMEDIES]), len(trial.marks),
        sum(verdict.met for verdict in now.verdicts), len(cases) + 1,
    )  # fmt: skip


def _never(ref: Mark, measures: Measures, why_not: str) -> bool:
    """Whether a measure has no value since the run never comes to rest, which can be asked about as well."""
    return measures.ended is None and ref.measure in _MAY_NEVER_BE and why_not not in _NOTHING_TO_SETTLE


def _part(alternative: Alternative, result: CaseResult, ref: Mark, whole: float | None) -> Reason:
    value = None if result.measures is None else value_of(ref, result.measures)[0]
    return Reason(alternative, value, None if value is None or whole is None else abs(whole) - abs(value))


def _remedy(alternative: Alternative, result: CaseResult, ref: Mark) -> Remedy:
    assert result.measures is not None
    met = sum(verdict.met for verdict in result.verdicts)
    return Remedy(alternative, value_of(ref, result.measures)[0], met, missed(result, alternative.rig))


def _brings(remedy: Remedy, missed_now: float, whole: float | None) -> bool:
    """Whether a remedy misses the marks by less, and the measure asked about is none the worse for it.

    Where no mark is missed, whether it makes the measure less.
    """
    size = _size(whole)
    if _size(remedy.value) > size * (1 + _SAME) or (whole is None and remedy.value is None):
        return False
    if missed_now > 0:
        return remedy.missed < missed_now - 1e-9
    return remedy.missed == 0 and _size(remedy.value) < size * (1 - _LEAST)


def _size(value: float | None) -> float:
    return float("inf") if value is None else abs(value)


def holding_drive(rig: Rig, setpoint_degC: float) -> float | None:
    """Mean output that holds a setpoint; None where the drives cannot, or nobody can say."""
    verdict = can_hold(rig, setpoint_degC)
    return verdict.holding_drive if verdict is not None and verdict.can else None


def held_degC(rig: Rig, setpoint_degC: float) -> Floats | None:
    """Where all bodies rest while a setpoint is held, degC; None where it is not."""
    drive = holding_drive(rig, setpoint_degC)
    return None if drive is None else rest_degC(rig, drive)


def holding(rig: Rig, trial: Trial) -> tuple[float, float] | None:
    """Drive for each kelvin that holds the last setpoint, and where the probed body rests."""
    rest, verdict = rest_degC(rig, 0.0), can_hold(rig, trial.plan.last_degC)
    if rest is None or verdict is None or verdict.holding_drive is None:
        return None
    at = float(rest[rig.body_index(rig.probe.body)])
    gap = abs(trial.plan.last_degC - at)
    return None if gap < 1.0 or verdict.holding_drive <= 0 else (verdict.holding_drive / gap, at)
