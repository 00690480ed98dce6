"""The failure table in words: the same for window, command line and report."""

from kelvarn.units import Quantity, Scale, show

from .failure_outcome import FailureOutcome
from .failures import ActionTried, FailureTable, action_words


def headings(scale: Scale = Scale.CELSIUS) -> tuple[str, ...]:
    """What stands over `cells`."""
    return (
        "failure",
        f"{scale.words.highest} after it",
        "when the table stops",
        "limit passed",
        "who stops it",
        "margin",
    )


def cells(outcome: FailureOutcome, scale: Scale = Scale.CELSIUS) -> tuple[str, ...]:
    """One outcome under `headings`."""
    if outcome.fault:
        return f"{outcome.failure.text}, {outcome.moment}", outcome.fault, "", "", "", ""
    margin = "no limit known"
    if outcome.margin_K is not None:
        margin = show(outcome.margin_K, Quantity.DIFFERENCE, scale)
    return (
        f"{outcome.failure.text}, {outcome.moment}" if outcome.failure.event is not None else outcome.failure.text,
        outcome.ends(scale),
        end_text(outcome, scale),
        passed_text(outcome),
        stopped_text(outcome),
        margin,
    )


def end_text(outcome: FailureOutcome, scale: Scale = Scale.CELSIUS) -> str:
    """Where the suffering body is when it was followed no longer, and whether it rests there."""
    end = f"{show(outcome.end_degC, Quantity.TEMPERATURE, scale)}, {show(outcome.followed_s, Quantity.DURATION)} later"
    if outcome.rests:
        return f"{end} (at rest)"
    tends = ""
    if outcome.tends_degC is not None:
        tends = f", to {show(outcome.tends_degC, Quantity.TEMPERATURE, scale)} at most"
    return f"{end} (still moving{tends})"


def passed_text(outcome: FailureOutcome) -> str:
    """When a limit is passed, or what else is lost."""
    if outcome.passed is not None:
        return f"after {show(outcome.passed[1], Quantity.DURATION)}"
    if outcome.heads_past:
        return "later: it was not followed to its end"
    if outcome.beforehand:
        return "passed without it too"
    if outcome.goal_lost_s is not None:
        back = ", back at the end" if outcome.goal_at_end else ""
        return f"no; goal lost after {show(outcome.goal_lost_s, Quantity.DURATION)}{back}"
    return "no; goal not kept at the end" if outcome.goal_at_end is False else "no"


def stopped_text(outcome: FailureOutcome) -> str:
    """Who acted and when; what goes on heating stops nothing."""
    said = []
    if outcome.guard and outcome.guard_s is not None:
        late = ", too late" if outcome.passed is not None and outcome.guard_s >= outcome.passed[1] else ""
        helps = ", which does not stop it" if outcome.harmful and not late else ""
        said.append(f"{outcome.guard} after {show(outcome.guard_s, Quantity.DURATION)}{late or helps}")
    elif outcome.harmful:
        said.append("no guard acts")
    if outcome.helpless:
        said.append(f"{outcome.helpless}, which stops nothing")
    if outcome.alarm and outcome.alarm_s is not None:
        said.append(f"alarm {outcome.alarm} after {show(outcome.alarm_s, Quantity.DURATION)}")
    return "; ".join(said) or "–"


def action_line(table: FailureTable, scale: Scale = Scale.CELSIUS) -> str:
    """What each action at a fault of the control probe leads to, the one of least harm first."""
    said = "; ".join(f"{action_words(each.action)}: {_action(each, scale)}" for each in table.actions)
    return f"When a probe fault is seen: {said}."


def _action(tried: ActionTried, scale: Scale) -> str:
    off = f", {show(tried.off_goal_K, Quantity.DIFFERENCE, scale)} off the goal" if tried.off_goal_K else ""
    return f"{tried.worst.ends(scale)} at most{', a limit passed' if tried.worst.harmful else ''}{off}"


def moments_line(table: FailureTable) -> str:
    """When failures were begun, how long they were followed, and what was not tried."""
    said = ", ".join(f"{name} ({show(at, Quantity.DURATION)})" for name, at in table.moments.items())
    return (
        f"Begun at {len(table.moments)} moments: {said}. Each followed until every body rests or a limit is passed, "
        f"{show(table.longest_s, Quantity.DURATION)} at the longest, on the rig as given; {table.runs} runs. "
        "Not tried: two failures at once, rigs that differ, doors left open."
    )
