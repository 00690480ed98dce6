"""Esc stops, wherever it is pressed in the program."""

import time
from collections.abc import Callable

from PySide6.QtCore import QCoreApplication, QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent

_ONCE_S = 0.3


class EscStops(QObject):
    """Sees every key of the program while it watches.

    Args:
        stop: what Esc does.
    """

    def __init__(self, stop: Callable[[], None]) -> None:
        super().__init__()
        self._stop, self._watches, self._said_at = stop, False, 0.0

    def watch(self, on: bool) -> None:
        """Watch, or not: to see a key is to see every event (measured: a third of a change of theme)."""
        application = QCoreApplication.instance()
        if on == self._watches or application is None:
            return
        self._watches = on
        if on:
            application.installEventFilter(self)
        else:
            application.removeEventFilter(self)

    def eventFilter(self, of: QObject, event: QEvent) -> bool:
        """Stop, and let the key go on to whom it was meant for: a dialog closes as well."""
        del of
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape:
            now = time.monotonic()
            if now - self._said_at > _ONCE_S:
                self._said_at = now
                self._stop()
        return False
