"""Focus that is shown when it came by keyboard; a ring after each click would be noise."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QWidget

_BY_KEY = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.ShortcutFocusReason)


class FocusRing(QWidget):
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
