"""The reserve of the selected candidate, in words; computed beside the window."""

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.jobs import Jobs
from kelvarn.model.candidate import Controller
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.tune.loop import Reserve, loop_of, reserve
from kelvarn.tune.plant import PlantError
from kelvarn.units import Quantity, show, three_figures

_CHANNEL = "reserve"
_Wanted = tuple[Rig, Controller, float]


class ReserveWords(QObject):
    """Says how much more gain or delay the selected candidate stands before it rings.

    Signals:
        updated: the words are other ones.

    Attributes:
        text: the words; empty where there is nothing to say.
    """

    updated = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._wanted: _Wanted | None = None
        self.text = ""

    def request(self, rig: Rig, controller: Controller, setpoint_degC: float) -> None:
        """Ask for the words on a law near a setpoint."""
        wanted = (rig, controller, setpoint_degC)
        if wanted == self._wanted:
            return
        self._wanted = wanted
        if isinstance(controller, Pid):
            self._jobs.start(_CHANNEL, lambda: _words(rig, controller, setpoint_degC), self._take)
        else:
            self._jobs.stop(_CHANNEL)
            self._take("")

    def _take(self, text: object) -> None:
        if text != self.text:
            self.text = str(text)
            self.updated.emit()


def _words(rig: Rig, law: Pid, setpoint_degC: float) -> str:
    try:
        return reserve_text(reserve(loop_of(rig, law, setpoint_degC)))
    except PlantError as error:
        return f"Reserve: {error}"


def reserve_text(found: Reserve) -> str:
    """A reserve in words."""
    factor, delay = found.gain_factor, found.delay_s
    if factor is not None and factor <= 1:
        return f"Reserve: none: it rings; gain ×{three_figures(factor)} is all that it stands."
    gain = "any gain" if factor is None else f"gain ×{three_figures(factor)}"
    late = "any delay" if delay is None else f"extra delay {show(delay, Quantity.DURATION)}"
    return f"Reserve: {gain}, {late} (Ms {three_figures(found.ms)})"
