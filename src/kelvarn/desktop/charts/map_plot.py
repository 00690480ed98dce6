"""A gain map drawn: a measure as colour with contours, and the region where all marks are met outlined."""

from typing import Any

import numpy as np
import pyqtgraph as pg  # type: ignore[import-untyped]
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import small
from kelvarn.desktop.language import tell
from kelvarn.model.mark import Mark
from kelvarn.studies.gain_map import SIZE, GainMap, MapAxis
from kelvarn.units import Scale, show

from .plot import Plot, line

_CONTOURS = 6
_PART = 92  # per cent of the points whose values the colours tell apart; the rest has the last colour
_LEFT_PX, _BELOW_PX = 96, 46  # for figures and names of axes, which find no room by themselves where nothing is shown
_TICKS = {"bottom": (0.15, 0.83), "left": (0.04, 0.35, 0.65, 0.96)}  # shares of the axis


class MapPlot(QWidget):
    """The drawing, with what its colours and lines mean below it."""

    def __init__(self) -> None:
        super().__init__()
        self.plot = Plot(tell("Gain map"))
        self.plot.setMinimumSize(200, 190)
        self._image = pg.ImageItem(axisOrder="row-major")
        self.legend, self.says = small(), small()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.plot, 1)
        layout.addWidget(self.legend)
        layout.addWidget(self.says)

    def clear(self, why: str) -> None:
        """Show nothing, and say why."""
        self.plot.clear()
        self.plot.dress()
        self.legend.setText("")
        self.says.setText(why)

    def draw(self, known: GainMap, ref: Mark, scale: Scale, *, marks: bool) -> None:
        """Draw what is known of a map.

        Args:
            known, ref: the map, and which of its measures is shown as colour.
            scale: for temperatures.
            marks: whether the trial has any.
        """
        self.plot.clear()
        self.plot.dress()
        self.plot.addItem(self._image)
        values = known.filled(known.refs.index(ref))
        there = values[np.isfinite(values)]
        low, high = (float(there.min()), float(np.percentile(there, _PART))) if there.size else (0.0, 1.0)
        high = max(high, low + 1e-9 * max(abs(low), 1.0))
        self._image.setImage(_colored(values, low, high), levels=(0, 255))
        self._image.setRect(-0.5, -0.5, SIZE, SIZE)
        if there.size:
            whole = np.where(np.isfinite(values), values, high)
            for level in np.linspace(low, high, _CONTOURS + 2)[1:-1]:
                self.plot.addItem(pg.IsocurveItem(whole.T, float(level), pen=line("ink", 0.7, alpha=0.35)))
        if known.met_filled().any():
            self._outline(known.met_filled())
        self._axis("bottom", known.x, scale)
        self._axis("left", known.y, scale)
        self.plot.setXRange(-0.5, SIZE - 0.5, padding=0)
        self.plot.setYRange(-0.5, SIZE - 0.5, padding=0)
        self._say(known, marks)
        first, last = (show(value, ref.kind.quantity, scale) for value in (low, high))
        words = ("light", "dark") if theme.current() is theme.PAPER else ("dark", "light")
        said = (
            tell(
                "{low} {first} … {high} {last}; grey: no value",
                low=words[0],
                first=first,
                high=words[1],
                last=last,
            )
            if there.size
            else tell("no run has this measure")
        )
        self.legend.setText(said)

    def name_axes(self, known: GainMap) -> None:
        """Say at the axes what they are, where nothing beside the drawing does."""
        for side, axis in (("bottom", known.x), ("left", known.y)):
            self.plot.getAxis(side).setLabel(axis.title)
        self.plot.getAxis("left").setWidth(_LEFT_PX)
        self.plot.getAxis("bottom").setHeight(_BELOW_PX)

    def _outline(self, met: np.ndarray) -> None:
        """Round all points where the marks are met, also at the border of the map."""
        curve = pg.IsocurveItem(np.pad(met.astype(float), 1).T, 0.5, pen=line("ink", 2.4))
        curve.setPos(-1, -1)
        self.plot.addItem(curve)

    def _axis(self, side: str, axis: MapAxis, scale: Scale) -> None:
        places = [share * (SIZE - 1) for share in _TICKS[side]]
        self.plot.getAxis(side).setTicks([[(place, show(axis.value(place), axis.quantity, scale)) for place in places]])

    def _say(self, known: GainMap, marks: bool) -> None:
        if not marks:
            said = tell("the trial has no marks")
        else:
            said = tell("outline: all marks met") if known.met_filled().any() else tell("nowhere are all marks met")
        so_far = (
            ""
            if known.complete
            else tell("; {computed} of {all} points", computed=int(known.computed.sum()), all=SIZE * SIZE)
        )
        self.says.setText(said + so_far)


def _colored(values: np.ndarray, low: float, high: float) -> Any:
    """Values as colours, shape (rows, columns, 3)."""
    look = theme.current()
    ramp = theme.ramp(look)
    share = np.clip((np.nan_to_num(values, nan=low) - low) / (high - low), 0.0, 1.0)
    made = ramp[np.round(share * (len(ramp) - 1)).astype(int)]
    none = look.color("hairline")
    made[~np.isfinite(values)] = (none.red(), none.green(), none.blue())
    return made
