"""Computes the open-loop step beside the window: only the newest request counts."""

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.engine.step import StepResponse, heating_up_s, holding_round, open_loop
from kelvarn.model.rig import Rig

Wanted = tuple[Rig, float, float]
_STEPS = "steps"


class Steps(QObject):
    """The step of a rig from cold and from warm, and how long it heats flat out.

    Signals:
        updated: what is known changed.

    Attributes:
        cold, warm: steps; None while there are none, or where there is no rest to start warm from.
        flat_out_s: time flat out from cold to the setpoint; None where it never gets there.
        holding: setpoints round the one asked for, degC, with the output that holds each.
        fault: why there is no step.
        wanted, known_for: rig, drive and setpoint that was asked for last, and that all of it belongs to.
    """

    updated = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self.cold: StepResponse | None = None
        self.warm: StepResponse | None = None
        self.flat_out_s: float | None = None
        self.holding: list[tuple[float, float]] = []
        self.fault = ""
        self.known_for: Wanted | None = None
        self.wanted: Wanted | None = None

    def request(self, rig: Rig, drive: float, setpoint_degC: float) -> None:
        """Ask for the step of a rig to a demand, and for the time to a setpoint."""
        wanted = (rig, drive, setpoint_degC)
        if wanted != self.wanted:
            self.wanted = wanted
            self._jobs.start(_STEPS, lambda: _compute(wanted), self._take, waits=False)

    @property
    def busy(self) -> bool:
        """Whether a step is being computed."""
        return self._jobs.busy(_STEPS)

    def _take(self, outcome: object) -> None:
        assert isinstance(outcome, tuple)
        self.known_for, self.fault, self.cold, self.warm, self.flat_out_s, self.holding = outcome
        self.updated.emit()


def _compute(wanted: Wanted) -> object:
    rig, drive, setpoint_degC = wanted
    try:
        cold = open_loop(rig, drive, "cold")
        flat_out = heating_up_s(rig, setpoint_degC)
    except RunError as error:
        return wanted, str(error), None, None, None, []
    try:
        warm = open_loop(rig, drive, "warm")
    except RunError:
        warm = None
    return wanted, "", cold, warm, flat_out, holding_round(rig, setpoint_degC)
