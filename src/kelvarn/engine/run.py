"""A run: one candidate on one trial on one rig, computed. The way through the engine starts here."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from kelvarn.model.candidate import OnOff, Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .arrays import STEP_SHARE, Floats, Ints, RunError, to_arrays


@dataclass(frozen=True, eq=False)
class Run:
    """What one run gave. Arrays have one value per reading of the probe, m in all.

    Attributes:
        rig, controller, trial: what ran.
        time_s, setpoint_degC, measured_degC: shape (m,).
        drive, asked: drive given and asked for, 0…1.
        p, i, d: terms of the law, as drive.
        delay_left_s: what is left of a delay that the reason speaks of.
        power_W: mean over the sample that begins here; negative while cooling.
        reason: codes of `reasons.Reason`.
        bodies_degC: shape (bodies, m).
        energy_J, loaded_J, lost_J: heat moved by the drive, brought by loads, lost to the surroundings.
        switch_ons: of the drive; shortest_on_s, shortest_off_s: None without a complete one.
    """

    rig: Rig
    controller: OnOff | Pid
    trial: Trial
    time_s: Floats
    setpoint_degC: Floats
    measured_degC: Floats
    drive: Floats
    asked: Floats
    p: Floats
    i: Floats
    d: Floats
    delay_left_s: Floats
    power_W: Floats
    reason: Ints
    bodies_degC: Floats
    energy_J: float
    loaded_J: float
    lost_J: float
    switch_ons: int
    shortest_on_s: float | None
    shortest_off_s: float | None

    @cached_property
    def controlled_degC(self) -> Floats:
        """Temperature of the body that the control probe sits in."""
        row: Floats = self.bodies_degC[self.rig.body_index(self.rig.probe.body)]
        return row

    @cached_property
    def direction(self) -> int:
        """1 where the drive heats, −1 where it cools."""
        return 1 if self.rig.drive.acts == "heats" else -1

    def surroundings_at(self, time_s: float) -> float:
        """Temperature of the surroundings at an instant, events included, degC."""
        value = self.rig.surroundings.temperature_degC
        for event in self.trial.events:
            if event.kind == "surroundings" and _under_way(event.at_s, event.lasts_s, time_s):
                value += event.change_K
        return value

    def door_at(self, body: str, time_s: float) -> float:
        """Conductance from a body to the surroundings by doors open at an instant, W/K."""
        return sum(
            event.conductance_W_per_K
            for event in self.trial.events
            if event.kind == "door" and event.body == body and _under_way(event.at_s, event.lasts_s, time_s)
        )


def _under_way(start_s: float, lasts_s: float | None, time_s: float) -> bool:
    return start_s <= time_s and (lasts_s is None or time_s < start_s + lasts_s)


def compute(rig: Rig, controller: OnOff | Pid, trial: Trial, step_share: float = STEP_SHARE) -> Run:
    """Compute one run.

    Args:
        rig, controller, trial: what runs.
        step_share: longest integration step over the fastest time constant; for error studies.

    Raises:
        RunError: it cannot be laid out, or a body leaves every sensible range; names what, where and when.
    """
    begun = Begun(rig, controller, trial, step_share)
    begun.loop()
    return begun.run()


class Begun:
    """A run laid out. `loop` is the compiled part alone, and may run on another thread; `run` then gives the result.

    Args, Raises: those of `compute`; a body that leaves every sensible range is raised by `run`.
    """

    def __init__(self, rig: Rig, controller: OnOff | Pid, trial: Trial, step_share: float = STEP_SHARE) -> None:
        from .kernel import TOTALS_SIZE, TRACE_ROWS, run_loop

        self._of = (rig, controller, trial)
        self._loop = run_loop
        self._arrays = to_arrays(rig, controller, trial, step_share)
        m = self._arrays.setpoint.size
        self._trace = np.zeros((TRACE_ROWS, m))
        self._reasons = np.zeros(m, np.int64)
        self._bodies = np.zeros((len(rig.bodies), m))
        self._totals = np.zeros(TOTALS_SIZE)
        self._diverged = -1

    def loop(self) -> None:
        """Compute."""
        self._diverged = self._loop(*self._arrays.arguments(), self._trace, self._reasons, self._bodies, self._totals)

    def run(self) -> Run:
        """What was computed."""
        from . import kernel

        rig, controller, trial = self._of
        trace, totals = self._trace, self._totals
        if self._diverged >= 0:
            raise RunError(
                f"Body “{rig.bodies[self._diverged].name}” leaves every sensible temperature "
                f"{totals[kernel.DIVERGED_AT]:g} s into trial “{trial.name}”; "
                "check the drive's power, the loads and the heat capacities."
            )
        for array in (trace, self._reasons, self._bodies):
            array.flags.writeable = False
        return Run(
            rig=rig,
            controller=controller,
            trial=trial,
            time_s=np.arange(trace.shape[1]) * self._arrays.h,
            setpoint_degC=self._arrays.setpoint,
            measured_degC=trace[kernel.MEASURED],
            drive=trace[kernel.DRIVE],
            asked=trace[kernel.ASKED_DRIVE],
            p=trace[kernel.P],
            i=trace[kernel.I],
            d=trace[kernel.D],
            delay_left_s=trace[kernel.DELAY_LEFT],
            power_W=trace[kernel.POWER],
            reason=self._reasons,
            bodies_degC=self._bodies,
            energy_J=abs(float(totals[kernel.ENERGY])),
            loaded_J=float(totals[kernel.LOADED]),
            lost_J=float(totals[kernel.LOST]),
            switch_ons=int(totals[kernel.ONS]),
            shortest_on_s=_existing(totals[kernel.MIN_ON]),
            shortest_off_s=_existing(totals[kernel.MIN_OFF]),
        )


def _existing(value: float) -> float | None:
    return None if value < 0 else float(value)


def warm() -> None:
    """Compile the kernel and the scan of its runs, or load them from the disk cache. Not for the GUI thread."""
    from . import kernel, scan

    assert callable(kernel.run_loop)
    assert callable(scan.scan)
