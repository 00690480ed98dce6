"""Texts laid out once: what is painted again and again takes three times as long to lay out as to paint (measured)."""

from enum import Enum
from functools import lru_cache
from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QStaticText, QTransform

from kelvarn.desktop import theme
from kelvarn.desktop.language import told

MOST_OF_A_NAME = 26
"""Characters of a name in a line in which something else must not be pushed out."""


class At(Enum):
    """Where in its rectangle a text stands; it is always centred vertically."""

    LEFT, CENTRE, RIGHT = 0.0, 0.5, 1.0


class LaidOut(NamedTuple):
    """A text in one font, its size in px."""

    static: QStaticText
    width: float
    height: float


def laid_out(text: str, kind: str = "body", bold: bool = False) -> LaidOut:
    """A text in a font of the theme."""
    return _laid_out(told(text), kind, bold)


@lru_cache(maxsize=800)
def _laid_out(text: str, kind: str, bold: bool) -> LaidOut:
    static, font = QStaticText(text), theme.font(kind, bold=bold)
    static.setTextFormat(Qt.TextFormat.PlainText)
    static.prepare(QTransform(), font)
    metrics = QFontMetricsF(font)
    return LaidOut(static, metrics.horizontalAdvance(text), metrics.height())


def elided(text: str, width: int, kind: str = "body", bold: bool = False) -> str:
    """A text cut to a width in px."""
    return _elided(told(text), width, kind, bold)


@lru_cache(maxsize=800)
def _elided(text: str, width: int, kind: str, bold: bool) -> str:
    return QFontMetricsF(theme.font(kind, bold=bold)).elidedText(text, Qt.TextElideMode.ElideRight, width)


def forget() -> None:
    """Lay out anew: fonts have another size or look."""
    _laid_out.cache_clear()
    _elided.cache_clear()


def paint(
    painter: QPainter, rect: QRectF, text: str, color: QColor, kind: str = "body", *, bold: bool = False,
    at: At = At.LEFT, cut: bool = False,
) -> None:  # fmt: skip
    """Paint a line of text in a rectangle.

    Args:
        painter, rect, text, color: what and where.
        kind, bold: font of the theme.
        at: where in the rectangle.
        cut: end it in … where the rectangle is too narrow; else it runs over.
    """
    if cut:
        text = elided(text, int(rect.width()), kind, bold)
    static, width, height = laid_out(text, kind, bold)
    painter.setFont(theme.font(kind, bold=bold))
    painter.setPen(color)
    left = rect.left() + at.value * (rect.width() - width)
    painter.drawStaticText(QPointF(left, rect.top() + (rect.height() - height) / 2), static)
