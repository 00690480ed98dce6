"""A run: one candidate on one trial on one rig, computed. The way through the engine starts here."""

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, fields, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from kelvarn.model.candidate import Controller
from kelvarn.model.fixed import Hand
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import say
from kelvarn.units import Quantity, show

from .kernel import Outcome, run_loop
from .layout import Codes, Floats
from .memory import fresh_found, fresh_state, fresh_trace
from .plant import DriveState, LoopState
from .prepare import (
    STEP_SHARE,
    TOLERANCE_K,
    Played,
    Prepared,
    RunError,
    on_trial_for,
    prepare,
    prepare_anew,
)
from .records import rows_of
from .survey import Found, Trace

_SLICE_S = 0.01
"""A run is computed in slices of about this long, between which it can be stopped."""
_FIRST_SLICE = 2000  # samples
MOST_DRAWN = 200_000
"""Samples of a course that are enough for a picture."""


_local = threading.local()


@contextmanager
def interruptible(go_on: Callable[[float], bool]) -> Iterator[None]:
    """Let all runs that this thread computes meanwhile be stopped; `go_on` as for `PreparedRun.advance`."""
    before = getattr(_local, "go_on", None)
    _local.go_on = go_on
    try:
        yield
    finally:
        _local.go_on = before


def current_go_on() -> Callable[[float], bool] | None:
    """What `interruptible` said on this thread."""
    found: Callable[[float], bool] | None = getattr(_local, "go_on", None)
    return found


class Stopped(Exception):
    """A run was stopped before its end."""


@dataclass(frozen=True)
class Switching:
    """How often a drive switched on, and its shortest complete on-time and off-time in s; None without one."""

    ons: int
    shortest_on_s: float | None
    shortest_off_s: float | None


@dataclass(frozen=True, eq=False)
class Summary:
    """What is read of one run, without its course.

    Attributes:
        rig, controller, trial: what ran.
        duration_s: from the first sample to the last.
        energy_J: moved by all drives; heat_J, loaded_J, lost_J: heat brought by the drives (less what they took),
            brought by loads, lost to the surroundings and with what was drawn off.
        damp_J, drained_kg: heat that vapour brought by turning to water and ice, and water that ran off.
        most_ice_kg, ice_left_kg: on all bodies that ice together, and at the end; None where nothing does.
        switching: of each drive.
        found: what `measures` makes measures of.
    """

    rig: Rig
    controller: Controller
    trial: Trial
    duration_s: float
    energy_J: float
    heat_J: float
    loaded_J: float
    lost_J: float
    damp_J: float
    drained_kg: float
    most_ice_kg: float | None
    ice_left_kg: float | None
    switching: tuple[Switching, ...]
    found: Found


