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
from .run import Begun, Run, compute


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
        key = rig, candidate.controller, _alone(trial)
        kept = self._kept.get(key)
        if kept is None:
            run = compute(rig, candidate.controller, trial)
            kept = (run, measure(run))
        return self._take(key, kept, trial)

    def of_project(self, project: Project, trial: Trial) -> dict[str, Result | RunError]:
        """Results of all candidates on one trial, by candidate name; an error in place of one that cannot be."""
        alone = _alone(trial)
        keys = [(project.rig, candidate.controller, alone) for candidate in project.candidates]
        known = [self._kept.get(key) for key in keys]
        loops: list[tuple[Begun, Future[None]] | RunError | None] = []
        # The compiled loops run side by side; all else would only wait for the interpreter's lock there.
        for candidate, kept in zip(project.candidates, known, strict=True):
            try:
                if kept is not None:
                    loops.append(None)
                    continue
                begun = Begun(project.rig, candidate.controller, trial)
                loops.append((begun, self._pool.submit(begun.loop)))
            except RunError as error:
                loops.append(error)
        found: dict[str, Result | RunError] = {}
        for candidate, key, kept, loop in zip(project.candidates, keys, known, loops, strict=True):
            if isinstance(loop, RunError):
                found[candidate.name] = loop
                continue
            if loop is not None:
                begun, done = loop
                done.result()
                try:
                    run = begun.run()
                except RunError as error:
                    found[candidate.name] = error
                    continue
                kept = run, measure(run)
            assert kept is not None
            found[candidate.name] = self._take(key, kept, trial)
        return found

    def _take(self, key: _Key, computed: _Computed, trial: Trial) -> Result:
        """Keep what was computed as the newest, and judge it."""
        self._kept[key] = computed
        self._kept.move_to_end(key)
        while len(self._kept) > 1 and sum(run.time_s.size for run, _ in self._kept.values()) > self._most_samples:
            self._kept.popitem(last=False)
        run, measures = computed
        return Result(run, measures, judge(trial, measures))


def _alone(trial: Trial) -> Trial:
    """What of a trial changes a run: neither its name nor its marks do, nor does the candidate's name."""
    return trial.model_copy(update={"marks": (), "name": ""})
