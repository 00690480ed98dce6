"""How a file is read: what each column is taken for stands over the first rows of the file as they are."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush
from PySide6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.files.faults import FileError
from kelvarn.files.logs.otherwise import with_form, with_role
from kelvarn.files.logs.reader import Opened, rows_at
from kelvarn.model.log import FORM_WORDS, FORMS, ROLE_WORDS, SHAPE_WORDS, Log, LogReading
from kelvarn.model.log_data import LogData
from kelvarn.sentence import joined, say

_HEAD = 88
_MOST_ROWS, _MOST_BAD = 120, 300
_LEAST_WIDTH = 132

TakeReading = Callable[[LogReading, str], object]
_DELIMITERS = {
    ",": say("commas"), ";": say("semicolons"), "\t": say("tabs"), "|": say("bars"), " ": say("blanks"),
}  # fmt: skip


class _Head(QWidget):
    """What one column is taken for, with its reason."""

    def __init__(self, k: int, reading: LogReading, why: str, doubted: bool, take: TakeReading) -> None:
        super().__init__()
        column = reading.columns[k]
        self.role, self.form = Choice(), Choice()
        for role, word in ROLE_WORDS.items():
            self.role.addItem(tell(word) + (" ?" if doubted and role == column.role else ""), role)
        self.role.setCurrentIndex(list(ROLE_WORDS).index(column.role))
        self.role.setAccessibleName(tell("What column {k} is", k=k + 1))
        for form in FORMS[column.role]:
            self.form.addItem(tell(FORM_WORDS[form]) or tell("text"), form)
        self.form.setCurrentIndex(FORMS[column.role].index(column.form))
        self.form.setAccessibleName(tell("What the values of column {k} are", k=k + 1))
        name = column.name or tell("column {k}", k=k + 1)
        self.role.activated.connect(
            lambda _: take(
                with_role(reading, k, self.role.currentData()),
                tell("read {name} as {form}", name=name, form=self.role.currentText()),
            )
        )
        self.form.activated.connect(
            lambda _: take(
                with_form(reading, k, self.form.currentData()),
                tell("read {name} as {form}", name=name, form=self.form.currentText()),
            )
        )
        reason = ElidedLine("small", "gold" if doubted else "muted", ground="panel")
        reason.say(why)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 3, 4, 2)
        layout.setSpacing(2)
        layout.addWidget(self.role)
        layout.addWidget(self.form)
        layout.addWidget(reason)


class ReadingView(QWidget):
    """See the module.

    Args:
        take: given another reading of the log and what that edit is called.
    """

    def __init__(self, take: TakeReading) -> None:
        super().__init__()
        self._take = take
        self._bad_only = False
        self._shown: object = None
        self._log: Log | None = None
        self._data: LogData | None = None
        self.title = ElidedLine("title")
        self.shape = small()
        self.shape.setWordWrap(False)
        self.table = ReadTable(tell("The first rows of the file, under what each column is taken for"))
        self.table.horizontalHeader().setVisible(False)
        self.table.verticalHeader().setVisible(True)
        self.faults = ElidedLine("small", "gold", bold=True)
        self.show_bad = link(
            tell("show them"), self._toggle, tell("Show only the rows that need care, or the first rows again")
        )
        self.heads: list[_Head] = []
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        top.addWidget(self.shape)
        below = QHBoxLayout()
        below.addWidget(self.faults, 1)
        below.addWidget(self.show_bad)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(top)
        layout.addWidget(self.table, 1)
        layout.addLayout(below)

    def _toggle(self) -> None:
        self._bad_only = not self._bad_only
        self._shown = None
        if self._log is not None:
            self._rebuild()

    def show_log(self, log: Log, look: Opened | str, data: LogData | str | None) -> None:
        """Show a log, how it is laid out, and what was found wrong with its rows."""
        key = (log.raw, log.reading, log.confirmed, isinstance(data, LogData))
        if key == self._shown:
            return
        if self._log is None or self._log.raw is not log.raw:
            self._bad_only = False
        self._log, self._look, self._shown = log, look, key
        self._data = data if isinstance(data, LogData) else None
        self._fault = data if isinstance(data, str) else ""
        self._rebuild()
        self._shown = key

    def _rebuild(self) -> None:
        log, look = self._log, self._look
        assert log is not None
        self.title.say(tell("How {file} is read", file=log.file or log.name))
        reading = log.reading
        delimiter = _DELIMITERS[reading.delimiter]
        parts = [tell(delimiter if reading.shape == "table" else SHAPE_WORDS[reading.shape])]
        parts += [tell("decimal comma") if reading.decimal == "," else tell("decimal point"), reading.encoding.upper()]
        parts += [tell("values from line {line}", line=reading.first_row + 1)] if reading.first_row else []
        self.shape.setText(" · ".join(parts))
        faults = self._data.faults.text if self._data is not None else self._fault
        self.faults.say(faults, "ember" if self._fault else "gold")
        self.show_bad.setVisible(self._data is not None and bool(self._data.faults.first) and reading.shape == "table")
        self.show_bad.setText(tell("show the first rows") if self._bad_only else tell("show them"))
        rows = self._rows(log, look)
        self._fill(reading, look, rows)

    def _rows(self, log: Log, look: Opened | str) -> list[tuple[int, list[str]]]:
        if isinstance(look, str):
            return []
        if self._bad_only and self._data is not None:
            try:
                return rows_at(log, [bad.row for bad in self._data.faults.first[:_MOST_BAD]])
            except FileError:
                return []
        first = look.layout.first
        whole = look.layout.sample[: min(_MOST_ROWS, look.layout.whole)]
        return [(first + k + 1, list(row)) for k, row in enumerate(whole)]

    def _fill(self, reading: LogReading, look: Opened | str, rows: list[tuple[int, list[str]]]) -> None:
        table, width = self.table, len(reading.columns)
        table.clear()
        table.setColumnCount(width)
        table.setRowCount(len(rows) + 1)
        table.setRowHeight(0, _HEAD)
        guess = None if isinstance(look, str) else look.guess
        doubted = set() if guess is None or (self._log is not None and self._log.confirmed) else {
            d.column for d in guess.doubts
        }  # fmt: skip
        self.heads = []
        for k, column in enumerate(reading.columns):
            same = guess is not None and k < len(guess.why) and guess.reading.columns[k] == column
            why = guess.why[k] if same and guess is not None else tell("as you said")
            head = _Head(k, reading, joined(": ", (column.name, why)) if column.name else why, k in doubted, self._take)
            table.setCellWidget(0, k, head)
            table.setColumnWidth(k, max(_LEAST_WIDTH, min(220, 9 * len(column.name))))
            self.heads.append(head)
        bad = {} if self._data is None else {each.row: each.what for each in self._data.faults.first}
        ground = QBrush(theme.current().color("gold", 0.22))
        table.setVerticalHeaderLabels(["", *(str(number) for number, _ in rows)])
        for place, (number, cells) in enumerate(rows, 1):
            table.setRowHeight(place, 22)
            for k in range(width):
                item = QTableWidgetItem(cells[k] if k < len(cells) else "")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if reading.columns[k].role == "left_out":
                    item.setForeground(theme.current().color("muted"))
                if number in bad:
                    item.setBackground(ground)
                    item.setToolTip(plain_tip(bad[number]))
                table.setItem(place, k, item)

    def new_look(self) -> None:
        """The theme is another one."""
        self._shown = None
