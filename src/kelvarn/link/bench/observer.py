"""What a rig must be like inside, from what was put into it: the model beside the device, and where that goes from now.

The model's rig is driven by what the device says it gives, and its controller reads what the device reads. So both have
the memory that the device's should have, and may go on from now without it.
"""

import copy
import math
from typing import NamedTuple

import numpy as np

from kelvarn.engine.control import Control, control_step
from kelvarn.engine.decision import Decision
from kelvarn.engine.drives import pulse_s
from kelvarn.engine.inputs import Inputs
from kelvarn.engine.layout import Floats
from kelvarn.engine.on_trial import Stepper
from kelvarn.engine.outputs import Outputs, order, tick
from kelvarn.engine.plant import DriveKind
from kelvarn.handover.carry import Carried
from kelvarn.link.lines import Sample
from kelvarn.link.practice.plant import PracticePlant
from kelvarn.model.events import ColdPart, DoorOpens, DrawOffRuns, Event
from kelvarn.model.project import Project

_MOST_STEPS = 3000


class Future(NamedTuple):
    """What is expected from now on: seconds from now, reading, setpoint and drive, shape (m,)."""

    time_s: Floats
    degC: Floats
    setpoint_degC: Floats
    given: Floats


class Observer:
    """Beside a device.

    Args:
        carried: the program that is in it.
        begins_degC: what it reads at first: all bodies begin so.
    """

    def __init__(self, carried: Carried, begins_degC: float) -> None:
        rig = carried.project.rig
        self._rig = rig
        self._interval_ms = round(rig.probe.interval_s * 1000)
        self.events = provocations(carried.project)
        self._plant = PracticePlant(
            rig, self._interval_ms / 1000.0, self.events, start_degC=begins_degC, quiet=True
        )  # fmt: skip
        stepper = Stepper(
            carried.candidate.controller, carried.trial.plan, rig.probe.interval_s, rig.way, (), rig, carried.trial
        )
        self._control: Control = stepper.on_trial.control
        self._inputs: Inputs = stepper.on_trial.inputs
        self._outputs: Outputs = carried.device().outputs
        self._passed_s = 0.0
        self._last: Sample | None = None

    @property
    def decided(self) -> Decision:
        """What the controller beside it decided last: the terms that no line tells."""
        return self._control.decision[0]

    def bodies_degC(self) -> dict[str, float]:
        """Temperature of each body of the model now."""
        return dict(zip((body.name for body in self._rig.all_bodies), self._plant.bodies_degC, strict=True))

    @property
    def model_degC(self) -> float:
        """What the model's control probe reads now."""
        return self._plant.degC()[self._rig.control_index]

    def take(self, sample: Sample, passed_s: float) -> None:
        """Take a sample that came so long after the one before.

        Args:
            sample: it.
            passed_s: since the one before; 0 at the first.
        """
        if self._last is not None:
            self._passed_s += min(passed_s, 3600.0)
            whole = int(self._passed_s * 1000.0 / self._interval_ms + 0.5)
            for _ in range(whole):
                # Of the device's own levels only one instant is known, and a slow window lies between.
                order(self._outputs, self._last.given, -1)
                levels = self._levels(self._outputs, cut=self._last.drives_cut)
                self._plant.step(levels, loads_closed=not self._last.loads_cut)
            self._passed_s -= whole * self._interval_ms / 1000.0
        self._decide(sample, passed_s)
        self._last = sample

    def _decide(self, sample: Sample, passed_s: float) -> None:
        said = self._inputs.said[0]
        for place, reading in enumerate(self._inputs.readings):
            degC = sample.probes_degC.get(place)
            reading.valid, reading.degC = degC is not None, degC if degC is not None else 0.0
            probe = self._rig.probes[place]
            reading.at_end = degC is not None and not probe.lowest_degC < degC < probe.highest_degC
        said.stop, said.again = sample.stopped, not sample.stopped
        by_hand = sample.mode != 0
        said.override = 0 if by_hand else -1
        said.override_drive = sample.given if by_hand else 0.0
        control_step(self._control, self._inputs, round(passed_s * 1000.0))

    def copy(self) -> "Observer":
        """One that goes on from here, apart from this one."""
        made = copy.copy(self)
        made._plant = self._plant.copy()
        made._control, made._inputs, made._outputs = copy.deepcopy((self._control, self._inputs, self._outputs))
        return made

    def future(self, lasts_s: float, event: int = -1, nudge_K: float = 0.0, for_s: float = 0.0) -> Future | None:
        """What is expected from now on; None before the first sample.

        Args:
            lasts_s: how far.
            event: of `events`, one that begins now; below 0: none.
            nudge_K: by which the setpoint is moved now.
            for_s: how long the event, or the nudge, lasts.
        """
        if self._last is None or self._last.reading_degC is None:
            return None
        control, inputs, outputs = copy.deepcopy((self._control, self._inputs, self._outputs))
        plant = self._plant.copy()
        plant.shift(self._rig.body_index(self._rig.probe.body), self._last.reading_degC - self.model_degC)
        steps = max(2, min(_MOST_STEPS, math.ceil(lasts_s * 1000.0 / self._interval_ms)))
        inputs.said[0].stop = inputs.said[0].again = False
        ends = round(for_s * 1000.0 / self._interval_ms)
        if event >= 0:
            plant.switch(event, on=True)
        found = np.empty((3, steps + 1))
        decision = control.decision[0]
        found[:, 0] = self._last.reading_degC, self._last.setpoint_degC, self._last.given
        for k in range(1, steps + 1):
            inputs.said[0].nudge_K = nudge_K if k <= ends else 0.0
            if event >= 0 and k == ends + 1:
                plant.switch(event, on=False)
            order(outputs, decision.given, decision.alone)
            levels = self._levels(outputs, cut=decision.drives_cut)
            plant.step(levels, loads_closed=not decision.loads_cut)
            for reading, degC in zip(inputs.readings, plant.degC(), strict=True):
                reading.degC, reading.valid, reading.at_end = degC, True, False
            control_step(control, inputs, self._interval_ms)
            found[:, k] = inputs.readings[self._rig.control_index].degC, decision.setpoint_degC, decision.given
        return Future(np.arange(steps + 1) * self._interval_ms / 1000.0, found[0], found[1], found[2])

    def _levels(self, outputs: Outputs, *, cut: bool) -> list[float]:
        """Mean levels of the outputs until the next sample; of slow windows over a whole one."""
        tick(outputs, 0)
        tick(outputs, self._interval_ms)
        if cut:
            return [0.0] * len(outputs.states)
        return [
            pulse_s(drive, state.demand) / drive.window_s if drive.kind == DriveKind.SLOW_WINDOW else state.level
            for drive, state in zip(outputs.drives, outputs.states, strict=True)
        ]


def provocations(project: Project) -> list[Event]:
    """What a device may be provoked by: doors, cold parts and draw-offs of the project's trials, each once."""
    found: dict[str, Event] = {}
    for trial in project.trials:
        for event in trial.events:
            if isinstance(event, DoorOpens | ColdPart | DrawOffRuns):
                found.setdefault(event.name, event)
    return list(found.values())
