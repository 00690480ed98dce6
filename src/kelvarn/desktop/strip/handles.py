"""Where what can be dragged stands, and how it is drawn."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from kelvarn.desktop import theme
from kelvarn.desktop.parts import texts

from .blocks import block_rect
from .frame import Frame
from .lane import INK, Handle, Lane

_APART = 3  # px: two grips at one height would hide each other; one points up a little, the other down
_FLAG_WIDTH, _FLAG_HEIGHT = 62.0, 20.0
_CORNER = 5.0


def handle_rect(handle: Handle, lane: Lane, frame: Frame) -> QRectF:
    """Where a handle can be grabbed; empty where it is out of sight."""
    lane_rect, y = frame.rect, frame.value.to_px(handle.value)
    match handle.shape:
        case "flag":
            y = min(max(y, lane_rect.top() + 10), lane_rect.bottom() - 10)
            return QRectF(lane_rect.right() - _FLAG_WIDTH, y - 10, _FLAG_WIDTH, _FLAG_HEIGHT)
        case "grip":
            if not lane_rect.top() < y < lane_rect.bottom():
                return QRectF()
            return QRectF(lane_rect.left() - 12, y + (_APART if handle.up else -_APART) - 6, 16, 12)
        case "line":
            left, right = frame.time.to_px(handle.at_s), frame.time.to_px(handle.to_s)
            return QRectF(left, y - 4, right - left, 8).intersected(lane_rect)
        case "corner":
            x = frame.time.to_px(handle.at_s)
            return QRectF(x - 6, y - 6, 12, 12) if lane_rect.contains(QPointF(x, y)) else QRectF()
        case "block" | "block_end":
            block = block_rect(handle.at_s, handle.to_s, handle.row, lane, frame)
            if not block.intersects(lane_rect):
                return QRectF()
            if handle.shape == "block_end":  # grabbed beside the block, so that a narrow one can still be moved
                return QRectF(block.right() - 2, block.top(), 8, block.height())
            return block.adjusted(-3, 0, 0, 0)


def place_of(handle: Handle, lane: Lane, frame: Frame) -> QPointF:
    """The point of a handle that stands for its instant and value."""
    x = frame.time.to_px(handle.to_s if handle.shape == "block_end" else handle.at_s)
    rect = handle_rect(handle, lane, frame)
    if handle.moves == "value":
        return QPointF(rect.center().x(), frame.value.to_px(handle.value))
    return QPointF(x, rect.center().y() if handle.moves == "time" else frame.value.to_px(handle.value))


def paint_handles(painter: QPainter, lane: Lane, frame: Frame, taken: Handle | None) -> None:
    """Draw the handles of a lane that have a look of their own; `taken` has a ring, by whose name it is known."""
    look = theme.current()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for handle in lane.handles:
        rect = handle_rect(handle, lane, frame)
        if rect.isEmpty():
            continue
        color = look.color("ink") if handle.index == INK else look.candidate(handle.index)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        match handle.shape:
            case "flag":
                painter.drawRoundedRect(rect, 3, 3)
                texts.paint(painter, rect, handle.text, look.color("panel"), "small", bold=True, at=texts.At.CENTRE)
            case "grip":
                at = QPointF(frame.rect.left(), rect.center().y())
                painter.drawPolygon(QPolygonF([at, at + QPointF(-8, -5), at + QPointF(-8, 5)]))
            case "corner":
                middle = rect.center()
                painter.drawEllipse(middle, _CORNER, _CORNER)
                painter.setBrush(look.color("panel"))
                painter.drawEllipse(middle, _CORNER - 2, _CORNER - 2)
        if taken is not None and taken.name == handle.name:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.color("glacier"), 2))
            painter.drawRoundedRect(rect.adjusted(-2, -2, 2, 2), 3, 3)
