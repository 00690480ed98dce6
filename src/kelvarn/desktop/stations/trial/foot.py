"""The foot: candidates against measures, candidates against trials, or the failure table; any of them can be copied."""

from collections.abc import Sequence
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QPushButton,
    QSplitter,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import link
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.plain import menu_text, plain_tip
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.files.tables import plain_cell
from kelvarn.sentence import say

_SIZES = (510, 205)  # px of columns and foot at first; the foot grows no further by itself
TABS = (say("side by side"), say("all trials"), say("if it fails"))
_ROW, _LEAST, _AROUND = 23, 110, 32  # px; around the rows: margins, frame, a scroll bar


class Cell(NamedTuple):
    """A cell: its text, colour role, whether it stands out, and a tool tip."""

    text: str
    color: str = "ink"
    bold: bool = False
    tip: str = ""


class Content(NamedTuple):
    """A table: headings, rows, and the row that is marked (none below 0); rows that are `alarming` are tinted."""

    headings: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    marked: int = -1
    alarming: frozenset[int] = frozenset()


class Foot(QFrame):
    """The tables.

    Signals:
        tab_changed: another one is wanted.
        row_clicked: a row of the table shown.
        guard_wanted: the guard that is offered beside the failure table.
        action_wanted: the action at a probe fault that is proposed there.
        tall_wanted: how tall it is with all rows of its table, px.
    """

    tab_changed = Signal()
    tall_wanted = Signal(int)
    row_clicked = Signal(int)
    guard_wanted = Signal()
    action_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.tab: str = TABS[0]
        self._content: Content | None = None
        self._shown: object = None
        self._sorted: tuple[int, Qt.SortOrder] | None = None
        self._order: list[int] = []
        self._widths: list[int] = []  # that columns need
        self.chips: dict[str, QPushButton] = {}
        top = QHBoxLayout()
        group = QButtonGroup(self)
        for name in TABS:
            chip = QPushButton(f"  {told(name)}  ")
            chip.setCheckable(True)
            chip.setProperty("chip", True)
            chip.setChecked(name == self.tab)
            chip.clicked.connect(lambda _=False, name=name: self.show_tab(name))
            group.addButton(chip)
            top.addWidget(chip)
            self.chips[name] = chip
        self.said = ElidedLine("small", "muted")
        self.offer = link("", self.guard_wanted.emit)
        self.offer.hide()
        self.action = link("", self.action_wanted.emit)
        self.action.hide()
        self.copy = link(tell("copy"), self._open_copy, tell("Copy the table as text, CSV or Markdown"))
        top.addWidget(self.said, 1)
        top.addWidget(self.action)
        top.addSpacing(12)
        top.addWidget(self.offer)
        top.addSpacing(12)
        top.addWidget(self.copy)
        self.table = ReadTable(tell("Table: {tab}", tab=self.tab))
        self._dress_table()
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.GAP, 6, theme.GAP, 6)
        column.setSpacing(4)
        column.addLayout(top)
        column.addWidget(self.table)
        self.setMinimumHeight(_LEAST)

    def _dress_table(self) -> None:
        table = self.table
        table.verticalHeader().hide()
        table.verticalHeader().setDefaultSectionSize(_ROW)
        table.setWordWrap(False)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.horizontalHeader().setSectionsClickable(True)
        table.horizontalHeader().sectionClicked.connect(self._sort_by)
        table.cellClicked.connect(lambda row, _: self._clicked(row))
        table.cellActivated.connect(lambda row, _: self._clicked(row))

    def show_tab(self, name: str) -> None:
        """Show another table."""
        self.chips[name].setChecked(True)
        if name != self.tab:
            self.tab, self._sorted = name, None
            self.tab_changed.emit()

    def show_content(self, content: Content, said: str, offer: str = "", action: str = "", tip: str = "") -> None:
        """Show a table, what is said of it, and a guard and an action at a probe fault that are offered beside it."""
        self.said.say(said)
        for button, text in ((self.offer, offer), (self.action, action)):
            button.setText(menu_text(text))
            button.setVisible(bool(text))
        self.action.setToolTip(plain_tip(tip))
        wanted = (self.tab, content, theme.current(), self._sorted)
        if wanted == self._shown:
            return
        self._shown, self._content = wanted, content
        self._fill()

    def _fill(self) -> None:
        assert self._content is not None
        content, table, look = self._content, self.table, theme.current()
        table.setAccessibleName(tell("Table: {tab}", tab=self.tab))
        self._order = self._ordered(content)
        table.clearSpans()
        table.setColumnCount(len(content.headings))
        table.setRowCount(len(content.rows))
        table.setHorizontalHeaderLabels([told(each) for each in content.headings])
        for column in range(len(content.headings)):
            header = table.horizontalHeaderItem(column)
            if header is not None:
                header.setTextAlignment(_ALIGNED[column > 0 and self.tab != TABS[2]])
        for row, place in enumerate(self._order):
            for column, cell in enumerate(content.rows[place]):
                table.setItem(row, column, self._item(cell, column, place, look.color(cell.color)))
        table.resizeColumnsToContents()
        self._widths = [min(max(table.columnWidth(k) + 10, 70), 340) for k in range(len(content.headings))]
        self._spread()
        words = self.tab == TABS[2]
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        if words and content.headings:  # what fails takes what the others leave
            table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        rows = table.horizontalHeader().sizeHint().height() + len(content.rows) * _ROW
        self.tall_wanted.emit(self.chips[self.tab].sizeHint().height() + rows + _AROUND)

    def _spread(self) -> None:
        """Share what the columns leave of the width among them."""
        spare = self.table.viewport().width() - sum(self._widths)
        for column, width in enumerate(self._widths):
            self.table.setColumnWidth(column, width + max(spare // len(self._widths), 0))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._spread()

    def _item(self, cell: Cell, column: int, place: int, color: QColor) -> QTableWidgetItem:
        assert self._content is not None
        item = QTableWidgetItem(told(cell.text))
        item.setForeground(color)
        item.setFont(theme.font("small", bold=cell.bold))
        item.setToolTip(plain_tip(cell.tip or cell.text))
        item.setTextAlignment(_ALIGNED[column > 0 and self.tab != TABS[2]])
        if place in self._content.alarming:
            item.setBackground(theme.current().color("ember", 0.14))
        elif place == self._content.marked:
            item.setBackground(theme.current().color("hairline", 0.5))
        return item

    def _ordered(self, content: Content) -> list[int]:
        """The places of the rows as they are shown."""
        order = list(range(len(content.rows)))
        if self._sorted is not None and self._sorted[0] < len(content.headings):
            column, way = self._sorted
            order.sort(key=lambda place: _sort_key(content.rows[place], column),
                       reverse=way is Qt.SortOrder.DescendingOrder)  # fmt: skip
        return order

    def _sort_by(self, column: int) -> None:
        """Sort by a column; once more turns it round, a third time puts them back."""
        if self._content is None:
            return
        up, down = Qt.SortOrder.AscendingOrder, Qt.SortOrder.DescendingOrder
        if self._sorted is None or self._sorted[0] != column:
            self._sorted = (column, up)
        else:
            self._sorted = (column, down) if self._sorted[1] is up else None
        self._fill()

    def _clicked(self, row: int) -> None:
        if row < len(self._order):
            self.row_clicked.emit(self._order[row])

    def _open_copy(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in ("text", "CSV", "Markdown"):
            menu.addAction(tell("as {name}", name=name), partial(self.copy_as, name))
        menu.popup(self.copy.mapToGlobal(self.copy.rect().bottomLeft()))

    def copy_as(self, form: str) -> None:
        """Copy the table shown to the clipboard."""
        if self._content is not None:
            rows = [[cell.text for cell in self._content.rows[place]] for place in self._order]
            QGuiApplication.clipboard().setText(table_text(self._content.headings, rows, form))


class OverFoot(QSplitter):
    """Columns over a foot that is as tall as its rows, until somebody drags it: the strip has the rest."""

    def __init__(self, columns: QWidget, foot: Foot) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self._dragged = False
        self.setHandleWidth(6)
        self.addWidget(columns)
        self.addWidget(foot)
        self.setSizes(list(_SIZES))
        self.setStretchFactor(0, 1)
        self.setCollapsible(0, False)
        self.splitterMoved.connect(self._keep)
        foot.tall_wanted.connect(self._fit)

    def _keep(self) -> None:
        self._dragged = True

    def _fit(self, tall: int) -> None:
        if not self._dragged:
            tall = min(tall, _SIZES[1])
            self.setSizes([sum(self.sizes()) - tall, tall])


_ALIGNED = {
    True: Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
    False: Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
}


def _sort_key(row: Sequence[Cell], column: int) -> tuple[int, float, str]:
    """Numbers by their size, then words."""
    text = row[column].text if column < len(row) else ""
    head = text.replace("−", "-").split(" ")[0].strip("%×✓✕")
    try:
        return 0, float(head), text
    except ValueError:
        return 1, 0.0, text.casefold()


def table_text(headings: Sequence[str], rows: Sequence[Sequence[str]], form: str) -> str:
    """A table as text with tabs, as CSV whose cells no spreadsheet computes, or as Markdown."""
    every = [list(headings), *map(list, rows)]
    if form == "CSV":
        return "\n".join(",".join('"' + plain_cell(cell).replace('"', '""') + '"' for cell in row) for row in every)
    if form == "Markdown":
        lines = ["| " + " | ".join(cell.replace("|", "\\|") for cell in row) + " |" for row in every]
        return "\n".join([lines[0], "|" + "---|" * len(headings), *lines[1:]])
    return "\n".join("\t".join(map(plain_cell, row)) for row in every)
