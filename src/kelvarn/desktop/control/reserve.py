"""The reserve of the selected candidate, in words; computed beside the window."""

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.model.candidate import Controller
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.tune.loop import Reserve, loop_of, reserve
from kelvarn.tune.plant import PlantError
from kelvarn.tune.swing import swing_of
from kelvarn.units import Quantity, show, three_figures

_CHANNEL = "reserve"
_Wanted = tuple[Rig, Controller, float]


class ReserveWords(QObject):
    """Says how much more gain or delay the selected candidate stands before it rings; of on/off, how far it swings.

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
        elif isinstance(controller, OnOff):
            self._jobs.start(_CHANNEL, lambda: _swing_words(rig, controller, setpoint_degC), self._take)
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


def _swing_words(rig: Rig, law: OnOff, setpoint_degC: float) -> str:
    try:
        found = swing_of(rig, law, setpoint_degC)
    except (PlantError, RunError):
        return ""
    over, under = (show(abs(value), Quantity.DIFFERENCE) for value in (found.high_K, found.low_K))
    far, often = show(found.swing_K, Quantity.DIFFERENCE), show(found.period_s, Quantity.DURATION)
    up, down = ("over", "under") if rig.way.sign > 0 else ("under", "over")
    return f"By one lag and dead time it swings {far} every {often}: {over} {up}, {under} {down}"


def reserve_text(found: Reserve) -> str:
    """A reserve in words."""
    factor, delay = found.gain_factor, found.delay_s
    if factor is not None and factor <= 1:
        return f"Reserve: none: it rings; gain ×{three_figures(factor)} is all that it stands."
    gain = "any gain" if factor is None else f"gain ×{three_figures(factor)}"
    late = "any delay" if delay is None else f"extra delay {show(delay, Quantity.DURATION)}"
    return f"Reserve: {gain}, {late} (Ms {three_figures(found.ms)})"
