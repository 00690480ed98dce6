"""How the candidate that is handed over does on all trials, and what happens if one thing fails; beside the window."""

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.run import current_go_on
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.studies.all_trials import failures_of_all, results_of_all
from kelvarn.studies.failures import FailureTable
from kelvarn.studies.results import Result

_TRIALS, _FAILURES = "handover: trials", "handover: failures"
_POINTS = 20_000  # of a course that is kept: the page by the machine tells times off it
Outcome = Result | str


@dataclass(frozen=True)
class _Asked:
    rig: Rig
    controller: Controller
    trials: tuple[Trial, ...]


class Verdicts(QObject):
    """What is known of a candidate, over all trials.

    Args:
        jobs: computes.

    Signals:
        updated: more is known.

    Attributes:
        results: by the names of trials, or why there is none; empty while they are computed.
        failures: the failure table of each trial, or why there is none; empty while they are computed.
    """

    updated = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._asked: _Asked | None = None
        self.results: dict[str, Outcome] = {}
        self.failures: dict[str, FailureTable | str] = {}

    def request(self, project: Project, candidate: Candidate) -> None:
        """Ask for what is known of a candidate, where the rig, its law or the trials are others."""
        wanted = _Asked(project.rig, candidate.controller, project.trials)
        if wanted == self._asked:
            return
        self._asked, self.results, self.failures = wanted, {}, {}
        self._jobs.start(_TRIALS, lambda: _on_trials(wanted), self._take_results)
        self._jobs.start(_FAILURES, lambda: _failures(wanted), self._take_failures)

    def stop(self) -> None:
        """Nothing is asked any more; what is under way is asked for anew later."""
        if self._jobs.busy(_TRIALS) or self._jobs.busy(_FAILURES):
            self._jobs.stop(_TRIALS)
            self._jobs.stop(_FAILURES)
            self._asked = None

    def fine(self) -> bool | None:
        """Whether all marks of all trials are met and every failure table is safe; None while that is not known."""
        if not self.results or not self.failures:
            return None
        met = all(isinstance(each, Result) and each.met == len(each.verdicts) for each in self.results.values())
        return met and all(isinstance(each, FailureTable) and each.safe for each in self.failures.values())

    def _take_results(self, outcome: object) -> None:
        if isinstance(outcome, dict):
            self.results = outcome
            self.updated.emit()

    def _take_failures(self, outcome: object) -> None:
        if isinstance(outcome, dict):
            self.failures = outcome
            self.updated.emit()


def _on_trials(asked: _Asked) -> dict[str, Outcome]:
    found = results_of_all(asked.rig, asked.controller, asked.trials)
    return {
        name: Result(each.run.thinned(_POINTS), each.measures, each.verdicts) if isinstance(each, Result) else each
        for name, each in found.items()
    }


def _failures(asked: _Asked) -> dict[str, FailureTable | str]:
    return failures_of_all(asked.rig, asked.controller, asked.trials, current_go_on() or (lambda _: True))
