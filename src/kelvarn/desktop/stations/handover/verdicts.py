"""How the candidate that is handed over does on all trials, and what happens if one thing fails; beside the window."""

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import current_go_on
from kelvarn.handover.settings import acting
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.studies.all_trials import failures_of_all, results_of_all
from kelvarn.studies.failures import FailureTable
from kelvarn.studies.results import Result
from kelvarn.studies.variants import Variants, vary
from kelvarn.tune.remark import Remark
from kelvarn.tune.remarks import remarks

_TRIALS, _FAILURES, _VARIANTS = "handover: trials", "handover: failures", "handover: variants"
_POINTS = 20_000  # of a course that is kept: the page by the machine tells times off it
Outcome = Result | str


@dataclass(frozen=True)
class _Asked:
    project: Project
    candidate: Candidate
    trial: Trial

    @property
    def rig(self) -> Rig:
        return self.project.rig

    @property
    def controller(self) -> Controller:
        return self.candidate.controller

    @property
    def trials(self) -> tuple[Trial, ...]:
        return self.project.trials


class Verdicts(QObject):
    """What is known of a candidate, over all trials.

    Args:
        jobs: computes.

    Signals:
        updated: more is known.

    Attributes:
        results: by the names of trials, or why there is none; empty while they are computed.
        failures: the failure table of each trial, or why there is none; empty while they are computed.
        variants: rigs that differ by their tolerances, on the trial that is shown, or why there are none; or None.
        remarks: what is noticed of the rig and the candidate there; or None.
    """

    updated = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._asked: _Asked | None = None
        self.results: dict[str, Outcome] = {}
        self.failures: dict[str, FailureTable | str] = {}
        self.variants: Variants | str | None = None
        self.remarks: tuple[Remark, ...] | None = None

    def request(self, project: Project, candidate: Candidate, trial: Trial) -> None:
        """Ask for what is known of a candidate, where the rig, its law or the trials are others."""
        wanted = _Asked(acting(project), candidate, trial)
        if wanted == self._asked:
            return
        self._asked, self.results, self.failures, self.variants, self.remarks = wanted, {}, {}, None, None
        self._jobs.start(_VARIANTS, lambda: _varied(wanted), self._take_variants)
        self._jobs.start(_TRIALS, lambda: _on_trials(wanted), self._take_results)
        self._jobs.start(_FAILURES, lambda: _failures(wanted), self._take_failures)

    def stop(self) -> None:
        """Nothing is asked any more; what is under way is asked for anew later."""
        channels = (_TRIALS, _FAILURES, _VARIANTS)
        if any(self._jobs.busy(channel) for channel in channels):
            for channel in channels:
                self._jobs.stop(channel)
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

    def _take_variants(self, outcome: object) -> None:
        if isinstance(outcome, tuple):
            self.variants, self.remarks = outcome
            self.updated.emit()

    def _take_failures(self, outcome: object) -> None:
        if isinstance(outcome, dict):
            self.failures = outcome
            self.updated.emit()


def _varied(asked: _Asked) -> tuple[Variants | str, tuple[Remark, ...]]:
    go_on = current_go_on() or (lambda _: True)
    found = tuple(remarks(asked.project, asked.trial))
    of_it = tuple(each for each in found if each.candidate in (None, asked.candidate.name))
    try:
        *_, last = vary(asked.rig, asked.controller, asked.trial, go_on=lambda: go_on(0.0))
    except (RunError, ValueError) as error:
        return str(error), of_it
    return last, of_it


def _on_trials(asked: _Asked) -> dict[str, Outcome]:
    found = results_of_all(asked.rig, asked.controller, asked.trials)
    return {
        name: Result(each.run.thinned(_POINTS), each.measures, each.verdicts) if isinstance(each, Result) else each
        for name, each in found.items()
    }


def _failures(asked: _Asked) -> dict[str, FailureTable | str]:
    return failures_of_all(asked.rig, asked.controller, asked.trials, current_go_on() or (lambda _: True))
