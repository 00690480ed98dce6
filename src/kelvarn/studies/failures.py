"""The failure table: every single failure at its worst moments, where it ends, and who stops it.

A failure is an event that does not end, put into the trial at a moment (`failure_moments.py`), or a guard that does not
act. The trial then goes on until every body rests or a limit is passed (`follow.py`). Everything is a run of the
same engine, which can be opened.
"""

import math
import threading
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, replace

from kelvarn.engine.plant import TIME_EPS
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Stopped
from kelvarn.engine.steady import can_hold
from kelvarn.model.candidate import Controller
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import ProbeFaultAction
from kelvarn.model.names import free_name
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from .batch import pool, room_for
from .failure_kinds import NAME, Failure, failures_of, without_failures
from .failure_moments import moments_of
from .failure_outcome import FailureOutcome, outcome_of
from .failure_times import latest_of, longest_s, steady_ramps
from .follow import FollowedRun, Snapshot

_ROUNDS = 3
"""How often moments are tried beside the worst one, of a row that comes nearer to a limit than this:"""
_NEAR_K = 15.0
_OF_ACTIONS = 2
"""Failures of the control probe that can be seen: the first two."""


@dataclass(frozen=True)
class FailureRow:
    """One failure at all its moments."""

    failure: Failure
    outcomes: tuple[FailureOutcome, ...]
    worst: FailureOutcome

    @property
    def hottest(self) -> tuple[str, float] | None:
        """The body without a limit that gets hottest at any moment."""
        known = [each.hottest for each in self.outcomes if each.hottest is not None]
        return max(known, key=lambda each: each[1], default=None)


@dataclass(frozen=True)
class ActionTried:
    """An action at a fault of the control probe that can be seen, and the worst that came of it."""

    action: str
    worst: FailureOutcome
    off_goal_K: float


@dataclass(frozen=True)
class FailureTable:
    """All failures of a candidate on a trial, the most harmful first.

    Attributes:
        rows: one a failure.
        limited: the bodies that have a limit, by name.
        moments: when they were tried, s, by what the moment is called.
        actions: what the control probe's fault action could be, the least harmful first.
        runs: how many were computed.
    """

    rows: tuple[FailureRow, ...]
    limited: tuple[str, ...]
    moments: dict[str, float]
    actions: tuple[ActionTried, ...]
    runs: int

    @property
    def passed(self) -> int:
        """Rows that pass a hard limit, or come to pass one."""
        return sum(row.worst.harmful for row in self.rows)

    @property
    def safe(self) -> bool:
        """Whether no failure passes a limit, with a limit for every body and each row followed to rest."""
        at_rest = all(row.worst.rests for row in self.rows)
        return bool(self.limited) and not self.passed and self.hottest is None and at_rest

    @property
    def hottest(self) -> tuple[str, float] | None:
        """The body without a limit that gets hottest in any row."""
        return max((row.hottest for row in self.rows if row.hottest is not None), key=lambda e: e[1], default=None)

    @property
    def longest_s(self) -> float:
        """How long the row that was followed longest was."""
        return max(each.followed_s for row in self.rows for each in row.outcomes)

    def verdict(self, scale: Scale = Scale.CELSIUS) -> str:
        """What happens if one thing fails, in a sentence."""
        count, unlimited = len(self.rows), ""
        if self.hottest is not None:
            name, degC = self.hottest
            unlimited = say("; {name} has no limit and gets to {degc}: enter its limit", name=name,
                            degc=show(degC, Quantity.TEMPERATURE, scale))  # fmt: skip
        if not self.limited:
            said = say("Cannot be judged: no body has a limit. Enter one for everything that could {burn}",
                       burn=scale.words.burn)  # fmt: skip
            return f"{said}{unlimited.removesuffix(': enter its limit')}"
        names = ", ".join(self.limited)
        beforehand = any(each.beforehand for row in self.rows for each in row.outcomes)
        if self.passed:
            already = say(" (one is passed without any failure too)") if beforehand else ""
            return say("No: {passed} of {number} single failures pass a limit{already}{unlimited}", passed=self.passed,
                       number=count, already=already, unlimited=unlimited)  # fmt: skip
        lost = sum(row.worst.harm[0] == 2 for row in self.rows)
        cold = say("; {lost} lose what matters", lost=lost) if lost else ""
        loose = sum(not each.rests for each in (row.worst for row in self.rows))
        open_end = say("; {loose} still move when the table stops", loose=loose) if loose else ""
        return say("None of the {number} failures tried passes a known limit ({names}){cold}{open_end}{unlimited}",
                   number=count, names=names, cold=cold, open_end=open_end, unlimited=unlimited)  # fmt: skip


