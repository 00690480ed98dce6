"""A lane painted: its ground, and what lies on it."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from kelvarn.desktop import theme
from kelvarn.desktop.language import number_told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.texts import At
from kelvarn.units import to_shown

from .axis import Axis, value_ticks
from .blocks import paint_bars, paint_blocks, paint_hatched
from .curves import DrawnCurve, Filling, columns, curve, draw_line, fill_between, polygon
from .frame import Frame
from .handles import handle_rect
from .labels import Obstacles, draw
from .lane import INK, Band, Label, Lane, LaneTrace, Level, Ribbon, ValueAxis

_MOST_NAME = 170  # px of a trace's name
_BEYOND = 14.0  # px from a level to what is said of it
_FAR = 50.0  # px from which on a line leads from a name to its curve
_LABEL_ROOM = 13.0  # px between two ticks that are given


def paint_ground(painter: QPainter, lane: Lane, frame: Frame) -> None:
    """Panel, border and scale: what stays the same while something is dragged."""
    look = theme.current()
    # Filled without and framed with antialiasing: a large rounded area takes twice as long in one go.
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.fillRect(frame.rect.adjusted(1, 1, -1, -1), look.color("panel"))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(look.color("hairline"), 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(frame.rect.adjusted(-0.5, -0.5, 0.5, 0.5), theme.RADIUS, theme.RADIUS)
    if lane.axis is not None:
        _paint_scale(painter, lane.axis, frame)


def _paint_scale(painter: QPainter, axis: ValueAxis, frame: Frame) -> None:
    look, rect, value = theme.current(), frame.rect, frame.value
    low, high = (to_shown(end, axis.quantity, axis.scale) for end in (value.low, value.high))
    shown = Axis(low, high, value.at_low, value.at_high)
    if axis.ticks is not None and (value.low, value.high) == axis.fixed:
        given = axis.ticks if abs(value.px_per_unit) >= _LABEL_ROOM else axis.ticks[-1:]
        ticks, decimals, lines = [to_shown(tick, axis.quantity, axis.scale) for tick in given], 0, False
    else:
        ticks, decimals = value_ticks(shown, spacing_px=min(36.0, max(rect.height() / 3, 16.0)))
        lines = True
    for tick in ticks:
        y = round(shown.to_px(tick)) + 0.5
        if lines and rect.top() + 2 < y < rect.bottom() - 2:
            painter.setPen(_dotted(look.color("hairline")))
            painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))
        if rect.top() - 1 <= y <= rect.bottom() + 1:
            text = QRectF(0, y - 9, rect.left() - 10, 18)
            texts.paint(painter, text, number_told(f"{tick:.{decimals}f}"), look.color("muted"), "small", at=At.RIGHT)


def paint_lane(painter: QPainter, lane: Lane, frame: Frame) -> list[QRectF]:
    """All but the ground and the handles; returns where labels stand, for what is painted later to keep clear of."""
    painter.save()
    painter.setClipRect(frame.rect)
    obstacles = Obstacles(frame.rect)
    for handle in lane.handles:
        if handle.shape == "flag":
            obstacles.take(handle_rect(handle, lane, frame).adjusted(-20, 0, 0, 0))
    for band in lane.bands:
        _paint_band(painter, band, frame)
    for ribbon in lane.ribbons:
        _paint_ribbon(painter, ribbon, frame)
    for level in lane.levels:
        _paint_level(painter, level, frame)
    traces = [trace for trace in lane.traces if trace.drawn]
    drawn = [curve(trace.time_s, trace.value, frame.time, frame.value) for trace in traces]
    for line in drawn:
        obstacles.add_curve(line)
    obstacles.take(title_rect(lane, frame))
    for level in lane.levels:  # under the curves: it is they that matter
        _say_level(painter, level, frame, obstacles)
    for trace, line in zip(traces, drawn, strict=True):
        _paint_trace(painter, trace, line, lane, frame)
    if lane.bars is not None:
        paint_bars(painter, lane.bars, frame)
    title = paint_title(painter, lane, frame)
    paint_hatched(painter, tuple(span for span in lane.spans if span.hatched), frame, obstacles)
    paint_blocks(painter, lane, frame, title)
    _name_traces(painter, traces, drawn, frame, obstacles)
    for label in lane.labels:
        _say(painter, label, frame, obstacles)
    painter.restore()
    if lane.nothing and not (lane.spans or lane.traces or lane.bars or lane.wave):
        area = frame.rect.adjusted(title.width() + 18, 0, 0, 0)
        texts.paint(painter, area, lane.nothing, theme.current().color("muted"), "small")
    return obstacles.placed


def title_rect(lane: Lane, frame: Frame) -> QRectF:
    """Where the title stands."""
    _, width, height = texts.laid_out(_shown_title(lane, frame), "small", bold=True)
    return QRectF(frame.rect.left() + 6, frame.rect.top() + 4, width + 6, height + 1)


def paint_title(painter: QPainter, lane: Lane, frame: Frame) -> QRectF:
    """The title, last, so that it stays readable; returns where it stands."""
    look, rect = theme.current(), title_rect(lane, frame)
    painter.fillRect(rect, look.color("panel", 0.8))
    color = look.color("muted") if lane.index == INK else look.candidate(lane.index)
    texts.paint(painter, rect, _shown_title(lane, frame), color, "small", bold=True, at=At.CENTRE)
    return rect


def _shown_title(lane: Lane, frame: Frame) -> str:
    return texts.elided(lane.title, int(frame.rect.width()) - 24, "small", bold=True)


def _paint_trace(painter: QPainter, trace: LaneTrace, drawn: DrawnCurve, lane: Lane, frame: Frame) -> None:
    look = theme.current()
    for band in lane.bands:
        if band.shaded is trace:
            _shade(painter, trace, band, frame)
    alpha = 0.35 if trace.faded else 1.0
    color = look.color("ink", alpha) if trace.index == INK else look.candidate(trace.index, alpha)
    if trace.filled:
        x, y = np.ascontiguousarray(drawn.x), np.ascontiguousarray(drawn.y)
        fill_between(painter, frame.rect, x, y, np.array([frame.value.to_px(0.0)]), Filling(faint(color, 0.3)))
        color = faint(color, 0.6)
    dash = theme.dash(trace.index) if trace.index != INK and not trace.filled else ()
    draw_line(painter, drawn.line, color, dash, 2 if trace.strong else 1)


def faint(color: QColor, alpha: float) -> QColor:
    """A colour with another opacity."""
    made = QColor(color)
    made.setAlphaF(alpha)
    return made


def _paint_band(painter: QPainter, band: Band, frame: Frame) -> None:
    look = theme.current()
    x, y = frame.time.to_px(band.time_s), frame.value.to_px(band.value)
    half = abs(frame.value.px_per_unit) * band.half
    upper, lower = (np.clip(y + side * half, frame.rect.top(), frame.rect.bottom()) for side in (-1, 1))
    across = np.clip(x, frame.rect.left(), frame.rect.right())
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(look.color("moss", 0.22))
    painter.drawPolygon(polygon(np.concatenate([across, across[::-1]]), np.concatenate([upper, lower[::-1]])))
    draw_line(painter, polygon(x, y), look.color("ink"))


def _paint_ribbon(painter: QPainter, ribbon: Ribbon, frame: Frame) -> None:
    look = theme.current()
    color = look.color("muted", 0.25) if ribbon.index == INK else look.candidate(ribbon.index, 0.22)
    x = np.clip(frame.time.to_px(ribbon.time_s), frame.rect.left(), frame.rect.right())
    low, high = (
        np.clip(frame.value.to_px(each), frame.rect.top(), frame.rect.bottom()) for each in (ribbon.low, ribbon.high)
    )
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    painter.drawPolygon(polygon(np.append(x, x[::-1]), np.append(high, low[::-1])))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _shade(painter: QPainter, trace: LaneTrace, band: Band, frame: Frame) -> None:
    """Between a curve and the setpoint: a plain tint where it is too cold, hatched where it is too hot."""
    look = theme.current()
    x, value = columns(trace.time_s, trace.value, frame.time)
    wanted = np.interp((x - frame.time.at_low) / frame.time.px_per_unit + frame.time.low, band.time_s, band.value)
    hot, cold = Filling(look.color("ember", 0.7), hatched=True), Filling(look.color("glacier", 0.13))
    fill_between(painter, frame.rect, x, frame.value.to_px(value), frame.value.to_px(wanted), hot, cold)


def _paint_level(painter: QPainter, level: Level, frame: Frame) -> None:
    look, rect, y = theme.current(), frame.rect, frame.value.to_px(level.value)
    color = look.color(level.color) if level.index == INK else look.candidate(level.index)
    if level.ground:
        if y >= rect.bottom() if level.below else y <= rect.top():
            return
        y = min(max(y, rect.top()), rect.bottom())
        sides, end = np.array([rect.left(), rect.right()]), np.array([rect.bottom() if level.below else rect.top()])
        hatched = level.ground == "hatched"
        ground = Filling(faint(color, 0.35 if hatched else 0.09), hatched=hatched)
        fill_between(painter, rect, sides, np.full(2, y), end, ground)
        painter.setPen(QPen(color, 1))
    elif not rect.top() <= y <= rect.bottom():
        return
    else:
        y = round(y) + 0.5
        painter.setPen(QPen(color, 1, Qt.PenStyle.DashLine))
    painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))


def _say_level(painter: QPainter, level: Level, frame: Frame, obstacles: Obstacles) -> None:
    y = frame.value.to_px(level.value)
    if level.text and (level.ground or frame.rect.top() <= y <= frame.rect.bottom()):
        beyond = 0.0 if not level.ground else _BEYOND if level.below else -_BEYOND  # on the side that is meant
        anchor = QPointF(frame.rect.center().x(), max(y + beyond, frame.rect.top() + 4))
        draw(painter, obstacles.place(anchor, level.text), level.text, theme.current().color(level.text_color))


def _name_traces(
    painter: QPainter, traces: list[LaneTrace], drawn: list[DrawnCurve], frame: Frame, obstacles: Obstacles
) -> None:
    """Names of the traces that have them at their curves, after all lines that lead there."""
    look = theme.current()
    named: list[tuple[QRectF, str, QColor]] = []
    for trace, line in zip(traces, drawn, strict=True):
        if not trace.named or not line.x.size:
            continue
        at = int(np.searchsorted(line.x, frame.rect.left() + 0.72 * frame.rect.width()))
        at = min(at, line.x.size - 1)
        name = texts.elided(trace.name, _MOST_NAME, "small", bold=True)
        anchor = QPointF(float(line.x[at]), float(line.y[at]))
        rect = obstacles.place(anchor, name)
        color = look.color("muted") if trace.index == INK else look.candidate(trace.index)
        end = _nearest(rect, anchor)
        if (end - anchor).manhattanLength() > _FAR:
            painter.setPen(QPen(color, 1))
            painter.drawLine(anchor, end)
        named.append((rect, name, color))
    for rect, name, color in named:
        draw(painter, rect, name, color)


def _say(painter: QPainter, label: Label, frame: Frame, obstacles: Obstacles) -> None:
    """What a person would say, where it happens."""
    if not frame.time.low <= label.at_s <= frame.time.high:
        return
    color = theme.current().color(label.color)
    y = min(max(frame.value.to_px(label.value), frame.rect.top()), frame.rect.bottom())
    anchor = QPointF(frame.time.to_px(label.at_s), y)
    pen = QPen(color, 1)
    if label.of == "since":
        pen.setDashPattern([2, 3])
        painter.setPen(pen)
        painter.drawLine(anchor, QPointF(anchor.x(), frame.rect.bottom()))
        # Beside the line, above where the readings at the cursor are shown.
        middle = frame.rect.bottom() - 0.42 * frame.rect.height()
        anchor.setY(min(max(anchor.y() + 16, middle), frame.rect.bottom() - 26))
    rect = obstacles.place(anchor, label.text)
    if label.of == "peak":
        painter.setPen(pen)
        painter.drawLine(anchor, _nearest(rect, anchor))
    draw(painter, rect, label.text, color)


def _nearest(rect: QRectF, point: QPointF) -> QPointF:
    """The point of a rectangle that is nearest to a point."""
    x = min(max(point.x(), rect.left()), rect.right())
    return QPointF(x, min(max(point.y(), rect.top()), rect.bottom()))


def _dotted(color: QColor) -> QPen:
    """A fine dotted pen for grid lines."""
    pen = QPen(color, 1)
    pen.setDashPattern([1, 3])
    return pen
