"""Computes the open-loop step on a worker: only the newest request counts."""

from PySide6.QtCore import QObject, Signal, Slot

from kelvarn.desktop.runner import Task, worker
from kelvarn.engine.arrays import RunError
from kelvarn.engine.step import Step, heating_up_s, holding_round, open_loop
from kelvarn.model.rig import Rig

Wanted = tuple[Rig, float, float]


class Steps(QObject):
    """The step of a rig from cold and from warm, and how long it heats flat out.

    Signals:
        updated: what is known changed.

    Attributes:
        cold, warm: steps; None while there are none, or where there is no rest to start warm from.
        flat_out_s: time flat out from cold to the setpoint; None where it never gets there.
        holding: setpoints round the one asked for, degC, with the demand that holds each.
        fault: why there is no step.
        wanted, known_for: rig, drive and setpoint that was asked for last, and that all of it belongs to.
    """

    updated = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.cold: Step | None = None
        self.warm: Step | None = None
        self.flat_out_s: float | None = None
        self.holding: list[tuple[float, float]] = []
        self.fault = ""
        self.known_for: Wanted | None = None
        self._pool = worker(self)
        self.wanted: Wanted | None = None
        self._busy: Task | None = None

    def request(self, rig: Rig, drive: float, setpoint_degC: float) -> None:
        """Ask for the step of a rig to a demand, and for the time to a setpoint."""
        wanted = (rig, drive, setpoint_degC)
        if wanted == self.wanted:
            return
        self.wanted = wanted
        if self._busy is None:
            self._start()

    def finish(self) -> None:
        """Wait for the worker; for closing."""
        self.wanted = None
        self._pool.waitForDone()

    def _start(self) -> None:
        assert self.wanted is not None
        rig, drive, setpoint = self.wanted

        def work() -> object:
            try:
                cold = open_loop(rig, drive, "cold")
                flat_out = heating_up_s(rig, setpoint)
            except RunError as error:
                return (rig, drive, setpoint), str(error), None, None, None, []
            try:
                warm = open_loop(rig, drive, "warm")
            except RunError:
                warm = None
            return (rig, drive, setpoint), "", cold, warm, flat_out, holding_round(rig, setpoint)

        self._busy = Task(0, work)
        self._busy.setAutoDelete(False)
        self._busy.signals.done.connect(self._done)
        self._pool.start(self._busy)

    @Slot(int, object)
    def _done(self, number: int, outcome: object) -> None:
        del number
        self._busy = None
        if isinstance(outcome, Exception):
            raise outcome
        assert isinstance(outcome, tuple)
        if self.wanted is None:
            return
        self.known_for, self.fault, self.cold, self.warm, self.flat_out_s, self.holding = outcome
        if self.known_for != self.wanted:
            self._start()
        self.updated.emit()
