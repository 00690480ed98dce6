"""The find-a-command box: type a few letters of any command and press Return."""

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class Finder(QFrame):
    """Lists the commands of the menus that match what is typed."""

    def __init__(self, actions: list[QAction], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("card", True)
        self._window = parent.window()
        self._actions = [action for action in actions if action.isEnabled() and action.text()]
        self.line = QLineEdit()
        self.line.setPlaceholderText("Find a command")
        self.line.setAccessibleName("Find a command")
        self.list = QListWidget()
        self.list.setAccessibleName("Commands found")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.line.textChanged.connect(self._show_matches)
        self.line.returnPressed.connect(self._run)
        self.list.itemClicked.connect(lambda _: self._run())
        self.line.installEventFilter(self)
        self._show_matches("")
        self.resize(440, 320)

    def popup(self) -> None:
        """Show it in the upper middle of the window."""
        window = self._window
        self.move(
            window.mapToGlobal(window.rect().center()).x() - self.width() // 2,
            window.mapToGlobal(window.rect().topLeft()).y() + 90,
        )
        self.show()
        self.line.setFocus()

    def _show_matches(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        for action in self._actions:
            name = action.text().replace("&&", "\0").replace("&", "").replace("\0", "&")
            if all(word in name.lower() for word in words):
                keys = action.shortcut().toString()
                item = QListWidgetItem(f"{name}    {keys}" if keys else name)
                item.setData(Qt.ItemDataRole.UserRole, action)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        self.close()
        if item is not None:
            item.data(Qt.ItemDataRole.UserRole).trigger()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
        return super().eventFilter(watched, event)