@dataclass(frozen=True)
class _Asked:
    """One failure at one moment on a rig; `lasting`: it is followed to the end, beyond that of the trial."""

    failure: Failure
    moment: str
    at_s: float
    rig: Rig
    action: str = ""
    lasting: bool = True


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
    moments = moments_of(rig, controller, calm)
    failures = failures_of(rig)
    start = next(iter(moments))
    asked = [
        _Asked(failure, name, at, failure.of(rig), lasting=name in (start, _END) or _holds(failure, rig))
        for failure in failures
        for name, at in (moments.items() if failure.event is not None else [(start, 0.0)])
    ]
    of_actions = [
        _Asked(failure, name, at, made, action, lasting=name == _END or action == "hold")
        for action in _ACTION_WORDS
        for made in (acting(rig, action, calm),)
        for failure in failures[:_OF_ACTIONS]
        for name, at in moments.items()
        if name in _HOLDING or name == _END or name.endswith(rig.words.highest)
    ]
    wanted = [*asked, *of_actions]
    work = _Work(controller, calm, moments)
    outcomes = list(work.outcomes(wanted, progress, to_limit=True))
    tried = outcomes[: len(asked)]
    for _ in range(_ROUNDS):
        closer = [each for failure in failures for each in _between(failure, tried, rig)]
        tried += work.outcomes(closer, lambda _: progress(1.0), to_limit=True)
    rows = []
    for failure in failures:
        own = tuple(each for each in tried if each.failure is failure)
        rows.append(FailureRow(failure, own, max(own, key=lambda each: each.harm)))
    # What passes a limit was followed no further, nor was what another moment tells: of the worst it is told in full.
    again = [_Asked(row.failure, row.worst.moment, row.worst.at_s, row.worst.rig) for row in rows]
    whole = work.outcomes(again, lambda _: True, to_limit=False)
    rows = [replace(row, worst=worst) for row, worst in zip(rows, whole, strict=True)]
    rows.sort(key=lambda row: row.worst.harm, reverse=True)
    limited = tuple(body.name for body in rig.all_bodies if body.margin_K(0.0, 0.0) is not None)
    actions = _actions([each.action for each in of_actions], outcomes[len(asked) :])
    runs = len(tried) + len(of_actions) + len(again) + 1
    return FailureTable(tuple(rows), limited, moments, actions, runs)


def _between(failure: Failure, tried: Sequence[FailureOutcome], rig: Rig) -> Iterator[_Asked]:
    """Moments on either side of the worst one of a failure that comes near a limit, half way to the next one tried."""
    own = sorted((each for each in tried if each.failure is failure), key=lambda each: each.at_s)
    place = max(range(len(own)), key=lambda k: own[k].harm)
    worst, h = own[place], rig.probe.interval_s
    if failure.event is None or worst.harmful or worst.margin_K is None or worst.margin_K > _NEAR_K:
        return
    for other in own[max(place - 1, 0) : place + 2]:
        at_s = round((worst.at_s + other.at_s) / 2 / h) * h
        if all(abs(each.at_s - at_s) >= h for each in own):
            yield _Asked(
                failure,
                say("at {at}", at=show(at_s, Quantity.DURATION)),
                at_s,
                failure.of(rig),
                lasting=_holds(failure, rig),
            )


_END = "at the end"
_HOLDING = ("at the setpoint", "at the largest drive", "at the smallest drive", "with the reading furthest below",
            "with the reading furthest above", "at full drive on the way", "once the drive is on")  # fmt: skip
"""Moments at which what holds something as it was holds most or least."""


def _holds(failure: Failure, rig: Rig) -> bool:
    """Whether where it ends depends on the moment, since something stays as it was then."""
    if failure.event is None:
        return True
    kind, fault = failure.event.kind, getattr(failure.event, "fault", "")
    holding = any(getattr(each, "action", "") == "hold" for each in rig.guards)
    return kind in ("orders_lost", "stall") or fault == "stuck" or (fault in ("open", "short") and holding)


