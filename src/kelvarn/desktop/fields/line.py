"""The line in which something is typed."""

from PySide6.QtCore import QEvent
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit

_OF_PROJECT = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)


class Line(QLineEdit):
    """A line that undoes and redoes its own typing only while something is typed; else these keys are the project's."""

    @property
    def typing(self) -> bool:
        """Whether something is being typed here, also while the window is behind another one."""
        return self.isModified() and self.window().focusWidget() is self

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and not self.isModified():
            assert isinstance(event, QKeyEvent)
            if any(event.matches(key) for key in _OF_PROJECT):
                event.ignore()
                return False
        return super().event(event)
