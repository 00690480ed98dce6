"""A small window over the main one, which goes when something else is clicked."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QWidget


class Popup(QFrame):
    """Base of lists and editors that stand over the window; gone for good once it is closed."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("card", True)

    def popup(self, corner: QPoint) -> None:
        """Show it with its upper left corner at a point of the screen, moved so far that all of it is seen."""
        area = self.screen().availableGeometry()
        x = min(max(corner.x(), area.left()), area.right() - self.width())
        y = min(max(corner.y(), area.top()), area.bottom() - self.height())
        self.move(x, y)
        self.show()
