"""One line of text that takes the room it gets and ends in … where that is too little; the whole is its tool tip."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.desktop.parts.spoken import Role, Spoken


class ElidedLine(QWidget, Spoken):
    """A line of text that never asks for a new layout, so that it can change in every frame.

    Args:
        kind, bold: font of the theme; color: a colour's name in it.
        indent: pixels left free before the text.
        ground: name of the colour it stands on.
    """

    role = Role.StaticText

    def __init__(
        self, kind: str, color: str = "ink", *, bold: bool = False, indent: int = 0, ground: str = "ground"
    ) -> None:
        super().__init__()
        self._kind, self._bold, self._color, self._indent, self._ground = kind, bold, color, indent, ground
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # nothing below needs to be painted for it
        self._text = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """The whole text."""
        return self._text

    def say(self, text: str, color: str | None = None) -> None:
        """Show a text, from now on in another colour if one is given."""
        text = told(text)
        if text == self._text and color in (None, self._color):
            return
        self._text, self._color = text, color or self._color
        self.setToolTip(plain_tip(text))
        self.setAccessibleDescription(text)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(120, 22)

    def minimumSizeHint(self) -> QSize:
        return QSize(30, 22)

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.current().color(self._ground))
        room = QRectF(self._indent, 0, self.width() - self._indent, self.height())
        color = theme.current().color(self._color)
        texts.paint(painter, room, self._text, color, self._kind, bold=self._bold, cut=True)
        painter.end()
