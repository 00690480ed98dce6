"""How much room marks have, as shares of their limits: what searches and rankings go by."""

from kelvarn.engine.marks import Verdict

from .batch import CaseResult

_NEVER = 3.0  # what a measure that does not exist counts as, in limits


def margin(verdict: Verdict) -> float:
    """What is left to a mark's limit, in limits; below 0 where it is missed."""
    mark = verdict.mark
    size = max(abs(mark.limit), 1e-9)
    if verdict.value is None:
        return -_NEVER
    match mark.direction:
        case "at_most":
            left = mark.limit - verdict.value
        case "at_least":
            left = verdict.value - mark.limit
        case "within":
            left = mark.limit - abs(verdict.value)
    return max(left / size, -_NEVER)


def missed(result: CaseResult) -> float:
    """By how much marks are missed in all, in limits."""
    return sum(-left for verdict in result.verdicts if (left := margin(verdict)) < 0)
