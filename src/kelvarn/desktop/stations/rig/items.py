"""How the parts of the heat path are drawn: vessels filled to their temperature, arrows as wide as their watts."""

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QGraphicsItem, QGraphicsSceneMouseEvent, QStyleOptionGraphicsItem, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.units import Quantity, Scale, show

from .spots import Spot

_CENTRE = Qt.AlignmentFlag.AlignCenter
_STUB = 20.0  # length of an arrow, in pixels, that only leads out of a vessel: its watts stand beside it
_TALL = 50.0  # height of a vessel, in pixels, from which its heat capacity finds room


class PartItem(QGraphicsItem):
    """A part with a rectangle that can be selected.

    Attributes:
        key: what is selected with it, as made in `keys.py`.
        tip: its whole name.
    """

    def __init__(self, key: str, rect: QRectF, select: object, tip: str) -> None:
        super().__init__()
        self.key, self.rect, self._select, self.tip = key, rect, select, tip
        self.selected = False
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def boundingRect(self) -> QRectF:
        return self.rect.adjusted(-20, -26, 130, 46)

    def shape(self) -> QPainterPath:
        path = QPainterPath()
        path.addRect(self.rect)
        return path

    def mousePressEvent(self, event: QGraphicsSceneMouseEvent) -> None:
        self._select(self.key)  # type: ignore[operator]
        event.accept()


class BodyItem(PartItem):
    """A body as a vessel.

    Args:
        tint: colour name of its filling.
        share: how full, 0…1.
    """

    def __init__(self, key: str, rect: QRectF, select: object, capacity: str, *, named_above: bool) -> None:
        super().__init__(key, rect, select, key)
        self._capacity, self._named_above = capacity, named_above
        self.temperature = ""
        self.note = ""  # stands in place of the heat capacity
        self.tint, self.share = "moss", 0.0
        self.limit_share: float | None = None

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        look, r = theme.current(), self.rect
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("panel"))
        painter.drawRoundedRect(r, theme.RADIUS, theme.RADIUS)
        level = r.height() * min(max(self.share, 0.03), 1.0)
        fill = QRectF(r.left() + 2, r.bottom() - level + 2, r.width() - 4, level - 4)
        painter.setBrush(look.color(self.tint, 0.24))
        painter.drawRoundedRect(fill, 3, 3)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.limit_share is not None and 0 < self.limit_share < 1:
            y = r.bottom() - r.height() * self.limit_share
            painter.setPen(QPen(look.color("ember"), 1.5))
            tick = min(12.0, r.width() * 0.07)
            painter.drawLine(QPointF(r.left() + 1, y), QPointF(r.left() + tick, y))
            painter.drawLine(QPointF(r.right() - tick, y), QPointF(r.right() - 1, y))
        painter.setPen(QPen(look.color("ink" if self.selected else "muted"), 2.2 if self.selected else 1.2))
        painter.drawRoundedRect(r, theme.RADIUS, theme.RADIUS)
        painter.setPen(look.color("ink"))
        if not self._named_above:
            self._paint_low(painter)
            return
        painter.setFont(theme.font(bold=True))
        name = painter.fontMetrics().elidedText(self.key, Qt.TextElideMode.ElideRight, int(r.width() + 30))
        painter.drawText(QRectF(r.left() - 20, r.top() - 22, r.width() + 40, 20), _CENTRE, name)
        painter.setFont(theme.font("big"))
        tall = r.height() >= _TALL
        middle = r.center().y() + (0 if tall else 9)
        painter.drawText(QRectF(r.left(), middle - 19, r.width(), 20), _CENTRE, self.temperature)
        if not tall:
            return
        painter.setFont(theme.font("small"))
        painter.setPen(look.color("muted"))
        painter.drawText(QRectF(r.left(), middle + 2, r.width(), 16), _CENTRE, self.note or self._capacity)

    def _paint_low(self, painter: QPainter) -> None:
        """Name and temperature on one line inside: there is no room above."""
        r = self.rect.adjusted(5, 0, -5, 0)
        painter.setFont(theme.font("small", bold=True))
        metrics = painter.fontMetrics()
        painter.drawText(r, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.temperature)
        room = int(r.width() - metrics.horizontalAdvance(self.temperature) - 6)
        name = metrics.elidedText(self.key, Qt.TextElideMode.ElideRight, room)
        painter.drawText(r, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)


