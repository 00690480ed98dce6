"""The steps of a curve as a small table: from which temperature, which drive, left how far back."""

from functools import partial

from PySide6.QtWidgets import QGridLayout, QWidget

from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.fields.plain import link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.model.curve import MOST_STEPS
from kelvarn.model.edit import Path
from kelvarn.sentence import say

from .actions import CandidateActions

_COLUMNS = ((say("from"), "from_degC", 74), (say("drive"), "drive", 58), (say("hysteresis"), "back_off_K", 66))


class StepsField(QWidget):
    """A row of numbers a step, with what is wrong below.

    Args:
        actions: adds and removes steps.
        path: the steps in the project.
    """

    def __init__(self, actions: CandidateActions, path: Path) -> None:
        super().__init__()
        self._fault = small(role="wrong")
        self._fault.hide()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        for column, (title, _, _) in enumerate(_COLUMNS):
            grid.addWidget(small(title), 0, column)
        self.edits: list[NumberEdit] = []
        steps = actions.document.get(path)
        for row in range(len(steps)):
            for column, (title, field, width) in enumerate(_COLUMNS):
                edit = NumberEdit(Binding(actions.document, actions.view, (*path, row, field)))
                edit.setAccessibleName(tell("Step {row}: {title}", row=row + 1, title=title))
                edit.setFixedWidth(width)
                edit.complaint.connect(self._show_fault)
                self.edits.append(edit)
                grid.addWidget(edit, row + 1, column)
            remove = link(tell("remove"), partial(actions.remove_step, row), tell("Remove step {row}", row=row + 1))
            set_shown(remove, len(steps) > 1)
            grid.addWidget(remove, row + 1, len(_COLUMNS))
        grid.addWidget(self._fault, len(steps) + 1, 0, 1, len(_COLUMNS) + 1)
        self.add_step = link(tell("+ step"), actions.add_step, tell("Add a step"))
        set_shown(self.add_step, len(steps) < MOST_STEPS)
        grid.addWidget(self.add_step, len(steps) + 2, 0)
        grid.setColumnStretch(len(_COLUMNS), 1)

    def refresh(self) -> None:
        """Show what the project has."""
        for edit in self.edits:
            edit.refresh()

    @property
    def fault(self) -> str:
        """What is wrong with what was typed."""
        return self._fault.text()

    def _show_fault(self, sentence: str) -> None:
        self._fault.setText(sentence)
        self._fault.setVisible(bool(sentence))
