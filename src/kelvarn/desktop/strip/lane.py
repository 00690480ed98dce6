"""What every lane has, and what it is given to paint with."""

from abc import ABC, abstractmethod
from collections.abc import Hashable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from kelvarn.desktop import texts, theme

from .axis import Axis
from .content import Content
from .handles import Handle


@dataclass(frozen=True)
class Frame:
    """What a lane paints into: its rectangle (without the gutter) and the time axis."""

    rect: QRectF
    time: Axis


class Lane(ABC):
    """One lane. `height` is fixed in pixels, or 0 where it shares the rest by `weight`."""

    height = 0
    weight = 1.0

    @abstractmethod
    def title(self, content: Content) -> str:
        """Text in its upper left corner."""

    @abstractmethod
    def paint(self, painter: QPainter, frame: Frame, content: Content) -> None:
        """Paint what comes from the content, on top of the ground."""

    def ground_key(self, frame: Frame, content: Content) -> Hashable:
        """What the ground depends on besides the frame and the theme."""
        del frame, content
        return None

    def handles(self, frame: Frame, content: Content) -> list[Handle]:
        """What can be dragged in it."""
        del frame, content
        return []

    def readings(self, content: Content, sample: int) -> list[tuple[int, str, str]]:
        """What its traces read at a sample: (candidate index or −1, name, value)."""
        del content, sample
        return []

    def paint_ground(self, painter: QPainter, frame: Frame, content: Content) -> None:
        """Panel, border and scale: what stays the same while something is dragged."""
        look = theme.current()
        # Filled without and framed with antialiasing: a large rounded area takes twice as long in one go.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.fillRect(frame.rect.adjusted(1, 1, -1, -1), look.color("panel"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(look.color("hairline"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(frame.rect.adjusted(-0.5, -0.5, 0.5, 0.5), theme.RADIUS, theme.RADIUS)

    def title_color(self) -> QColor:
        """Colour of the title."""
        return theme.current().color("muted")

    def title_rect(self, frame: Frame, content: Content) -> QRectF:
        """Where the title stands."""
        _, width, height = texts.laid_out(self._shown_title(frame, content), "small", bold=True)
        return QRectF(frame.rect.left() + 6, frame.rect.top() + 4, width + 6, height + 1)

    def paint_title(self, painter: QPainter, frame: Frame, content: Content) -> QRectF:
        """The title, last, so that it stays readable; returns where it stands."""
        rect = self.title_rect(frame, content)
        painter.fillRect(rect, theme.current().color("panel", 0.8))
        text = self._shown_title(frame, content)
        texts.paint(painter, rect, text, self.title_color(), "small", bold=True, at=texts.At.CENTRE)
        return rect

    def _shown_title(self, frame: Frame, content: Content) -> str:
        return texts.elided(self.title(content), int(frame.rect.width()) - 24, "small", bold=True)


def dotted(color: QColor) -> QPen:
    """A fine dotted pen for grid lines."""
    pen = QPen(color, 1)
    pen.setDashPattern([1, 3])
    return pen


def grip(painter: QPainter, at: QPointF, color: QColor) -> None:
    """A small triangle on the left edge that points at a value that can be dragged."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    painter.drawPolygon([at, QPointF(at.x() - 8, at.y() - 5), QPointF(at.x() - 8, at.y() + 5)])
