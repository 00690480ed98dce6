"""Text that comes from a project or a file, shown as it is: nothing in it is taken for markup or for a shortcut.

A name is anything that somebody has typed, or put into a file for somebody else to open; where Qt took it for rich
text it would open what the name tells it to.
"""

import html

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QLayout, QWidget

from kelvarn.desktop.language import told


class PlainLabel(QLabel):
    """A label that shows its text as it is."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str) -> None:
        super().setText(told(text))


def plain_tip(text: str) -> str:
    """A text for a tool tip, which Qt takes for rich text where it looks like some."""
    text = told(text)
    if "<" not in text and "&" not in text:
        return text
    return f"<qt>{html.escape(text)}</qt>".replace("\n", "<br>")


def menu_text(text: str) -> str:
    """A text for a menu, a button or a label with a buddy, in which & would mark a shortcut."""
    return told(text).replace("&", "&&")


def set_shown(widget: QWidget, shown: bool) -> None:
    """Show or hide a widget; one that has no place yet is left to be shown with it, not as a window of its own."""
    if not shown or widget.parentWidget() is not None:
        widget.setVisible(shown)


def clear(layout: QLayout) -> None:
    """Take all out of a layout."""
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()  # it goes later, and must not lie under what comes
            widget.deleteLater()


def bare_text(text: str) -> str:
    """The text of a menu without the marks of its letters: the inverse of `menu_text`."""
    return text.replace("&&", "\0").replace("&", "").replace("\0", "&")
