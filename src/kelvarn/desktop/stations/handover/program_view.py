"""Shows a program: its files, one at a time, and below them what its proof found."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QTextCursor, QTextFormat
from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QSplitter,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.panel import Scrolled
from kelvarn.desktop.parts.plain import PlainLabel, clear
from kelvarn.handover.proof_records import Check, Difference, Proof
from kelvarn.sentence import joined

from .difference_view import DifferenceView
from .program import Files, Program

_FIRST = (
    "settings.h", "settings.py", "pins.h", "pins.py", "control.c", "control.py", "board_maker.cpp", "board.py",
    "README.md",
)  # fmt: skip
"""Files that have a tab, as far as a program has them; the others are in a list."""


class ProgramView(QWidget):
    """The files of a program and its proof.

    Args:
        program: it.
    """

    def __init__(self, program: Program) -> None:
        super().__init__()
        self._program = program
        self._name = _FIRST[0]
        self._shown_files: Files | None = None
        self._tabs = QHBoxLayout()
        self._tabs.setSpacing(2)
        self._group = QButtonGroup(self)
        self.tab_buttons: dict[str, QPushButton] = {}
        for name in _FIRST:
            button = QPushButton(name)
            button.setProperty("tab", True)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, n=name: self.show_file(n))
            self._group.addButton(button)
            self._tabs.addWidget(button)
            self.tab_buttons[name] = button
        self.more = Choice()
        self.more.setAccessibleName(tell("Other files"))
        self.more.addItem(tell("more files"))
        self.more.activated.connect(lambda place: self.show_file(self.more.itemText(place)) if place else None)
        self._tabs.addStretch(1)
        self._tabs.addWidget(self.more)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.setAccessibleName(tell("The file as it will be written"))
        above = QWidget()
        column = QVBoxLayout(above)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self._tabs)
        column.addWidget(self.text, 1)
        self.difference = DifferenceView()
        self.difference.hide()
        column.addWidget(self.difference, 1)
        self._state = ElidedLine("small", "muted")
        head = QHBoxLayout()
        head.setSpacing(12)
        head.addWidget(heading(tell("Proof")))
        head.addWidget(self._state, 1)
        self._rows = QGridLayout()
        self._rows.setHorizontalSpacing(14)
        self._rows.setVerticalSpacing(3)
        self._rows.setColumnStretch(1, 1)
        held = QWidget()
        column = QVBoxLayout(held)
        column.setContentsMargins(8, 6, 8, 6)
        column.addLayout(self._rows)
        column.addStretch(1)
        below = QWidget()
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 4, 0, 0)
        column.addLayout(head)
        column.addWidget(Scrolled(held), 1)
        parts = QSplitter(Qt.Orientation.Vertical)
        parts.addWidget(above)
        parts.addWidget(below)
        parts.setSizes([340, 240])
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(parts)

    def refresh(self) -> None:
        """Show what is known now."""
        files = self._program.files
        self.text.setFont(theme.fixed_font())
        if isinstance(files, dict):
            self._show_files(files)
        else:
            self.text.setPlainText(tell("making the program …") if files is None else files)
            self._shown_files = None
        self._show_proof()

    def see(self, first: Difference) -> None:
        """Show where a program decides otherwise, in place of the files."""
        files = self._program.files
        self._uncheck()
        self.text.hide()
        self.difference.show_difference(first, files if isinstance(files, dict) else {})
        self.difference.show()

    def show_file(self, name: str) -> None:
        """Show one of the files."""
        self._name = name
        self.difference.hide()
        self.text.show()
        files = self._program.files
        if isinstance(files, dict) and name in files:
            if name in self.tab_buttons:
                self.tab_buttons[name].setChecked(True)
                self.more.setCurrentIndex(0)
            else:
                self._uncheck()
            self.text.setPlainText(files[name])
            self._mark_changed(name)

    def _mark_changed(self, name: str) -> None:
        """Lay a ground under the lines that are others than in what was written last, and go to the first."""
        marks = []
        for line in self._program.changed.get(name, []):
            mark = QTextEdit.ExtraSelection()
            mark.format.setBackground(theme.current().color("gold", 0.18))
            mark.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
            mark.cursor = QTextCursor(self.text.document().findBlockByNumber(line))
            marks.append(mark)
        self.text.setExtraSelections(marks)
        if marks:
            self.text.setTextCursor(marks[0].cursor)
            self.text.centerCursor()

    def _uncheck(self) -> None:
        self._group.setExclusive(False)
        for button in self.tab_buttons.values():
            button.setChecked(False)
        self._group.setExclusive(True)

    def _show_files(self, files: Files) -> None:
        for name, button in self.tab_buttons.items():
            button.setVisible(name in files)
        others = sorted(set(files) - set(_FIRST))
        if [self.more.itemText(k) for k in range(1, self.more.count())] != others:
            self.more.clear()
            self.more.addItems([tell("more files"), *others])
        if files != self._shown_files:
            self._shown_files = files
            self.show_file(self._name if self._name in files else next(name for name in _FIRST if name in files))

    def _show_proof(self) -> None:
        clear(self._rows)
        proof = self._program.proof
        self._state.say("")
        if self._program.proving:
            self._line(0, "…", "muted", tell("proving: it is put through all that it can meet"))
        elif self._program.fault:
            self._line(0, "✕", "wrong", self._program.fault)
        elif proof is None:
            self._line(0, "", "muted", tell("Not proved yet: “Prove” compiles it here and compares each decision."))
        else:
            self._table(proof)

    def _table(self, proof: Proof) -> None:
        old = self._program.is_old
        said = tell("Of another state: prove it again.") if old else proof.verdict()
        said = joined(" ", (said, self._program.proved_at))
        self._state.say(said, "ember" if old or proof.differs else "muted")
        for column, title in (
            (1, tell("put through")),
            (2, tell("samples")),
            (3, tell("differ")),
            (4, tell("farthest off")),
        ):
            self._cell(0, column, title, "muted", right=column > 1)
        for row, check in enumerate(proof.checks, 1):
            self._check(row, check)
        if proof.not_reached:
            said = tell("{number} of {lines} lines of control.c were never reached", number=len(proof.not_reached),
                        lines=proof.lines)  # fmt: skip
            self._line(len(proof.checks) + 1, "!", "muted", said, tip="\n".join(proof.not_reached))

    def _check(self, row: int, check: Check) -> None:
        if check.left:
            self._line(row, "–", "muted", joined(": ", (tell(check.name), tell(check.left))))
            return
        sign, role = ("✕", "wrong") if check.found.differing else ("✓", "met")
        self._line(row, sign, role, joined(": ", (tell(check.name), check.text)), tip=check.says)
        self._cell(row, 2, f"{check.found.samples:,}".replace(",", "\u202f"), "", right=True)
        if check.found.first is not None and check.found.first.around:
            see = QPushButton(tell("{differing}: see it", differing=check.found.differing))
            see.setProperty("link", True)
            see.clicked.connect(lambda _=False, first=check.found.first: self.see(first))
            self._rows.addWidget(see, row, 3, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        else:
            self._cell(row, 3, str(check.found.differing) if check.found.differing else tell("none"), role, right=True)
        self._cell(row, 4, f"{check.found.largest:.1g}" if check.found.largest else "0", "", right=True)

    def _line(self, row: int, sign: str, role: str, text: str, tip: str = "") -> None:
        self._cell(row, 0, sign, role)
        label = self._cell(row, 1, text, "muted" if role == "muted" else "")
        label.setWordWrap(True)
        label.setToolTip(tip)

    def _cell(self, row: int, column: int, text: str, role: str, *, right: bool = False) -> PlainLabel:
        label = PlainLabel(text)
        label.setFont(theme.font("small"))
        if role:
            label.setProperty("role", role)
        across = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag(0)
        self._rows.addWidget(label, row, column, across | Qt.AlignmentFlag.AlignTop)
        return label
