"""A button that offers one of several ways: a title and a line below it."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QVBoxLayout

from kelvarn.desktop import theme
from kelvarn.desktop.language import told
from kelvarn.desktop.parts.plain import PlainLabel


class Target(QPushButton):
    """One of several ways: a title and a line below it."""

    def __init__(self, title: str, line: str) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setProperty("target", True)
        self.setMinimumHeight(54)
        self.setAccessibleName(told(title))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(11, 6, 8, 6)
        layout.setSpacing(1)
        head = PlainLabel(title)
        head.setFont(theme.font(bold=True))
        self._line = PlainLabel(line)
        self._line.setProperty("role", "muted")
        self._line.setFont(theme.font("small"))
        self._line.setWordWrap(True)
        for label in (head, self._line):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            layout.addWidget(label)

    def say(self, line: str) -> None:
        """Say another line below the title."""
        self._line.setText(line)
        self.setAccessibleDescription(told(line))
