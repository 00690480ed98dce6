"""What mouse and keys do on the strip: zoom, pan, cursor, and drags of its handles."""

from typing import Protocol

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.keyboard import value_step
from kelvarn.desktop.parts.plain import plain_tip

from .canvas import Canvas
from .frame import Frame
from .handles import place_of
from .lane import Lane

_CLICK_PX = 3  # moved by less it was a click
_ARROWS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)


class Strokes(Protocol):
    """What the edits of a drag are told to, so that all of a drag is one entry of undo."""

    @property
    def in_stroke(self) -> bool:
        """Whether one is under way."""

    def begin_stroke(self) -> None:
        """A drag begins."""

    def end_stroke(self) -> None:
        """It is done."""

    def abort_stroke(self) -> None:
        """It is given up: everything as before."""


class Gestures:
    """Turns events of the strip into what they mean.

    Args:
        strip: whose events they are.
        strokes: told when drags begin and end; None where nothing can be dragged.
    """

    def __init__(self, strip: Canvas, strokes: Strokes | None) -> None:
        self._strip, self._strokes = strip, strokes
        self._offset = QPointF()
        self._axes: tuple[Lane, Frame] | None = None
        self._pressed_at = QPointF()
        self._pan_from: tuple[float, tuple[float, float]] | None = None

    # Mouse

    def press(self, event: QMouseEvent) -> None:
        """A button goes down: on a handle a drag begins, else a pan, or what may become a click."""
        self.leave()
        self._strip.pointer = self._pressed_at = event.position()
        found = self._strip.handle_at(event.position())
        if found is not None and self._strokes is not None:
            lane, frame, handle = found
            self._strip.dragged, self._axes, self._strip.said = handle, (lane, frame), ""
            self._offset = place_of(handle, lane, frame) - event.position()
            self._strip.zoom.held = True
            self._strokes.begin_stroke()
        else:
            axis = self._strip.time_axis()
            self._pan_from = (event.position().x(), (axis.low, axis.high))

    def move(self, event: QMouseEvent) -> None:
        """The mouse moves."""
        self._strip.pointer = event.position()
        if self._strip.dragged is not None and self._axes is not None:
            _, frame = self._axes
            at = event.position() + self._offset
            self._strip.said = self._strip.dragged.drag(frame.time.from_px(at.x()), frame.value.from_px(at.y()))
            self._strip.repaint_all()
        elif self._pan_from is not None:
            self._pan(event.position())
        else:
            self._hover(event.position())

    def _pan(self, at: QPointF) -> None:
        assert self._pan_from is not None
        strip, (start, (low, high)) = self._strip, self._pan_from
        if abs(at.x() - start) <= _CLICK_PX or strip.zoom.span is None:
            return
        if strip.cursor().shape() != Qt.CursorShape.ClosedHandCursor:
            strip.zoom.remember()
            strip.setCursor(Qt.CursorShape.ClosedHandCursor)
        moved = min(max((start - at.x()) / strip.time_axis().px_per_unit, -low), strip.end_s - high)
        strip.zoom.span = (low + moved, high + moved)
        strip.repaint_all()

    def _hover(self, at: QPointF) -> None:
        found = self._strip.handle_at(at)
        shape, tip = Qt.CursorShape.ArrowCursor, ""
        if found is not None:
            moves, tip = found[2].moves, tell("Drag: {name}", name=found[2].name)
            shape = {
                "value": Qt.CursorShape.SizeVerCursor, "time": Qt.CursorShape.SizeHorCursor,
                "both": Qt.CursorShape.SizeAllCursor,
            }[moves]  # fmt: skip
        self._strip.setCursor(shape)
        self._strip.setToolTip(plain_tip(tip))
        if not self._strip.pinned:
            self._strip.move_cursor(self._strip.time_axis().from_px(at.x()))

    def release(self, event: QMouseEvent) -> None:
        """The button comes up."""
        if self._strip.dragged is not None:
            self.end_drag()
        elif self._pan_from is not None:
            self._pan_from = None
            self._strip.setCursor(Qt.CursorShape.ArrowCursor)
            if (event.position() - self._pressed_at).manhattanLength() <= _CLICK_PX:
                self._strip.move_cursor(self._strip.time_axis().from_px(event.position().x()))
                self._strip.pin(not self._strip.pinned)

    def end_drag(self, *, abort: bool = False) -> None:
        """The drag, if there is one, is done or given up; also where the button's release will not come any more."""
        self._pan_from = None
        if self._strip.dragged is None or self._strokes is None:
            return
        self._strip.dragged = self._axes = None
        self._strip.zoom.held = False
        self._strip.repaint_all()
        if abort:
            self._strokes.abort_stroke()
        else:
            self._strokes.end_stroke()

    def double_click(self, event: QMouseEvent) -> None:
        """Beside all handles it fits everything."""
        if self._strip.handle_at(event.position()) is None:
            self._strip.pin(False)
            self._strip.fit()

    def wheel(self, event: QWheelEvent) -> None:
        """The wheel zooms time round the cursor, with Shift the values of the lane under it."""
        turned = event.angleDelta().y() or event.angleDelta().x()  # Shift turns the wheel sideways on some systems
        factor = 0.8 ** (turned / 120)
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._strip.zoom_values(factor, event.position().y())
        else:
            self._strip.zoom_time(factor, self._strip.time_axis().from_px(event.position().x()))
        event.accept()

    # Keys

    def key(self, event: QKeyEvent) -> bool:
        """A key goes down; whether it means something here."""
        strip, key = self._strip, event.key()
        at = strip.cursor_s or 0.0
        if key == Qt.Key.Key_Escape and self._strip.dragged is not None:
            self.end_drag(abort=True)
        elif self._strip.taken is not None and self._key_of_taken(event):
            pass
        elif key == Qt.Key.Key_Escape and strip.pinned:
            strip.pin(False)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (value_step(event) or 0.0) * max(1 / strip.time_axis().px_per_unit, strip.step_s)
            strip.move_cursor(at + step)
            strip.pin(True)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            strip.zoom_time(0.8, at)
        elif key == Qt.Key.Key_Minus:
            strip.zoom_time(1.25, at)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_0):
            strip.fit()
        elif key == Qt.Key.Key_Backspace:
            strip.zoom_back()
        else:
            return False
        return True

    def take_next(self) -> None:
        """Take the next thing that can be dragged, so that the arrow keys move it; after the last one none."""
        handles = [handle for _, _, handle in self._strip.handles()] if self._strokes is not None else []
        names = [handle.name for handle in handles]
        at = (
            names.index(self._strip.taken.name) + 1
            if self._strip.taken is not None and self._strip.taken.name in names
            else 0
        )
        self.leave()
        self._strip.said = ""
        if at < len(handles):
            self._strip.taken = handles[at]
        self._strip.repaint_all()
        self._strip.describe()

    def leave(self) -> None:
        """Let go of what the arrow keys moved."""
        if self._strip.taken is not None and self._strokes is not None:
            self._strip.taken = None
            self._strip.zoom.held = False
            self._strokes.end_stroke()
            self._strip.repaint_all()

    def _key_of_taken(self, event: QKeyEvent) -> bool:
        handle, key = self._strip.taken, event.key()
        assert handle is not None
        assert self._strokes is not None
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.leave()
        elif key == Qt.Key.Key_Escape:
            self._strip.taken = None
            self._strip.zoom.held = False
            self._strokes.abort_stroke()
            self._strip.repaint_all()
        elif key in _ARROWS:
            step = value_step(event) or 0.0
            sideways = key in (Qt.Key.Key_Left, Qt.Key.Key_Right)
            if handle.moves != ("time" if sideways else "value") and handle.moves != "both":
                return True
            self._strip.zoom.held = True
            if not self._strokes.in_stroke:  # the first key, or something else has ended it
                self._strokes.begin_stroke()
            at_s = handle.to_s if handle.shape == "block_end" else handle.at_s
            self._strip.said = handle.drag(
                at_s + (step * handle.step_s if sideways else 0.0),
                handle.value + (0.0 if sideways else step * handle.step),
            )
            self._strip.describe()
        else:
            return False
        return True
