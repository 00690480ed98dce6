"""Remarks on a trial: setpoints, ramps and marks that cannot be."""

from collections.abc import Iterator
from itertools import combinations

from kelvarn.model.edit import Path
from kelvarn.model.mark import Mark
from kelvarn.sentence import say
from kelvarn.units import Quantity

from .look import Look
from .remark import Remark

_SAME_K = 0.05
_OF_SPAN = 0.05  # of a trial, that is left after a ramp at least


def plan_remarks(look: Look) -> Iterator[Remark]:
    """All of them on the trial that is looked at."""
    place = [each.name for each in look.project.trials].index(look.trial.name)
    at: Path = ("trials", place)
    yield from _setpoints(look, at)
    yield from _times(look, at)
    yield from _marks(look, at)


def _setpoints(look: Look, at: Path) -> Iterator[Remark]:
    """Setpoints outside the plan's own range, or for which a body gets hotter than it may."""
    plan = look.trial.plan
    for k, change in enumerate(plan.changes):
        held, where = plan.limited(change.to_degC), (*at, "plan", "changes", k, "to_degC")
        if held != change.to_degC:
            text = say("Setpoint {degc} lies outside the plan's own range; {held} holds.",
                       degc=look.degC(change.to_degC), held=look.degC(held))  # fmt: skip
            yield Remark(f"setpoint {k + 1} outside its range", None, where, text)
        rest = look.held_at(held)
        degC = [held if body.name == look.rig.probe.body else None for body in look.rig.all_bodies]
        if rest is not None:
            degC = [float(value) for value in rest]
        for body, value in zip(look.rig.all_bodies, degC, strict=False):
            if value is not None and body.limit_degC is not None and value > body.limit_degC:
                text = say("At setpoint {degc} {body} rests at {rests}, beyond its limit of {limit}.",
                           degc=look.degC(held), body=body.name, rests=look.degC(value),
                           limit=look.degC(body.limit_degC))  # fmt: skip
                yield Remark(f"setpoint {k + 1} beyond a limit", None, where, text)
                break


def _times(look: Look, at: Path) -> Iterator[Remark]:
    """A trial that is over before the rig has answered, and ramps that are not over at its end."""
    trial = look.trial
    if look.lag_s is not None and trial.duration_s < look.lag_s:
        text = say("The trial lasts {lasts}, while the rig's lag is {lag}: it ends before much is seen.",
                   lasts=look.span(trial.duration_s), lag=look.span(look.lag_s))  # fmt: skip
        yield Remark("trial shorter than the lag", None, (*at, "duration_s"), text)
    before = look.rests_without
    for k, change in enumerate(trial.plan.changes):
        if change.ramp_K_per_s and before is not None:
            takes = abs(change.to_degC - before) / change.ramp_K_per_s
            later = [other.at_s for other in trial.plan.changes[k + 1 :]]
            until = min([*later, trial.duration_s])
            if takes > (1 - _OF_SPAN) * (until - change.at_s) and change.at_s < trial.duration_s:
                text = say("The ramp to {degc} takes {takes}, and has {has}: it does not get there.",
                           degc=look.degC(change.to_degC), takes=look.span(takes),
                           has=look.span(max(until - change.at_s, 0.0)))  # fmt: skip
                yield Remark(f"ramp {k + 1} too long", None, (*at, "plan", "changes", k, "ramp_K_per_s"), text)
        before = change.to_degC


def _marks(look: Look, at: Path) -> Iterator[Remark]:
    """Marks that nothing can meet: less than the reading tells, sooner than full drive, or against each other."""
    marks = look.trial.marks
    probe = look.rig.probe
    least = max(probe.noise_K, probe.resolution_K)
    for k, mark in enumerate(marks):
        where: Path = (*at, "marks", k, "limit")
        limit = mark.limit_text(look.scale)
        small = mark.direction != "at_least" and mark.kind.quantity == Quantity.DIFFERENCE and mark.kind.scope != "body"
        if small and 0 < mark.limit < least:
            text = say("{mark} {limit} is less than what {probe} tells: {kelvins}.", mark=mark.title, limit=limit,
                       probe=probe.name, kelvins=look.kelvins(least))  # fmt: skip
            yield Remark(f"mark {k + 1} below the noise", None, where, text)
        of_first = mark.measure == "settling_s" and mark.direction == "at_most" and mark.stage is None
        if of_first and mark.limit < look.flat_out_s:
            text = say("{mark} {limit}: at full drive from cold it takes {span} into the band.", mark=mark.title,
                       limit=limit, span=look.span(look.flat_out_s))  # fmt: skip
            yield Remark(f"mark {k + 1} sooner than full drive", None, where, text)
        hottest = mark.measure == "hottest_degC" and mark.body == look.rig.probe.body and mark.direction == "at_most"
        if hottest and mark.limit < look.highest - _SAME_K:
            text = say("{mark} {limit}, while the setpoint goes to {degc}.", mark=mark.title, limit=limit,
                       degc=look.degC(look.highest))  # fmt: skip
            yield Remark(f"mark {k + 1} against the setpoint", None, where, text)
    for (_, one), (k, other) in combinations(enumerate(marks), 2):
        if _contradict(one, other):
            text = say("No run can meet both {mark} {limit} and {other}.", mark=one.title,
                       limit=one.limit_text(look.scale), other=other.limit_text(look.scale))  # fmt: skip
            yield Remark(f"mark {k + 1} contradicts another", None, (*at, "marks", k, "limit"), text)


def _contradict(one: Mark, other: Mark) -> bool:
    """Whether marks on the same measure leave no value for it."""
    if (one.measure, one.event, one.body, one.stage) != (other.measure, other.event, other.body, other.stage):
        return False
    least = max((mark.limit for mark in (one, other) if mark.direction == "at_least"), default=None)
    most = min((mark.limit for mark in (one, other) if mark.direction != "at_least"), default=None)
    return least is not None and most is not None and least > most
