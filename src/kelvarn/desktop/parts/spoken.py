"""What a screen reader is told of widgets that paint themselves: a role, and what stands in them.

Name and description are Qt's own properties; a role Qt knows only of its own kinds of widgets.
"""

from typing import Any

from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget, QWidget

Role = QAccessible.Role
_installed = False


class Spoken:
    """What a widget has that says what it is.

    Attributes:
        role: what it is for a screen reader.
    """

    role = Role.Button

    def spoken_value(self) -> str:
        """What stands in it; "" where that is said by its name."""
        return ""

    def spoken_checked(self) -> bool | None:
        """Whether it is the one that is chosen; None where that is no question."""
        return None


class _Told(QAccessibleWidget):
    """What is told of one."""

    def __init__(self, widget: QWidget, spoken: Spoken) -> None:
        super().__init__(widget, spoken.role)
        self._widget, self._spoken = widget, spoken

    def text(self, which: QAccessible.Text) -> str:
        if which == QAccessible.Text.Value:
            return self._spoken.spoken_value()
        found = super().text(which)
        return found or (self._widget.accessibleDescription() if which == QAccessible.Text.Name else "")

    def state(self) -> QAccessible.State:
        found = super().state()
        checked = self._spoken.spoken_checked()
        if checked is not None:
            found.checkable, found.checked = True, checked
        return found


def _told_of(_kind: str, thing: Any) -> QAccessibleInterface | None:
    return _Told(thing, thing) if isinstance(thing, Spoken) and isinstance(thing, QWidget) else None


def install() -> None:
    """Let Qt ask for it; once for the program."""
    global _installed
    if not _installed:
        QAccessible.installFactory(_told_of)
        _installed = True
