"""The failure table: every single failure at its worst moments, where it ends, and who stops it.

A failure is an event that does not end, put into the trial at a moment: cold, just at the setpoint, at the trial's end.
The trial then goes on for as long again. Everything is a run of the same engine, which can be opened.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.engine.guard_words import alarms_in, guard_of
from kelvarn.engine.measures import Measures, measure
from kelvarn.engine.run import Stopped, compute
from kelvarn.engine.steady import can_hold
from kelvarn.model.candidate import Controller
from kelvarn.model.edit import with_fields
from kelvarn.model.event_base import LONGEST_S
from kelvarn.model.guards import Guard, ProbeFaultAction, Restart
from kelvarn.model.names import free_name
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, Scale, show

from .batch import Case, CaseResult, run_many
from .failure_kinds import CUT_S, NAME, Failure, failures_of, without_failures

_LONGEST_AFTER_S = 86400.0
MOMENTS = ("cold", "at the setpoint", "at the end")


@dataclass(frozen=True)
class Outcome:
    """How one failure at one moment ends.

    Attributes:
        failure, moment, at_s: what, and when in the trial, s.
        trial: the trial with it, which opens as a run.
        fault: why there is no run; empty where there is one.
        suffers: the body with the least margin to its limit; of none with a limit, the goal's, or the judged one.
        end_degC, extreme_degC: of that body, at the end, and nearest to its limit since the failure.
        margin_K: what was left to that limit; None without one.
        passed: the body whose limit is passed first after the failure, and how long after it, s.
        beforehand: whether a limit is passed without any failure.
        goal_lost_s: how long after it the goal is left; None where it is kept, was not before, or there is none.
        goal_at_end: whether the goal is kept at the end; None without one.
        guard, guard_s: what acted, in words, and how long after the failure; empty and None where nothing did.
        alarm, alarm_s: likewise the first alarm.
    """

    failure: Failure
    moment: str
    at_s: float
    trial: Trial
    fault: str
    suffers: str = ""
    end_degC: float = 0.0
    extreme_degC: float = 0.0
    margin_K: float | None = None
    passed: tuple[str, float] | None = None
    beforehand: bool = False
    goal_lost_s: float | None = None
    goal_at_end: bool | None = None
    guard: str = ""
    guard_s: float | None = None
    alarm: str = ""
    alarm_s: float | None = None

    @property
    def harmful(self) -> bool:
        """Whether a limit is passed, or nobody can say because it could not be run."""
        return self.passed is not None or bool(self.fault)

    @property
    def harm(self) -> tuple[int, float]:
        """How bad it is, the worse the more: a limit passed, the goal lost, neither; then by margin."""
        level = 3 if self.harmful else 2 if self.goal_at_end is False else 1 if self.goal_lost_s else 0
        return level, -(self.margin_K if self.margin_K is not None else 0.0)

    def ends(self, scale: Scale = Scale.CELSIUS) -> str:
        """Where it ends, such as "Heater mat 187 °C"."""
        if self.fault:
            return self.fault
        return f"{self.suffers} {show(self.extreme_degC, Quantity.TEMPERATURE, scale)}"


@dataclass(frozen=True)
class Row:
    """One failure at all its moments."""

    failure: Failure
    outcomes: tuple[Outcome, ...]

    @property
    def worst(self) -> Outcome:
        """The moment at which it does most harm."""
        return max(self.outcomes, key=lambda each: each.harm)


@dataclass(frozen=True)
class ActionTried:
    """An action at a fault of the control probe that can be seen, and the worst that came of it."""

    action: str
    worst: Outcome
    off_goal_K: float


@dataclass(frozen=True)
class FailureTable:
    """All failures of a candidate on a trial, the most harmful first.

    Attributes:
        rows: one a failure.
        moments: when they were tried, s, by what the moment is called; a moment that there is not says why.
        actions: what the control probe's fault action could be, the least harmful first.
        why: why the first of them is proposed.
        runs: how many were computed.
    """

    rows: tuple[Row, ...]
    moments: dict[str, float | str]
    actions: tuple[ActionTried, ...]
    why: str
    runs: int

    @property
    def passed(self) -> int:
        """Rows that pass a hard limit."""
        return sum(row.worst.passed is not None for row in self.rows)

    def verdict(self) -> str:
        """May it be switched on and left, in a sentence."""
        count = len(self.rows)
        if self.passed:
            return f"No: {self.passed} of {count} single failures pass a hard limit"
        if not any(outcome.margin_K is not None for row in self.rows for outcome in row.outcomes):
            return "Nobody can say: no body has a rated limit; give the ones that could burn or melt theirs"
        lost = sum(row.worst.harm[0] == 2 for row in self.rows)
        cold = f"; {lost} lose what matters" if lost else ""
        return f"No single failure of {count} passes a hard limit{cold}"


def failure_table(
    rig: Rig, controller: Controller, trial: Trial, progress: Callable[[float], bool] = lambda share: True
) -> FailureTable:
    """Try every single failure.

    Args:
        rig, controller, trial: what is tried; failures that the trial itself has are left out.
        progress: told the share done; False stops.

    Raises:
        RunError: the trial cannot be run even without a failure.
        Stopped: it was stopped.
    """
    calm = without_failures(trial)
    moments = _moments(rig, controller, calm)
    known = {name: at for name, at in moments.items() if isinstance(at, float)}
    failures = failures_of(rig)
    asked = [(failure, name, at) for failure in failures for name, at in known.items()]
    of_actions = [
        (action, failure, name, at)
        for action in ("off", "on", "fixed", "hold")
        for failure in failures[:2]
        for name, at in known.items()
    ]
    cases = [Case(0, rig, controller, _with(calm, f, at)) for f, _, at in asked]
    cases += [Case(0, acting(rig, a, calm), controller, _with(calm, f, at)) for a, f, _, at in of_actions]
    outcomes = []
    wanted = [*asked, *((f, name, at) for _, f, name, at in of_actions)]
    for (failure, name, at), case, result in zip(wanted, cases, _run(cases, progress), strict=True):
        outcomes.append((_outcome(case, failure, name, at, result), result))
    tables = [outcome for outcome, _ in outcomes[: len(asked)]]
    rows = [Row(failure, tuple(outcome for outcome in tables if outcome.failure is failure)) for failure in failures]
    rows.sort(key=lambda row: row.worst.harm, reverse=True)
    actions = _actions(rig, [a for a, *_ in of_actions], outcomes[len(asked) :])
    return FailureTable(tuple(rows), moments, actions, _why(actions), len(cases) + 1)


def _run(cases: Sequence[Case], progress: Callable[[float], bool]) -> Iterator[CaseResult]:
    """Results in order, with progress."""
    for count, result in enumerate(run_many(cases), start=1):
        if not progress(count / len(cases)):
            raise Stopped
        yield result


def _moments(rig: Rig, controller: Controller, trial: Trial) -> dict[str, float | str]:
    """When failures are tried."""
    run = compute(rig, controller, trial)
    window = measure(run).first
    settled, reached = window.values.get("settling_s"), "the setpoint is never reached"
    near = np.flatnonzero(np.abs(run.judged_degC - run.setpoint_degC) <= trial.band_K)
    if settled is not None:
        return {MOMENTS[0]: 0.0, MOMENTS[1]: float(window.from_s + settled), MOMENTS[2]: float(trial.duration_s)}
    if near.size:
        return {MOMENTS[0]: 0.0, MOMENTS[1]: float(run.time_s[near[0]]), MOMENTS[2]: float(trial.duration_s)}
    return {MOMENTS[0]: 0.0, MOMENTS[1]: reached, MOMENTS[2]: float(trial.duration_s)}


def _with(trial: Trial, failure: Failure, at_s: float) -> Trial:
    """The trial with a failure at an instant, going on for as long again, a day at most."""
    lasts = min(at_s + max(min(trial.duration_s, _LONGEST_AFTER_S), 2 * CUT_S), LONGEST_S)
    name = free_name(NAME, [event.name for event in trial.events])
    begun = [event for event in trial.events if event.at_s < lasts]
    event = failure.at(at_s).model_copy(update={"name": name})
    plan = with_fields(trial.plan, changes=tuple(each for each in trial.plan.changes if each.at_s < lasts))
    return with_fields(trial, duration_s=lasts, plan=plan, events=(*begun, event))


def acting(rig: Rig, action: str, trial: Trial) -> Rig:
    """The rig with this action at a fault of its control probe; of a fixed duty, the one that holds the setpoint."""
    verdict = can_hold(rig, trial.plan.last_degC)
    duty = verdict.holding_drive if verdict is not None and verdict.holding_drive is not None else 0.0
    duty = float(f"{min(max(duty, -1.0), 1.0):.3g}")
    others = tuple(guard for guard in rig.guards if not isinstance(guard, ProbeFaultAction))
    before = next((guard for guard in rig.guards if isinstance(guard, ProbeFaultAction)), None)
    name = free_name("Probe fault", [guard.name for guard in (*others, *rig.permits)])
    made = before or ProbeFaultAction(name=name)
    # Not validated anew: a rig that has all the guards it may have is tried with one more.
    return rig.model_copy(update={"guards": (*others, with_fields(made, action=action, duty=duty))})


def _outcome(case: Case, failure: Failure, moment: str, at_s: float, result: CaseResult) -> Outcome:
    """What came of one run."""
    if result.measures is None:
        return Outcome(failure, moment, at_s, case.trial, result.fault)
    found, rig = result.measures, case.rig
    span = found.event(case.trial.events[-1].name)
    margins = {}
    for body in rig.all_bodies:
        margin = body.margin_K(found.after_low_degC[body.name], found.after_degC[body.name])
        if margin is not None:
            margins[body.name] = margin
    suffers = min(margins, key=lambda name: margins[name]) if margins else _matters(rig)
    passed = {
        name: float(at) - at_s for name, at in found.passed_limit_s.items() if at is not None and at >= at_s - 1e-9
    }
    first = min(passed, key=lambda name: passed[name]) if passed else None
    guard, guard_s = _acted(rig, span.guard, span.trip)
    return Outcome(
        failure, moment, at_s, case.trial, "",
        suffers=first or suffers,
        end_degC=found.end_degC[first or suffers],
        extreme_degC=_extreme_degC(rig, found, first or suffers),
        margin_K=margins.get(first or suffers),
        passed=None if first is None else (first, passed[first]),
        beforehand=any(at is not None and at < at_s for at in found.passed_limit_s.values()),
        goal_lost_s=span.values.get("act_s"),
        goal_at_end=_keeps_goal(rig, found),
        guard=guard,
        guard_s=guard_s,
        alarm=_alarm(rig, span.alarm),
        alarm_s=None if span.alarm is None else span.alarm[1],
    )  # fmt: skip


def _extreme_degC(rig: Rig, found: Measures, name: str) -> float:
    """How far a body goes towards the nearer of its limits after a failure; its highest where it has none below."""
    body, low, high = rig.all_bodies[rig.body_index(name)], found.after_low_degC[name], found.after_degC[name]
    below = body.low_limit_degC is not None and body.margin_K(low, high) == low - body.low_limit_degC
    return low if below else high


def _matters(rig: Rig) -> str:
    return rig.goal.body if rig.goal is not None else rig.judged_body


def _keeps_goal(rig: Rig, found: Measures) -> bool | None:
    """Whether the goal is kept at the end of a run."""
    return None if rig.goal is None else _off_goal_K(rig, found) == 0


def _off_goal_K(rig: Rig, found: Measures) -> float:
    """How far the body that matters is outside the goal at the end; without a goal, 0."""
    goal = rig.goal
    if goal is None:
        return 0.0
    end = found.end_degC[goal.body]
    low, high = goal.low_degC, goal.high_degC
    return max(0.0 if low is None else low - end, 0.0 if high is None else end - high, 0.0)


def _acted(rig: Rig, guard: tuple[int, float] | None, trip: tuple[int, float] | None) -> tuple[str, float | None]:
    """What acted after a failure, and when: a trip where there was one, and what acted before it."""
    said, when = [], None
    for each in (guard, trip):
        if each is not None and not isinstance(guard_of(rig, each[0]), Restart):
            said.append(_said(guard_of(rig, each[0])))
            when = each[1] if when is None or each is trip else when
    return ", then ".join(said), when


def _alarm(rig: Rig, alarm: tuple[int, float] | None) -> str:
    """The alarms that came first after a failure."""
    return "" if alarm is None else ", ".join(each.name for each in alarms_in(rig, alarm[0]))


def _said(guard: Guard) -> str:
    """A guard by its name, and what it does."""
    said = {"off": "off", "on": "full on", "fixed": "fixed duty", "hold": "holds"}.get(getattr(guard, "action", ""), "")
    return f"{guard.name} ({said})" if said else guard.name


def _actions(rig: Rig, names: Sequence[str], outcomes: Sequence[tuple[Outcome, CaseResult]]) -> tuple[ActionTried, ...]:
    """What each action at a probe fault leads to, the least harm first; where two are alike, the drive off."""
    found = []
    for action in dict.fromkeys(names):
        own = [each for name, each in zip(names, outcomes, strict=True) if name == action]
        worst, _ = max(own, key=lambda each: each[0].harm)
        off_goal = max(_off_goal_K(rig, r.measures) if r.measures is not None else 0.0 for _, r in own)
        found.append(ActionTried(action, worst, off_goal))
    order = {"off": 0, "hold": 1, "fixed": 2, "on": 3}
    level = [each.worst.harmful for each in found]
    ranked = sorted(
        range(len(found)),
        key=lambda k: (level[k], round(found[k].off_goal_K), _steps_of_margin(found[k].worst), order[found[k].action]),
    )
    return tuple(found[k] for k in ranked)


def _steps_of_margin(worst: Outcome) -> int:
    """Margin in steps of 10 K, the more the better: less than that is no reason to prefer one action."""
    return 0 if worst.margin_K is None else -round(worst.margin_K / 10)


_ACTION_WORDS = {"off": "off", "on": "full on", "fixed": "the duty that holds", "hold": "hold the last"}


def action_words(action: str) -> str:
    """An action in words."""
    return _ACTION_WORDS[action]


def _why(actions: Sequence[ActionTried], scale: Scale = Scale.CELSIUS) -> str:
    """Why the first action is proposed, with both end states."""
    best = actions[0]
    others = [each for each in actions[1:] if _differs(best, each)]
    said = f"{_ACTION_WORDS[best.action]}: ends with {best.worst.ends(scale)}"
    if best.worst.passed:
        return f"{said}; every action passes a limit, so it takes a guard besides"
    if not others:
        return f"{said}; the others end alike"
    other = max(others, key=lambda each: each.worst.harm)
    off = f", {show(other.off_goal_K, Quantity.DIFFERENCE, scale)} off the goal" if other.off_goal_K else ""
    return f"{said}; with {_ACTION_WORDS[other.action]} it would be {other.worst.ends(scale)}{off}"


def _differs(one: ActionTried, other: ActionTried) -> bool:
    """Whether two actions end noticeably apart."""
    return (
        bool(one.worst.passed) != bool(other.worst.passed)
        or abs(one.worst.extreme_degC - other.worst.extreme_degC) > 1.0
        or abs(one.off_goal_K - other.off_goal_K) > 1.0
    )