class DriveItem(PartItem):
    """The drive, with the watts it gives."""

    def __init__(self, key: str, rect: QRectF, select: object, name: str, kind: str) -> None:
        super().__init__(key, rect, select, name)
        self._name, self._kind = name, kind
        self.power = ""

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        look, r = theme.current(), self.rect
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(look.color("glacier"), 2.2) if self.selected else Qt.PenStyle.NoPen)
        painter.setBrush(look.color("ink"))
        painter.drawRoundedRect(r, theme.RADIUS, theme.RADIUS)
        painter.setPen(look.color("ink"))
        painter.setFont(theme.font(bold=True))
        name = painter.fontMetrics().elidedText(self._name, Qt.TextElideMode.ElideRight, int(r.width() + 16))
        painter.drawText(QRectF(r.left() - 10, r.top() - 22, r.width() + 20, 20), _CENTRE, name)
        painter.setPen(look.color("panel"))
        painter.setFont(theme.font("big"))
        low = r.height() < _TALL
        painter.drawText(r if low else r.adjusted(0, 0, 0, -16), _CENTRE, self.power)
        if not low:
            painter.setFont(theme.font("small"))
            painter.drawText(r.adjusted(2, 30, -2, 0), _CENTRE, self._kind)


class WallItem(PartItem):
    """The surroundings as a wall."""

    def __init__(self, key: str, rect: QRectF, select: object) -> None:
        super().__init__(key, rect, select, tell("Surroundings"))
        self.temperature = ""

    def shape(self) -> QPainterPath:
        path = QPainterPath()
        path.addRect(self.rect.adjusted(-4, 0, 100, 0))
        return path

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        look, r = theme.current(), self.rect
        painter.setPen(QPen(look.color("ink"), 1.5) if self.selected else Qt.PenStyle.NoPen)
        painter.setBrush(look.color("glacier"))
        painter.drawRoundedRect(r, 2, 2)
        left = QRectF(r.right() + 6, r.center().y() - 22, 96, 18)
        painter.setPen(look.color("ink"))
        painter.setFont(theme.font("small", bold=True))
        painter.drawText(left, Qt.AlignmentFlag.AlignVCenter, tell("Surroundings"))
        painter.setFont(theme.font("big"))
        painter.drawText(left.translated(0, 20), Qt.AlignmentFlag.AlignVCenter, self.temperature)


class ProbeItem(PartItem):
    """A probe, ringed, on a dotted lead below its body.

    Args:
        spot: where it hangs and where its text stands.
        letter: what stands in the ring.
    """

    def __init__(self, key: str, spot: Spot, select: object, name: str, note: str, letter: str) -> None:
        ring = QRectF(spot.at.x() - 10, spot.at.y() + 18, 20, 20)
        super().__init__(key, ring, select, name)
        self._spot, self._name, self._note, self._letter = spot, name, note, letter
        self.temperature = ""

    def drop_note(self) -> None:
        """Show no more than its name and what it reads."""
        self._note = ""

    def text_rect(self) -> QRectF:
        """Where its name stands."""
        r = self.rect
        if self._spot.below:
            return QRectF(
                r.right() - self._spot.room if self._spot.on_left else r.left(), r.bottom() + 2, self._spot.room, 16
            )
        left = r.left() - 7 - self._spot.room if self._spot.on_left else r.right() + 7
        return QRectF(left, r.top() - 6, self._spot.room, 32 if self._note else 16)

    def boundingRect(self) -> QRectF:
        return self.rect.adjusted(-self._spot.room - 16, -30, self._spot.room + 16, 20)

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        look, r = theme.current(), self.rect
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lead = QPen(look.color("ink"), 1.5)
        lead.setDashPattern([2, 2])
        painter.setPen(lead)
        painter.drawLine(QPointF(r.center().x(), self._spot.at.y() + 2), QPointF(r.center().x(), r.top()))
        painter.setPen(QPen(look.color("glacier" if self.selected else "ink"), 2.2 if self.selected else 1.5))
        painter.setBrush(look.color("panel"))
        painter.drawEllipse(r)
        painter.setPen(look.color("ink"))
        painter.setFont(theme.font("small", bold=True))
        painter.drawText(r, _CENTRE, self._letter)
        if self._spot.room <= 0:
            return
        text = self.text_rect()
        text.setHeight(16)
        edge = Qt.AlignmentFlag.AlignRight if self._spot.on_left else Qt.AlignmentFlag.AlignLeft
        side = Qt.AlignmentFlag.AlignVCenter | edge
        metrics = painter.fontMetrics()
        taken = metrics.horizontalAdvance(f" {self.temperature}")
        name = metrics.elidedText(self._name, Qt.TextElideMode.ElideRight, int(self._spot.room - taken))
        painter.drawText(text, side, f"{name} {self.temperature}".strip())
        painter.setFont(theme.font("small"))
        painter.setPen(look.color("muted"))
        note = painter.fontMetrics().elidedText(self._note, Qt.TextElideMode.ElideRight, int(self._spot.room))
        painter.drawText(text.translated(0, 16), side, note)


