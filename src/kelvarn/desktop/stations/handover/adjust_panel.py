"""Which settings of a program stay adjustable, and which units are made alike."""

from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop.fields.any import field_for
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.plain import Choice, heading
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import clear
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.handover.adjusting import proposed
from kelvarn.model.candidate import Candidate
from kelvarn.model.handed import Unit
from kelvarn.sentence import say

from .program import Program
from .ready import note

_FIRST = say("make one adjustable …")


class AdjustPanel(QWidget):
    """Settings that stay adjustable, each with its range and step; units with name and address.

    Args:
        document, view: where they stand.
        program: knows which settings can stay adjustable.
    """

    def __init__(self, document: Document, view: View, program: Program) -> None:
        super().__init__()
        self._document, self._view, self._program = document, view, program
        self._candidate: Candidate | None = None
        self._shown: object = None
        self._shown_fields: list[Any] = []
        self.settings = Choice()
        self.settings.setAccessibleName(tell("Setting to stay adjustable"))
        self.settings.setMinimumContentsLength(8)
        self.settings.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.settings.activated.connect(self._add)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(3)
        self._units = QVBoxLayout()
        self._units.setSpacing(3)
        self.add_unit = QPushButton(tell("Add a unit"))
        self.add_unit.setProperty("link", True)
        self.add_unit.clicked.connect(self._add_unit)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 10, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(heading(tell("Stays adjustable")))
        layout.addLayout(self._rows)
        layout.addWidget(self.settings)
        layout.addSpacing(8)
        layout.addWidget(heading(tell("Units")))
        layout.addLayout(self._units)
        layout.addWidget(self.add_unit)

    def refresh(self, candidate: Candidate) -> None:
        """Show what is chosen for a candidate."""
        self._candidate = candidate
        project = self._document.project
        those = tuple((each.candidate, each.setting) for each in project.adjustable)
        shown = (candidate.name, those, len(project.units), tuple(line.name for line in self._program.adjustable))
        if shown == self._shown:
            for each in self._shown_fields:
                each.refresh()
            return
        self._shown, self._shown_fields = shown, []
        clear(self._rows)
        clear(self._units)
        chosen = set()
        for place, each in enumerate(project.adjustable):
            if each.candidate == candidate.name:
                chosen.add(each.setting)
                self._rows.addWidget(note(each.setting, "muted"))
                self._rows.addWidget(self._fields("adjustable", place, ("lowest", "highest", "step")))
        for place in range(len(project.units)):
            self._units.addWidget(self._fields("units", place, ("name", "address")))
        self.settings.clear()
        self.settings.addItem(tell(_FIRST))
        self.settings.addItems([line.name for line in self._program.adjustable if line.name not in chosen])

    def _fields(self, part: str, place: int, names: tuple[str, ...]) -> QWidget:
        """Fields of one, and what takes it away."""
        held = QWidget()
        column = QVBoxLayout(held)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(2)
        for name in names:
            binding = Binding(self._document, self._view, (part, place, name))
            made: Any = field_for(binding, self._document.project.rig)
            self._shown_fields.append(made)
            column.addWidget(made)
        away = QPushButton(tell("Take it off"))
        away.setProperty("link", True)
        away.clicked.connect(lambda: self._take_off(part, place))
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(away)
        column.addLayout(row)
        return held

    def _add(self, place: int) -> None:
        name = self.settings.itemText(place)
        line = next((each for each in self._program.adjustable if each.name == name), None)
        if line is None or self._candidate is None:
            return
        kept = (*self._document.project.adjustable, proposed(line, self._candidate.name))
        self._document.set(("adjustable",), kept, tell("{name} stays adjustable", name=name))

    def _add_unit(self) -> None:
        units = self._document.project.units
        taken = {unit.name for unit in units}
        number = next(k for k in range(1, len(units) + 2) if f"Unit {k}" not in taken)
        self._document.set(
            ("units",),
            (*units, Unit(name=f"Unit {number}")),
            tell("Unit {number} added", number=number),
        )

    def _take_off(self, part: str, place: int) -> None:
        kept = getattr(self._document.project, part)
        self._document.set((part,), (*kept[:place], *kept[place + 1 :]), tell("taken off"))