@dataclass(frozen=True, eq=False)
class Run(Summary):
    """What one run gave. Arrays have one value per reading of the control probe, m in all.

    Attributes:
        time_s, setpoint_degC, measured_degC: shape (m,); the setpoint as it was.
        asked, drive: asked by the law, whatever its limits, and given after all that rules over it, −1…1.
        p, i, d: terms of the law, as drive.
        delay_left_s: what is left of a delay that the law's code speaks of.
        law_code, guard_code, alarm_code: codes of the law, of `guards.Ruler`, and of an alarm.
        tripped: a bit for each guard of the rig that has tripped, or as a cut-off is open, whether it rules or not.
        put_out: mean output of each drive over the sample that begins here, after floor, kick-start, window and travel
            and before its dead time, 0…1, shape (drives, m).
        drives_W: power that acts of each drive likewise, shape (drives, m); of a fan the electrical power.
        power_W: heat of all drives likewise; negative while cooling.
        flow: relative flow of each fan, through what ice leaves open, and position of each valve, 0…1, shape
            (drives, m).
        ice_kg: on each body that ices, in the order of the rig's links, shape (ices, m).
        probes_degC: what each probe reads, shape (probes, m).
        bodies_degC: shape (bodies, m).
        lowest_degC, highest_degC: of the judged body from here to the next sample, shape (m,).
    """

    time_s: Floats
    setpoint_degC: Floats
    measured_degC: Floats
    asked: Floats
    drive: Floats
    p: Floats
    i: Floats
    d: Floats
    delay_left_s: Floats
    law_code: Codes
    guard_code: Codes
    alarm_code: Codes
    tripped: Codes
    put_out: Floats
    drives_W: Floats
    power_W: Floats
    flow: Floats
    ice_kg: Floats
    probes_degC: Floats
    bodies_degC: Floats
    lowest_degC: Floats
    highest_degC: Floats

    def __repr__(self) -> str:
        last = float(self.measured_degC[-1])
        return (f"Run(trial={self.trial.name!r}, law={type(self.controller).__name__!r}, readings={self.time_s.size}, "
                f"duration_s={self.duration_s:g}, last_degC={last:.5g})")  # fmt: skip

    @cached_property
    def judged_degC(self) -> Floats:
        """Temperature of the body that measures are of."""
        row: Floats = self.bodies_degC[self.rig.body_index(self.rig.judged_body)]
        return row

    @cached_property
    def direction(self) -> int:
        """1 where a drive heats, −1 where all cool."""
        return 1 if self.rig.heats else -1

    def sample_at(self, time_s: float) -> int:
        """The sample nearest to an instant."""
        after = min(max(int(np.searchsorted(self.time_s, time_s)), 1), self.time_s.size - 1)
        return after - 1 if time_s - self.time_s[after - 1] <= self.time_s[after] - time_s else after

    def thinned(self, most: int = MOST_DRAWN) -> "Run":
        """The same with so few samples, evenly spread, that many of it can be held at once; for pictures."""
        step = -(-self.time_s.size // most)
        if step == 1:
            return self
        arrays = {f.name: getattr(self, f.name) for f in fields(self) if isinstance(getattr(self, f.name), np.ndarray)}
        thin: dict[str, Any] = {name: np.ascontiguousarray(array[..., ::step]) for name, array in arrays.items()}
        return replace(self, **thin)


def compute(
    rig: Rig,
    controller: Controller,
    trial: Trial,
    step_share: float = STEP_SHARE,
    tolerance_K: float = TOLERANCE_K,
) -> Run:
    """Compute one run.

    Args:
        rig, controller, trial: what runs.
        step_share, tolerance_K: how finely it is integrated, as for `prepare`; for error studies.

    Raises:
        RunError: it cannot be laid out, or a body leaves every sensible range; names what, where and when.
    """
    prepared = PreparedRun(rig, controller, trial, step_share, tolerance_K)
    prepared.advance()
    return prepared.run()


class PreparedRun:
    """A run laid out. `advance` is the compiled part alone, and may run on another thread; `run` then gives the result.

    Args:
        rig, controller, trial, step_share, tolerance_K: as for `compute`.
        trace: room for its course, where that is not to be kept.
        played: a record to follow in place of the controller.

    Raises:
        RunError: it cannot be laid out; a body that leaves every sensible range is raised by `run`.
    """

    def __init__(
        self, rig: Rig, controller: Controller, trial: Trial, step_share: float = STEP_SHARE,
        tolerance_K: float = TOLERANCE_K, trace: Trace | None = None, played: Played | None = None,
    ) -> None:  # fmt: skip
        self._of = (rig, controller, trial)
        self._prepared = (
            prepare(rig, trial, step_share, tolerance_K)
            if played is None
            else prepare_anew(rig, trial, step_share, tolerance_K, played)
        )
        before = controller.before if isinstance(controller, Hand) else 0.0
        self._state, self._heat = fresh_state(self._prepared, rig, before)
        self._on_trial = on_trial_for(rig, controller, trial)
        self._trace = trace or fresh_trace(self._prepared, len(rig.all_bodies))
        self._found = fresh_found(self._prepared)
        self._outcome = Outcome.DONE
        self._slots: list[int] | None = None

    def advance(self, go_on: Callable[[float], bool] | None = None) -> None:
        """Compute.

        Args:
            go_on: asked every hundredth of a second or so, with the share that is done; False stops the run. Else what
                `interruptible` said.

        Raises:
            Stopped: it was stopped.
        """
        go_on = go_on or current_go_on()
        samples = self._trace.given.size
        first, slice_of = 0, samples if go_on is None else _FIRST_SLICE
        while first < samples and self._outcome == Outcome.DONE:
            if go_on is not None and not go_on(first / samples):
                raise Stopped
            begin, last = time.perf_counter(), min(first + slice_of, samples)
            self._outcome = Outcome(self._compute(first, last))
            took = time.perf_counter() - begin
            first, slice_of = last, max(1, int(slice_of * min(max(_SLICE_S / max(took, 1e-9), 0.1), 4.0)))

    def _compute(self, first: int, last: int) -> int:
        """Let the kernel compute from a sample to before another; how that ended."""
        if self._slots is None:
            self._slots = run_loop.slots(self.arguments(first, last))
        self._slots[:2] = first, last
        outcome: int = run_loop.again(self._slots)
        return outcome

    def arguments(self, first: int, last: int) -> tuple[Any, ...]:
        """Arguments of the kernel for a stretch from a sample to before another."""
        return (
            first, last, self._prepared.plant, self._on_trial, self._state, self._heat, self._trace, self._found,
        )  # fmt: skip

    def ended(self, outcome: int) -> None:
        """Take how a call of the kernel with all samples ended."""
        self._outcome = Outcome(outcome)

    def course(self, points: int) -> Floats:
        """Temperature of the judged body at about so many samples, evenly spread, degC."""
        rig, _, _ = self._of
        row: Floats = self._trace.bodies_degC[rig.body_index(rig.judged_body), :: -(-self._trace.given.size // points)]
        return row.copy()

    def run(self) -> Run:
        """What was computed."""
        summary, trace = self.summary(), self._trace
        rig = summary.rig
        heating = _heating(self._prepared)
        for array in trace:
            array.flags.writeable = False
        return Run(
            **{field.name: getattr(summary, field.name) for field in fields(summary)},
            time_s=instants(trace.given.size, rig.probe.interval_s),
            setpoint_degC=trace.setpoint_degC,
            measured_degC=trace.readings_degC[rig.control_index],
            asked=trace.asked,
            drive=trace.given,
            p=trace.p,
            i=trace.i,
            d=trace.d,
            delay_left_s=trace.delay_left_s,
            law_code=trace.law_code,
            guard_code=trace.guard_code,
            alarm_code=trace.alarm_code,
            tripped=trace.tripped,
            put_out=trace.put_out,
            drives_W=trace.drives_W,
            power_W=trace.drives_W[heating].sum(axis=0) if len(heating) != 1 else trace.drives_W[heating[0]],
            flow=trace.flow,
            ice_kg=trace.ice_kg,
            probes_degC=trace.readings_degC,
            bodies_degC=trace.bodies_degC,
            lowest_degC=trace.lowest_degC,
            highest_degC=trace.highest_degC,
        )

    def summary(self) -> Summary:
        """What is read of it; raises as `run` does."""
        rig, controller, trial = self._of
        loop = rows_of(self._state.loop, LoopState)[0]
        if self._outcome != Outcome.DONE:
            raise RunError(failure(rig, trial, self._outcome, loop))
        drives = rows_of(self._state.drives, DriveState)
        return Summary(
            rig=rig,
            controller=controller,
            trial=trial,
            duration_s=(self._trace.given.size - 1) * rig.probe.interval_s,
            energy_J=sum(abs(drive.moved_J) for drive in drives),
            heat_J=sum(drives[d].moved_J for d in _heating(self._prepared)),
            loaded_J=loop.loaded_J,
            lost_J=loop.lost_J,
            damp_J=loop.damp_J,
            drained_kg=loop.drained_kg,
            most_ice_kg=loop.most_ice_kg if len(self._prepared.plant.ices) else None,
            ice_left_kg=loop.ice_kg if len(self._prepared.plant.ices) else None,
            switching=tuple(
                Switching(drive.switch_ons, _existing(drive.shortest_on_s), _existing(drive.shortest_off_s))
                for drive in drives
            ),
            found=self._found,
        )


def failure(rig: Rig, trial: Trial, outcome: Outcome, loop: LoopState) -> str:
    """Why a run failed, in a sentence.

    Args:
        rig, trial: what ran.
        outcome, loop: how it ended, and where.
    """
    reached = show(loop.failed_s, Quantity.DURATION)
    if outcome == Outcome.GIVEN_UP:
        return say(
            "This rig is too quick to follow: {reached} of trial “{name}” took {rig} all the steps there are; raise "
            "that heat capacity, or lower what acts on it.",
            reached=reached,
            name=trial.name,
            rig=_smallest(rig),
        )
    name = rig.body_names[min(loop.failed_body, len(rig.body_names) - 1)]
    return say(
        "Body “{body}” leaves every sensible temperature {reached} into trial “{trial}”; check the drive's power, "
        "the loads and the heat capacities.",
        body=name,
        reached=reached,
        trial=trial.name,
    )


def _heating(prepared: Prepared) -> list[int]:
    """Drives that put power into a body."""
    drives: Any = prepared.plant.drives
    return [d for d, acts_on in enumerate(drives["acts_on"].tolist()) if acts_on >= 0]


@lru_cache(maxsize=4)
def instants(samples: int, h: float) -> Floats:
    """When each sample is, s; kept, since candidates share it."""
    found: Floats = np.arange(samples, dtype=np.float64) * h
    found.flags.writeable = False
    return found


def _smallest(rig: Rig) -> str:
    body = min(rig.all_bodies, key=lambda b: b.capacity_J_per_K)
    return f"“{body.name}” ({body.capacity_J_per_K:g} J/K)"


def _existing(value: float) -> float | None:
    return None if value < 0 else float(value)


def warm() -> None:
    """Compile the kernel, or load it from the disk cache. Not for the GUI thread."""
    run_loop.load()
