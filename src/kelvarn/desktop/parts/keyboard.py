"""What arrow keys mean; focus that is shown when it came by keyboard, since a ring after each click would be noise."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QWidget

from .spoken import Spoken

_BY_KEY = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.ShortcutFocusReason)
_STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1}


def value_step(event: QKeyEvent) -> float | None:
    """Steps of a value: right and up are more; Shift makes it ten, Alt a tenth. None for other keys."""
    step = _STEPS.get(Qt.Key(event.key()))
    if step is None:
        return None
    if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        return step * 10.0
    return step * 0.1 if event.modifiers() & Qt.KeyboardModifier.AltModifier else float(step)


def place_step(event: QKeyEvent) -> int | None:
    """Steps through a row of places: right and down are the next one. None for other keys."""
    key = Qt.Key(event.key())
    step = _STEPS.get(key)
    return -step if step is not None and key in (Qt.Key.Key_Up, Qt.Key.Key_Down) else step


class FocusRing(QWidget, Spoken):
    """A widget that knows whether to show its focus, as `ring`."""

    ring = False

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.ring = event.reason() in _BY_KEY
        self.update()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.ring = False
        self.update()
        super().focusOutEvent(event)
