"""The drive lane and the barcode of on-times."""

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from kelvarn.desktop import texts, theme
from kelvarn.desktop.texts import At
from kelvarn.engine.measures import at_limit
from kelvarn.engine.run import Run
from kelvarn.model.drives import heated_body
from kelvarn.units import Quantity, minutes, show

from .axis import Axis
from .content import Content, Entry
from .labels import Obstacles, draw
from .lane import Frame, Lane
from .trace import Filling, curve, draw_line, fill_between

_LEAST_SAID_S = 20.0
_LEAST_HATCHED_PX = 2.0  # narrower ones, which noise makes by the dozen, show when zoomed in
_LABEL_ROOM = 13.0  # px between the two figures of the scale


class DriveLane(Lane):
    """Drive of the selected candidate, 0…100 %, hatched where it is at its limit."""

    weight = 1.45

    def title(self, content: Content) -> str:
        result = content.result
        if result is None:
            return "Drive"
        heating = [d.power_W for d in result.run.rig.drives if heated_body(d) is not None]
        return f"Drive, % of {show(sum(heating), Quantity.POWER)}" if len(heating) == 1 else "Drive, %"

    def paint(self, painter: QPainter, frame: Frame, content: Content) -> None:
        result = content.result
        look = theme.current()
        axis = _drive_axis(frame)
        if result is None or content.selected is None:
            self.paint_title(painter, frame, content)
            return
        painter.save()
        painter.setClipRect(frame.rect)
        run = result.run
        drawn = curve(run.time_s, run.drive, frame.time, axis)
        filling = Filling(look.candidate(content.selected.index, 0.3))
        x, y = np.ascontiguousarray(drawn.x), np.ascontiguousarray(drawn.y)
        fill_between(painter, frame.rect, x, y, np.array([axis.to_px(0.0)]), filling)
        draw_line(painter, drawn.line, look.candidate(content.selected.index, 0.6))
        obstacles = Obstacles(frame.rect)
        obstacles.add_curve(drawn)
        obstacles.take(self.paint_title(painter, frame, content))
        self._paint_limits(painter, frame, run, axis, obstacles)
        painter.restore()

    def paint_ground(self, painter: QPainter, frame: Frame, content: Content) -> None:
        super().paint_ground(painter, frame, content)
        axis = _drive_axis(frame)
        muted = theme.current().color("muted")
        room = abs(axis.px_per_unit) >= _LABEL_ROOM
        for level, text in ((0.0, "0"), (1.0, "100")) if room else ((1.0, "100"),):
            box = QRectF(0, axis.to_px(level) - 9, frame.rect.left() - 10, 18)
            texts.paint(painter, box, text, muted, "small", at=At.RIGHT)

    def _paint_limits(self, painter: QPainter, frame: Frame, run: Run, axis: Axis, obstacles: Obstacles) -> None:
        look = theme.current()
        edges: list[float] = []
        said: list[tuple[float, str]] = []
        for start, end in long_spans(run):
            left = max(frame.time.to_px(start), frame.rect.left())
            right = min(frame.time.to_px(end), frame.rect.right())
            if right - left < _LEAST_HATCHED_PX:
                continue
            edges += [left - 0.01, left, right, right + 0.01]
            full = run.drive[int(np.searchsorted(run.time_s, start))] > 0.5
            if end - start >= _LEAST_SAID_S and (full or right - left > 40):
                said.append((right, f"{'flat out' if full else 'shut off'} {minutes(end - start)}"))
        # All in one filling: each one by itself takes as long as all of them.
        upper = np.full(len(edges), frame.rect.bottom())
        upper.reshape(-1, 4)[:, 1:3] = frame.rect.top()
        gold, lower = Filling(look.color("gold", 0.6), hatched=True), np.array([frame.rect.bottom()])
        fill_between(painter, frame.rect, np.array(edges), upper, lower, gold)
        for right, text in said:
            rect = obstacles.place(QPointF(right, frame.rect.center().y()), text)
            draw(painter, rect, text, look.color("gold"))

    def readings(self, content: Content, sample: int) -> list[tuple[int, str, str]]:
        found = []
        for entry in content.entries:
            if entry.result is not None:
                k = min(sample, entry.result.run.drive.size - 1)
                text = show(float(entry.result.run.drive[k]), Quantity.DRIVE)
                found.append((entry.index, entry.candidate.name, text))
        return found


def _drive_axis(frame: Frame) -> Axis:
    return Axis(0.0, 1.0, frame.rect.bottom() - 4, frame.rect.top() + 18)  # below the title


def long_spans(run: Run) -> list[tuple[float, float]]:
    """Spans in s in which the drive is at one of its limits, short gaps closed: noise would cut them to pieces."""
    held = at_limit(run)
    return sorted(_spans(run, held & (run.asked > run.drive)) + _spans(run, held & (run.asked < run.drive)))


def _spans(run: Run, held: npt.NDArray[np.bool_]) -> list[tuple[float, float]]:
    at = np.flatnonzero(held)
    if not at.size:
        return []
    step = run.rig.probe.interval_s
    gap = max(3, round(30 / step))
    cuts = np.flatnonzero(np.diff(at) > gap)
    firsts, lasts = at[np.append(0, cuts + 1)], at[np.append(cuts, at.size - 1)]
    return [(float(run.time_s[a]), float(run.time_s[b]) + step) for a, b in zip(firsts, lasts, strict=True)]


class BarcodeLane(Lane):
    """On-times of one on/off candidate as bars."""

    height = 40

    def __init__(self, entry: Entry) -> None:
        self.entry = entry

    def title(self, content: Content) -> str:
        return self.entry.candidate.name

    def title_color(self) -> QColor:
        return theme.current().candidate(self.entry.index)

    def paint(self, painter: QPainter, frame: Frame, content: Content) -> None:
        if self.entry.result is not None:
            run = self.entry.result.run
            on = np.concatenate([[False], run.drive > 0.5, [False]])
            edges = np.flatnonzero(on[1:] != on[:-1])
            ends = np.append(run.time_s, run.time_s[-1])
            left, right = frame.time.to_px(ends[edges[0::2]]), frame.time.to_px(ends[edges[1::2]])
            painter.save()
            painter.setClipRect(frame.rect)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.current().candidate(self.entry.index, 0.75))
            top, height = frame.rect.top() + 21, frame.rect.height() - 27  # below the title
            bars = [
                QRectF(a, top, max(b - a, 1.0), height)
                for a, b in zip(left.tolist(), right.tolist(), strict=True)
                if b >= frame.rect.left() and a <= frame.rect.right()
            ]
            painter.drawRects(bars)
            painter.restore()
        self.paint_title(painter, frame, content)
