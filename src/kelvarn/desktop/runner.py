"""Computes what the stations show: short runs at once, long ones on a worker, only the newest request counts."""

import ctypes
import time
from contextlib import suppress

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal, Slot

from kelvarn.engine.arrays import RunError
from kelvarn.engine.layout import is_curved
from kelvarn.engine.results import Result, Results
from kelvarn.engine.run import warm
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial

from .strip import raster

MOST_SECONDS_AT_ONCE = 0.12
"""The window does not wait longer than this."""
_USUAL_S = {False: 2e-6, True: 2e-5}
"""Expected time of a sample, for rigs of plain conductances and others, until it has been measured."""
_TRIM_THRESHOLD, _MMAP_THRESHOLD, _KEPT_BYTES = -1, -3, 256 * 1024 * 1024  # numbers of <malloc.h>


def keep_memory() -> None:
    """Let the C library keep freed arrays instead of handing each back to the system.

    A drag makes and drops a few megabytes at every step; faulted in anew they took a twelfth of its time (measured).
    """
    with suppress(OSError, AttributeError):  # another C library may have no such setting
        set_option = ctypes.CDLL(None).mallopt
        for option in (_TRIM_THRESHOLD, _MMAP_THRESHOLD):
            set_option(option, _KEPT_BYTES)


def prepare() -> None:
    """Compile, or load from the disk cache, all that runs and strips need. Not for the GUI thread."""
    keep_memory()
    warm()
    raster.load()


class Task(QRunnable):
    """A function on a worker thread; what it returns or raises comes back as a signal."""

    class _Signals(QObject):
        done = Signal(int, object)

    def __init__(self, number: int, work: object) -> None:
        super().__init__()
        self.signals = self._Signals()
        self._number, self._work = number, work

    @Slot()
    def run(self) -> None:
        try:
            outcome: object = self._work()  # type: ignore[operator]
        except Exception as error:  # handed to the receiver, which raises or shows it
            outcome = error
        self.signals.done.emit(self._number, outcome)


def worker(parent: QObject) -> QThreadPool:
    """One thread for work of one kind."""
    pool = QThreadPool(parent)
    pool.setMaxThreadCount(1)
    return pool


class Runner(QObject):
    """Keeps the results of all candidates on the trial shown.

    Args:
        most_seconds_at_once: what is expected to take longer is computed on a worker.

    Signals:
        updated: `results`, `faults` or `preparing` changed.
    """

    updated = Signal()

    def __init__(self, most_seconds_at_once: float = MOST_SECONDS_AT_ONCE) -> None:
        super().__init__()
        self._most_at_once = most_seconds_at_once
        self.results: dict[str, Result] = {}
        self.faults: dict[str, str] = {}
        """Why a candidate could not be computed; its last good result stays, and is stale."""
        self.preparing = True
        self._kept = Results()
        self._pool = worker(self)
        self._newest = 0
        self._request: tuple[Project, Trial] | None = None
        self._busy: Task | None = None
        self._seconds = dict(_USUAL_S)

    def prepare(self) -> None:
        """Compile or load the kernel on a worker; requests wait until it is there."""
        self._start(Task(-1, prepare))

    def request(self, project: Project, trial: Trial) -> None:
        """Ask for the results of a project on a trial; older requests are dropped."""
        self._request = (project, trial)
        self._newest += 1
        if self.preparing:
            return
        expected_s = _samples(project, trial) * self._seconds[is_curved(project.rig)]
        if expected_s <= self._most_at_once and self._busy is None:
            self._take(project, self._timed(project, trial))
        elif self._busy is None:
            self._start_newest()

    @property
    def busy(self) -> bool:
        """Whether a long run is under way."""
        return self._busy is not None

    def finish(self) -> None:
        """Wait for the worker and let nothing come after; for closing."""
        self._request = None
        self._pool.waitForDone()

    def _start_newest(self) -> None:
        assert self._request is not None
        project, trial = self._request
        self._start(Task(self._newest, lambda: (project, self._timed(project, trial))))
        self.updated.emit()

    def _timed(self, project: Project, trial: Trial) -> dict[str, Result | RunError]:
        """Results of a project, with a note of what a sample of such a rig took."""
        begun = time.perf_counter()
        found = self._kept.of_project(project, trial)
        took = (time.perf_counter() - begun) / _samples(project, trial)
        kind = is_curved(project.rig)
        # Results that were kept take no time: the note falls slowly and rises at once.
        self._seconds[kind] = max(took, 0.9 * self._seconds[kind])
        return found

    def _start(self, task: Task) -> None:
        task.setAutoDelete(False)  # kept here until its signal has arrived
        self._busy = task
        task.signals.done.connect(self._done)
        self._pool.start(task)

    @Slot(int, object)
    def _done(self, number: int, outcome: object) -> None:
        self._busy = None
        if isinstance(outcome, Exception):
            raise outcome
        if number == -1:
            self.preparing = False
            if self._request is not None:
                self.request(*self._request)
            else:
                self.updated.emit()
            return
        if number == self._newest:
            assert isinstance(outcome, tuple)
            self._take(*outcome)
        elif self._request is not None:
            self._start_newest()

    def _take(self, project: Project, found: dict[str, Result | RunError]) -> None:
        names = {candidate.name for candidate in project.candidates}
        self.results = {name: result for name, result in self.results.items() if name in names}
        self.faults = {}
        for name, outcome in found.items():
            if isinstance(outcome, Result):
                self.results[name] = outcome
            else:
                self.faults[name] = str(outcome)
        self.updated.emit()


def _samples(project: Project, trial: Trial) -> float:
    """Of all candidates together."""
    return trial.duration_s / project.rig.probe.interval_s * len(project.candidates)
