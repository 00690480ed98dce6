"""Spans as blocks in rows, their texts, and bars of on-times."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from kelvarn.desktop import theme
from kelvarn.desktop.parts import texts

from .curves import Filling, fill_between
from .frame import Frame
from .labels import Obstacles, draw
from .lane import Bars, Lane, LaneSpan

_BELOW_TITLE = 20.0  # px from the top of a lane
_LEAST_BLOCK_PX = 5.0
_LEAST_HATCHED_PX = 2.0  # narrower ones, which noise makes by the dozen, show when zoomed in
_LEAST_SAID_PX = 40.0  # of a hatched one that is not worth it at any width


def rows_of(spans: list[tuple[float, float]]) -> list[int]:
    """A row for each of some stretches of time, so that those of one row do not overlap."""
    until: list[float] = []
    found = []
    for begin, end in spans:
        row = next((k for k, before in enumerate(until) if before <= begin), len(until))
        if row == len(until):
            until.append(end)
        until[row] = end
        found.append(row)
    return found


def block_rect(from_s: float, to_s: float, row: int, lane: Lane, frame: Frame) -> QRectF:
    """Where a block of a row stands."""
    rows = 1 + max((span.row for span in lane.spans), default=0)
    top = _BELOW_TITLE if lane.below_title else 7.0
    height = (frame.rect.height() - 7 - top) / rows
    left, right = frame.time.to_px(from_s), frame.time.to_px(to_s)
    return QRectF(left, frame.rect.top() + top + row * height, max(right - left, _LEAST_BLOCK_PX), height - 1)


def paint_blocks(painter: QPainter, lane: Lane, frame: Frame, title: QRectF) -> None:
    """Paint the spans of a lane that are blocks, with their texts beside or in them."""
    look = theme.current()
    spans = [span for span in lane.spans if not span.hatched]
    blocks = [block_rect(span.from_s, span.to_s, span.row, lane, frame) for span in spans]
    taken = [*blocks, title]
    for span, block in zip(spans, blocks, strict=True):
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color(span.color, 0.32 if span.faint else 0.8))
        painter.drawRoundedRect(block.intersected(frame.rect), 2, 2)
        area = _text_area(span.text, block, frame.rect, taken)
        inside = area.left() >= block.left() and area.right() <= block.right() + 1
        color = look.color("panel" if inside and not span.faint else "ink")
        texts.paint(painter, area, span.text, color, "small", bold=True, cut=True)
        taken.append(area)


def _text_area(text: str, block: QRectF, lane: QRectF, taken: list[QRectF]) -> QRectF:
    """Where a block's text goes: inside it, else beside it where there is most room, and cut if it must be."""
    seen = block.intersected(lane).adjusted(7, 0, -3, 0)
    width = texts.laid_out(text, "small", bold=True).width + 2
    if width <= seen.width():
        return seen
    others = [rect for rect in taken if rect.top() < block.bottom() and block.top() < rect.bottom()]
    end = min((r.left() for r in others if r.left() >= block.right()), default=lane.right()) - 6
    begin = max((r.right() for r in others if r.right() <= block.left()), default=lane.left()) + 6
    left, right = block.left() - 6, block.right() + 6
    if right + width <= end or end - right >= max(left - begin, seen.width()):
        return QRectF(right, block.top(), min(width, end - right), block.height())
    if left - begin > seen.width():
        room = min(width, left - begin)
        return QRectF(left - room, block.top(), room, block.height())
    return seen


def paint_hatched(painter: QPainter, spans: tuple[LaneSpan, ...], frame: Frame, obstacles: Obstacles) -> None:
    """Hatch stretches of time over the whole height, and say what is worth saying of them."""
    look, edges, said = theme.current(), list[float](), list[tuple[float, str]]()
    for span in spans:
        left = max(frame.time.to_px(span.from_s), frame.rect.left())
        right = min(frame.time.to_px(span.to_s), frame.rect.right())
        if right - left < _LEAST_HATCHED_PX:
            continue
        edges += [left - 0.01, left, right, right + 0.01]
        if span.text and (span.worth or right - left > _LEAST_SAID_PX):
            said.append((right, span.text))
    if not edges:
        return
    # All in one filling: each one by itself takes as long as all of them.
    upper = np.full(len(edges), frame.rect.bottom())
    upper.reshape(-1, 4)[:, 1:3] = frame.rect.top()
    gold = Filling(look.color("gold", 0.6), hatched=True)
    fill_between(painter, frame.rect, np.array(edges), upper, np.array([frame.rect.bottom()]), gold)
    for right, text in said:
        rect = obstacles.place(QPointF(right, frame.rect.center().y()), text)
        draw(painter, rect, text, look.color("gold"))


def paint_bars(painter: QPainter, bars: Bars, frame: Frame) -> None:
    """Paint on-times as bars below the title."""
    inside = (bars.to_s >= frame.time.low) & (bars.from_s <= frame.time.high)
    ends = (frame.time.to_px(each[inside]) for each in (bars.from_s, bars.to_s))
    left, right = (np.clip(each, frame.rect.left(), frame.rect.right()) for each in ends)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.current().candidate(bars.index, 0.75))
    top, height = frame.rect.top() + 21, frame.rect.height() - 27
    painter.drawRects(
        [QRectF(a, top, max(b - a, 1.0), height) for a, b in zip(left.tolist(), right.tolist(), strict=True)]
    )
