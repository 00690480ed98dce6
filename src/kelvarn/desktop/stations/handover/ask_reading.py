"""A reading that is typed, and what the device would do at it: told by the very step that ran in every trial."""

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.handover.worked_cases import typed_cases
from kelvarn.model.candidate import Candidate
from kelvarn.units import Quantity, UnitError, parse

_WIDTH = 84


class AskReading(QWidget):
    """A field for a reading, and below it what would be given."""

    def __init__(self, document: Document, view: View) -> None:
        super().__init__()
        self._document, self._view = document, view
        self._candidate: Candidate | None = None
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(PlainLabel(tell("What would it do at")))
        self.edit = QLineEdit()
        self.edit.setFixedWidth(_WIDTH)
        self.edit.setPlaceholderText("41.3")
        self.edit.setAccessibleName(tell("A reading: what would it do at it?"))
        self.edit.textChanged.connect(self._answer)
        row.addWidget(self.edit)
        row.addStretch(1)
        self.says = small("")
        self.says.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(row)
        column.addWidget(self.says)

    def refresh(self, candidate: Candidate) -> None:
        """Answer anew, for a candidate as it is now."""
        self._candidate = candidate
        self._answer()

    def _answer(self) -> None:
        text = self.edit.text().strip()
        if not text or self._candidate is None:
            self.says.setText("")
            return
        try:
            degC = parse(text, Quantity.TEMPERATURE, self._view.scale)
        except UnitError as error:
            self.says.setText(str(error))
            return
        cases = typed_cases(self._document.project, self._candidate, degC, self._view.scale)
        self.says.setText("; ".join(f"{case.what}: {case.must}" for case in cases))
