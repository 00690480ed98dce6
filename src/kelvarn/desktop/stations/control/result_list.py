"""A list of things that were tried, under the strip: computed beside the window, a click makes a candidate."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QKeySequence, QResizeEvent, QShortcut
from PySide6.QtWidgets import QAbstractItemView, QFrame, QHBoxLayout, QTableWidgetItem, QVBoxLayout

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.model.candidate import Candidate
from kelvarn.sentence import figures

_ROW, _MOST = 24, 175  # px: a row; the strip above it keeps the rest
_LEAST = 110  # px that a column keeps
_INSIDE = Qt.ShortcutContext.WidgetWithChildrenShortcut


class ListRow(NamedTuple):
    """A row: its texts, the candidate that it makes if any, a tool tip, and whether it says why there is none."""

    cells: tuple[str, ...]
    candidate: Candidate | None
    tip: str = ""


class ListContent(NamedTuple):
    """What was computed: a sentence, and the rows."""

    said: str
    rows: tuple[ListRow, ...] = ()


class Column(NamedTuple):
    """A column: its heading and width in px."""

    name: str
    width: int


class ResultList(QFrame):
    """The list.

    Args:
        title, columns: what it is headed with.
        channel, work: computes what it shows, on another thread.
        jobs: computes.
        take: given the candidate that was clicked.
    """

    def __init__(
        self, title: str, columns: Sequence[Column], channel: str, work: Callable[[], ListContent], jobs: Jobs,
        take: Callable[[Candidate], object],
    ) -> None:  # fmt: skip
        super().__init__()
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("card", True)
        self.setAccessibleName(title)
        self._columns, self._channel, self._jobs, self._take = tuple(columns), channel, jobs, take
        self._rows: tuple[ListRow, ...] = ()
        self._said = small(tell("computing …"))
        self.table = self._empty_table(title)
        self.table.hide()  # until there is something in it
        self.cross = link("✕", self.close, tell("Close the list (Esc)"))
        head = QHBoxLayout()
        head.addWidget(heading(title), 1)
        head.addWidget(self.cross)
        layout = QVBoxLayout(self)
        layout.addLayout(head)
        layout.addWidget(self._said)
        layout.addWidget(self.table)
        QShortcut(QKeySequence(Qt.Key.Key_Escape), self, self.close, context=_INSIDE)
        jobs.progressed.connect(self._progress)
        jobs.start(channel, work, self._show)

    def _empty_table(self, title: str) -> ReadTable:
        table = ReadTable(title, len(self._columns))
        table.setHorizontalHeaderLabels([told(column.name) for column in self._columns])
        table.verticalHeader().hide()
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        table.verticalHeader().setDefaultSectionSize(_ROW)
        table.horizontalHeader().setStretchLastSection(True)
        table.cellClicked.connect(lambda row, _: self.use(row))
        table.cellActivated.connect(lambda row, _: self.use(row))
        return table

    @property
    def said(self) -> str:
        """What stands above the rows."""
        return self._said.text()

    def closeEvent(self, event: QCloseEvent) -> None:
        self._jobs.stop(self._channel)
        self._jobs.progressed.disconnect(self._progress)
        super().closeEvent(event)

    def _progress(self, channel: str, share: float) -> None:
        if channel == self._channel and not self._rows:
            self._said.setText(tell("computing, {percent} %; Esc stops it", percent=figures(f"{100 * share:.0f}", "")))

    def _show(self, outcome: object) -> None:
        assert isinstance(outcome, ListContent)
        self._rows = outcome.rows
        self._said.setText(outcome.said)
        self.table.setRowCount(len(outcome.rows))
        for row, tried in enumerate(outcome.rows):
            for column, text in enumerate(tried.cells):
                item = QTableWidgetItem(told(text))
                item.setToolTip(plain_tip(tried.tip or text))
                if tried.candidate is None:
                    item.setForeground(theme.current().color("muted"))
                self.table.setItem(row, column, item)
            left = len(self._columns) - len(tried.cells)
            if left:  # a reason takes the room of the figures
                self.table.setSpan(row, len(tried.cells) - 1, 1, left + 1)
        self._spread()
        if outcome.rows:
            stars = [row for row, tried in enumerate(outcome.rows) if tried.cells[0].endswith("★")]
            self.table.setCurrentCell(stars[0] if stars else 0, 0)
            header = self.table.horizontalHeader().sizeHint().height()
            most = min(_MOST, self.window().height() // 4)
            self.table.setFixedHeight(min(most, header + _ROW * len(outcome.rows) + 4))
            self.table.show()
            self.table.setFocus()

    def _spread(self) -> None:
        """Columns as wide as their texts, none wider than declared; the widest give way where there is no room."""
        self.table.resizeColumnsToContents()
        widths = [min(self.table.columnWidth(k), each.width) for k, each in enumerate(self._columns)]
        for _ in widths:
            over = sum(widths) - self.table.viewport().width()
            widest = max(range(len(widths)), key=widths.__getitem__)
            widths[widest] -= min(max(over, 0), max(widths[widest] - _LEAST, 0))
        for place, width in enumerate(widths):
            self.table.setColumnWidth(place, width)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._spread()

    def use(self, row: int) -> None:
        """Make the candidate of a row; nothing for one that has none."""
        candidate = self._rows[row].candidate if row < len(self._rows) else None
        if candidate is not None:
            self._take(candidate)
            self.close()