class _Work:
    """Runs of a controller on a trial that each have one failure; what comes before the failure is computed once.

    Args:
        controller, trial: without failures.
        moments: when failures begin.
    """

    def __init__(self, controller: Controller, trial: Trial, moments: dict[str, float]) -> None:
        self._controller, self._trial, self._moments = controller, steady_ramps(trial), moments
        self._known: dict[Rig, dict[int, Snapshot]] = {}
        self._stopped = threading.Event()

    def _go_on(self, _share: float) -> bool:
        return not self._stopped.is_set()

    def outcomes(
        self, asked: Sequence[_Asked], progress: Callable[[float], bool], *, to_limit: bool
    ) -> Iterator[FailureOutcome]:
        """Outcomes in order, computed on the threads of all studies; arguments as for `failure_table`."""
        source, waiting = iter(asked), deque[Future[FailureOutcome]]()
        threads, done = pool(), 0
        try:
            while True:
                while len(waiting) < 3 * threads._max_workers and (each := next(source, None)) is not None:
                    if each.failure.event is not None and each.rig not in self._known:
                        self._known[each.rig] = self._snapshots(each.rig)
                    waiting.append(threads.submit(self._follow, each, to_limit))
                if not waiting:
                    return
                outcome = waiting.popleft().result()
                done += 1
                if not progress(done / len(asked)):
                    raise Stopped
                yield outcome
        finally:
            if waiting:
                self._stopped.set()
            for future in waiting:
                future.cancel()

    def _snapshots(self, rig: Rig) -> dict[int, Snapshot]:
        """The trial without a failure, kept at each moment."""
        made = self._trial.model_copy(update={"duration_s": longest_s(rig, self._trial)})
        h = rig.probe.interval_s
        try:
            run = FollowedRun(rig, self._controller, made, 0.0)
            samples = sorted({math.floor(at_s / h + TIME_EPS) for at_s in self._moments.values()})
            return {sample: run.snapshot(sample, self._go_on) for sample in samples}
        except RunError:  # of a rig with another action; each of its runs says so
            return {}

    def _follow(self, asked: _Asked, to_limit: bool) -> FailureOutcome:
        """One failure at one moment."""
        rig, trial, failure = asked.rig, self._trial, asked.failure
        whole = asked.lasting or not to_limit
        latest_s = latest_of(failure, asked.at_s, rig, trial, whole=whole)
        event = failure.at(asked.at_s)
        name = free_name(NAME, [each.name for each in trial.events])
        # Not validated anew, which would take longer than the run.
        events = trial.events if event is None else (*trial.events, event.model_copy(update={"name": name}))
        made = trial.model_copy(update={"duration_s": longest_s(rig, trial), "events": events})
        # An event that begins late in the trial still comes; one that begins anew always does.
        begun_s = trial.duration_s if whole else asked.at_s
        try:
            run = FollowedRun(rig, self._controller, made, asked.at_s, room_for(rig, made))
            kept = self._known.get(rig, {}).get(math.floor(asked.at_s / rig.probe.interval_s + TIME_EPS))
            if kept is not None and event is not None:
                run.go_on_from(kept)
            found = run.follow(begun_s, latest_s, to_limit=to_limit, go_on=self._go_on)
        except RunError as error:
            return FailureOutcome(failure, asked.moment, asked.at_s, rig, made, str(error))
        return outcome_of(failure, asked.moment, asked.at_s, rig, self._controller, made, found, whole=whole)


def acting(rig: Rig, action: str, trial: Trial) -> Rig:
    """The rig with this action at a fault of its control probe; of a fixed duty, the one that holds the setpoint.

    Args:
        rig: the rig.
        action: at a fault of its control probe.
        trial: that says which duty holds the setpoint.
    """
    verdict = can_hold(rig, trial.plan.last_degC)
    duty = verdict.holding_drive if verdict is not None and verdict.holding_drive is not None else 0.0
    duty = float(f"{min(max(duty, -1.0), 1.0):.3g}")
    others = tuple(guard for guard in rig.guards if not isinstance(guard, ProbeFaultAction))
    before = next((guard for guard in rig.guards if isinstance(guard, ProbeFaultAction)), None)
    name = free_name("Probe fault", [guard.name for guard in (*others, *rig.permits)])
    made = before or ProbeFaultAction(name=name)
    # Not validated anew: a rig that has all the guards it may have is tried with one more.
    return rig.model_copy(update={"guards": (*others, with_fields(made, action=action, duty=duty))})


def _actions(names: Sequence[str], outcomes: Sequence[FailureOutcome]) -> tuple[ActionTried, ...]:
    """What each action at a probe fault leads to, the least harm first; where two are alike, the drive off."""
    found = []
    for action in dict.fromkeys(names):
        own = [each for name, each in zip(names, outcomes, strict=True) if name == action]
        found.append(ActionTried(action, max(own, key=lambda e: e.harm), max(each.off_goal_K for each in own)))
    order = {"off": 0, "hold": 1, "fixed": 2, "on": 3}
    return tuple(
        sorted(
            found,
            key=lambda each: (
                each.worst.harmful, round(each.off_goal_K), _steps_of_margin(each.worst), order[each.action],
            ),
        )
    )  # fmt: skip


def _steps_of_margin(worst: FailureOutcome) -> int:
    """Margin in steps of 10 K, the more the better: less than that is no reason to prefer one action."""
    return 0 if worst.margin_K is None else -round(worst.margin_K / 10)


_ACTION_WORDS = {"off": "off", "on": "full on", "fixed": "the duty that holds", "hold": "hold the last"}


def action_words(action: str) -> str:
    """An action in words."""
    return _ACTION_WORDS[action]
