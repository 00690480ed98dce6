"""Texts on a chart that get out of the way of curves and of each other."""

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter

from kelvarn.desktop import theme

from .trace import Floats


@dataclass
class Obstacles:
    """What labels keep clear of: curves as pixel points, and rectangles already taken."""

    curves: list[tuple[Floats, Floats]]
    taken: list[QRectF]

    def cost(self, rect: QRectF) -> float:
        """How bad a place is: other labels count most, then how much of the curves it would cover."""
        cost = sum(1000.0 for other in self.taken if other.intersects(rect))
        for x, y in self.curves:
            first = max(0, int(np.searchsorted(x, rect.left())) - 1)
            last = int(np.searchsorted(x, rect.right())) + 1
            ys = y[first:last]
            if ys.size > 1:
                low, high = np.minimum(ys[:-1], ys[1:]), np.maximum(ys[:-1], ys[1:])
                cost += float(np.count_nonzero((high >= rect.top()) & (low <= rect.bottom())))
        return cost


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
        if best_cost < 2 + step:
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
