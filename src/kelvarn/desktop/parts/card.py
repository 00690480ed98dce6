"""A card that is selected by mouse or key, with a frame that says whether it is."""

from PySide6.QtCore import QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy

from kelvarn.desktop import theme
from kelvarn.desktop.parts.keyboard import FocusRing
from kelvarn.desktop.parts.spoken import Role


class Card(FocusRing):
    """Base of cards in a list.

    Args:
        height: px.

    Attributes:
        chosen: whether it is the one shown.

    Signals:
        clicked: it was selected by mouse or key.
        menu_wanted: its menu is asked for, at a global position.
    """

    role = Role.RadioButton
    clicked = Signal()
    menu_wanted = Signal(QPoint)

    def __init__(self, height: int) -> None:
        super().__init__()
        self.chosen = False
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFixedHeight(height)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def spoken_checked(self) -> bool | None:
        return self.chosen

    def paint_frame(self, painter: QPainter) -> None:
        """Paint the ground and the frame."""
        look, width = theme.current(), 2 if self.chosen else 1
        painter.fillRect(self.rect(), look.color("ground"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(look.color("glacier" if self.ring else "ink" if self.chosen else "hairline"), width))
        if self.chosen:  # filled apart from its frame: with antialiasing that takes far longer
            painter.fillRect(self.rect().adjusted(1, 1, -1, -1), look.color("panel"))
        inset = width / 2
        frame = QRectF(inset, inset, self.width() - 2 * inset, self.height() - 2 * inset)
        painter.drawRoundedRect(frame, theme.RADIUS, theme.RADIUS)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        match event.key():
            case Qt.Key.Key_Space | Qt.Key.Key_Return | Qt.Key.Key_Enter:
                self.clicked.emit()
            case Qt.Key.Key_Up | Qt.Key.Key_Down:
                self.focusNextPrevChild(event.key() == Qt.Key.Key_Down)
            case _:
                super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.clicked.emit()
        self.menu_wanted.emit(event.globalPos())
