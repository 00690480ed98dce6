"""What arrow keys and their modifiers mean, the same everywhere."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent

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
