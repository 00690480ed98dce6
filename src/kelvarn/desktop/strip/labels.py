"""Texts on a chart that get out of the way of curves and of each other."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter

from kelvarn.desktop import theme

from . import raster
from .trace import Floats


class Obstacles:
    """What labels keep clear of: curves, column by column of pixels, and rectangles already taken.

    Args:
        inside: the lane; columns are counted from its left edge.
    """

    def __init__(self, inside: QRectF) -> None:
        self.taken: list[QRectF] = []
        self._left = int(inside.left())
        self._columns = np.arange(max(2, int(inside.width()) + 2)) + self._left
        self._low = np.empty((0, self._columns.size - 1))
        self._high = self._low

    def add_curve(self, x: Floats, y: Floats) -> None:
        """A curve in pixels, x rising."""
        if x.size < 2:
            return
        at = np.interp(self._columns, x, y)
        self._low = np.vstack([self._low, np.minimum(at[:-1], at[1:])])
        self._high = np.vstack([self._high, np.maximum(at[:-1], at[1:])])

    def place(self, anchor: QPointF, width: float, height: float, inside: QRectF) -> QRectF:
        """The least bad rectangle of a size near a point, kept inside the lane; it is taken from then on."""
        shift = self._left
        taken = np.array([_sides(rect, shift) for rect in self.taken]).reshape(-1, 4)
        found = np.empty(2)
        bounds = np.array(_sides(inside, shift))
        raster.place(self._low, self._high, taken, anchor.x() - shift, anchor.y(), width, height, bounds, found)
        best = QRectF(float(found[0]) + shift, float(found[1]), width, height)
        self.taken.append(best)
        return best


def _sides(rect: QRectF, shift: float) -> tuple[float, float, float, float]:
    return rect.left() - shift, rect.top(), rect.right() - shift, rect.bottom()


def place(anchor: QPointF, text: str, font: QFont, inside: QRectF, obstacles: Obstacles) -> QRectF:
    """The least bad rectangle for a text near a point."""
    metrics = QFontMetricsF(font)
    return obstacles.place(anchor, metrics.horizontalAdvance(text) + 8, metrics.height() + 2, inside)


def draw(painter: QPainter, rect: QRectF, text: str, color: QColor, font: QFont) -> None:
    """A text on a backing that lets only a hint of a curve through."""
    painter.setFont(font)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.current().color("panel", 0.82))
    painter.drawRect(rect)
    painter.setPen(color)
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
