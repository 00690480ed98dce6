"""The cursor through all lanes: its time flag and what every trace reads there."""

import math

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from kelvarn.desktop import texts, theme
from kelvarn.desktop.texts import At

from .axis import clock
from .content import Content
from .lane import Frame, Lane


def paint_cursor(
    painter: QPainter,
    frames: list[tuple[Lane, Frame]],
    content: Content,
    time_s: float,
    pinned: bool,
    *,
    readings: bool,
) -> None:
    """Paint the cursor line, its flag and, if wanted, the readings of each lane beside it."""
    first, last = frames[0][1], frames[-1][1]
    x = round(first.time.to_px(time_s)) + 0.5
    if not first.rect.left() - 1 <= x <= first.rect.right() + 1:
        return
    look = theme.current()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(look.color("ink"), 1))
    painter.drawLine(QPointF(x, first.rect.top()), QPointF(x, last.rect.bottom()))
    for lane, frame in frames:
        title = lane.title_rect(frame, content)
        if title.left() <= x <= title.right():
            lane.paint_title(painter, frame, content)  # again: the line went through it
    _paint_flag(painter, first, x, time_s, pinned)
    result = content.result
    if result is None or not readings:
        return
    sample = round(time_s / result.run.rig.probe.interval_s)
    for lane, frame in frames:
        if found := lane.readings(content, sample):
            _paint_readings(painter, frame, x, found)


def _paint_flag(painter: QPainter, frame: Frame, x: float, time_s: float, pinned: bool) -> None:
    look = theme.current()
    text = clock(time_s, 1 if frame.time.high - frame.time.low < 7200 else 60)
    width = texts.laid_out(text, "small", bold=True).width + 16
    left = min(max(x - width / 2, frame.rect.left()), frame.rect.right() - width)
    rect = QRectF(left, frame.rect.top() - 19, width, 18)
    painter.setBrush(look.color("ink" if pinned else "panel"))
    painter.drawRoundedRect(rect, 3, 3)
    texts.paint(painter, rect, text, look.color("panel" if pinned else "ink"), "small", bold=True, at=At.CENTRE)


def _paint_readings(painter: QPainter, frame: Frame, x: float, readings: list[tuple[int, str, str]]) -> None:
    look = theme.current()
    row = math.ceil(texts.laid_out("", "small").height) + 1
    fit = max(1, int((frame.rect.height() - 8) // row))
    readings = readings[:fit]
    most = int(min(130, frame.rect.width() / 4))
    names = [texts.elided(name, most, "small") for _, name, _ in readings]
    name_width = max(texts.laid_out(name, "small").width for name in names)
    width = 26 + name_width + 10 + max(texts.laid_out(value, "small").width for _, _, value in readings) + 8
    height = row * len(readings) + 6
    left = x + 6 if x + 6 + width < frame.rect.right() else max(x - 6 - width, frame.rect.left() + 2)
    rect = QRectF(left, frame.rect.bottom() - height - 3, width, height)
    painter.setPen(QPen(look.color("hairline"), 1))
    painter.setBrush(look.color("panel", 0.92))
    painter.drawRoundedRect(rect, 3, 3)
    for k, ((index, _, value), name) in enumerate(zip(readings, names, strict=True)):
        top = rect.top() + 3 + k * row
        if index >= 0:
            pen = QPen(look.candidate(index), 2)
            dash = theme.dash(index)
            if dash:
                pen.setDashPattern([d / 2 for d in dash])
            painter.setPen(pen)
            painter.drawLine(QPointF(rect.left() + 6, top + row / 2), QPointF(rect.left() + 22, top + row / 2))
        line = QRectF(rect.left() + 27, top, rect.width() - 34, row)
        texts.paint(painter, line, name, look.color("muted"), "small")
        texts.paint(painter, line, value, look.color("ink"), "small", at=At.RIGHT)


def paint_drag_flag(painter: QPainter, pointer: QPointF, text: str, inside: QRect) -> None:
    """The value being dragged, beside the pointer."""
    if not text:
        return
    look = theme.current()
    _, width, height = texts.laid_out(text, bold=True)
    rect = QRectF(pointer.x() + 16, pointer.y() - 30, width + 16, height + 6)
    rect.moveRight(min(rect.right(), inside.right() - 4))
    rect.moveTop(max(rect.top(), 2))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(look.color("ink"))
    painter.drawRoundedRect(rect, 3, 3)
    texts.paint(painter, rect, text, look.color("panel"), bold=True, at=At.CENTRE)
