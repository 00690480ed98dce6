"""The strip as a picture: lays lanes out, paints them, knows zoom and cursor."""

from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QGuiApplication,
    QImage,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QSizePolicy, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.boxes import ask_where
from kelvarn.desktop.parts.images import open_buffer, png_of
from kelvarn.desktop.parts.keyboard import FocusRing
from kelvarn.desktop.parts.spoken import Role
from kelvarn.desktop.parts.texts import At
from kelvarn.files.writing import write_bytes

from .axis import Axis, clock, time_ticks
from .cursor import paint_cursor, paint_drag_flag
from .frame import GUTTER, RIGHT, Frame, lay_out
from .handles import handle_rect, paint_handles
from .lane import Handle, Lane, Shown
from .painting import paint_ground, paint_lane
from .zoom import Zoom


class Canvas(FocusRing):
    """Lanes on one time axis.

    Attributes:
        zoom: what is shown of time and values.
        pinned: the cursor stands still; `cursor_s`: where, s.
        able: something can be dragged.
        dragged: the handle under the mouse button; `taken`: the one that the arrow keys move.
        said: what the drag came to, in words; `pointer`: where the mouse is.

    Signals:
        cursor_moved: the user put the cursor at an instant, s.
        pin_changed: the cursor was pinned or set free.
        resized: it has another size.
    """

    role = Role.Chart
    cursor_moved = Signal(float)
    pin_changed = Signal(bool)
    resized = Signal()

    def __init__(self, *, able: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        # It paints every pixel of itself, so that nothing below needs to be painted for it.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tell("Strip: lanes over time"))
        self.zoom = Zoom()
        self.pinned = False
        self.cursor_s: float | None = None
        self.able = able
        self.dragged: Handle | None = None
        self.taken: Handle | None = None
        self.said = ""
        self.pointer = QPointF()
        self._shown: Shown | None = None
        self._layer: QPixmap | None = None
        self._ground: QPixmap | None = None
        self._ground_key: object = None
        self._labels: dict[str, list[QRectF]] = {}
        self._stale = True

    # What is shown

    def show_lanes(self, shown: Shown) -> None:
        """Show something else; zoom and cursor stay."""
        longer = self._shown is None or shown.end_s != self._shown.end_s
        self._shown = shown
        if longer and self.dragged is None:
            self.zoom.span = None
        self._follow()
        self.repaint_all()

    def _follow(self) -> None:
        """What was taken is another object now that something else is shown; it goes by its name."""
        if self.taken is not None:
            name = self.taken.name
            self.taken = next((handle for _, _, handle in self.handles() if handle.name == name), None)

    def set_cursor(self, time_s: float, pinned: bool) -> None:
        """Show the cursor at an instant."""
        self.cursor_s, self.pinned = time_s, pinned
        self.describe()
        self.update()

    def repaint_all(self) -> None:
        """What lies below the cursor is another picture."""
        self._stale = True
        self.update()

    def describe(self) -> None:
        """Say what is on the strip to those who cannot see it: values at the cursor, labels, what is taken."""
        if self._shown is None:
            return
        parts = []
        if self.taken is not None:
            parts.append(
                tell("{handle}: {value}; arrows move", handle=self.taken.name, value=self.said or self.taken.text)
            )
        if self.cursor_s is not None:
            readings = [
                f"{told(reading.name)} {told(reading.text)}"
                for lane in self._shown.lanes
                for reading in lane.readings(self.cursor_s)
            ]
            parts.append(
                tell("at {when}: {readings}", when=clock(self.cursor_s, 1), readings=", ".join(readings))
                if readings
                else ""
            )
        for lane in self._shown.lanes:
            said = [label.text for label in lane.labels] + [level.text for level in lane.levels]
            said += [span.text for span in lane.spans]
            parts += [f"{told(lane.title)}: {', '.join(told(text) for text in said if text)}"] if any(said) else []
        self.setAccessibleDescription(". ".join(filter(None, parts)))

    # Geometry

    def frames(self) -> list[tuple[Lane, Frame]]:
        """Lanes with their places."""
        if self._shown is None:
            return []
        return lay_out(self._shown.lanes, self.zoom, self.time_axis(), self.width(), self.height())

    @property
    def showing(self) -> bool:
        """Whether it shows anything."""
        return self._shown is not None

    @property
    def end_s(self) -> float:
        """End of the time axis."""
        return self._shown.end_s if self._shown is not None else 1.0

    @property
    def step_s(self) -> float:
        """Time between two samples; 0 where the cursor stands anywhere."""
        samples = self._shown.samples_s if self._shown is not None else np.empty(0)
        return float(samples[1] - samples[0]) if samples.size > 1 else 0.0

    def time_axis(self) -> Axis:
        """The shared time axis, in s."""
        return Axis(*self._span(), GUTTER, self.width() - RIGHT)

    def lane(self, key: str) -> tuple[Lane, Frame]:
        """A lane and its place, by its key; KeyError where it is not shown."""
        for lane, frame in self.frames():
            if lane.key == key:
                return lane, frame
        raise KeyError(key)

    def handles(self) -> list[tuple[Lane, Frame, Handle]]:
        """All that can be dragged now, the uppermost first."""
        if not self.able:
            return []
        return [(lane, frame, handle) for lane, frame in self.frames() for handle in lane.handles]

    def handle_at(self, position: QPointF) -> tuple[Lane, Frame, Handle] | None:
        """What can be dragged at a point."""
        return next(
            (found for found in self.handles() if handle_rect(found[2], found[0], found[1]).contains(position)), None
        )

    def rect_of(self, name: str) -> QRectF:
        """Where the handle of a name can be grabbed; empty where it is out of sight."""
        return next(
            (handle_rect(handle, lane, frame) for lane, frame, handle in self.handles() if handle.name == name),
            QRectF(),
        )

    def sizeHint(self) -> QSize:
        return QSize(680, 560)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 300)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        painter = QPainter(self)
        if self._shown is None:
            painter.fillRect(self.rect(), theme.current().color("ground"))
            painter.end()
            return
        dragged = self.dragged
        if dragged is not None:  # each step paints anew: a layer to keep would only cost
            self.paint_lanes(painter)
        else:
            if self._stale or self._layer is None:
                self._layer = self._new_layer(self._layer)
                below = QPainter(self._layer)
                self.paint_lanes(below)
                below.end()
                self._stale = False
            painter.drawPixmap(0, 0, self._layer)
        if self.cursor_s is not None:
            # While something is dragged its own value is what counts, and the boxes would hide the curves.
            paint_cursor(
                painter, self.frames(), self.cursor_s, pinned=self.pinned, readings=dragged is None, labels=self._labels
            )
        if dragged is not None and dragged.shape != "flag":  # a flag says its value itself
            paint_drag_flag(painter, self.pointer, self.said, self.rect())
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
        frames = self.frames()
        key = (self.size(), theme.current(), [(lane.key, lane.axis, frame) for lane, frame in frames])
        if key != self._ground_key or self._ground is None:
            self._ground_key = key
            self._ground = self._new_layer(self._ground)
            self._ground.fill(theme.current().color("ground"))
            below = QPainter(self._ground)
            self._paint_ground(below, frames)
            below.end()
        painter.drawPixmap(0, 0, self._ground)
        self._paint_lanes(painter, frames)

    def _paint_ground(self, painter: QPainter, frames: list[tuple[Lane, Frame]]) -> None:
        for lane, frame in frames:
            paint_ground(painter, lane, frame)
        if not frames:
            return
        lowest, muted = frames[-1][1], theme.current().color("muted")
        for at, text in time_ticks(lowest.time):
            x = lowest.time.to_px(at)
            at_end, at_begin = x > self.width() - 40, x < GUTTER + 20  # left of it stands the list of lanes
            left = x if at_begin else min(x - 40, self.width() - 80)
            box = QRectF(left, lowest.rect.bottom() + 4, 80, 18)
            texts.paint(
                painter, box, text, muted, "small", at=At.RIGHT if at_end else At.LEFT if at_begin else At.CENTRE
            )

    def _paint_lanes(self, painter: QPainter, frames: list[tuple[Lane, Frame]]) -> None:
        self._labels = {lane.key: paint_lane(painter, lane, frame) for lane, frame in frames}
        for lane, frame in frames:
            paint_handles(painter, lane, frame, self.taken)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.repaint_all()
        super().resizeEvent(event)
        self.resized.emit()

    # Pictures

    def image(self) -> QImage:
        """The strip as a picture of pixels."""
        made = QImage(self.size(), QImage.Format.Format_RGB32)
        painter = QPainter(made)
        self.paint_lanes(painter)
        painter.end()
        return made

    def copy(self) -> None:
        """Put a picture of it on the clipboard."""
        QGuiApplication.clipboard().setImage(self.image())

    def ask_picture(self) -> None:
        """Ask where, and save it as PNG or SVG. Raises FileError where it cannot be written."""
        path = ask_where(self, tell("Save the strip"), Path.home() / "strip.png", "PNG (*.png);;SVG (*.svg)")
        if path is not None:
            self.save_picture(path)

    def save_picture(self, path: Path) -> None:
        """Save it: as vectors where the suffix is .svg, else as PNG. Raises FileError where it cannot be written."""
        write_bytes(path, self._svg() if path.suffix.lower() == ".svg" else png_of(self.image()))

    def _svg(self) -> bytes:
        # Clipping came with version 1.1; all is drawn as it is on the screen, but as vectors.
        made = QSvgGenerator(QSvgGenerator.SvgVersion.Svg11)
        buffer = open_buffer()
        made.setOutputDevice(buffer)
        made.setSize(self.size())
        made.setViewBox(QRect(0, 0, self.width(), self.height()))
        painter = QPainter(made)
        painter.fillRect(self.rect(), theme.current().color("ground"))
        frames = self.frames()
        self._paint_ground(painter, frames)
        self._paint_lanes(painter, frames)
        painter.end()
        return bytes(buffer.data().data())

    # Zoom

    def zoom_time(self, factor: float, centre_s: float) -> None:
        """Show `factor` times the span, keeping one instant in its place."""
        self.zoom.time(factor, centre_s, self.end_s)
        self.repaint_all()

    def zoom_values(self, factor: float, y: float) -> None:
        """Show `factor` times the range of the lane at a height in px, keeping the value there in its place."""
        for lane, frame in self.frames():
            if frame.rect.top() <= y <= frame.rect.bottom() and lane.axis is not None:
                self.zoom.values(lane, frame.value, factor, frame.value.from_px(y))
                self.repaint_all()

    def fit(self) -> None:
        """Show everything."""
        self.zoom.fit()
        self.repaint_all()

    def zoom_to_setpoint(self) -> None:
        """Show what happens round the setpoint; where that is shown already, go back."""
        found = next(((lane, at) for lane, _ in self.frames() if (at := lane.near_band(*self._span()))), None)
        if found is None:
            return
        lane, at = found
        if self.zoom.ranges.get(lane.key) == at:
            self.zoom.back()
        else:
            self.zoom.remember()
            self.zoom.ranges[lane.key] = at
        self.repaint_all()

    def _span(self) -> tuple[float, float]:
        return self.zoom.span or (0.0, self.end_s)

    def zoom_back(self) -> None:
        """Undo the last zoom or pan."""
        if self.zoom.back():
            self.repaint_all()

    # Cursor

    def move_cursor(self, time_s: float) -> None:
        """Put the cursor on the sample nearest to an instant, as the user."""
        if self._shown is None:
            return
        samples = self._shown.samples_s
        at = float(np.clip(time_s, 0.0, self.end_s))
        if samples.size:
            after = min(int(np.searchsorted(samples, at)), samples.size - 1)
            before = max(after - 1, 0)
            at = float(samples[before if at - samples[before] <= samples[after] - at else after])
        if at != self.cursor_s:
            self.cursor_s = at
            self.update()
            self.cursor_moved.emit(at)

    def pin(self, pinned: bool) -> None:
        """Let the cursor stand still, or set it free, as the user."""
        if pinned != self.pinned:
            self.pinned = pinned
            self.update()
            self.pin_changed.emit(pinned)
