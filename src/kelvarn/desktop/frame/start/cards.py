"""Cards of the start screen: a picture at the left, a title and a line beside it."""

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF

from kelvarn.desktop import theme
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.card import Card
from kelvarn.desktop.parts.spoken import Role

Paint = Callable[[QPainter, QRectF], None]
_PAD, _GAP = 12.0, 12.0
_OF_WIDTH = 0.28  # of a card, at most, is its picture


class StartCard(Card):
    """A card to be clicked.

    Args:
        title, line: what it says.
        height, picture: px; how wide its picture is, 0 for none.
        work: done at a click.
    """

    role = Role.Button

    def spoken_checked(self) -> bool | None:
        return None

    def __init__(
        self, title: str, line: str, work: Callable[[], object], height: int = 50, picture: float = 0.0
    ) -> None:  # fmt: skip
        super().__init__(height)
        self.title, self.line, self._picture = title, line, picture
        self.paint_picture: Paint | None = None
        self.line_role = "muted"
        self.setAccessibleName(title)
        self.setAccessibleDescription(line)
        self.setToolTip(line)
        self.clicked.connect(work)

    def show_picture(self, paint: Paint) -> None:
        """Paint it so from now on."""
        self.paint_picture = paint
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, look = QPainter(self), theme.current()
        painter.fillRect(self.rect(), look.color("ground"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(look.color("glacier" if self.ring else "hairline"), 2 if self.ring else 1))
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), theme.RADIUS, theme.RADIUS)
        left = _PAD
        if self._picture:
            wide = min(self._picture, _OF_WIDTH * self.width())
            if self.paint_picture is not None:
                painter.save()
                self.paint_picture(painter, QRectF(_PAD, 7, wide, self.height() - 14))
                painter.restore()
            left += wide + _GAP
        width = self.width() - left - _PAD
        middle = self.height() / 2
        title = QRectF(left, middle - 18, width, 18)
        texts.paint(painter, title, self.title, look.color("ink"), bold=True, cut=True)
        texts.paint(
            painter, QRectF(left, middle + 1, width, 16), self.line, look.color(self.line_role), "small", cut=True
        )
        painter.end()


def heat_path_painter(path: tuple[str, ...]) -> Paint:
    """What paints a heat path in little: what drives it, its bodies, the wall before the surroundings."""

    def paint(painter: QPainter, rect: QRectF) -> None:
        look = theme.current()
        width, y = rect.width() / len(path), rect.center().y()
        painter.setPen(QPen(look.color("muted"), 1.2))
        painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))
        for k, part in enumerate(path):
            place = QRectF(rect.left() + k * width, rect.top(), width, rect.height())
            _PAINT[part](painter, place.adjusted(2, 3, -2, -3))

    return paint


def _vessel(painter: QPainter, rect: QRectF) -> None:
    look = theme.current()
    box = QRectF(rect.center().x() - 9, rect.center().y() - 13, 18, 26)
    painter.fillRect(box, look.color("panel"))
    painter.fillRect(box.adjusted(0, 11, 0, 0), look.color("ember", 0.35))
    painter.setPen(QPen(look.color("ink"), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(box, 3, 3)


def _block(role: str) -> Callable[[QPainter, QRectF], None]:
    def paint(painter: QPainter, rect: QRectF) -> None:
        box = QRectF(rect.center().x() - 8, rect.center().y() - 5, 16, 10)
        painter.fillRect(box, theme.current().color(role, 0.9))

    return paint


def _fan(painter: QPainter, rect: QRectF) -> None:
    look, centre = theme.current(), rect.center()
    painter.setBrush(look.color("panel"))
    painter.setPen(QPen(look.color("glacier"), 1.4))
    painter.drawEllipse(centre, 10, 10)
    for dx, dy in ((7, 0), (0, 7), (-7, 0), (0, -7)):
        painter.drawLine(centre, QPointF(centre.x() + dx - dy / 3, centre.y() + dy + dx / 3))


def _wall(painter: QPainter, rect: QRectF) -> None:
    painter.fillRect(QRectF(rect.center().x() - 2, rect.top(), 4, rect.height()), theme.current().color("glacier"))


_PAINT: dict[str, Callable[[QPainter, QRectF], None]] = {
    "body": _vessel, "heater": _block("ember"), "cooler": _block("glacier"), "fan": _fan, "wall": _wall,
}  # fmt: skip


def course_painter(values: npt.NDArray[np.float64], setpoint: npt.NDArray[np.float64], index: int) -> Paint:
    """What paints a run in little: its temperature over its setpoint, in a candidate's colour."""
    low = float(min(values.min(), setpoint.min()))
    span = float(max(values.max(), setpoint.max())) - low or 1.0

    def paint(painter: QPainter, rect: QRectF) -> None:
        look = theme.current()
        painter.setPen(QPen(look.color("hairline"), 1))
        painter.setBrush(look.color("ground"))
        painter.drawRoundedRect(rect, 3, 3)
        inside = rect.adjusted(3, 6, -3, -6)
        xs = np.linspace(inside.left(), inside.right(), values.size)
        for series, color, width in ((setpoint, look.color("muted"), 1.0), (values, look.candidate(index), 1.6)):
            ys = inside.bottom() - (series - low) / span * inside.height()
            painter.setPen(QPen(color, width))
            points = [QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]
            painter.drawPolyline(QPolygonF(points))

    return paint
