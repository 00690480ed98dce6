"""Runs with their measures and verdicts, kept by what they were computed from."""

import os
from collections import OrderedDict
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

from kelvarn.model.candidate import Candidate, OnOff, Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .arrays import RunError
from .marks import Verdict, judge
from .measures import Measures, measure
from .run import Run, compute


@dataclass(frozen=True, eq=False)
class Result:
    """A candidate's run on a trial, what was read off it and how it was judged."""

    run: Run
    measures: Measures
    verdicts: tuple[Verdict, ...]

    @property
    def met(self) -> int:
        """How many marks are met."""
        return sum(verdict.met for verdict in self.verdicts)


_Key = tuple[Rig, OnOff | Pid, Trial]
_Computed = tuple[Run, Measures]


class Results:
    """Computes results and keeps the newest; equal input gives the kept one. To be called from one thread at a time."""

    def __init__(self, most_samples: int = 4_000_000) -> None:
        self._most_samples = most_samples  # of some 100 bytes each
        self._kept: OrderedDict[_Key, _Computed] = OrderedDict()
        # Runs hold no lock of the interpreter, so candidates are computed side by side.
        self._pool = ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="runs")

    def of(self, rig: Rig, candidate: Candidate, trial: Trial) -> Result:
        """Result of a candidate on a trial.

        Raises:
            RunError: it cannot be computed.
        """
        key = _key(rig, candidate, trial)
        return self._take(key, self._kept.get(key) or _computed(rig, candidate, trial), trial)

    def of_project(self, project: Project, trial: Trial) -> dict[str, Result | RunError]:
        """Results of all candidates on one trial, by candidate name; an error in place of one that cannot be."""
        keys = {candidate.name: _key(project.rig, candidate, trial) for candidate in project.candidates}
        known = {key: self._kept[key] for key in keys.values() if key in self._kept}
        begun: dict[_Key, Future[_Computed]] = {}
        for candidate in project.candidates:
            key = keys[candidate.name]
            if key not in known and key not in begun:
                begun[key] = self._pool.submit(_computed, project.rig, candidate, trial)
        found: dict[str, Result | RunError] = {}
        for name, key in keys.items():
            try:
                found[name] = self._take(key, known.get(key) or begun[key].result(), trial)
            except RunError as error:
                found[name] = error
        return found

    def _take(self, key: _Key, computed: _Computed, trial: Trial) -> Result:
        """Keep what was computed as the newest, and judge it."""
        self._kept[key] = computed
        self._kept.move_to_end(key)
        while len(self._kept) > 1 and sum(run.time_s.size for run, _ in self._kept.values()) > self._most_samples:
            self._kept.popitem(last=False)
        run, measures = computed
        return Result(run, measures, judge(trial, measures))


def _key(rig: Rig, candidate: Candidate, trial: Trial) -> _Key:
    """Neither the candidate's name nor the marks change the run."""
    return rig, candidate.controller, trial.model_copy(update={"marks": (), "name": ""})


def _computed(rig: Rig, candidate: Candidate, trial: Trial) -> _Computed:
    run = compute(rig, candidate.controller, trial)
    return run, measure(run)
