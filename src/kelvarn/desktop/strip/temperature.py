"""The temperature lane: curves, setpoint, band, error fill and what a person would say about them."""

import math
from collections.abc import Hashable
from typing import Literal, NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from kelvarn.desktop import texts, theme
from kelvarn.desktop.texts import At
from kelvarn.engine.plan import setpoint_at
from kelvarn.model.candidate import OnOff
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, minutes, show, to_shown

from .axis import Axis, padded_range, value_ticks
from .content import Content, Line
from .handles import Handle
from .labels import Obstacles, draw
from .lane import Frame, Lane, dotted, grip
from .trace import Curve, Filling, columns, curve, draw_line, fill_between, polygon

_T = Quantity.TEMPERATURE
_TITLE_ROOM = 16
_MOST_NAME = 170.0  # px of a curve's name
_FAR = 50.0  # px from which on a line leads from a name to its curve


class TemperatureLane(Lane):
    """See the module."""

    weight = 5.0

    def __init__(self) -> None:
        self.range_degC: tuple[float, float] | None = None
        """Set by zooming; None fits the data."""
        self.held = False
        """While dragging, the range stands still: one that follows the data would tear the handle from the pointer."""
        self._fitted: tuple[float, float] = (0.0, 1.0)

    def title(self, content: Content) -> str:
        what = "Temperatures of the bodies" if content.bodies else "Temperature"
        if content.by_hand:
            what = "Open-loop step"
        return f"{what}, {content.scale.value}"

    def axis(self, frame: Frame, content: Content) -> Axis:
        """Its value axis, in degC."""
        low, high = self.range_degC or self._fit(content, frame.rect.height())
        return Axis(low, high, frame.rect.bottom(), frame.rect.top())

    def _fit(self, content: Content, height: float) -> tuple[float, float]:
        if self.held:
            return self._fitted
        plan = [] if content.by_hand else [change.to_degC for change in content.trial.plan.changes]
        lows = [float(line.degC.min()) for line in content.lines] + plan
        highs = [float(line.degC.max()) for line in content.lines] + plan
        low, high = padded_range(min(lows), max(highs), 0.06, 2.0)
        high += (high - low) * _TITLE_ROOM / height  # the title must not cover the highest curve
        self._fitted = (low, high)
        return low, high

    def paint(self, painter: QPainter, frame: Frame, content: Content) -> None:
        look = theme.current()
        axis = self.axis(frame, content)
        painter.save()
        painter.setClipRect(frame.rect)
        obstacles = Obstacles(frame.rect)
        curves: list[Curve] = []
        if not content.by_hand:
            obstacles.take(self._flag_rect(frame, content, axis).adjusted(-20, 0, 0, 0))
            self._paint_setpoint(painter, frame, content, axis)
        self._paint_limit(painter, frame, content, axis)
        for line in content.lines:
            drawn = curve(line.time_s, line.degC, frame.time, axis)
            if line.strong and not content.bodies:
                self._paint_error(painter, frame, content, axis, line.time_s, line.degC)
            dash = theme.dash(line.index)
            color = look.candidate(line.index, 0.35 if line.faded else 1.0)
            draw_line(painter, drawn.line, color, dash, 2 if line.strong else 1)
            obstacles.add_curve(drawn)
            curves.append(drawn)
        self._paint_edges(painter, frame, content, axis)
        obstacles.take(self.paint_title(painter, frame, content))
        self._say_margin(painter, frame, content, axis, obstacles)
        if content.bodies:
            self._name_lines(painter, frame, content, curves, obstacles)
        else:
            self._say(painter, frame, content, axis, obstacles)
        painter.restore()
        if not content.by_hand:
            self._paint_flag(painter, frame, content, axis)

    def ground_key(self, frame: Frame, content: Content) -> Hashable:
        return (self.axis(frame, content), content.scale)

    def paint_ground(self, painter: QPainter, frame: Frame, content: Content) -> None:
        super().paint_ground(painter, frame, content)
        self._paint_grid(painter, frame, content, self.axis(frame, content))

    def _paint_grid(self, painter: QPainter, frame: Frame, content: Content, axis: Axis) -> None:
        look = theme.current()
        shown = Axis(
            to_shown(axis.low, _T, content.scale), to_shown(axis.high, _T, content.scale), axis.at_low, axis.at_high
        )
        ticks, decimals = value_ticks(shown)
        for tick in ticks:
            y = round(shown.to_px(tick)) + 0.5
            if frame.rect.top() + 2 < y < frame.rect.bottom() - 2:
                painter.setPen(dotted(look.color("hairline")))
                painter.drawLine(QPointF(frame.rect.left(), y), QPointF(frame.rect.right(), y))
            if frame.rect.top() - 1 <= y <= frame.rect.bottom() + 1:
                text = QRectF(0, y - 9, frame.rect.left() - 10, 18)
                texts.paint(painter, text, f"{tick:.{decimals}f}", look.color("muted"), "small", at=At.RIGHT)

    def _plan_line(self, frame: Frame, content: Content) -> tuple[np.ndarray, np.ndarray]:
        """The plan as corner points in s and degC: doubled at steps, so that it rises straight up."""
        times = [0.0, content.trial.duration_s]
        for change in content.trial.plan.changes[1:]:
            times += [change.at_s - 1e-6, change.at_s]
        dense = np.linspace(frame.time.low, frame.time.high, 200)
        t = np.unique(np.concatenate([times, dense[(dense > 0) & (dense < content.trial.duration_s)]]))
        return t, setpoint_at(content.trial.plan, t, content.start_degC)

    def _limit(self, content: Content) -> tuple[Line, float, str] | None:
        """The strong curve, the hard limit of its body in degC and what it comes from; None without one."""
        line = next((line for line in content.lines if line.strong), None)
        if line is None or line.body is None or line.body.limit_degC is None:
            return None
        return line, line.body.limit_degC, line.body.limit_why

    def _paint_limit(self, painter: QPainter, frame: Frame, content: Content, axis: Axis) -> None:
        """Above the hard limit the ground is hatched."""
        found = self._limit(content)
        if found is None or (y := axis.to_px(found[1])) <= frame.rect.top():
            return
        look = theme.current()
        sides, top = np.array([frame.rect.left(), frame.rect.right()]), np.array([frame.rect.top()])
        fill_between(painter, frame.rect, sides, np.full(2, y), top, Filling(look.color("ember", 0.35), hatched=True))
        painter.setPen(QPen(look.color("ember"), 1))
        painter.drawLine(QPointF(frame.rect.left(), y), QPointF(frame.rect.right(), y))

    def _say_margin(self, painter: QPainter, frame: Frame, content: Content, axis: Axis, obstacles: Obstacles) -> None:
        """How much is left to the hard limit, or how far it is passed."""
        found = self._limit(content)
        if found is None:
            return
        line, limit, why = found
        look = theme.current()
        margin = limit - float(line.degC.max())
        side = "below" if margin >= 0 else "beyond"
        text = f"{show(abs(margin), Quantity.DIFFERENCE, content.scale)} {side} its limit{': ' if why else ''}{why}"
        anchor = QPointF(frame.rect.center().x(), max(axis.to_px(limit), frame.rect.top() + 4))
        draw(painter, obstacles.place(anchor, text), text, look.color("muted" if margin >= 0 else "ember"))

    def _paint_setpoint(self, painter: QPainter, frame: Frame, content: Content, axis: Axis) -> None:
        look = theme.current()
        t, r = self._plan_line(frame, content)
        x, y = frame.time.to_px(t), axis.to_px(r)
        half = abs(axis.px_per_unit) * content.trial.band_K
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("moss", 0.22))
        painter.drawPolygon(polygon(np.concatenate([x, x[::-1]]), np.concatenate([y - half, (y + half)[::-1]])))
        draw_line(painter, polygon(x, y), look.color("ink"))

    def _paint_error(
        self, painter: QPainter, frame: Frame, content: Content, axis: Axis, t: np.ndarray, degC: np.ndarray
    ) -> None:
        """Between curve and setpoint: a plain tint where it is too cold, hatched where it is too hot."""
        look = theme.current()
        x, value = columns(t, degC, frame.time)
        r = setpoint_at(
            content.trial.plan,
            np.clip((x - frame.time.at_low) / frame.time.px_per_unit + frame.time.low, 0, None),
            content.start_degC,
        )
        hot, cold = Filling(look.color("ember", 0.7), hatched=True), Filling(look.color("glacier", 0.13))
        fill_between(painter, frame.rect, x, axis.to_px(value), axis.to_px(r), hot, cold)

    def _edges(self, content: Content) -> list[tuple[str, float]]:
        """Edges of the selected on/off candidate: kind and degC."""
        if content.bodies or content.selected is None:
            return []
        c = content.selected.candidate.controller
        if not isinstance(c, OnOff):
            return []
        r = content.trial.plan.last_degC
        result = content.result
        sign = result.run.direction if result is not None else 1
        return [("edge_on", r - sign * c.below_K), ("edge_off", r + sign * c.above_K)]

    def _paint_edges(self, painter: QPainter, frame: Frame, content: Content, axis: Axis) -> None:
        look = theme.current()
        for _, degC in self._edges(content):
            y = round(axis.to_px(degC)) + 0.5
            assert content.selected is not None
            painter.setPen(QPen(look.candidate(content.selected.index), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(frame.rect.left(), y), QPointF(frame.rect.right(), y))

    def says(self, handle: Handle, content: Content) -> bool:
        """Whether the lane itself says the value of what is dragged, in its flag."""
        return handle.kind == "setpoint" and handle.index == len(content.trial.plan.changes) - 1

    def _flag_rect(self, frame: Frame, content: Content, axis: Axis) -> QRectF:
        y = min(max(axis.to_px(content.trial.plan.last_degC), frame.rect.top() + 10), frame.rect.bottom() - 10)
        return QRectF(frame.rect.right() - 62, y - 10, 62, 20)

    def _paint_flag(self, painter: QPainter, frame: Frame, content: Content, axis: Axis) -> None:
        look = theme.current()
        rect = self._flag_rect(frame, content, axis)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.color("ink"))
        painter.drawRoundedRect(rect, 3, 3)
        text = show(content.trial.plan.last_degC, _T, content.scale)
        texts.paint(painter, rect, text, look.color("panel"), "small", bold=True, at=At.CENTRE)
        for kind, degC in self._edges(content):
            y = axis.to_px(degC)
            if frame.rect.top() < y < frame.rect.bottom():
                assert content.selected is not None
                # Two grips at one height would hide each other: the lower edge points up a little, the upper down.
                shift = 3 if kind == "edge_on" else -3
                grip(painter, QPointF(frame.rect.left(), y + shift), look.candidate(content.selected.index))

    def _name_lines(
        self,
        painter: QPainter,
        frame: Frame,
        content: Content,
        curves: list[Curve],
        obstacles: Obstacles,
    ) -> None:
        look = theme.current()
        small = QFontMetricsF(theme.font("small", bold=True))
        named: list[tuple[QRectF, str, QColor]] = []
        for line, drawn in zip(content.lines, curves, strict=True):
            if not drawn.x.size:
                continue
            at = int(np.searchsorted(drawn.x, frame.rect.left() + 0.72 * frame.rect.width()))
            at = min(at, drawn.x.size - 1)
            name = small.elidedText(line.name, Qt.TextElideMode.ElideMiddle, _MOST_NAME)
            anchor = QPointF(float(drawn.x[at]), float(drawn.y[at]))
            rect = obstacles.place(anchor, name)
            end = _nearest(rect, anchor)
            if (end - anchor).manhattanLength() > _FAR:
                painter.setPen(QPen(look.candidate(line.index), 1))
                painter.drawLine(anchor, end)
            named.append((rect, name, look.candidate(line.index)))
        for rect, name, color in named:  # after all lines that lead there
            draw(painter, rect, name, color)

    def _say(self, painter: QPainter, frame: Frame, content: Content, axis: Axis, obstacles: Obstacles) -> None:
        """Overshoot, settling or swing of the selected candidate, in words where they happen."""
        result = content.result
        if result is None:
            return
        look = theme.current()
        for said in sayings(result, content):
            if not frame.time.low <= said.at_s <= frame.time.high:
                continue
            anchor = QPointF(frame.time.to_px(said.at_s), axis.to_px(said.degC))
            pen = QPen(look.color(said.color), 1)
            if said.of == "since":
                pen.setDashPattern([2, 3])
                painter.setPen(pen)
                painter.drawLine(anchor, QPointF(anchor.x(), frame.rect.bottom()))
                # Beside the line, above where the readings at the cursor are shown.
                middle = frame.rect.bottom() - 0.42 * frame.rect.height()
                anchor.setY(min(max(anchor.y() + 16, middle), frame.rect.bottom() - 26))
            rect = obstacles.place(anchor, said.text)
            if said.of == "peak":
                painter.setPen(pen)
                painter.drawLine(anchor, _nearest(rect, anchor))
            draw(painter, rect, said.text, look.color(said.color))

    def handles(self, frame: Frame, content: Content) -> list[Handle]:
        if content.bodies:
            return []
        axis = self.axis(frame, content)
        found = []
        for kind, degC in self._edges(content):
            shift = 3 if kind == "edge_on" else -3
            rect = QRectF(frame.rect.left() - 12, axis.to_px(degC) + shift - 6, 16, 12)
            which = "on" if kind == "edge_on" else "off"
            found.append(Handle(kind, 0, rect, True, degC, f"Drag to move the edge at which it switches {which}"))
        last = len(content.trial.plan.changes) - 1
        flag = self._flag_rect(frame, content, axis)
        found.append(Handle("setpoint", last, flag, True, content.trial.plan.last_degC, "Drag to move the setpoint"))
        for index, change in enumerate(content.trial.plan.changes):
            end = content.trial.duration_s if index == last else content.trial.plan.changes[index + 1].at_s
            x0, x1 = frame.time.to_px(change.at_s), frame.time.to_px(end)
            rect = QRectF(x0, axis.to_px(change.to_degC) - 4, x1 - x0, 8).intersected(frame.rect)
            if rect.width() > 0 and rect.height() > 0:
                found.append(Handle("setpoint", index, rect, True, change.to_degC, "Drag to move the setpoint"))
        return found

    def readings(self, content: Content, sample: int) -> list[tuple[int, str, str]]:
        found = [
            (line.index, line.name, show(float(line.degC[min(sample, line.degC.size - 1)]), _T, content.scale))
            for line in sorted(content.lines, key=lambda line: line.index)
        ]
        result = content.result
        if result is not None:
            k = min(sample, result.run.time_s.size - 1)
            if not content.by_hand:
                found.append((-1, "setpoint", show(float(result.run.setpoint_degC[k]), _T, content.scale)))
            if not content.bodies:
                found.append((-1, "probe reads", show(float(result.run.measured_degC[k]), _T, content.scale)))
        return found


