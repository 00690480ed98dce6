"""A run: one candidate on one trial on one rig, computed. The way through the engine starts here."""

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from kelvarn.model.bodies import DrawOff, Link
from kelvarn.model.candidate import Hand, OnOff, Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import DoorOpens, DrawOffRuns, Trial
from kelvarn.units import Quantity, show

from . import codes
from .arrays import STEP_SHARE, TOLERANCE_K, RunError, door_W_per_K, to_arrays
from .layout import Floats, Ints


@dataclass(frozen=True)
class Switching:
    """How often a drive switched on, and its shortest complete on-time and off-time in s; None without one."""

    ons: int
    shortest_on_s: float | None
    shortest_off_s: float | None


@dataclass(frozen=True, eq=False)
class Run:
    """What one run gave. Arrays have one value per reading of the probe, m in all.

    Attributes:
        rig, controller, trial: what ran.
        time_s, setpoint_degC, measured_degC: shape (m,).
        drive, asked: drive given and asked for, 0…1.
        p, i, d: terms of the law, as drive.
        delay_left_s: what is left of a delay that the reason speaks of.
        power_W: heat of all drives, mean over the sample that begins here; negative while cooling.
        drives_W: power of each drive likewise, shape (drives, m); of a fan the electrical power.
        flow: relative flow of each fan and position of each valve, 0…1, shape (drives, m).
        probes_degC: what each probe reads, shape (probes, m).
        reason: codes of `reasons.Reason`.
        bodies_degC: shape (bodies, m).
        energy_J: moved by all drives; heat_J, loaded_J, lost_J: heat brought by the drives (less what they took),
            brought by loads, lost to the surroundings and with what was drawn off.
        switching: of each drive.
    """

    rig: Rig
    controller: OnOff | Pid | Hand
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
    drives_W: Floats
    flow: Floats
    probes_degC: Floats
    reason: Ints
    bodies_degC: Floats
    energy_J: float
    heat_J: float
    loaded_J: float
    lost_J: float
    switching: tuple[Switching, ...]

    @cached_property
    def controlled_degC(self) -> Floats:
        """Temperature of the body that the control probe sits in."""
        row: Floats = self.bodies_degC[self.rig.body_index(self.rig.probe.body)]
        return row

    @cached_property
    def direction(self) -> int:
        """1 where a drive heats, −1 where all cool."""
        return 1 if self.rig.heats else -1

    def surroundings_at(self, time_s: float) -> float:
        """Temperature of the surroundings at an instant, events included, degC."""
        value = self.rig.surroundings.temperature_degC
        for event in self.trial.events:
            if event.kind == "surroundings" and _under_way(event.at_s, event.lasts_s, time_s):
                value += event.change_K
        return value

    def conductance_at(self, link: Link, k: int) -> float:
        """Conductance of a link at a sample, with the flow that drives it and open doors, W/K; radiation apart."""
        g = link.conductance_W_per_K
        if link.driven_by is not None:
            flow = max(float(self.flow[self.rig.drive_index(link.driven_by), k]), 0.0)
            g += link.full_W_per_K * flow**link.flow_exponent if flow > 0 else 0.0
        return g + self.door_at(link.a, link.b, float(self.time_s[k]))

    def door_at(self, a: str, b: str, time_s: float) -> float:
        """Conductance between two ends by doors open at an instant, W/K."""
        return sum(
            door_W_per_K(self.rig, event)
            for event in self.trial.events
            if isinstance(event, DoorOpens)
            and {event.body, event.to} == {a, b}
            and _under_way(event.at_s, event.lasts_s, time_s)
        )

    def drawn_at(self, draw_off: DrawOff, time_s: float) -> bool:
        """Whether a draw-off runs at an instant."""
        return draw_off.always or any(
            event.draw_off == draw_off.name and _under_way(event.at_s, event.lasts_s, time_s)
            for event in self.trial.events
            if isinstance(event, DrawOffRuns)
        )


def _under_way(start_s: float, lasts_s: float | None, time_s: float) -> bool:
    return start_s <= time_s and (lasts_s is None or time_s < start_s + lasts_s)


def compute(
    rig: Rig,
    controller: OnOff | Pid | Hand,
    trial: Trial,
    step_share: float = STEP_SHARE,
    tolerance_K: float = TOLERANCE_K,
) -> Run:
    """Compute one run.

    Args:
        rig, controller, trial: what runs.
        step_share, tolerance_K: how finely it is integrated, as for `to_arrays`; for error studies.

    Raises:
        RunError: it cannot be laid out, or a body leaves every sensible range; names what, where and when.
    """
    begun = Begun(rig, controller, trial, step_share, tolerance_K)
    begun.loop()
    return begun.run()


