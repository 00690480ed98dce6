"""How much room marks have, as shares of their limits: what searches and rankings go by."""

from kelvarn.engine.marks import Verdict
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity

from .batch import CaseResult

NEVER = 1e6
"""What a mark counts as missed by whose measure does not exist, in limits: more than any that does."""


def margin(verdict: Verdict, rig: Rig) -> float:
    """What is left to a mark's limit, in limits; below 0 where it is missed. Of temperatures, from the surroundings on.

    Args:
        verdict: the mark as judged; one whose measure presumes what the run does not do is missed by more than any.
        rig: whose surroundings.
    """
    mark, left = verdict.mark, verdict.left
    if left is None or (verdict.reason and not verdict.met):
        return -NEVER
    limit = mark.limit
    if mark.kind.quantity == Quantity.TEMPERATURE:
        limit -= rig.surroundings.temperature_degC
    return left / (abs(limit) or 1.0)


def missed(result: CaseResult, rig: Rig) -> float:
    """By how much marks are missed in all, in limits; inf where it could not be run."""
    if result.measures is None:
        return float("inf")
    return sum(-left for verdict in result.verdicts if (left := margin(verdict, rig)) < 0)


def room(result: CaseResult, rig: Rig) -> float:
    """The least that is left to the limit of any mark, in limits, where all are met.

    What is less than the reading's noise is none. A limit of nothing at all (no trip, no time beyond a limit) is met or
    not, and has no room to speak of.
    """
    found = [1.0]
    for verdict in result.verdicts:
        left = verdict.left
        if left is None or verdict.mark.limit == 0:
            continue
        seen = verdict.mark.kind.quantity in (Quantity.DIFFERENCE, Quantity.TEMPERATURE)
        noise = seen and left < rig.probe.noise_K
        found.append(0.0 if noise else margin(verdict, rig))
    return min(found)
