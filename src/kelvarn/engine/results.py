"""Runs with their measures and verdicts, kept by what they were computed from."""

from collections import OrderedDict
from dataclasses import dataclass

from kelvarn.model.candidate import Candidate, OnOff, Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

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


class Results:
    """Computes results and keeps the newest; equal input gives the kept one. Safe for one thread."""

    def __init__(self, most_samples: int = 4_000_000) -> None:
        self._most_samples = most_samples  # of some 100 bytes each
        self._kept: OrderedDict[tuple[Rig, OnOff | Pid, Trial], tuple[Run, Measures]] = OrderedDict()

    def of(self, rig: Rig, candidate: Candidate, trial: Trial) -> Result:
        """Result of a candidate on a trial.

        Raises:
            RunError: it cannot be computed.
        """
        # Neither the candidate's name nor the marks change the run.
        key = (rig, candidate.controller, trial.model_copy(update={"marks": (), "name": ""}))
        if key in self._kept:
            self._kept.move_to_end(key)
        else:
            run = compute(rig, candidate.controller, trial)
            self._kept[key] = (run, measure(run))
            while len(self._kept) > 1 and sum(r.time_s.size for r, _ in self._kept.values()) > self._most_samples:
                self._kept.popitem(last=False)
        run, measures = self._kept[key]
        return Result(run, measures, judge(trial, measures))

    def of_project(self, project: Project, trial: str) -> dict[str, Result]:
        """Results of all candidates on one trial, by candidate name."""
        found = project.trial(trial)
        return {candidate.name: self.of(project.rig, candidate, found) for candidate in project.candidates}
