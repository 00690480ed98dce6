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

    def cost(self, rect: QRectF) -> float:
        """How bad a place is: other labels count most, then how many columns of curves it would cover."""
        cost = sum(1000.0 for other in self.taken if other.intersects(rect))
        part = slice(max(0, int(rect.left()) - self._left), max(0, int(rect.right()) - self._left + 1))
        hit = (self._high[:, part] >= rect.top()) & (self._low[:, part] <= rect.bottom())
        return cost + int(np.count_nonzero(hit))


def place(
    anchor: QPointF, text: str, font: QFont, inside: QRectF, obstacles: Obstacles, *, above: bool = True
) -> QRectF:
    """The least bad rectangle for a text near a point, kept inside the lane; it is taken from then on."""
    metrics = QFontMetricsF(font)
    width, height = metrics.horizontalAdvance(text) + 8, metrics.height() + 2
    best, best_cost = QRectF(), float("inf")
    for step in range(9):
        for side in (-1, 1) if above else (1, -1):
            for shift in (0.0, -width - 8, -width / 2):
                left = min(max(anchor.x() + 4 + shift, inside.left() + 2), inside.right() - width - 2)
                middle = anchor.y() + side * (height / 2 + 6 + step * 15)
                top = min(max(middle - height / 2, inside.top() + 2), inside.bottom() - height - 2)
                rect = QRectF(left, top, width, height)
                cost = obstacles.cost(rect) + step * 1.5 + (0.0 if shift == 0 else 0.5)
                if cost < best_cost:
                    best, best_cost = rect, cost
        if best_cost < 2 + 1.5 * step:  # farther places only get dearer
            break
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
