"""A place for something that folds out, and is made only when it first does."""

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QVBoxLayout, QWidget


class Folding(QWidget):
    """Holds one widget, which is made when it is first wanted.

    Args:
        make: makes it.
    """

    def __init__(self, make: Callable[[], QWidget]) -> None:
        super().__init__()
        self._make = make
        self._made: QWidget | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.hide()

    def made(self) -> Any:
        """The widget; made now, if there was none."""
        if self._made is None:
            self._made = self._make()
            layout = self.layout()
            assert layout is not None
            layout.addWidget(self._made)
        return self._made

    def unfold(self, wanted: bool) -> bool:
        """Show or hide it; whether it is wanted."""
        if wanted:
            self.made()
        self.setVisible(wanted)
        return wanted
