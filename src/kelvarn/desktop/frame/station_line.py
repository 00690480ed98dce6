"""The line: project and save state, stations with a live phrase each, units."""

from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QToolTip

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.keyboard import FocusRing, place_step
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.desktop.parts.spoken import Role
from kelvarn.desktop.stations.station import Phrase
from kelvarn.sentence import joined
from kelvarn.units import SCALES

_LEFT, _RIGHT = 190, 100
_RADIUS = 5.0


class Stop(NamedTuple):
    """A station on the line: its name and its phrase."""

    name: str
    phrase: Phrase


class StationLine(FocusRing):
    """The drawn line of stations.

    Signals:
        chosen: a station by index.
    """

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._stations: list[Stop] = []
        self._current = 0
        self._name, self._saved = "", ""
        self.setFixedHeight(theme.LINE_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(tell("Stations"))
        self.setLayoutDirection(Qt.LayoutDirection.LeftToRight)  # as what is painted on it, whatever the desktop says
        self.scale_box = Choice()
        self.scale_box.setAccessibleName(tell("Temperature unit"))
        self.scale_box.setToolTip(tell("How temperatures are shown; files keep °C"))
        for scale in SCALES:
            self.scale_box.addItem(scale.value, scale)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 14, 0)
        layout.addStretch(1)
        layout.addWidget(self.scale_box)

    role = Role.PageTabList

    def spoken_value(self) -> str:
        return self._stations[self._current].name if self._stations else ""

    def sizeHint(self) -> QSize:
        return QSize(900, theme.LINE_HEIGHT)

    def show_state(self, name: str, saved: str, stations: list[Stop], current: int) -> None:
        """Show names and phrases."""
        if (name, saved, stations, current) == (self._name, self._saved, self._stations, self._current):
            return
        self._name, self._saved, self._stations, self._current = name, saved, stations, current
        said = joined("; ", (joined(": ", (s.name, s.phrase.text)) for s in stations))
        self.setAccessibleDescription(told(said))
        self.update()

    def _x(self, index: int) -> float:
        step = min(250.0, max(100.0, (self.width() - _LEFT - _RIGHT) / max(1, len(self._stations))))
        return _LEFT + 20 + index * step

    def station_rect(self, index: int) -> QRectF:
        """Where a station can be clicked."""
        width = self._x(1) - self._x(0) - 8
        return QRectF(self._x(index) - 10, 2, width, self.height() - 4)

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        look = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.color("panel"))
        painter.setPen(look.color("hairline"))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        self._text(painter, QRectF(18, 9, _LEFT - 30, 22), self._name, "ink", "big")
        self._text(painter, QRectF(18, 31, _LEFT - 30, 18), self._saved, "muted", "small")
        if self._stations:
            painter.setPen(QPen(look.color("muted"), 2))
            painter.drawLine(QPointF(self._x(0), 22), QPointF(self._x(len(self._stations) - 1), 22))
        for index, station in enumerate(self._stations):
            self._paint_station(painter, index, station)
        painter.end()

    def _paint_station(self, painter: QPainter, index: int, station: Stop) -> None:
        look = theme.current()
        centre = QPointF(self._x(index), 22)
        current = index == self._current
        if current and self.ring:
            painter.setPen(look.color("glacier"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.station_rect(index), 3, 3)
        color = {"fine": "moss", "begin": "muted", "look": "gold"}[station.phrase.state]
        painter.setPen(QPen(look.color("ink" if current else color), 2))
        painter.setBrush(look.color("moss" if station.phrase.state == "fine" and not current else "panel"))
        painter.drawEllipse(centre, _RADIUS + (3 if current else 0), _RADIUS + (3 if current else 0))
        if current:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("ink"))
            painter.drawEllipse(centre, 4, 4)
        rect = QRectF(centre.x() + 13, 2, self.station_rect(index).width() - 26, 19)
        self._text(painter, rect, station.name, "ink" if current else "muted", "title" if current else "body")
        phrase = QRectF(centre.x() + 13, 31, self._x(1) - self._x(0) - 6, 18)  # up to where the next one begins
        self._text(painter, phrase, station.phrase.text, "gold" if station.phrase.state == "look" else "muted", "small")

    def _text(self, painter: QPainter, rect: QRectF, text: str, color: str, kind: str) -> None:
        texts.paint(painter, rect, text, theme.current().color(color), kind, cut=True)

    def _station_at(self, position: QPointF) -> int | None:
        return next((k for k in range(len(self._stations)) if self.station_rect(k).contains(position)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self._station_at(event.position())
        if index is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(index)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        index = self._station_at(event.position())
        if index is not None:
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(self._stations[index].phrase.text), self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = place_step(event)
        if step is not None and 0 <= self._current + step < len(self._stations):
            self.chosen.emit(self._current + step)
        else:
            super().keyPressEvent(event)
