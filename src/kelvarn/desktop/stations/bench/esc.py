"""Esc stops, wherever it is pressed in the program."""

import time
from collections.abc import Callable

from PySide6.QtCore import QCoreApplication, QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent

_ONCE_S = 0.3


class EscStops(QObject):
    """Sees every key of the program.

    Args:
        wanted: whether Esc is to stop something now.
        stop: does it.
    """

    def __init__(self, wanted: Callable[[], bool], stop: Callable[[], None]) -> None:
        super().__init__()
        self._wanted, self._stop = wanted, stop
        self._said_at = 0.0
        application = QCoreApplication.instance()
        if application is not None:
            application.installEventFilter(self)

    def eventFilter(self, of: QObject, event: QEvent) -> bool:
        """Stop, and let the key go on to whom it was meant for: a dialog closes as well."""
        del of
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape:
            now = time.monotonic()
            if now - self._said_at > _ONCE_S and self._wanted():
                self._said_at = now
                self._stop()
        return False

    def let_go(self) -> None:
        """See no keys any more."""
        application = QCoreApplication.instance()
        if application is not None:
            application.removeEventFilter(self)
