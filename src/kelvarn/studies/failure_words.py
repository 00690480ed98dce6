"""The failure table in words: the same for window, command line and report."""

from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

from .failure_outcome import FailureOutcome
from .failures import ActionTried, FailureTable, action_words


def headings(scale: Scale = Scale.CELSIUS) -> tuple[str, ...]:
    """What stands over `cells`."""
    return (
        "failure",
        say("{highest} after it", highest=scale.words.highest),
        say("when the table stops"),
        "limit passed",
        say("who stops it"),
        "margin",
    )


def cells(outcome: FailureOutcome, scale: Scale = Scale.CELSIUS) -> tuple[str, ...]:
    """One outcome under `headings`."""
    if outcome.fault:
        return joined(", ", (outcome.failure.text, outcome.moment)), outcome.fault, "", "", "", ""
    margin: str = say("no limit known")
    if outcome.margin_K is not None:
        margin = show(outcome.margin_K, Quantity.DIFFERENCE, scale)
    return (
        joined(", ", (outcome.failure.text, outcome.moment))
        if outcome.failure.event is not None
        else outcome.failure.text,
        outcome.ends(scale),
        end_text(outcome, scale),
        passed_text(outcome),
        stopped_text(outcome),
        margin,
    )


def end_text(outcome: FailureOutcome, scale: Scale = Scale.CELSIUS) -> str:
    """Where the suffering body is when it was followed no longer, and whether it rests there."""
    end = say("{end}, {followed} later", end=show(outcome.end_degC, Quantity.TEMPERATURE, scale),
              followed=show(outcome.followed_s, Quantity.DURATION))  # fmt: skip
    if outcome.rests:
        return say("{end} (at rest)", end=end)
    tends = ""
    if outcome.tends_degC is not None:
        tends = say(", to {tends} at most", tends=show(outcome.tends_degC, Quantity.TEMPERATURE, scale))
    return say("{end} (still moving{tends})", end=end, tends=tends)


def passed_text(outcome: FailureOutcome) -> str:
    """When a limit is passed, or what else is lost."""
    if outcome.passed is not None:
        return say("after {passed}", passed=show(outcome.passed[1], Quantity.DURATION))
    if outcome.heads_past:
        return say("later: it was not followed to its end")
    if outcome.beforehand:
        return say("passed without it too")
    if outcome.goal_lost_s is not None:
        back = say(", back at the end") if outcome.goal_at_end else ""
        return say("no; goal lost after {lost}{back}", lost=show(outcome.goal_lost_s, Quantity.DURATION), back=back)
    return say("no; goal not kept at the end") if outcome.goal_at_end is False else "no"


def stopped_text(outcome: FailureOutcome) -> str:
    """Who acted and when; what goes on heating stops nothing."""
    said = []
    if outcome.guard and outcome.guard_s is not None:
        late = say(", too late") if outcome.passed is not None and outcome.guard_s >= outcome.passed[1] else ""
        helps = say(", which does not stop it") if outcome.harmful and not late else ""
        said.append(
            say(
                "{guard} after {after}{late}",
                guard=outcome.guard,
                after=show(outcome.guard_s, Quantity.DURATION),
                late=late or helps,
            )
        )
    elif outcome.harmful:
        said.append(say("no guard acts"))
    if outcome.helpless:
        said.append(say("{helpless}, which stops nothing", helpless=outcome.helpless))
    if outcome.alarm and outcome.alarm_s is not None:
        said.append(
            say("alarm {alarm} after {after}", alarm=outcome.alarm, after=show(outcome.alarm_s, Quantity.DURATION))
        )
    return joined("; ", said) if said else "–"


def action_line(table: FailureTable, scale: Scale = Scale.CELSIUS) -> str:
    """What each action at a fault of the control probe leads to, the one of least harm first."""
    said = "; ".join(f"{action_words(each.action)}: {_action(each, scale)}" for each in table.actions)
    return say("When a probe fault is seen: {said}.", said=said)


def _action(tried: ActionTried, scale: Scale) -> str:
    off = (
        say(", {off} off the goal", off=show(tried.off_goal_K, Quantity.DIFFERENCE, scale)) if tried.off_goal_K else ""
    )
    return say("{ends} at most{passed}{off}", ends=tried.worst.ends(scale),
               passed=say(", a limit passed") if tried.worst.harmful else "", off=off)  # fmt: skip


def moments_line(table: FailureTable) -> str:
    """When failures were begun, how long they were followed, and what was not tried."""
    said = ", ".join(f"{name} ({show(at, Quantity.DURATION)})" for name, at in table.moments.items())
    return say("Begun at {number} moments: {said}. Each followed until every body rests or a limit "
               "is passed, {longest} at the longest, on the rig as given; {runs} runs. Not tried: "
               "two failures at once, rigs that differ, doors left open.", number=len(table.moments), said=said,
               longest=show(table.longest_s, Quantity.DURATION), runs=table.runs)  # fmt: skip
