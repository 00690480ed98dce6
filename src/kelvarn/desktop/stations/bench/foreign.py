"""Devices of others, before their link is opened: what each of their values is, and their register map, typed."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop.fields.plain import Choice, small
from kelvarn.desktop.language import fault_told, tell, told
from kelvarn.desktop.parts.boxes import ask_where
from kelvarn.files.faults import FileError
from kelvarn.files.writing import write_bytes
from kelvarn.link.address import LinkAddress
from kelvarn.link.faults import LinkError
from kelvarn.link.foreign import ROLES
from kelvarn.link.foreign_links import MAP_COLUMNS, Heard, map_of, map_rows, map_text
from kelvarn.sentence import say

_TAKEN_FOR = (
    ("reading", say("temperature")), ("setpoint", say("setpoint")), ("drive", say("drive")),
    ("extra", say("shown only")),
)  # fmt: skip
_ROWS = 12


def _table(parent: QWidget, headings: tuple[str, ...], rows: int) -> QTableWidget:
    table = QTableWidget(rows, len(headings), parent)
    table.setHorizontalHeaderLabels(list(headings))
    table.verticalHeader().hide()
    table.horizontalHeader().setStretchLastSection(True)
    return table


def _foot(dialog: QDialog, text: str, *more: QPushButton) -> tuple[QHBoxLayout, QPushButton]:
    """A row with what uses it at the right, and a way out of it."""
    row = QHBoxLayout()
    for button in more:
        row.addWidget(button)
    row.addStretch(1)
    away = QPushButton(tell("Cancel"))
    away.clicked.connect(dialog.reject)
    use = QPushButton(text)
    use.setDefault(True)
    row.addWidget(away)
    row.addWidget(use)
    return row, use


class ValuesDialog(QDialog):
    """What a device that tells JSON tells, and what each value is taken for, to be chosen.

    Args:
        parent, address, heard: over what; of the device; what was heard of it.
        use: told the address with what was chosen.
    """

    def __init__(
        self, parent: QWidget, address: LinkAddress, heard: list[Heard], use: Callable[[str], object]
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(tell("What its values are"))
        self._address, self._heard, self._use = address, heard, use
        column = QVBoxLayout(self)
        column.addWidget(
            small(tell("Heard at {place}: each value is taken for what its name and range say.", place=address.place))
        )
        self.table = _table(self, (tell("Value"), tell("Now"), tell("Taken for"), tell("Because")), len(heard))
        self.roles: list[QComboBox] = []
        for k, each in enumerate(heard):
            self.table.setItem(k, 0, QTableWidgetItem(each.bound.where))
            self.table.setItem(k, 1, QTableWidgetItem(f"{each.last:g}"))
            box = Choice()
            box.setAccessibleName(tell("{where} is taken for", where=each.bound.where))
            for role, words in _TAKEN_FOR:
                box.addItem(tell(words), role)
            box.setCurrentIndex(box.findData(each.bound.role))
            box.activated.connect(lambda _at, place=k: self._chosen(place))
            self.roles.append(box)
            self.table.setCellWidget(k, 2, box)
            self.table.setItem(k, 3, QTableWidgetItem(told(each.bound.why)))
        self.table.resizeColumnsToContents()
        self.table.setColumnWidth(2, 170)
        column.addWidget(self.table)
        self.said = small("", "wrong")
        column.addWidget(self.said)
        row, self.button = _foot(self, tell("Open"))
        self.button.clicked.connect(self._open)
        column.addLayout(row)
        self.resize(680, 380)
        self._look()

    def _chosen(self, place: int) -> None:
        """A role is had by one value: whoever had it is only shown."""
        role = self.roles[place].currentData()
        for k, box in enumerate(self.roles):
            if k != place and role != "extra" and box.currentData() == role:
                box.setCurrentIndex(box.findData("extra"))
                self.table.setItem(k, 3, QTableWidgetItem(tell("another one was chosen")))
        self.table.setItem(place, 3, QTableWidgetItem("chosen"))
        self._look()

    def _look(self) -> None:
        lacking = all(box.currentData() != "reading" for box in self.roles)
        self.said.setText(tell("One of them must be the temperature.") if lacking else "")
        self.button.setEnabled(not lacking)

    def _open(self) -> None:
        at = {box.currentData(): each.bound.where for box, each in zip(self.roles, self._heard, strict=True)}
        chosen = tuple((role, at.get(role, "")) for role in ROLES)
        self._use(str(replace(self._address, map="json", chosen=chosen)))
        self.accept()


class MapDialog(QDialog):
    """The registers of a device of others, typed or read from a file, kept as a file of their own.

    Args:
        parent, address: over what; of the device, whose map is shown where it has one.
        folder: in which files are looked for first.
        use: told the address with the map.
    """

    def __init__(self, parent: QWidget, address: LinkAddress, folder: Path, use: Callable[[str], object]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tell("Its registers"))
        self._address, self._folder, self._use = address, folder, use
        self._file: Path | None = None
        column = QVBoxLayout(self)
        asks = tell("A row a value: input or holding, its address from 0, 1 or 2 words. One has the role reading.")
        column.addWidget(small(asks))
        self.table = _table(self, MAP_COLUMNS, _ROWS)
        for k in range(1, len(MAP_COLUMNS)):
            self.table.setColumnWidth(k, 68)
        column.addWidget(self.table)
        self.said = small("", "wrong")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        load = QPushButton(tell("Read a file …"))
        load.clicked.connect(self._ask_file)
        row, self.button = _foot(self, tell("Save and open"), load)
        self.button.clicked.connect(self._open)
        column.addLayout(row)
        self.resize(860, 420)
        if address.map:
            self.read(Path(address.map))

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tell("Register map"), str(self._folder), tell("Maps (*.csv *.json);;All (*)")
        )
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Show the map of a file; what is wrong with it is said, and nothing of it shown."""
        try:
            rows = map_of(path)
        except LinkError as error:
            self.said.setText(fault_told(error))
            return
        self.said.setText("")
        self._file = path if path.suffix.lower() == ".csv" else None
        self.table.setRowCount(max(_ROWS, len(rows) + 2))
        self.table.clearContents()
        for k, row in enumerate(rows):
            for c, text in enumerate(row.cells()):
                self.table.setItem(k, c, QTableWidgetItem(text))

    def typed(self) -> str:
        """What is typed, as the text of a map's file."""
        rows = []
        for k in range(self.table.rowCount()):
            items = [self.table.item(k, c) for c in range(len(MAP_COLUMNS))]
            cells = ["" if item is None else item.text().strip() for item in items]
            if any(cells):
                rows.append(cells)
        return map_text(rows)

    def _open(self) -> None:
        try:
            text = self.typed()
            map_rows(text, tell("The map"))
            path = self._file or ask_where(
                self, tell("Keep the map"), self._folder / "registers.csv", tell("CSV (*.csv)")
            )
            if path is None:
                return
            write_bytes(path, text.encode())
        except (LinkError, FileError) as error:
            self.said.setText(fault_told(error))
            return
        self._use(str(replace(self._address, map=str(path))))
        self.accept()
