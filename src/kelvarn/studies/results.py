"""Runs with their measures and verdicts, kept by what they were computed from."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, fields
from functools import cached_property, partial
from typing import NamedTuple

import numpy as np

from kelvarn.engine.marks import Verdict, judge
from kelvarn.engine.measures import Measures, measure, worst_after
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import PreparedRun, Run, compute, current_go_on
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .batch import pool

MOST_BYTES = 60_000_000
"""What the runs that are kept may take."""
_MOST_KEPT = 200  # runs: short ones take far more than their arrays
MOST_AT_ONCE = 500_000_000
"""What the runs of all candidates of a project may take together; else they are thinned one after another."""


class ResultKey(NamedTuple):
    """Which result it is: of a candidate on a trial, by their names, on a variant of the rig; 0 is the rig as it is."""

    candidate: str
    trial: str
    variant: int = 0


@dataclass(frozen=True, eq=False)
class Result:
    """A candidate's run on a trial, what was read off it and how it was judged."""

    run: Run
    measures: Measures
    verdicts: tuple[Verdict, ...]

    def judged(self, trial: Trial) -> "Result":
        """The same run, judged by the marks that a trial has now."""
        if tuple(verdict.mark for verdict in self.verdicts) == trial.marks:
            return self
        return Result(self.run, self.measures, judge(trial, self.measures))

    @property
    def met(self) -> int:
        """How many marks are met."""
        return sum(verdict.met for verdict in self.verdicts)

    @cached_property
    def worst_after(self) -> tuple[float, str] | None:
        """See `measures.worst_after`."""
        return worst_after(self.run, self.measures)


def result_of(rig: Rig, controller: Controller, trial: Trial) -> Result:
    """A run with all that is read off it. Raises RunError."""
    run = compute(rig, controller, trial)
    measures = measure(run)
    return Result(run, measures, judge(trial, measures))


_Content = tuple[Rig, Controller, Trial]
_Computed = tuple[Run, Measures]


class Results:
    """Computes results and keeps the newest; equal input gives the kept one.

    Args:
        most_bytes: what the runs that are kept may take; the newest one stays in any case.
        most_at_once: what those of all candidates of a project may take together.
    """

    def __init__(self, most_bytes: int = MOST_BYTES, most_at_once: int = MOST_AT_ONCE) -> None:
        self._most_bytes, self._most_at_once = most_bytes, most_at_once
        self._kept: OrderedDict[_Content, _Computed] = OrderedDict()
        self._lock = threading.Lock()

    def of(self, rig: Rig, candidate: Candidate, trial: Trial, go_on: Callable[[float], bool] | None = None) -> Result:
        """Result of a candidate on a trial; `go_on` as for `PreparedRun.advance`.

        Raises:
            RunError: it cannot be computed.
            Stopped: it was stopped.
        """
        content = _content(rig, candidate, trial)
        computed = self._known(content)
        if computed is None:
            prepared = _prepared(content, trial)
            prepared.advance(go_on)
            computed = _computed(prepared)
        return self._take(content, computed, trial)

    def of_project(
        self, project: Project, trial: Trial, go_on: Callable[[float], bool] | None = None
    ) -> dict[ResultKey, Result | RunError]:
        """Results of all candidates on one trial; an error in place of one that cannot be.

        Args:
            project, trial: what is asked for.
            go_on: as for `PreparedRun.advance`, with the share of all.

        Raises:
            Stopped: it was stopped.
        """
        go_on = go_on or current_go_on()
        if _bytes_expected(project, trial) > self._most_at_once:
            return self._one_by_one(project, trial, go_on)
        parts: list[tuple[Candidate, PreparedRun | _Computed | RunError]] = []
        for candidate in project.candidates:
            try:
                content = _content(project.rig, candidate, trial)
                parts.append((candidate, self._known(content) or _prepared(content, trial)))
            except RunError as error:
                parts.append((candidate, error))
        _advance_all([part for _, part in parts if isinstance(part, PreparedRun)], go_on)
        found: dict[ResultKey, Result | RunError] = {}
        for candidate, part in parts:
            key = ResultKey(candidate.name, trial.name)
            try:
                if isinstance(part, RunError):
                    raise part
                computed = _computed(part) if isinstance(part, PreparedRun) else part
                found[key] = self._take(_content(project.rig, candidate, trial), computed, trial)
            except RunError as error:
                found[key] = error
        return found

    def _one_by_one(
        self, project: Project, trial: Trial, go_on: Callable[[float], bool] | None
    ) -> dict[ResultKey, Result | RunError]:
        """As `of_project`, where all at once would not fit: of each run only so much is kept as can be drawn."""
        found: dict[ResultKey, Result | RunError] = {}
        count = len(project.candidates)
        for k, candidate in enumerate(project.candidates):
            content = _content(project.rig, candidate, trial)
            key = ResultKey(candidate.name, trial.name)
            try:
                computed = self._known(content)
                if computed is None:
                    prepared = _prepared(content, trial)
                    prepared.advance(None if go_on is None else partial(_of_all, go_on, k, count))
                    run, measures = _computed(prepared)
                    computed = run.thinned(), measures
                    del prepared, run
                found[key] = self._take(content, computed, trial)
            except RunError as error:
                found[key] = error
        return found

    def clear(self) -> None:
        """Forget all."""
        with self._lock:
            self._kept.clear()

    def _known(self, content: _Content) -> _Computed | None:
        with self._lock:
            return self._kept.get(content)

    def _take(self, content: _Content, computed: _Computed, trial: Trial) -> Result:
        """Keep what was computed as the newest, and judge it."""
        run, measures = computed
        with self._lock:
            self._kept[content] = computed
            self._kept.move_to_end(content)
            total = sum(bytes_of(each) for each, _ in self._kept.values())
            while len(self._kept) > 1 and (total > self._most_bytes or len(self._kept) > _MOST_KEPT):
                _, (oldest, _) = self._kept.popitem(last=False)
                total -= bytes_of(oldest)
        return Result(run, measures, judge(trial, measures))


