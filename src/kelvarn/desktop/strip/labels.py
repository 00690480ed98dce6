"""Texts on a chart that get out of the way of curves and of each other."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from kelvarn.desktop import theme
from kelvarn.desktop.parts.texts import At, laid_out, paint

from . import raster
from .curves import DrawnCurve

_ROOM = 8  # curves or rectangles at first


class Obstacles:
    """What labels keep clear of: curves, column by column of pixels, and rectangles already taken.

    Args:
        inside: the lane; columns are counted from its left edge.

    Attributes:
        placed: where labels stand.
    """

    def __init__(self, inside: QRectF) -> None:
        self._inside = inside
        columns = max(2, int(inside.width()) + 1)
        self._left = int(inside.left())
        self._low, self._high = np.empty((_ROOM, columns)), np.empty((_ROOM, columns))
        self._curves = 0
        self._taken: list[tuple[float, float, float, float]] = []
        self.placed: list[QRectF] = []

    def add_curve(self, curve: DrawnCurve) -> None:
        """Keep clear of a curve."""
        if self._curves == len(self._low):
            self._low, self._high = (np.concatenate([rows, np.empty_like(rows)]) for rows in (self._low, self._high))
        low, high = self._low[self._curves], self._high[self._curves]
        raster.extent(curve.points, self._left, low, high)
        self._curves += 1

    def take(self, rect: QRectF) -> None:
        """Keep clear of a rectangle."""
        self._taken.append(self._sides(rect))

    def place(self, anchor: QPointF, text: str) -> QRectF:
        """The least bad rectangle for a small bold text near a point, inside the lane; it is taken from then on."""
        _, width, height = laid_out(text, "small", bold=True)
        width, height = width + 8, height + 2
        found, bounds = np.empty(2), np.array(self._sides(self._inside))
        taken = np.array(self._taken).reshape(-1, 4)
        raster.place(
            self._low, self._high, self._curves, taken,
            raster.Label(anchor.x() - self._left, anchor.y(), width, height), bounds, found,
        )  # fmt: skip
        best = QRectF(float(found[0]) + self._left, float(found[1]), width, height)
        self.take(best)
        self.placed.append(best)
        return best

    def _sides(self, rect: QRectF) -> tuple[float, float, float, float]:
        return rect.left() - self._left, rect.top(), rect.right() - self._left, rect.bottom()


def draw(painter: QPainter, rect: QRectF, text: str, color: QColor) -> None:
    """A small bold text on a backing that lets only a hint of a curve through."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.current().color("panel", 0.82))
    painter.drawRect(rect)
    paint(painter, rect, text, color, "small", bold=True, at=At.CENTRE)