def _nearest(rect: QRectF, point: QPointF) -> QPointF:
    """The point of a rectangle that is nearest to a point."""
    x = min(max(point.x(), rect.left()), rect.right())
    return QPointF(x, min(max(point.y(), rect.top()), rect.bottom()))


class Saying(NamedTuple):
    """What is said about a run where it happens: "peak" is led to that point, "since" marks all that follows it."""

    text: str
    at_s: float
    degC: float
    color: str
    of: Literal["peak", "since", "all"]


def sayings(result: Result, content: Content) -> list[Saying]:
    """Overshoot and settling, or swing, of the main setpoint window."""
    window, band = result.measures.main, content.trial.band_K
    over, settled, swing = (window.values.get(key) for key in ("overshoot_K", "settling_s", "swing_K"))
    r, lasts_s = window.setpoint_degC, window.to_s - window.from_s
    found: list[Saying] = []
    if settled is not None:
        if over and window.peak_s is not None:
            text = f"{show(over, Quantity.DIFFERENCE, content.scale, sign=True)} over at {minutes(window.peak_s)}"
            sampled = result.run.controlled_degC[int(np.searchsorted(result.run.time_s, window.peak_s))]
            peak_degC = r + math.copysign(over, float(sampled) - r)
            found.append(Saying(text, window.peak_s, peak_degC, "ember" if over > band else "muted", "peak"))
        found.append(Saying(f"settled {minutes(settled)}", window.from_s + settled, r, "moss", "since"))
    elif swing is not None and swing > 2 * band:
        period = window.values.get("swing_period_s")
        every = f" every {minutes(period)}" if period is not None else ""
        text = f"swings {show(swing, Quantity.DIFFERENCE, content.scale)}{every}, never settles"
        found.append(Saying(text, window.from_s + 0.55 * lasts_s, r + (over or 0.0), "ember", "all"))
    else:
        found.append(Saying("never settles", window.from_s + 0.8 * lasts_s, r, "ember", "all"))
    return found
