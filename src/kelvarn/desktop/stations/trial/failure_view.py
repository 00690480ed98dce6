"""The failure that is looked at on the strip, computed beside the window."""

from functools import partial

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.model.candidate import Candidate
from kelvarn.studies.failure_outcome import FailureOutcome
from kelvarn.studies.results import Result, result_of

_CHANNEL = "failure run"


class FailureView(QObject):
    """The failure shown.

    Attributes:
        outcome, result: how it ends, and its run; None while none is looked at.

    Signals:
        changed: another one is shown, or none.
        failed: it cannot be run, and why.
    """

    changed = Signal()
    failed = Signal(str)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self.outcome: FailureOutcome | None = None
        self.result: Result | None = None

    def show_outcome(self, candidate: Candidate, outcome: FailureOutcome) -> None:
        """Run a failure, and show it then."""

        def work() -> object:
            try:
                return result_of(outcome.rig, candidate.controller, outcome.trial)
            except RunError as error:
                return str(error)

        self._jobs.start(_CHANNEL, work, partial(self._take, outcome))

    def _take(self, outcome: FailureOutcome, result: object) -> None:
        if isinstance(result, str):
            self.failed.emit(result)
            return
        assert isinstance(result, Result)
        self.outcome, self.result = outcome, result
        self.changed.emit()

    def forget(self) -> None:
        """Nothing is looked at any more; what is under way comes to nothing."""
        self._jobs.stop(_CHANNEL)
        self.outcome = self.result = None

    def leave(self) -> None:
        """Go back to the trial."""
        self.forget()
        self.changed.emit()
