"""The reserve of the selected candidate, in words; computed beside the window."""

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.model.candidate import Controller
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.tune.process import PlantError
from kelvarn.tune.reserve import LeastReserve, least_reserve, setpoints_of
from kelvarn.tune.swing import swing_of
from kelvarn.units import Quantity, Scale, show, three_figures

_CHANNEL = "reserve"
_Wanted = tuple[Rig, Controller, Trial, Scale]


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

    def request(self, rig: Rig, controller: Controller, trial: Trial, scale: Scale) -> None:
        """Ask for the words on a law on a trial, in a scale."""
        wanted = (rig, controller, trial, scale)
        if wanted == self._wanted:
            return
        self._wanted = wanted
        if isinstance(controller, Pid):
            self._jobs.start(_CHANNEL, lambda: _words(rig, controller, trial, scale), self._take)
        elif isinstance(controller, OnOff):
            self._jobs.start(_CHANNEL, lambda: swing_text(rig, controller, trial, scale), self._take)
        else:
            self._jobs.stop(_CHANNEL)
            self._take("")

    def _take(self, text: object) -> None:
        if text != self.text:
            self.text = str(text)
            self.updated.emit()


def _words(rig: Rig, law: Pid, trial: Trial, scale: Scale) -> str:
    try:
        return reserve_text(least_reserve(rig, law, (trial,)), several=len(setpoints_of((trial,))) > 1, scale=scale)
    except PlantError as error:
        return tell("Reserve: {error}", error=error)


def swing_text(rig: Rig, law: OnOff, trial: Trial, scale: Scale) -> str:
    """How far on/off swings by one lag and dead time, in words; empty where that does not describe the rig."""
    try:
        found = swing_of(rig, law, trial.plan.last_degC)
    except (PlantError, RunError):
        return ""
    over, under = (show(abs(value), Quantity.DIFFERENCE, scale) for value in (found.high_K, found.low_K))
    far, often = show(found.swing_K, Quantity.DIFFERENCE, scale), show(found.period_s, Quantity.DURATION)
    up, down = ("over", "under") if rig.way.sign > 0 else ("under", "over")
    return tell("By one lag and dead time it swings {far} every {often}: {over} {up}, {under} {down}", far=far,
                often=often, over=over, up=up, under=under, down=down)  # fmt: skip


def reserve_text(least: LeastReserve, *, several: bool, scale: Scale = Scale.CELSIUS) -> str:
    """The smallest reserve of a trial in words; with the setpoint at which it is, where there are several."""
    found = least.reserve
    factor, delay, ms = found.gain_factor, found.delay_s, found.ms
    at = tell(" at {setpoint}", setpoint=show(least.setpoint_degC, Quantity.TEMPERATURE, scale)) if several else ""
    if factor is not None and factor <= 1:
        return tell("Reserve: none{at}: it oscillates; gain ×{factor} is all that it bears.", at=at,
                    factor=three_figures(factor))  # fmt: skip
    gain = tell("any gain") if factor is None else tell("gain ×{factor}", factor=three_figures(factor))
    late = tell("any delay") if delay is None else tell("extra delay {delay}", delay=show(delay, Quantity.DURATION))
    peak = "" if ms is None else tell(" (Ms {ms})", ms=three_figures(ms))
    return tell("Reserve{at}: {gain}, {late}{peak}", at=at, gain=gain, late=late, peak=peak)
