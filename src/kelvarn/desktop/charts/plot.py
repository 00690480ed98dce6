"""A plot in the look of the window: hairline axes, no menus, and nothing that moves by itself."""

from collections.abc import Callable
from typing import Any

import pyqtgraph as pg  # type: ignore[import-untyped]
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.parts.keyboard import value_step
from kelvarn.desktop.parts.spoken import Role, Spoken

_AXES = ("left", "bottom")
_HANDLE_PX = 15


class Plot(pg.PlotWidget, Spoken):
    """A plot whose view stays where it is put.

    Signals:
        moved: the view shows another range, or the plot has another size.
    """

    role = Role.Chart
    moved = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.viewport().setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setMenuEnabled(False)
        self.hideButtons()
        self.setMouseEnabled(False, False)
        self.setAntialiasing(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.plotItem.vb.sigRangeChanged.connect(lambda *_: self.moved.emit())
        self.dress()

    def dress(self) -> None:
        """Take on the theme in use."""
        look = theme.current()
        self.setBackground(look.color("panel"))
        for side in _AXES:
            axis = self.getAxis(side)
            axis.setPen(QPen(look.color("hairline")))
            axis.setTextPen(QPen(look.color("muted")))
            axis.setStyle(tickFont=theme.font("small"), tickLength=-4)

    def place(self, x: float, y: float) -> QPointF:
        """Where a point of the plot is in the widget."""
        scene = self.plotItem.vb.mapViewToScene(QPointF(x, y))
        return QPointF(self.mapFromScene(scene))

    def value(self, at: QPointF) -> tuple[float, float]:
        """The point of the plot at a place in the widget."""
        point = self.plotItem.vb.mapSceneToView(self.mapToScene(at.toPoint()))
        return float(point.x()), float(point.y())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.moved.emit()


def line(color: str, width: float = 1.0, *, dashed: bool = False, alpha: float = 1.0) -> QPen:
    """A pen of the theme for curves."""
    pen = QPen(theme.current().color(color, alpha), width)
    pen.setCosmetic(True)
    if dashed:
        pen.setDashPattern([3.0, 3.0])
    return pen


def hatched(color: str, alpha: float = 0.45) -> QBrush:
    """A brush of the theme for grounds."""
    return QBrush(theme.current().color(color, alpha), Qt.BrushStyle.BDiagPattern)


class PlotHandle(QWidget, Spoken):
    """A point of a plot to drag: by mouse, or with the focus by arrow keys (Shift ×10, Alt ÷10).

    Args:
        plot: on which it lies.
        name: what it is, in words.
        steps: how far an arrow key moves it, along and up.

    Signals:
        begun, ended: a drag begins and ends; ended says whether it counts.
        dragged: to a point of the plot, and whether Shift is held.
    """

    role = Role.Indicator
    begun = Signal()
    dragged = Signal(float, float, bool)
    ended = Signal(bool)

    def __init__(self, plot: Plot, name: str, steps: tuple[float, float]) -> None:
        super().__init__(plot)
        self._plot, self._steps = plot, steps
        self._x = self._y = 0.0
        self._held = self._by_keys = False
        self.round = False
        self.color = theme.current().color("panel")
        self.setFixedSize(_HANDLE_PX, _HANDLE_PX)
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeAllCursor)
        plot.moved.connect(self._settle)

    def put(self, x: float, y: float) -> None:
        """Lie at a point of the plot."""
        self._x, self._y = x, y
        self._settle()

    def _settle(self) -> None:
        at = self._plot.place(self._x, self._y)
        self.move(round(at.x() - _HANDLE_PX / 2), round(at.y() - _HANDLE_PX / 2))

    def paintEvent(self, event: QPaintEvent) -> None:
        look = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(self.color)
        painter.setPen(QPen(look.color("glacier" if self.hasFocus() else "ink"), 2.0 if self.hasFocus() else 1.4))
        shape: Callable[..., Any] = painter.drawEllipse if self.round else painter.drawRect
        shape(self.rect().adjusted(2, 2, -3, -3))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._finish_keys()
            self._held = True
            self.begun.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            x, y = self._plot.value(self.mapTo(self._plot, event.position()))
            self.dragged.emit(x, y, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self.ended.emit(True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, step = event.key(), value_step(event) or 0.0
        along = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        up = {Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}.get(Qt.Key(key), 0)
        if along or up:
            if not self._by_keys:
                self._by_keys = True
                self.begun.emit()
            size = abs(step)
            self.dragged.emit(self._x + along * size * self._steps[0], self._y + up * size * self._steps[1], False)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._finish_keys()
        elif key == Qt.Key.Key_Escape and (self._held or self._by_keys):
            self._held = self._by_keys = False
            self.ended.emit(False)
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: Any) -> None:
        self._finish_keys()
        super().focusOutEvent(event)
        self.update()

    def _finish_keys(self) -> None:
        if self._by_keys:
            self._by_keys = False
            self.ended.emit(True)


def of_curve(index: int) -> QColor:
    """The colour of a candidate."""
    return theme.current().candidate(index)
