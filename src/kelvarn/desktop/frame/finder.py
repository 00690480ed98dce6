"""The find box: type a few letters of a command, a part, a setting, a trial or an event and press Return.

What is found is also found by the words that people know from elsewhere (`finder_words`).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QScrollArea, QVBoxLayout, QWidget

from kelvarn.desktop.frame.finder_words import known_as
from kelvarn.desktop.language import tell


@dataclass(frozen=True)
class Findable:
    """Something that can be found.

    Attributes:
        text: what it is called.
        run: does it, or goes there.
        keys: its shortcut.
    """

    text: str
    run: Callable[[], object]
    keys: str = ""

    def matches(self, words: Sequence[str]) -> int:
        """How well it matches what is typed: 2 by its name, 1 by other words for it too, 0 not."""
        name = self.text.lower()
        if all(word in name for word in words):
            return 2
        known = f"{name} {known_as(name)}"
        return 1 if all(word in known for word in words) else 0


def go_to_field(field: QWidget) -> None:
    """Give a field the keys, where it can be seen."""
    above = field.parentWidget()
    while above is not None:
        if isinstance(above, QScrollArea):
            above.ensureWidgetVisible(field)
        above = above.parentWidget()
    field.setFocus(Qt.FocusReason.ShortcutFocusReason)


class Finder(QFrame):
    """Lists what matches the words that are typed, what does so by its name first."""

    def __init__(self, entries: Sequence[Findable], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("card", True)
        self._window = parent.window()
        self._entries = entries
        self.line = QLineEdit()
        self.line.setPlaceholderText(tell("Find a command, a part, a setting"))
        self.line.setAccessibleName(tell("Find a command, a part, a setting"))
        self.list = QListWidget()
        self.list.setAccessibleName(tell("Found"))
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
        found = [(entry.matches(words), entry) for entry in self._entries]
        for _, entry in sorted((each for each in found if each[0]), key=lambda each: -each[0]):
            item = QListWidgetItem(f"{entry.text}    {entry.keys}" if entry.keys else entry.text)
            item.setData(Qt.ItemDataRole.UserRole, entry)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        self.close()
        if item is not None:
            item.data(Qt.ItemDataRole.UserRole).run()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
        return super().eventFilter(watched, event)
