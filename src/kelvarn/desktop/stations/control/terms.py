"""What the controller does at the cursor: its terms as bars, or for on/off where it stands in its band."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.lanes.drive import put
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.spoken import Role, Spoken
from kelvarn.desktop.strip.axis import clock
from kelvarn.engine.run import Run
from kelvarn.units import Quantity, Scale, show
from kelvarn.words.sample import Term
from kelvarn.words.why import terms

_ROW = 23


class Terms(QWidget, Spoken):
    """The panel below the candidates."""

    role = Role.Chart

    def __init__(self) -> None:
        super().__init__()
        self._run: Run | None = None
        self._scale = Scale.CELSIUS
        self._time_s = 0.0
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # nothing below needs to be painted for it
        self.setFixedHeight(26 + 6 * _ROW)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tell("Terms at the cursor"))
        self.setToolTip(
            tell(
                "The share that the setpoint weight takes off the start is counted in the integral, "
                "so that distance is Kp times what is missing."
            )
        )

    def show_at(self, run: Run | None, scale: Scale, time_s: float) -> None:
        """Show a run at an instant; None where there is none yet."""
        self._run, self._scale, self._time_s = run, scale, time_s
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        look = theme.current()
        run = self._run
        if run is None:
            painter = QPainter(self)
            painter.fillRect(self.rect(), look.color("ground"))
            painter.end()
            return
        k = run.sample_at(self._time_s)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.color("ground"))
        heading = tell("Terms at {clock}", clock=clock(float(run.time_s[k]), 60))
        texts.paint(painter, QRectF(0, 0, self.width(), 19), heading, look.color("ink"), "title")
        top = 26.0
        found = terms(run, k)
        if found:
            top = self._paint_bars(painter, found, top)
        else:
            gap = float(run.setpoint_degC[k] - run.measured_degC[k])
            text = show(abs(gap), Quantity.DIFFERENCE, self._scale)
            self._row(painter, top, tell("distance"), tell("{far} below" if gap >= 0 else "{far} above", far=text))
            top += _ROW
        painter.setPen(QPen(look.color("hairline"), 1))
        painter.drawLine(QPointF(0, top + 1.5), QPointF(self.width(), top + 1.5))
        top += 4
        asked, given = float(run.asked[k]), float(run.drive[k])
        self._row(painter, top, tell("asks for"), show(asked, Quantity.DRIVE, sign=True))
        out = float(put(run)[k])
        said = "" if abs(asked - given) < 5e-4 else tell(", limited")
        if abs(out - given) > 5e-4 and (out == 0.0 or given == 0.0):
            given, said = out, tell(", cut off") if out == 0.0 else tell(", stuck")
        self._row(painter, top + _ROW, tell("drive gives"), tell(show(given, Quantity.DRIVE)) + said)
        painter.end()

    def _paint_bars(self, painter: QPainter, found: list[Term], top: float) -> float:
        look = theme.current()
        widest = max(1.0, *(abs(term.drive) for term in found))
        left, right = 88.0, self.width() - 62.0
        zero = (left + right) / 2
        for name, value, color in found:
            length = value / widest * (right - left) / 2
            bar = QRectF(min(zero, zero + length), top + 5, abs(length), 12)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color(color))
            painter.drawRect(bar)
            painter.setPen(QPen(look.color("muted"), 1))
            painter.drawLine(QPointF(zero, top + 2), QPointF(zero, top + 20))
            self._row(painter, top, name, show(value, Quantity.DRIVE, sign=True))
            top += _ROW
        return top

    def _row(self, painter: QPainter, top: float, name: str, value: str) -> None:
        look = theme.current()
        rect = QRectF(0, top, self.width(), _ROW)
        texts.paint(painter, rect, name, look.color("muted"))
        texts.paint(painter, rect, value, look.color("ink"), bold=True, at=texts.At.RIGHT)
