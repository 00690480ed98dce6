"""The line in which something is typed."""

from PySide6.QtCore import QEvent
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit, QWidget

_OF_PROJECT = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)


class TypedLine(QLineEdit):
    """A line that undoes and redoes its own typing only while something is typed; else these keys are the project's.

    Attributes:
        wrong: whether what stands in it was refused.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.wrong = False

    @property
    def typing(self) -> bool:
        """Whether something is being typed here, also while the window is behind another one."""
        return self.isModified() and self.window().focusWidget() is self

    def mark(self, wrong: bool) -> None:
        """Show whether what stands in it was refused."""
        if wrong == self.wrong:
            return
        self.wrong = wrong
        self.setProperty("wrong", wrong)  # for the theme
        self.style().unpolish(self)
        self.style().polish(self)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and not self.isModified():
            assert isinstance(event, QKeyEvent)
            if any(event.matches(key) for key in _OF_PROJECT):
                event.ignore()
                return False
        return super().event(event)
