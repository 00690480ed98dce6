"""A button that says what the settings are for."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QVBoxLayout

from kelvarn.desktop import theme
from kelvarn.desktop.parts.plain import PlainLabel

from .ready import note


class Target(QPushButton):
    """What the settings are for: a title and a line below it."""

    def __init__(self, title: str, line: str) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setProperty("target", True)
        self.setMinimumHeight(54)
        self.setAccessibleName(title)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(11, 6, 8, 6)
        layout.setSpacing(1)
        head = PlainLabel(title)
        head.setFont(theme.font(bold=True))
        for label in (head, note(line, "muted")):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            layout.addWidget(label)