class Begun:
    """A run laid out. `loop` is the compiled part alone, and may run on another thread; `run` then gives the result.

    Args, Raises: those of `compute`; a body that leaves every sensible range is raised by `run`.
    """

    def __init__(
        self, rig: Rig, controller: OnOff | Pid | Hand, trial: Trial, step_share: float = STEP_SHARE,
        tolerance_K: float = TOLERANCE_K,
    ) -> None:  # fmt: skip
        from .kernel import DRIVE_FLOW, DRIVE_TOTALS_SIZE, TOTALS_SIZE, TRACE_ROWS, run_loop

        self._of = (rig, controller, trial)
        self._arrays = to_arrays(rig, controller, trial, step_share, tolerance_K)
        m, drives = self._arrays.setpoint.size, len(rig.drives)
        self._trace = np.empty((TRACE_ROWS, m))
        self._reasons = np.empty(m, np.int64)
        self._bodies = np.empty((len(rig.all_bodies), m))
        self._readings = np.empty((len(rig.probes), m))
        self._of_drives = np.empty((2, drives, m))
        self._of_drives[DRIVE_FLOW] = 0.0  # written only of drives that move something
        self._totals, self._drive_totals = np.zeros(TOTALS_SIZE), np.zeros((drives, DRIVE_TOTALS_SIZE))
        self._loop = run_loop.bind(
            *self._arrays.arguments(), self._trace, self._reasons, self._bodies, self._readings, self._of_drives,
            self._totals, self._drive_totals,
        )  # fmt: skip
        self._returned: int | None = None

    def loop(self) -> None:
        """Compute."""
        self._returned = self._loop()

    def run(self) -> Run:
        """What was computed."""
        from . import kernel

        rig, controller, trial = self._of
        trace, totals, each = self._trace, self._totals, self._drive_totals
        reached = show(float(totals[kernel.DIVERGED_AT]), Quantity.DURATION)
        if self._returned == kernel.GIVEN_UP:
            raise RunError(
                f"This rig is too quick to follow: {reached} of trial “{trial.name}” took "
                f"{_smallest(rig)} all the steps there are; raise that heat capacity, or lower what acts on it."
            )
        assert self._returned is not None, "loop first"
        assert self._returned != kernel.MISFIT
        if self._returned >= 0:
            name = rig.body_names[min(self._returned, len(rig.body_names) - 1)]
            raise RunError(
                f"Body “{name}” leaves every sensible temperature "
                f"{reached} into trial “{trial.name}”; "
                "check the drive's power, the loads and the heat capacities."
            )
        watts = self._of_drives[kernel.DRIVE_WATTS]
        heating = [d for d in range(len(rig.drives)) if self._arrays.drive_table[d, codes.ACTS_ON] >= 0]
        power = watts[heating].sum(axis=0) if len(heating) != 1 else watts[heating[0]]
        for array in (trace, self._reasons, self._bodies, self._readings, self._of_drives):
            array.flags.writeable = False
        return Run(
            rig=rig,
            controller=controller,
            trial=trial,
            time_s=_instants(trace.shape[1], self._arrays.h),
            setpoint_degC=self._arrays.setpoint,
            measured_degC=trace[kernel.MEASURED],
            drive=trace[kernel.DRIVE],
            asked=trace[kernel.ASKED_DRIVE],
            p=trace[kernel.P],
            i=trace[kernel.I],
            d=trace[kernel.D],
            delay_left_s=trace[kernel.DELAY_LEFT],
            power_W=power,
            drives_W=watts,
            flow=self._of_drives[kernel.DRIVE_FLOW],
            probes_degC=self._readings,
            reason=self._reasons,
            bodies_degC=self._bodies,
            energy_J=float(np.abs(each[:, kernel.MOVED]).sum()),
            heat_J=float(each[heating, kernel.MOVED].sum()),
            loaded_J=float(totals[kernel.LOADED]),
            lost_J=float(totals[kernel.LOST]),
            switching=tuple(
                Switching(int(row[kernel.ONS]), _existing(row[kernel.MIN_ON]), _existing(row[kernel.MIN_OFF]))
                for row in each
            ),
        )


@lru_cache(maxsize=4)
def _instants(samples: int, h: float) -> Floats:
    """When each sample is, s; kept, since candidates share it."""
    found = np.arange(samples) * h
    found.flags.writeable = False
    return found


def _smallest(rig: Rig) -> str:
    body = min(rig.all_bodies, key=lambda b: b.capacity_J_per_K)
    return f"“{body.name}” ({body.capacity_J_per_K:g} J/K)"


def _existing(value: float) -> float | None:
    return None if value < 0 else float(value)


def warm() -> None:
    """Compile the kernel and the survey of its runs, or load them from the disk cache. Not for the GUI thread."""
    from . import kernel, scan

    kernel.run_loop.load()
    scan.survey.load()
