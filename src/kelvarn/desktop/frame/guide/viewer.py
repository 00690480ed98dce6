"""The window of the guide: pages left, the text right, and over it what was asked about."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QTextCharFormat, QTextCursor, QTextDocument, QTextLength, QTextTable
from PySide6.QtWidgets import (
    QDialog,
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.guide.pages import KEYS, LOGS, page

from .here import Here

_LEFT, _GAP = 226, 7
_LEAST, _MOST = 8, 46  # letters by which a column of a table is wide
_EVEN = 0.75  # what is long may take lines


class Viewer(QDialog):
    """See the module; it stands beside the window, and both can be used.

    Args:
        parent: the window it is of.
        keys_table: for the page of keys.
        open_log: opens a log that goes with the pages, by its name.
    """

    def __init__(self, parent: QWidget, keys_table: str, open_log: Callable[[str], object]) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tell("Guide – Kelvarn"))
        self._keys_table, self._open_log = keys_table, open_log
        self.list = QListWidget()
        self.list.setAccessibleName(tell("Pages of the guide"))
        self.list.setFixedWidth(_LEFT)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setSpacing(2)
        for key in KEYS:
            item = QListWidgetItem(page(key).title)
            item.setData(Qt.ItemDataRole.UserRole, key)
            self.list.addItem(item)
        self.list.currentItemChanged.connect(lambda item, _: self._show_page(item.data(Qt.ItemDataRole.UserRole)))
        self.title, self.said = heading(""), small("", "")
        self._about = QFrame()
        self._about.setProperty("foot", True)
        told = QVBoxLayout(self._about)
        told.addWidget(self.title)
        told.addWidget(self.said)
        self.text = QTextBrowser()
        self.text.setAccessibleName("The page")
        self.text.setOpenLinks(False)
        self.text.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.text.anchorClicked.connect(self._follow)
        right = QVBoxLayout()
        right.addWidget(self._about)
        right.addWidget(self.text, 1)
        row = QHBoxLayout(self)
        row.addWidget(self.list)
        row.addLayout(right, 1)
        self.resize(900, 640)
        theme.dress(self)

    @property
    def key(self) -> str:
        """The page shown."""
        return str(self.list.currentItem().data(Qt.ItemDataRole.UserRole)) if self.list.currentItem() else ""

    def tell(self, found: Here) -> None:
        """Tell of something, and show where the guide says more of it."""
        self.title.setText(found.title)
        self.said.setText(found.said)
        set_shown(self._about, bool(found.title))
        self.go_to(found.page, found.section)

    def go_to(self, key: str, section: str = "") -> None:
        """Show a page, at a section of it, or where it first speaks of something."""
        if self.key == key:
            self._show_page(key)
        else:
            self.list.setCurrentRow(KEYS.index(key))
        self.show()  # first: where a section stands depends on how wide it is
        self.raise_()
        self.activateWindow()
        if section:
            self._scroll_to(section)

    def _show_page(self, key: str) -> None:
        self.text.document().setDefaultFont(theme.font("body"))
        self.text.setMarkdown(page(key, self._keys_table).without_pictures)
        document = self.text.document()
        block = document.begin()
        while block.isValid():
            if QTextCursor(block).currentTable() is None:
                _set_paragraph(QTextCursor(block))
            block = block.next()
        for frame in document.rootFrame().childFrames():
            if isinstance(frame, QTextTable):
                _set_table(frame)
        self.text.moveCursor(QTextCursor.MoveOperation.Start)

    def _scroll_to(self, section: str) -> None:
        document = self.text.document()
        block = document.begin()
        while block.isValid():
            if block.blockFormat().headingLevel() and block.text() == section:
                break
            block = block.next()
        if not block.isValid():
            block = document.find(section, 0, QTextDocument.FindFlag.FindCaseSensitively).block()
        if block.isValid():
            self.text.setTextCursor(QTextCursor(block))
            top = document.documentLayout().blockBoundingRect(block).top()
            self.text.verticalScrollBar().setValue(int(top) - 8)

    def _follow(self, to: QUrl) -> None:
        name = to.fileName()
        if name in LOGS:
            self._open_log(name)
        elif Path(name).stem in KEYS:
            self.go_to(Path(name).stem)


def _set_paragraph(cursor: QTextCursor) -> None:
    """A paragraph or a heading in the sizes of the rest of the window."""
    form = cursor.blockFormat()
    level = form.headingLevel()
    form.setTopMargin(2 * _GAP if level else 0)
    form.setBottomMargin(_GAP)
    cursor.setBlockFormat(form)
    if level:
        letters = QTextCharFormat()
        letters.setFont(theme.font("big" if level == 1 else "title"))
        cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
        cursor.setCharFormat(letters)


def _set_table(table: QTextTable) -> None:
    """Thin lines, and columns as wide as what stands in them."""
    widths = [
        min(_MOST, max(_LEAST, *(len(table.cellAt(row, column).firstCursorPosition().block().text())
                                 for row in range(table.rows()))))
        for column in range(table.columns())
    ]  # fmt: skip
    shares = [width**_EVEN for width in widths]
    form = table.format()
    form.setBorder(1)
    form.setBorderBrush(theme.current().color("hairline"))
    form.setBorderCollapse(True)
    form.setCellPadding(4)
    form.setWidth(QTextLength(QTextLength.Type.PercentageLength, 100))
    form.setColumnWidthConstraints(
        [QTextLength(QTextLength.Type.PercentageLength, 100 * share / sum(shares)) for share in shares]
    )
    table.setFormat(form)
