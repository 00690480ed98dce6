"""Texts on a chart that get out of the way of curves and of each other."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter

from kelvarn.desktop import theme

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

    def cost(self, box: QRectF) -> float:
        """How bad a place is: other labels count most, then how many pixels of curves it covers."""
        from .raster import covered

        first = int(box.left()) - self._left
        found = float(covered(self._low, self._high, first, first + int(box.width()) + 1, box.top(), box.bottom()))
        return found + 1000.0 * sum(box.intersects(other) for other in self.taken)


_STEPS = 7
_STEP_PX = 18.0


def place(anchor: QPointF, text: str, font: QFont, inside: QRectF, obstacles: Obstacles) -> QRectF:
    """The least bad rectangle for a text near a point, kept inside the lane; it is taken from then on."""
    metrics = QFontMetricsF(font)
    width, height = metrics.horizontalAdvance(text) + 8, metrics.height() + 2
    best, best_cost = QRectF(), float("inf")
    for shift in (0.0, -width - 8, -width / 2):
        left = min(max(anchor.x() + 4 + shift, inside.left() + 2), inside.right() - width - 2)
        for away in range(_STEPS):
            worth = 1.5 * away + (0.5 if shift else 0.0)
            if worth >= best_cost:
                break
            for side in (-1, 1):
                top = anchor.y() + side * (height / 2 + 6 + away * _STEP_PX) - height / 2
                box = QRectF(left, min(max(top, inside.top() + 2), inside.bottom() - height - 2), width, height)
                cost = obstacles.cost(box) + worth
                if cost < best_cost:
                    best, best_cost = box, cost
    obstacles.taken.append(best)
    return best


def draw(painter: QPainter, rect: QRectF, text: str, color: QColor, font: QFont) -> None:
    """A text on a backing that lets only a hint of a curve through."""
    painter.setFont(font)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.current().color("panel", 0.82))
    painter.drawRect(rect)
    painter.setPen(color)
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
