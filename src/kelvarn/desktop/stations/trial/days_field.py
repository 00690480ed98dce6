"""A part of the day in two lines: from, to and its setpoint; the days of the week as seven chips."""

from collections.abc import Sequence

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop.fields.binding import Binding, Wrong
from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.fields.plain import ChoiceField, small
from kelvarn.model.guards import DAYS

_LEAST = 56  # px of a number


class DaysField(QWidget):
    """Days that can be put on and off; one stays on."""

    def __init__(self, binding: Binding) -> None:
        super().__init__()
        self.binding = binding
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.chips: dict[str, QPushButton] = {}
        for day in DAYS:
            chip = QPushButton(day[:2])
            chip.setCheckable(True)
            chip.setProperty("chip", True)
            chip.setMinimumWidth(24)
            chip.setAccessibleName(f"{binding.title}: {day}")
            chip.clicked.connect(self._take)
            self.chips[day] = chip
            layout.addWidget(chip, 1)
        self.refresh()

    def refresh(self) -> None:
        """Show what the project has."""
        if self.binding.alive:
            for day, chip in self.chips.items():
                chip.setChecked(day in self.binding.value)

    def _take(self) -> None:
        wanted = tuple(day for day, chip in self.chips.items() if chip.isChecked())
        try:
            if wanted:
                self.binding.put(wanted)
        except Wrong as error:
            self.setToolTip(str(error))
        self.refresh()


class DayPartRow(QWidget):
    """A row of the table of day parts.

    Args:
        edits: from, to, and the setpoint where it is its own.
        named: which named setpoint it is; None where there are none.
        days: on which it begins.
        remove: takes it out.
    """

    def __init__(
        self, edits: Sequence[NumberEdit], named: ChoiceField | None, days: DaysField, remove: QPushButton
    ) -> None:
        super().__init__()
        self._edits, self._days, self._named = edits, days, named
        self._fault = small("", "wrong")
        self._fault.setWordWrap(True)
        self._fault.hide()
        line = QHBoxLayout()
        line.setSpacing(4)
        for edit in edits:
            edit.setMinimumWidth(_LEAST)
            edit.complaint.connect(self._show_fault)
            line.addWidget(edit, 1)
        if named is not None:
            line.addWidget(named, 2)
        line.addWidget(remove)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(3)
        column.addLayout(line)
        column.addWidget(self._fault)
        column.addWidget(days)

    def refresh(self) -> None:
        """Show what the project has."""
        for edit in self._edits:
            edit.refresh()
        if self._named is not None:
            self._named.refresh()
        self._days.refresh()

    def _show_fault(self, sentence: str) -> None:
        self._fault.setText(sentence)
        self._fault.setVisible(bool(sentence))
