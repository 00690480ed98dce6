"""The strip widget: lays lanes out, paints them, and turns mouse and keys into zoom, cursor and drags."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from kelvarn.desktop import texts, theme
from kelvarn.desktop.focus import FocusRing
from kelvarn.desktop.texts import At

from .axis import Axis, time_ticks
from .content import Content
from .cursor import paint_cursor, paint_drag_flag
from .drive import BarcodeLane, DriveLane
from .events import EventsLane
from .handles import Edits, Handle
from .lane import Frame, Lane
from .temperature import TemperatureLane

GUTTER, RIGHT, BOTTOM, TOP, SPACE = 50, 6, 24, 20, 6
_LEAST_SPAN_S = 1.0
_HISTORY = 50
_MOST_BARCODES, _CURVES_NEED = 3, 380  # and what the other lanes should keep, px


class Strip(FocusRing):
    """Lanes on one time axis.

    Signals:
        cursor_moved: the user put the cursor at an instant, s.
        pin_changed: the cursor was pinned or set free.
    """

    cursor_moved = Signal(float)
    pin_changed = Signal(bool)

    def __init__(self, edits: Edits | None = None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        # It paints every pixel of itself, so that nothing below needs to be painted for it.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Strip: temperature, drive and events over time")
        self._edits = edits
        self._content: Content | None = None
        self._temperature = TemperatureLane()
        self._lanes: list[Lane] = []
        self._span: tuple[float, float] | None = None
        self._history: list[tuple[tuple[float, float] | None, tuple[float, float] | None]] = []
        self._layer: QPixmap | None = None
        self._ground: QPixmap | None = None
        self._ground_key: object = None
        self._stale = True
        self._cursor_s: float | None = None
        self._pinned = False
        self._drag: Handle | None = None
        self._drag_text = ""
        self._pan_from: tuple[float, tuple[float, float]] | None = None
        self._pressed_at = QPointF()
        self._pointer = QPointF()
        self._drag_offset = 0.0

    # What is shown

    def show_content(self, content: Content) -> None:
        """Show something else; zoom and cursor stay."""
        longer = self._content is None or content.trial.duration_s != self._content.trial.duration_s
        self._content = content
        if longer and self._drag is None:
            self._span = None
        self._choose_lanes(content)
        self._refresh()

    def _choose_lanes(self, content: Content) -> None:
        self._lanes = [self._temperature, DriveLane()]
        if not content.bodies:
            switching = [entry for entry in content.entries if entry.on_off]
            room = min(max((self.height() - _CURVES_NEED) // (BarcodeLane.height + SPACE), 1), _MOST_BARCODES)
            # Where there is no room for all, the selected one is among those that are shown.
            shown = sorted(switching, key=lambda entry: entry is not content.selected)[:room]
            self._lanes += [BarcodeLane(entry) for entry in sorted(shown, key=lambda entry: entry.index)]
        if content.trial.events or not content.by_hand:
            self._lanes.append(EventsLane())

    def set_cursor(self, time_s: float, pinned: bool) -> None:
        """Show the cursor at an instant."""
        self._cursor_s, self._pinned = time_s, pinned
        self.update()

    def _refresh(self) -> None:
        self._stale = True
        self.update()

    # Geometry

    def frames(self) -> list[tuple[Lane, Frame]]:
        """Lanes with their places."""
        if self._content is None:
            return []
        width = self.width() - GUTTER - RIGHT
        free = self.height() - TOP - BOTTOM - SPACE * (len(self._lanes) - 1) - sum(lane.height for lane in self._lanes)
        weights = sum(lane.weight for lane in self._lanes if not lane.height)
        time = self.time_axis()
        found, top = [], float(TOP)
        for lane in self._lanes:
            height = lane.height or max(28.0, free * lane.weight / weights)
            found.append((lane, Frame(QRectF(GUTTER, top, width, height), time)))
            top += height + SPACE
        return found

    def time_axis(self) -> Axis:
        """The shared time axis, in s."""
        assert self._content is not None
        low, high = self._span or (0.0, self._content.trial.duration_s)
        return Axis(low, high, GUTTER, self.width() - RIGHT)

    def temperature_axis(self) -> Axis:
        """Value axis of the temperature lane, in degC."""
        assert self._content is not None
        return self._temperature.axis(self.frames()[0][1], self._content)

    def handles(self) -> list[Handle]:
        """All that can be dragged now, the uppermost first."""
        if self._content is None or self._edits is None:
            return []
        return [handle for lane, frame in self.frames() for handle in lane.handles(frame, self._content)]

    def sizeHint(self) -> QSize:
        return QSize(680, 560)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 300)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        painter = QPainter(self)
        if self._content is None:
            painter.fillRect(self.rect(), theme.current().color("ground"))
            painter.end()
            return
        if self._drag is not None:  # each step paints anew: a layer to keep would only cost
            self.paint_lanes(painter)
        else:
            if self._stale or self._layer is None:
                self._layer = self._new_layer(self._layer)
                below = QPainter(self._layer)
                self.paint_lanes(below)
                below.end()
                self._stale = False
            painter.drawPixmap(0, 0, self._layer)
        if self._cursor_s is not None:
            # While something is dragged its own value is what counts, and the boxes would hide the curves.
            readings = self._drag is None
            paint_cursor(painter, self.frames(), self._content, self._cursor_s, self._pinned, readings=readings)
        if self._drag is not None and not self._temperature.says(self._drag, self._content):
            paint_drag_flag(painter, self._pointer, self._drag_text, self.rect())
        if self.ring:
            painter.setPen(theme.current().color("glacier"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _new_layer(self, old: QPixmap | None) -> QPixmap:
        """A pixmap of the strip's size; the old one where it fits."""
        ratio = self.devicePixelRatioF()
        if old is not None and old.size() == self.size() * ratio:
            return old
        made = QPixmap(self.size() * ratio)
        made.setDevicePixelRatio(ratio)
        return made

    def paint_lanes(self, painter: QPainter) -> None:
        """Paint all but the cursor."""
        assert self._content is not None
        frames, content = self.frames(), self._content
        key = (self.size(), theme.current(), [(frame, lane.ground_key(frame, content)) for lane, frame in frames])
        if key != self._ground_key or self._ground is None:
            self._ground_key = key
            self._ground = self._new_layer(self._ground)
            self._ground.fill(theme.current().color("ground"))
            below = QPainter(self._ground)
            for lane, frame in frames:
                lane.paint_ground(below, frame, content)
            self._paint_ticks(below, frames[-1][1])
            below.end()
        painter.drawPixmap(0, 0, self._ground)
        for lane, frame in frames:
            lane.paint(painter, frame, content)

    def _paint_ticks(self, painter: QPainter, lowest: Frame) -> None:
        muted = theme.current().color("muted")
        for at, text in time_ticks(lowest.time):
            x = lowest.time.to_px(at)
            box = QRectF(min(max(x - 40, 0), self.width() - 80), lowest.rect.bottom() + 4, 80, 18)
            at_end = x > self.width() - 40
            texts.paint(painter, box, text, muted, "small", at=At.RIGHT if at_end else At.CENTRE)

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self._content is not None:
            self._choose_lanes(self._content)
        self._refresh()
        super().resizeEvent(event)

    # Zoom

    def zoom_time(self, factor: float, centre_s: float) -> None:
        """Show `factor` times the span, keeping one instant in its place."""
        low, high = self.time_axis().low, self.time_axis().high
        self._zoom_to(centre_s - (centre_s - low) * factor, centre_s + (high - centre_s) * factor)

    def _zoom_to(self, low: float, high: float) -> None:
        assert self._content is not None
        whole = self._content.trial.duration_s
        self._remember()
        span = min(max(high - low, min(_LEAST_SPAN_S, whole)), whole)
        low = min(max(low, 0.0), whole - span)
        self._span = None if span >= whole else (low, low + span)
        self._refresh()

    def zoom_temperature(self, factor: float, centre_degC: float) -> None:
        """Show `factor` times the temperature range, keeping one temperature in its place."""
        axis = self.temperature_axis()
        self._remember()
        low = centre_degC - (centre_degC - axis.low) * factor
        high = centre_degC + (axis.high - centre_degC) * factor
        if 0.05 < high - low < 5000:
            self._temperature.range_degC = (low, high)
        self._refresh()

    def fit(self) -> None:
        """Show everything."""
        self._remember()
        self._span = self._temperature.range_degC = None
        self._refresh()

    def zoom_back(self) -> None:
        """Undo the last zoom or pan."""
        if self._history:
            self._span, self._temperature.range_degC = self._history.pop()
            self._refresh()

    def _remember(self) -> None:
        state = (self._span, self._temperature.range_degC)
        if not self._history or self._history[-1] != state:
            self._history.append(state)
            del self._history[:-_HISTORY]

    # Mouse

    def handle_at(self, position: QPointF) -> Handle | None:
        """What can be dragged at a point."""
        return next((handle for handle in self.handles() if handle.rect.contains(position)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self._content is None:
            return
        self._pointer = self._pressed_at = event.position()
        handle = self.handle_at(event.position())
        if handle is not None and self._edits is not None:
            self._drag = handle
            self._drag_offset = handle.value - self._value_at(handle, event.position())
            self._drag_text = ""
            self._temperature.held = True
            self._edits.begin_drag()
        else:
            axis = self.time_axis()
            self._pan_from = (event.position().x(), (axis.low, axis.high))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._content is None:
            return
        self._pointer = event.position()
        if self._drag is not None and self._edits is not None:
            value = self._value_at(self._drag, event.position()) + self._drag_offset
            self._drag_text = self._edits.drag(self._drag, value)
            self._refresh()
        elif self._pan_from is not None:
            start, (low, high) = self._pan_from
            if abs(event.position().x() - start) > 3 and self._span is not None:
                if self.cursor().shape() != Qt.CursorShape.ClosedHandCursor:
                    self._remember()
                    self.setCursor(Qt.CursorShape.ClosedHandCursor)
                whole = self._content.trial.duration_s
                low += min(max((start - event.position().x()) / self.time_axis().px_per_unit, -low), whole - high)
                self._span = (low, low + high - self._pan_from[1][0])
                self._refresh()
        else:
            handle = self.handle_at(event.position())
            shape = Qt.CursorShape.ArrowCursor
            if handle is not None:
                shape = Qt.CursorShape.SizeVerCursor if handle.vertical else Qt.CursorShape.SizeHorCursor
            self.setCursor(shape)
            self.setToolTip(handle.tip if handle is not None else "")
            if not self._pinned:
                self._move_cursor(self.time_axis().from_px(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._drag is not None and self._edits is not None:
            self._finish_drag()
            self._edits.end_drag()
        elif self._pan_from is not None:
            self._pan_from = None
            moved = (event.position() - self._pressed_at).manhattanLength() > 3
            self.setCursor(Qt.CursorShape.ArrowCursor)
            if not moved and self._content is not None:
                self._move_cursor(self.time_axis().from_px(event.position().x()))
                self._pin(not self._pinned)

    def hideEvent(self, event: QHideEvent) -> None:
        self._pan_from = None
        if self._drag is not None and self._edits is not None:  # the button's release will not come here any more
            self._finish_drag()
            self._edits.end_drag()
        super().hideEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.handle_at(event.position()) is None:
            self._pin(False)
            self.fit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self._content is None:
            return
        turned = event.angleDelta().y() or event.angleDelta().x()  # Shift turns the wheel sideways on some systems
        factor = 0.8 ** (turned / 120)
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.zoom_temperature(factor, self.temperature_axis().from_px(event.position().y()))
        else:
            self.zoom_time(factor, self.time_axis().from_px(event.position().x()))
        event.accept()

    def _value_at(self, handle: Handle, position: QPointF) -> float:
        axis, px = (self.temperature_axis(), position.y()) if handle.vertical else (self.time_axis(), position.x())
        return axis.from_px(px)

    def _finish_drag(self) -> None:
        self._drag = None
        self._temperature.held = False
        self._refresh()

    # Keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._content is None:
            return
        key = event.key()
        big = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        at = self._cursor_s or 0.0
        match key:
            case Qt.Key.Key_Escape if self._drag is not None and self._edits is not None:
                self._finish_drag()
                self._edits.abort_drag()
            case Qt.Key.Key_Escape if self._pinned:
                self._pin(False)
            case Qt.Key.Key_Left | Qt.Key.Key_Right:
                step = (10 if big else 1) * max(1 / self.time_axis().px_per_unit, self._interval())
                self._move_cursor(at + (step if key == Qt.Key.Key_Right else -step))
                self._pin(True)
            case Qt.Key.Key_Plus | Qt.Key.Key_Equal:
                self.zoom_time(0.8, at)
            case Qt.Key.Key_Minus:
                self.zoom_time(1.25, at)
            case Qt.Key.Key_Home | Qt.Key.Key_0:
                self.fit()
            case Qt.Key.Key_Backspace:
                self.zoom_back()
            case _:
                super().keyPressEvent(event)

    def _interval(self) -> float:
        result = self._content.result if self._content is not None else None
        return result.run.rig.probe.interval_s if result is not None else 1.0

    def _move_cursor(self, time_s: float) -> None:
        """Put the cursor on the sample nearest to an instant."""
        assert self._content is not None
        result = self._content.result
        last = float(result.run.time_s[-1]) if result is not None else self._content.trial.duration_s
        step = self._interval()
        snapped = float(np.clip(round(time_s / step) * step, 0.0, last))
        if snapped != self._cursor_s:
            self._cursor_s = snapped
            self.update()
            self.cursor_moved.emit(snapped)

    def _pin(self, pinned: bool) -> None:
        if pinned != self._pinned:
            self._pinned = pinned
            self.update()
            self.pin_changed.emit(pinned)
