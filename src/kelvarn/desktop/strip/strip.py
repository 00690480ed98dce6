"""The strip widget: a canvas with what mouse and keys do on it."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QFocusEvent, QHideEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from .canvas import Canvas
from .gestures import Gestures, Strokes


class Strip(Canvas):
    """Lanes on one time axis, with their gestures.

    Args:
        strokes: told when drags begin and end; None where nothing can be dragged.
    """

    def __init__(self, strokes: Strokes | None = None, parent: QWidget | None = None) -> None:
        super().__init__(able=strokes is not None, parent=parent)
        self._gestures = Gestures(self, strokes)

    def take_next(self) -> None:
        """Take the next thing that can be dragged, so that the arrow keys move it."""
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self._gestures.take_next()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.showing:
            self._gestures.press(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.showing:
            self._gestures.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._gestures.release(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._gestures.double_click(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.showing:
            self._gestures.wheel(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.showing or not self._gestures.key(event):
            super().keyPressEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        self._gestures.end_drag()
        self._gestures.leave()
        super().hideEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._gestures.leave()
        super().focusOutEvent(event)
