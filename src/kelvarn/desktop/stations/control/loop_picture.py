"""Loop gain and sensitivity of the selected candidate over frequency, with what the reserve is read from."""

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop.charts.plot import Plot, line
from kelvarn.desktop.fields.plain import small
from kelvarn.desktop.language import tell
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.model.candidate import Controller
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.tune.loop import loop_of
from kelvarn.tune.process import PlantError
from kelvarn.tune.reserve import Reserve, reserve
from kelvarn.units import Quantity, show, three_figures

_CHANNEL = "loop over frequency"
_POINTS = 400
_SLOW, _QUICK = 1e-3, 20.0  # of the ringing's frequency, or of one over a thousand samples
_LOW, _HIGH = 0.01, 100.0
_HEIGHT = 250


class _Answer(NamedTuple):
    """Periods in s, gain of the loop, sensitivity, and the reserve."""

    period_s: npt.NDArray[np.float64]
    gain: npt.NDArray[np.float64]
    sensitivity: npt.NDArray[np.float64]
    reserve: Reserve


class LoopPicture(QWidget):
    """See the module.

    Args:
        jobs: computes.
    """

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._wanted: tuple[Rig, Controller, float] | None = None
        self._answer: _Answer | str = tell("computing …")
        self.plot = Plot(tell("Loop gain and sensitivity over frequency"))
        self.plot.setMinimumSize(200, 150)
        self.says = small()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(2, 0, 12, 8)
        layout.setSpacing(4)
        layout.addWidget(self.plot, 1)
        layout.addWidget(self.says)
        self.setFixedHeight(_HEIGHT)

    def request(self, rig: Rig, law: Controller, setpoint_degC: float) -> None:
        """Ask for a law near a setpoint."""
        wanted = (rig, law, setpoint_degC)
        if wanted != self._wanted:
            self._wanted = wanted
            self._jobs.start(_CHANNEL, lambda: _work(rig, law, setpoint_degC), self._take)

    def stop(self) -> None:
        """Nothing is asked any more."""
        self._jobs.stop(_CHANNEL)
        self._wanted = None

    def _take(self, outcome: object) -> None:
        assert isinstance(outcome, _Answer | str)
        self._answer = outcome
        self.draw()

    def draw(self) -> None:
        """Draw what is known, in the theme in use."""
        self.plot.clear()
        self.plot.dress()
        found = self._answer
        if isinstance(found, str):
            self.says.setText(found)
            return
        # Periods fall to the right, so that quick is right, as over frequency.
        x = -np.log10(found.period_s)
        for values, color, dashed in ((found.gain, "ink", False), (found.sensitivity, "ember", True)):
            self.plot.plot(x, np.log10(np.clip(values, _LOW / 10, _HIGH * 10)), pen=line(color, 1.8, dashed=dashed))
        self.plot.plot(x[[0, -1]], [0.0, 0.0], pen=line("hairline"))
        if found.reserve.period_s is not None:
            at = -np.log10(found.reserve.period_s)
            self.plot.plot([at, at], np.log10([_LOW, _HIGH]), pen=line("muted", dashed=True))
        self.plot.setXRange(float(x[0]), float(x[-1]), padding=0)
        self.plot.setYRange(float(np.log10(_LOW)), float(np.log10(_HIGH)), padding=0)
        levels = (0.01, 0.1, 1.0, 10.0, 100.0)
        self.plot.getAxis("left").setTicks([[(float(np.log10(v)), f"{v:g}") for v in levels]])
        shown = [10.0**k for k in range(-3, 8) if found.period_s[-1] <= 10.0**k <= found.period_s[0]]
        self.plot.getAxis("bottom").setTicks([[(-np.log10(p), show(p, Quantity.DURATION)) for p in shown]])
        most = "" if found.reserve.ms is None else tell(", at most {ms}", ms=three_figures(found.reserve.ms))
        said = tell("solid: loop gain; dashed: sensitivity{most}; over the period", most=most)
        if found.reserve.period_s is not None:
            said += tell(
                "; oscillates with a period of {period}", period=show(found.reserve.period_s, Quantity.DURATION)
            )
        self.says.setText(said)


def _work(rig: Rig, law: Controller, setpoint_degC: float) -> _Answer | str:
    if not isinstance(law, Pid):
        return tell("{law} is no linear law: it has no loop gain over frequency.",
                    law=law.strategy[0].upper() + law.strategy[1:])  # fmt: skip
    try:
        loop = loop_of(rig, law, setpoint_degC)
    except PlantError as error:
        return str(error)
    found = reserve(loop)
    middle = 2 * np.pi / (found.period_s or 1000 * loop.period_s)
    omega = np.geomspace(_SLOW * middle, min(_QUICK * middle, np.pi / loop.period_s * (1 - 1e-9)), _POINTS)
    answer = loop.at(omega)
    return _Answer(2 * np.pi / omega, np.abs(answer), 1 / np.abs(1 + answer), found)