class ArrowItem(PartItem):
    """Heat under way between two points: as wide as its watts, pointing the way it goes.

    Attributes:
        label: where its watts stand, set by `heat_path` so that no label lies on another.
    """

    def __init__(self, key: str, start: QPointF, end: QPointF, select: object) -> None:
        super().__init__(key, QRectF(start, end).normalized(), select, "")
        self._start, self._end = start, end
        self._watts, self._full, self._note = 0.0, 1.0, ""
        self.label = QRectF()
        self.setZValue(-1)

    @property
    def ends(self) -> tuple[QPointF, QPointF]:
        """Where it begins and ends."""
        return self._start, self._end

    def places(self, width: float, height: float) -> list[QRectF]:
        """Where a label of a size could stand, the best first."""
        along = self._end - self._start
        length = math.hypot(along.x(), along.y())
        if length < _STUB:
            x, y = self._end.x(), self._end.y()
            spots = [(10, -height / 2 - 4), (-10 - width, -height / 2 - 4), (-width / 2, 2), (10, 4), (-10 - width, 4)]
            return [QRectF(x + dx, y + dy, width, height) for dx, dy in spots]
        across = abs(along.x()) > abs(along.y())
        found = []
        for share in (0.5, 0.65, 0.35, 0.78, 0.22):
            middle = self._start + along * share
            # Beside a slanting arrow a label needs more room: the arrow goes on past its corners.
            lean = abs(along.y() if across else along.x()) / max(length, 1.0)
            if across:
                away = 9 + height / 2 + lean * width / 2
                sides = [QPointF(0, -away), QPointF(0, away)]
            else:
                away = 10 + width / 2 + lean * height / 2
                sides = [QPointF(away, 0), QPointF(-away, 0), QPointF(away + 50, 0), QPointF(-away - 90, 0)]
            for side in sides:
                at = middle + side
                found.append(QRectF(at.x() - width / 2, at.y() - height / 2, width, height))
        return found

    def set_watts(self, watts: float, full: float, note: str = "") -> None:
        """Show so many watts from start to end (negative: the other way); `full` is the widest arrow's."""
        self._watts, self._full, self._note = watts, max(full, 1e-9), note
        self.update()

    def boundingRect(self) -> QRectF:
        return self.rect.adjusted(-24, -26, 24, 26).united(self.label)

    def shape(self) -> QPainterPath:
        path = QPainterPath()
        along = self._end - self._start
        length = max(math.hypot(along.x(), along.y()), 1.0)
        across = QPointF(-along.y() / length * 9, along.x() / length * 9)
        path.addPolygon(QPolygonF([self._start + across, self._end + across, self._end - across, self._start - across]))
        path.addRect(self.label)
        return path

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        look = theme.current()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        start, end = (self._start, self._end) if self._watts >= 0 else (self._end, self._start)
        along = end - start
        length = math.hypot(along.x(), along.y())
        if length < 1:
            return
        half = 0.8 + 7.0 * min(1.0, math.sqrt(abs(self._watts) / self._full))
        head = min(10.0 + half / 2, length / 2)
        painter.save()
        painter.translate(start)
        painter.rotate(math.degrees(math.atan2(along.y(), along.x())))
        shape = [
            QPointF(0, -half), QPointF(length - head, -half), QPointF(length - head, -half - 4), QPointF(length, 0),
            QPointF(length - head, half + 4), QPointF(length - head, half), QPointF(0, half),
        ]  # fmt: skip
        painter.setPen(QPen(look.color("ink"), 1.5) if self.selected else Qt.PenStyle.NoPen)
        painter.setBrush(look.color("ember", 0.55))
        painter.drawPolygon(QPolygonF(shape))
        painter.restore()
        painter.setPen(look.color("ink"))
        painter.setFont(theme.font("small", bold=True))
        lines = QRectF(self.label.left(), self.label.top(), self.label.width(), 15)
        painter.drawText(lines, _CENTRE, tell(show(abs(self._watts), Quantity.POWER)))
        if self._note:
            painter.setFont(theme.font("small"))
            painter.setPen(look.color("muted"))
            note = painter.fontMetrics().elidedText(self._note, Qt.TextElideMode.ElideRight, int(lines.width()))
            painter.drawText(lines.translated(0, 14), _CENTRE, note)


class LeadItem(QGraphicsItem):
    """A dotted lead from a fan or valve to an arrow that it drives."""

    def __init__(self, way: list[QPointF]) -> None:
        super().__init__()
        self._way = QPolygonF(way)
        self.setZValue(-2)

    def boundingRect(self) -> QRectF:
        return self._way.boundingRect().adjusted(-3, -3, 3, 3)

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        pen = QPen(theme.current().color("glacier"), 1.5)
        pen.setDashPattern([2, 3])
        painter.setPen(pen)
        painter.drawPolyline(self._way)


def temperature_text(degC: float, scale: Scale) -> str:
    """A temperature for a vessel."""
    return tell(show(degC, Quantity.TEMPERATURE, scale))
