"""Which guard would stop the failures that pass a hard limit: tried by runs, trips first, then cut-offs."""

from dataclasses import dataclass

from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.model.candidate import Controller
from kelvarn.model.guards import CutOff, RuleBase, Trip
from kelvarn.model.names import free_name
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .batch import Case, run_many
from .failure_kinds import without_failures
from .failures import FailureTable

_SHARES = (0.7, 0.5, 0.3, 0.15)  # of the way from how hot it gets without a failure to the limit, the highest first
_NO_LIMIT_K = 40.0  # where the probed body has no limit: how far above the usual a trip is tried


@dataclass(frozen=True)
class Stopping:
    """A guard, and how many of the failures that passed a limit pass one with it."""

    guard: RuleBase
    left: int
    of: int


def stopping_guard(rig: Rig, controller: Controller, trial: Trial, table: FailureTable) -> Stopping | None:
    """The guard that leaves fewest failures beyond a limit; None where none of those tried helps.

    Args:
        rig, controller, trial, table: the failure table, and what it is of.

    Raises:
        RunError: the trial cannot be run.
        Stopped: it was stopped.
    """
    worst = [row.worst for row in table.rows if row.worst.passed is not None]
    guards = _candidates(rig, controller, trial, {each.suffers for each in worst})
    cases = [
        Case(place, rig.model_copy(update={"guards": (*rig.guards, guard)}), controller, outcome.trial)
        for place, guard in enumerate(guards)
        for outcome in worst
    ]
    left = [0] * len(guards)
    for case, result in zip(cases, run_many(cases), strict=True):
        passed = result.measures is None or any(at is not None for at in result.measures.passed_limit_s.values())
        left[int(str(case.key))] += passed
    if not guards or min(left) == len(worst):
        return None
    best = left.index(min(left))
    return Stopping(guards[best], left[best], len(worst))


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
