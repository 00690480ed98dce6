"""Notes: text of several lines, taken when it is left."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QPlainTextEdit, QVBoxLayout, QWidget

from kelvarn.desktop import theme

from .binding import Binding, Wrong

_HEIGHT = 58


class NotesEdit(QPlainTextEdit):
    """The text itself. It holds no state but what is being typed."""

    def __init__(self, binding: Binding) -> None:
        super().__init__()
        self.binding = binding
        self.setAccessibleName(binding.title)
        self.setPlaceholderText(binding.title.lower())
        self.setToolTip(binding.meaning)
        self.setFont(theme.font("small"))
        self.setTabChangesFocus(True)
        self.setFixedHeight(_HEIGHT)
        self.refresh()

    @property
    def typing(self) -> bool:
        """Whether something is being typed here."""
        return self.document().isModified() and self.window().focusWidget() is self

    def refresh(self) -> None:
        """Show what the project has, unless the user is typing."""
        if self.binding.alive and not self.typing and self.toPlainText() != self.binding.value:
            self.setPlainText(self.binding.value)

    def take(self) -> None:
        """Take what was typed."""
        if not self.document().isModified() or not self.binding.alive:
            return
        self.document().setModified(False)
        try:
            self.binding.put(self.toPlainText())
        except Wrong as error:
            self.document().setModified(True)
            self.setToolTip(str(error))

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.take()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.document().isModified():
            self.document().setModified(False)
            self.setPlainText(self.binding.value)
        else:
            super().keyPressEvent(event)


class NotesField(QWidget):
    """Notes with no title but their placeholder."""

    def __init__(self, binding: Binding) -> None:
        super().__init__()
        self.edit = NotesEdit(binding)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.edit)

    def refresh(self) -> None:
        """Show what the project has."""
        self.edit.refresh()
