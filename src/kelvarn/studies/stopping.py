"""What would stop the failures that pass a limit: guards, and actions at a probe fault, tried by whole tables.

Of a remedy nothing is offered but what makes no row of the table worse, and trips in no trial without a failure.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kelvarn.engine.measures import measure
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import compute
from kelvarn.model.candidate import Controller
from kelvarn.model.guards import CutOff, ProbeFaultAction, RuleBase, Trip
from kelvarn.model.names import free_name
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .batch import Case, run_many
from .failure_kinds import without_failures
from .failure_outcome import FailureOutcome
from .failures import FailureTable, acting, failure_table

_SHARES = (0.7, 0.5, 0.3, 0.15)  # of the way from how hot it gets without a failure to the limit, the highest first
_NO_LIMIT_K = 40.0  # where the probed body has no limit: how far above the usual a trip is tried
_MOST_TRIED = 3  # guards of which a whole table is made
_NO_WORSE_K = 0.5
_LOST = 2  # the level of harm from which on something is lost

Progress = Callable[[float], bool]


@dataclass(frozen=True)
class Stopping:
    """A guard, and how many failures of the table pass a limit with it, of how many without."""

    guard: RuleBase
    left: int
    of: int


def stopping_guard(
    rig: Rig, controller: Controller, trials: Sequence[Trial], table: FailureTable,
    progress: Progress = lambda share: True,
) -> Stopping | None:  # fmt: skip
    """The guard that leaves fewest failures beyond a limit; None where none of those tried helps without harm.

    Args:
        rig, controller, table: the failure table, and what it is of.
        trials: all trials of the project, that of the table first.
        progress: told the share done; False stops.

    Raises:
        RunError: the trial cannot be run.
        Stopped: it was stopped.
    """
    worst = [row.worst for row in table.rows if row.worst.passed is not None]
    if not worst:
        return None
    guards = _candidates(rig, controller, trials[0], {each.suffers for each in worst})
    cases = [
        Case(place, outcome.failure.of(_with(rig, guard)), controller, outcome.trial)
        for place, guard in enumerate(guards)
        for outcome in worst
    ]
    left = [0] * len(guards)
    for case, result in zip(cases, run_many(cases), strict=True):
        passed = result.measures is None or any(at is not None for at in result.measures.passed_limit_s.values())
        left[int(str(case.key))] += passed
    ranked = [k for k in sorted(range(len(guards)), key=lambda k: left[k]) if left[k] < len(worst)][:_MOST_TRIED]
    for place, k in enumerate(ranked):
        made = _with(rig, guards[k])
        if not _trips(made, controller, trials):
            begun = place / len(ranked)
            after = failure_table(made, controller, trials[0], lambda done, at=begun: progress(at + done / len(ranked)))  # type: ignore[misc]
            if _better(table, after):
                return Stopping(guards[k], after.passed, table.passed)
    return None


def safer_action(
    rig: Rig, controller: Controller, trials: Sequence[Trial], table: FailureTable,
    progress: Progress = lambda share: True,
) -> str | None:  # fmt: skip
    """The action at a fault of the control probe that makes the table better; None where none does without harm.

    Arguments and errors as for `stopping_guard`.
    """
    now = next((guard.action for guard in rig.guards if isinstance(guard, ProbeFaultAction)), None)
    action = table.actions[0].action
    if action == now:
        return None
    made = acting(rig, action, trials[0])
    if _trips(made, controller, trials):
        return None
    return action if _better(table, failure_table(made, controller, trials[0], progress)) else None


def _with(rig: Rig, guard: RuleBase) -> Rig:
    # Not validated anew: a rig that has all the guards it may have is tried with one more.
    return rig.model_copy(update={"guards": (*rig.guards, guard)})


def _trips(rig: Rig, controller: Controller, trials: Sequence[Trial]) -> bool:
    """Whether a trial trips without any failure, or cannot be run."""
    for trial in trials:
        try:
            measures = measure(compute(rig, controller, without_failures(trial)))
        except RunError:
            return True
        if measures.values["trips"]:
            return True
    return False


def _better(before: FailureTable, after: FailureTable) -> bool:
    """Whether no row of a table is worse than it was, and some is better."""
    was = {row.failure.text: row.worst for row in before.rows}
    better = False
    for row in after.rows:
        old = was.get(row.failure.text)
        # Of what was added there is a row too: that it does not act, which is how it was before.
        if old is not None:
            if _worse(row.worst, old):
                return False
            better = better or row.worst.harm[0] < old.harm[0]
    return better


def _worse(new: FailureOutcome, old: FailureOutcome) -> bool:
    """Whether a row is worse than it was: more is lost, a limit passed sooner, or come nearer to."""
    if new.harm[0] != old.harm[0]:
        return new.harm[0] > old.harm[0] and new.harm[0] >= _LOST
    if new.passed is not None and old.passed is not None:
        return new.passed[1] < 0.98 * old.passed[1] or new.extreme_degC > old.extreme_degC + _NO_WORSE_K
    if new.margin_K is not None and old.margin_K is not None and new.suffers == old.suffers:
        return new.margin_K < old.margin_K - _NO_WORSE_K
    return new.off_goal_K > old.off_goal_K + _NO_WORSE_K


def _candidates(rig: Rig, controller: Controller, trial: Trial, suffering: set[str]) -> list[RuleBase]:
    """Guards to be tried: between how hot it gets without a failure and the limit."""
    usual = measure(compute(rig, controller, without_failures(trial))).hottest_degC
    taken = [rule.name for rule in (*rig.guards, *rig.permits)]
    found: list[RuleBase] = []
    for probe in rig.probes:
        limit = rig.all_bodies[rig.body_index(probe.body)].limit_degC
        for level in _levels(usual[probe.body], limit if limit is not None else usual[probe.body] + _NO_LIMIT_K):
            fields = {**Trip.begins_as(rig), "probe": probe.name, "at_degC": level}
            found.append(Trip(name=free_name("Trip", taken), **fields))
    for body in rig.all_bodies:
        if body.name in suffering and body.limit_degC is not None:
            for level in _levels(usual[body.name], body.limit_degC):
                fields = {**CutOff.begins_as(rig), "body": body.name, "at_degC": level}
                found.append(CutOff(name=free_name(CutOff.new_name, taken), **fields))
    return found


def _levels(usual_degC: float, limit_degC: float) -> list[float]:
    """Levels to be tried, rounded to half kelvins."""
    if limit_degC <= usual_degC + 1.0:
        return []
    return [round(2 * (usual_degC + share * (limit_degC - usual_degC))) / 2 for share in _SHARES]
