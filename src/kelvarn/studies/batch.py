"""Many runs that differ in settings, rig, trial or seed, on a pool of threads, with a small result each.

Runs are computed in chunks of a few milliseconds, each in one call of the compiled kernel; no course is kept. Results
come in the order of the cases, whatever the number of threads.
"""

import math
import os
import threading
from collections import deque
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from itertools import islice

import numpy as np
import numpy.typing as npt

from kelvarn.engine.kernel import run_loop
from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.marks import Verdict, judge
from kelvarn.engine.measures import Measures, measure
from kelvarn.engine.memory import fresh_trace
from kelvarn.engine.prepare import RunError, prepare, samples_of
from kelvarn.engine.run import PreparedRun, Stopped
from kelvarn.engine.survey import Trace
from kelvarn.model.candidate import Controller
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

_CHUNK_SAMPLES = {False: 16_000, True: 2_000}
"""Samples in a chunk, of linear rigs and of others: two to five milliseconds of computing."""
_AHEAD = 3  # chunks for each thread that are under way or wait to be fetched


@dataclass(frozen=True)
class Case:
    """One run of a study; `key` says which one it is, `course` how many points of its course are kept (0: none)."""

    key: Hashable
    rig: Rig
    controller: Controller
    trial: Trial
    course: int = 0


@dataclass(frozen=True)
class CaseResult:
    """What is kept of one run: measures and verdicts, or why it could not be computed; and its course if wanted."""

    key: Hashable
    measures: Measures | None
    verdicts: tuple[Verdict, ...]
    fault: str = ""
    course: npt.NDArray[np.float64] | None = None

    @property
    def met(self) -> bool:
        """Whether it could be computed and all marks are met."""
        return self.measures is not None and all(verdict.met for verdict in self.verdicts)


@cache
def pool() -> ThreadPoolExecutor:
    """The threads on which runs are computed."""
    return ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="runs")


def run_many(
    cases: Iterable[Case], go_on: Callable[[], bool] = lambda: True, threads: ThreadPoolExecutor | None = None
) -> Iterator[CaseResult]:
    """Results of cases, in their order, as they are there.

    Args:
        cases: what runs; taken as they are needed.
        go_on: asked before each chunk and now and then in a long run; False ends the study at once.
        threads: to compute on, else those of all.

    Raises:
        Stopped: it was stopped.
    """
    chosen = threads or pool()
    source, waiting = iter(cases), deque[Future[list[CaseResult]]]()
    stopped = threading.Event()

    def may_go_on(_share: float = 0.0) -> bool:
        if not stopped.is_set() and not go_on():
            stopped.set()
        return not stopped.is_set()

    try:
        while True:
            while len(waiting) < _AHEAD * chosen._max_workers and (chunk := _next_chunk(source)):
                waiting.append(chosen.submit(_compute, chunk, may_go_on))
            if not waiting:
                return
            yield from waiting.popleft().result()
    finally:  # also where nobody wants more
        stopped.set()
        for each in waiting:
            each.cancel()


def _next_chunk(source: Iterator[Case]) -> list[Case]:
    """The next cases, as many as a chunk holds."""
    first = next(source, None)
    if first is None:
        return []
    samples = first.trial.duration_s / first.rig.probe.interval_s
    count = max(1, math.floor(_CHUNK_SAMPLES[is_nonlinear(first.rig)] / samples))
    return [first, *islice(source, count - 1)]


def _compute(chunk: Sequence[Case], go_on: Callable[[float], bool]) -> list[CaseResult]:
    """A chunk, in one call of the kernel; one long run in slices."""
    if not go_on(0.0):
        raise Stopped
    laid_out: list[PreparedRun | RunError] = []
    for place, case in enumerate(chunk):
        try:
            laid_out.append(
                PreparedRun(case.rig, case.controller, case.trial, trace=room_for(case.rig, case.trial, place))
            )
        except RunError as error:
            laid_out.append(error)
    runs = [each for each in laid_out if isinstance(each, PreparedRun)]
    if len(chunk) == 1 and runs:
        runs[0].advance(go_on)
    elif runs:
        samples = [samples_of(case.rig, case.trial) for case, each in zip(chunk, laid_out, strict=True) if each in runs]
        outcomes = run_loop.many([each.arguments(0, count) for each, count in zip(runs, samples, strict=True)])
        for each, outcome in zip(runs, outcomes, strict=True):
            each.ended(outcome)
    return [_result(case, each) for case, each in zip(chunk, laid_out, strict=True)]


_local = threading.local()


def room_for(rig: Rig, trial: Trial, place: int = 0) -> Trace:
    """Room for the course of a run at a place in its chunk, used again and again by one thread."""
    prepared = prepare(rig, trial)
    plant = prepared.plant
    shape = plant.noise.shape[1], len(rig.all_bodies), len(plant.probes), len(plant.drives)
    rooms: list[tuple[tuple[int, ...], Trace]] = _local.__dict__.setdefault("rooms", [])
    place = min(place, len(rooms))
    if place == len(rooms) or rooms[place][0] != shape:
        rooms[place : place + 1] = [(shape, fresh_trace(prepared, len(rig.all_bodies)))]
    return rooms[place][1]


def _result(case: Case, run: PreparedRun | RunError) -> CaseResult:
    try:
        if isinstance(run, RunError):
            raise run
        measures = measure(run.summary())
    except RunError as error:
        return CaseResult(case.key, None, (), str(error))
    course = run.course(case.course) if case.course else None
    return CaseResult(case.key, measures, judge(case.trial, measures), course=course)