def _advance_all(runs: list[PreparedRun], go_on: Callable[[float], bool] | None) -> None:
    """Compute runs side by side: the compiled loops hold no lock of the interpreter.

    The last one is computed here, since handing it over would only take longer.
    """
    shares = [0.0] * len(runs)

    def report(place: int) -> Callable[[float], bool] | None:
        def asked(share: float) -> bool:
            assert go_on is not None
            shares[place] = share
            return go_on(sum(shares) / len(shares))

        return None if go_on is None else asked

    waiting: list[Future[None]] = [pool().submit(each.advance, report(k)) for k, each in enumerate(runs[:-1])]
    try:
        if runs:
            runs[-1].advance(report(len(runs) - 1))
    finally:
        for each in waiting:
            each.exception()  # wait for all before any error goes on
    for each in waiting:
        each.result()


def _of_all(go_on: Callable[[float], bool], done: int, count: int, share: float) -> bool:
    """Ask whether to go on, with the share of all runs."""
    return go_on((done + share) / count)


def _bytes_expected(project: Project, trial: Trial) -> float:
    """What the runs of all candidates would take together."""
    rig = project.rig
    values = 13 + len(rig.all_bodies) + 3 * len(rig.drives) + len(rig.probes)
    return 8.0 * values * trial.duration_s / rig.probe.interval_s * len(project.candidates)


def _computed(prepared: PreparedRun) -> _Computed:
    run = prepared.run()
    return run, measure(run)


def _content(rig: Rig, candidate: Candidate, trial: Trial) -> _Content:
    """What changes a run: of a trial neither name, notes nor marks do, nor does the candidate's name."""
    return rig, candidate.controller, trial.model_copy(update={"marks": (), "name": "", "notes": ""})


def _prepared(content: _Content, trial: Trial) -> PreparedRun:
    """A run of a content, under its trial's name: an error names it. Raises RunError."""
    rig, controller, plain = content
    return PreparedRun(rig, controller, plain.model_copy(update={"name": trial.name}))


def bytes_of(run: Run) -> int:
    """What a run takes."""
    values = (getattr(run, field.name) for field in fields(run))
    return sum(value.nbytes for value in values if isinstance(value, np.ndarray))
