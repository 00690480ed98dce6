"""The cursor through all lanes: its time flag and what every trace reads there."""

import math
from collections.abc import Mapping, Sequence

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from kelvarn.desktop import theme
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.texts import At

from .axis import clock
from .frame import Frame
from .lane import INK, Lane, Readout
from .painting import paint_title, title_rect
from .wave import paint_wave

_MOST_NAME = 190.0
_AWAY = (6.0, 60.0, 120.0, 180.0)  # px from the cursor


def paint_cursor(
    painter: QPainter, frames: Sequence[tuple[Lane, Frame]], time_s: float, *, pinned: bool, readings: bool,
    labels: Mapping[str, Sequence[QRectF]],
) -> None:  # fmt: skip
    """Paint the cursor line, its flag and, if wanted, the readings of each lane beside it.

    Args:
        painter, frames: where.
        time_s: of the cursor.
        pinned: it stands still.
        readings: whether to say what traces read.
        labels: where labels stand in each lane, by its key; readings keep clear of them as far as they can.
    """
    first, last = frames[0][1], frames[-1][1]
    x = round(first.time.to_px(time_s)) + 0.5
    if not first.rect.left() - 1 <= x <= first.rect.right() + 1:
        return
    look = theme.current()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(look.color("ink"), 1))
    painter.drawLine(QPointF(x, first.rect.top()), QPointF(x, last.rect.bottom()))
    for lane, frame in frames:
        title = title_rect(lane, frame)
        if title.left() <= x <= title.right():
            paint_title(painter, lane, frame)  # again: the line went through it
        if lane.wave is not None:
            paint_wave(painter, lane.wave, frame, time_s, title.right())
    _paint_flag(painter, first, x, time_s, pinned)
    if not readings:
        return
    for lane, frame in frames:
        if found := lane.readings(time_s):
            _paint_readings(painter, frame, x, found, labels.get(lane.key, ()))


def _paint_flag(painter: QPainter, frame: Frame, x: float, time_s: float, pinned: bool) -> None:
    look = theme.current()
    text = clock(time_s, 1 if frame.time.high - frame.time.low < 7200 else 60)
    width = texts.laid_out(text, "small", bold=True).width + 16
    left = min(max(x - width / 2, frame.rect.left()), frame.rect.right() - width)
    rect = QRectF(left, frame.rect.top() - 19, width, 18)
    painter.setBrush(look.color("ink" if pinned else "panel"))
    painter.drawRoundedRect(rect, 3, 3)
    texts.paint(painter, rect, text, look.color("panel" if pinned else "ink"), "small", bold=True, at=At.CENTRE)


def _paint_readings(
    painter: QPainter, frame: Frame, x: float, readings: list[Readout], avoid: Sequence[QRectF]
) -> None:
    look = theme.current()
    row = math.ceil(texts.laid_out("", "small").height) + 1
    fit = max(1, int((frame.rect.height() - 8) // row))
    kept = sorted(readings, key=lambda reading: not reading.drawn)[:fit]  # what is seen goes before what is only read
    readings = [reading for reading in readings if reading in kept]
    most = int(min(_MOST_NAME, frame.rect.width() / 4))
    names = [texts.elided(reading.name, most, "small") for reading in readings]
    name_width = max(texts.laid_out(name, "small").width for name in names)
    width = 26 + name_width + 10 + max(texts.laid_out(reading.text, "small").width for reading in readings) + 8
    rect = _free_place(frame, x, width, row * len(readings) + 6, avoid)
    painter.setPen(QPen(look.color("hairline"), 1))
    painter.setBrush(look.color("panel", 0.92))
    painter.drawRoundedRect(rect, 3, 3)
    for k, (reading, name) in enumerate(zip(readings, names, strict=True)):
        top = rect.top() + 3 + k * row
        if reading.index != INK:
            pen = QPen(look.candidate(reading.index), 2)
            dash = theme.dash(reading.index)
            if dash:
                pen.setDashPattern([d / 2 for d in dash])
            painter.setPen(pen)
            painter.drawLine(QPointF(rect.left() + 6, top + row / 2), QPointF(rect.left() + 22, top + row / 2))
        line = QRectF(rect.left() + 27, top, rect.width() - 34, row)
        texts.paint(painter, line, name, look.color("muted"), "small")
        texts.paint(painter, line, reading.text, look.color("ink"), "small", at=At.RIGHT)


def _free_place(frame: Frame, x: float, width: float, height: float, avoid: Sequence[QRectF]) -> QRectF:
    """Beside the cursor, below or above, where it covers least of what is said there."""
    inside = frame.rect.adjusted(2, 2, -2, -2)
    spots = [
        (QRectF(left, top, width, height), away)
        for away in _AWAY
        for top in (frame.rect.bottom() - height - 3, frame.rect.top() + 4)
        for left in (x + away, x - away - width)
    ]
    fitting = [(r, away) for r, away in spots if inside.left() <= r.left() and r.right() <= inside.right() + 2]
    if not fitting:
        return QRectF(max(inside.right() - width, inside.left()), spots[0][0].top(), width, height)
    # Far from the cursor only where nearer ones would hide what is said.
    return min(fitting, key=lambda spot: sum(_common(spot[0], other) for other in avoid) + spot[1])[0]


def _common(a: QRectF, b: QRectF) -> float:
    shared = a.intersected(b)
    return shared.width() * shared.height()


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
