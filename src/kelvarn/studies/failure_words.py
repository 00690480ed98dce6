"""The failure table in words: the same for window, command line and report."""

from kelvarn.units import Quantity, Scale, show

from .failures import FailureTable, Outcome, action_words

HEADINGS = ("failure", "ends with", "limit passed", "who stops it", "margin")


def cells(outcome: Outcome, scale: Scale = Scale.CELSIUS) -> tuple[str, ...]:
    """One outcome under `HEADINGS`."""
    if outcome.fault:
        return f"{outcome.failure.text}, {outcome.moment}", outcome.fault, "", "", ""
    margin = "no limit known"
    if outcome.margin_K is not None:
        margin = show(outcome.margin_K, Quantity.DIFFERENCE, scale)
    return (
        f"{outcome.failure.text}, {outcome.moment}",
        f"{outcome.ends(scale)}, {show(outcome.end_degC, Quantity.TEMPERATURE, scale)} at the end",
        passed_text(outcome),
        stopped_text(outcome),
        margin,
    )


def passed_text(outcome: Outcome) -> str:
    """When a limit is passed, or what else is lost."""
    if outcome.passed is not None:
        return f"after {show(outcome.passed[1], Quantity.DURATION)}"
    if outcome.beforehand:
        return "passed without it too"
    if outcome.goal_lost_s is not None:
        back = ", back at the end" if outcome.goal_at_end else ""
        return f"no; goal lost after {show(outcome.goal_lost_s, Quantity.DURATION)}{back}"
    return "no; goal not kept at the end" if outcome.goal_at_end is False else "no"


def stopped_text(outcome: Outcome) -> str:
    """Who acted and when."""
    said = [
        f"{name} after {show(after, Quantity.DURATION)}"
        for name, after in ((outcome.guard, outcome.guard_s), (f"alarm {outcome.alarm}", outcome.alarm_s))
        if name and after is not None
    ]
    nobody = "nobody" if outcome.passed is not None and not outcome.guard else ""
    return "; ".join(each for each in (nobody, *said) if each) or "–"


def action_line(table: FailureTable, scale: Scale = Scale.CELSIUS) -> str:
    """What to do at a fault of the control probe, and why."""
    others = "; ".join(f"{action_words(each.action)} {each.worst.ends(scale)}" for each in table.actions)
    return f"At a probe fault: {table.why}. ({others})"


def moments_line(table: FailureTable) -> str:
    """When failures were tried."""
    said = [
        f"{name} ({show(at, Quantity.DURATION)})" if isinstance(at, float) else f"{name}: not tried, {at}"
        for name, at in table.moments.items()
    ]
    return f"Tried {', '.join(said)}; {table.runs} runs."
