"""Computes what the stations show: short runs at once, long ones beside the window, only the newest request counts."""

import time

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.state.jobs import Jobs
from kelvarn.desktop.strip import raster
from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import warm
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.studies.results import Result, ResultKey, Results

MOST_SECONDS_AT_ONCE = 0.12
"""The window does not wait longer than this."""
_USUAL_S = {False: 2e-6, True: 2e-5}
"""Expected time of a sample, for linear rigs and others, until it has been measured."""
_RUNS, _PREPARING = "runs", "preparing"


def prepare() -> None:
    """Compile, or load from the disk cache, all that runs and strips need. Not for the GUI thread."""
    warm()
    raster.load()


class Runner(QObject):
    """Keeps the results of all candidates on the trial shown.

    Args:
        most_seconds_at_once: what is expected to take longer is computed beside the window.

    Signals:
        updated: results, faults or `preparing` changed.
        prepared: the kernel is there.

    Attributes:
        jobs: for all that is computed beside the window.
        results: by candidate, trial and variant; the last good one stays where the present cannot be computed.
        preparing: whether the kernel is not there yet.
        share: of long runs under way, how much is done.
    """

    updated = Signal()
    prepared = Signal()

    def __init__(self, most_seconds_at_once: float = MOST_SECONDS_AT_ONCE) -> None:
        super().__init__()
        self._most_at_once = most_seconds_at_once
        self.jobs = Jobs()
        self.jobs.progressed.connect(self._progressed)
        self.results: dict[ResultKey, Result] = {}
        self._faults: dict[ResultKey, str] = {}
        self.preparing = True
        self.share = 0.0
        self.kept = Results()
        self._request: tuple[Project, Trial] | None = None
        self._begun = False  # whether it is under way or answered, rather than waiting for the kernel
        self._seconds = dict(_USUAL_S)

    def result_of(self, candidate: str) -> Result | None:
        """Result of a candidate on the trial that was asked for last."""
        return None if self._request is None else self.results.get(ResultKey(candidate, self._request[1].name))

    @property
    def faults(self) -> dict[str, str]:
        """Why candidates could not be computed on that trial, by name; their last good results are stale."""
        trial = None if self._request is None else self._request[1].name
        return {key.candidate: fault for key, fault in self._faults.items() if key.trial == trial}

    def prepare(self) -> None:
        """Compile or load the kernel beside the window; requests wait until it is there."""
        self.jobs.start(_PREPARING, prepare, self._prepared, waits=False)

    def request(self, project: Project, trial: Trial) -> None:
        """Ask for the results of a project on a trial; older requests are dropped, the same one goes on."""
        same = self._begun and self._request is not None and self._request[0] is project and self._request[1] is trial
        self._request = (project, trial)
        if self.preparing or same:
            return
        self._begun = True
        self.jobs.stop(_RUNS)
        expected_s = _samples(project, trial) * self._seconds[is_nonlinear(project.rig)]
        if expected_s <= self._most_at_once:
            self._take(project, trial, self._timed(project, trial))
        else:
            # What is shown meanwhile is of the state before, with the marks of this one.
            self.results = {k: r.judged(trial) if k.trial == trial.name else r for k, r in self.results.items()}
            self.share = 0.0
            self.jobs.start(_RUNS, lambda: (project, trial, self._timed(project, trial)), self._done, waits=False)
            self.updated.emit()

    @property
    def busy(self) -> bool:
        """Whether a long run is under way."""
        return self.jobs.busy(_RUNS)

    def finish(self) -> None:
        """Stop all and let nothing come after; for closing."""
        self.jobs.finish()

    def _prepared(self, _nothing: object) -> None:
        self.preparing = False
        self.prepared.emit()
        if self._request is not None:
            self.request(*self._request)
        else:
            self.updated.emit()

    def _progressed(self, channel: str, share: float) -> None:
        if channel == _RUNS:
            self.share = share

    def _timed(self, project: Project, trial: Trial) -> dict[ResultKey, Result | RunError]:
        """Results of a project, with a note of what a sample of such a rig took."""
        begun = time.perf_counter()
        found = self.kept.of_project(project, trial)
        took = (time.perf_counter() - begun) / _samples(project, trial)
        kind = is_nonlinear(project.rig)
        # Results that were kept take no time: the note falls slowly and rises at once.
        self._seconds[kind] = max(took, 0.9 * self._seconds[kind])
        return found

    def _done(self, outcome: object) -> None:
        assert isinstance(outcome, tuple)
        self._take(*outcome)

    def _take(self, project: Project, trial: Trial, found: dict[ResultKey, Result | RunError]) -> None:
        candidates = {candidate.name for candidate in project.candidates}
        # Those of other trials are computed, or found again among what is kept, when these are shown.
        self.results = {k: r for k, r in self.results.items() if k.candidate in candidates and k.trial == trial.name}
        self._faults = {}
        for key, outcome in found.items():
            if isinstance(outcome, Result):
                self.results[key] = outcome
            else:
                self._faults[key] = str(outcome)
        self.updated.emit()


def _samples(project: Project, trial: Trial) -> float:
    """Of all candidates together."""
    return trial.duration_s / project.rig.probe.interval_s * len(project.candidates)
