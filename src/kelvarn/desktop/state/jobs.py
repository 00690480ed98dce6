"""Work beside the window: runs, steps and studies on threads of their own, with progress and stop.

Each kind of work has a channel, in which only the newest request counts: what is under way is stopped, and what comes
of it is dropped. What a job gives or raises comes back on the window's thread.
"""

import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from PySide6.QtCore import QObject, Signal, Slot

from kelvarn.engine.run import Stopped, interruptible

_MOST_THREADS = 4


class _Job:
    """One piece of work."""

    def __init__(self, channel: str, work: Callable[[], object], done: Callable[[object], None]) -> None:
        self.channel, self.work, self.done = channel, work, done
        self.stopped = threading.Event()
        self.future: Future[None] | None = None


def _nothing(_outcome: object) -> None:
    """What is done with what nobody wants any more."""


class Jobs(QObject):
    """Runs work on threads.

    Signals:
        progressed: a channel, and the share of its work that is done.
    """

    progressed = Signal(str, float)
    _ended = Signal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self._pool = ThreadPoolExecutor(_MOST_THREADS, thread_name_prefix="jobs")
        self._newest: dict[str, _Job] = {}
        self._held = False
        self._ended.connect(self._take)

    def hold(self, held: bool) -> None:
        """Let work wait until this is let go of: while something is dragged, only what it shows is computed."""
        self._held = held
        if not held:
            for job in self._newest.values():
                if job.future is None:
                    job.future = self._pool.submit(self._do, job)

    def start(
        self, channel: str, work: Callable[[], object], done: Callable[[object], None], *, waits: bool = True
    ) -> None:
        """Start work; what of the same channel is under way is stopped.

        Args:
            channel: kind of work.
            work: done on another thread; the runs in it are stopped where it is no longer wanted.
            done: given what it returned, on the window's thread.
            waits: whether it waits while work is held.
        """
        self.stop(channel)
        job = _Job(channel, work, done)
        self._newest[channel] = job
        if not (waits and self._held):
            job.future = self._pool.submit(self._do, job)

    def stop(self, channel: str) -> None:
        """Stop what is under way in a channel; nothing comes of it."""
        job = self._newest.pop(channel, None)
        if job is not None:
            job.stopped.set()
            job.done = _nothing  # a thread that is still at it must not be the last to hold a widget
            if job.future is not None:
                job.future.cancel()

    def busy(self, channel: str = "") -> bool:
        """Whether work is under way in a channel; without one, in any."""
        return channel in self._newest if channel else bool(self._newest)

    def finish(self) -> None:
        """Stop all and wait for it: for closing."""
        for channel in list(self._newest):
            self.stop(channel)
        self._pool.shutdown(wait=True)

    def _do(self, job: _Job) -> None:
        told = 0.0

        def go_on(share: float) -> bool:
            nonlocal told
            if share - told >= 0.01:
                told = share
                self.progressed.emit(job.channel, share)
            return not job.stopped.is_set()

        try:
            with interruptible(go_on):
                outcome: object = job.work()
        except Stopped:
            return
        except Exception as error:  # handed over, to be raised where it is seen
            outcome = error
        if not job.stopped.is_set():
            self._ended.emit(job, outcome)

    @Slot(object, object)
    def _take(self, job: _Job, outcome: object) -> None:
        if self._newest.get(job.channel) is not job:
            return  # something newer was asked for meanwhile
        del self._newest[job.channel]
        if isinstance(outcome, Exception):
            raise outcome
        job.done(outcome)
