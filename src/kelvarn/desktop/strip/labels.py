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

    def costs(self, left: float, tops: Floats, width: float, height: float) -> Floats:
        """How bad places in one column are: other labels count most, then how many pixels of curves each covers."""
        part = slice(max(0, int(left) - self._left), max(0, int(left + width) - self._left + 1))
        low, high = self._low[:, part], self._high[:, part]
        top = tops[:, np.newaxis, np.newaxis]
        found: Floats = ((high >= top) & (low <= top + height)).sum(axis=(1, 2)).astype(float)
        for other in self.taken:
            if other.left() < left + width and left < other.right():
                found += 1000.0 * ((tops < other.bottom()) & (other.top() < tops + height))
        return found


_STEPS = 7
_STEP_PX = 18.0


def place(anchor: QPointF, text: str, font: QFont, inside: QRectF, obstacles: Obstacles) -> QRectF:
    """The least bad rectangle for a text near a point, kept inside the lane; it is taken from then on."""
    metrics = QFontMetricsF(font)
    width, height = metrics.horizontalAdvance(text) + 8, metrics.height() + 2
    away = np.repeat(np.arange(_STEPS), 2)
    side = np.tile([-1.0, 1.0], _STEPS)
    tops = anchor.y() + side * (height / 2 + 6 + away * _STEP_PX) - height / 2
    tops = np.clip(tops, inside.top() + 2, inside.bottom() - height - 2)
    best, best_cost = QRectF(), float("inf")
    for shift in (0.0, -width - 8, -width / 2):
        left = min(max(anchor.x() + 4 + shift, inside.left() + 2), inside.right() - width - 2)
        costs = obstacles.costs(left, tops, width, height) + 1.5 * away + (0.5 if shift else 0.0)
        k = int(costs.argmin())
        if costs[k] < best_cost:
            best, best_cost = QRectF(left, float(tops[k]), width, height), float(costs[k])
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
