"""A small window in which one mark is edited."""

from pydantic import ValidationError
from PySide6.QtCore import QPoint, Signal
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import first_sentence
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.desktop.parts.popup import Popup
from kelvarn.model.mark import MEASURES, Mark
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, UnitError, parse, show

_DIRECTIONS = {"at_most": say("at most"), "at_least": say("at least"), "within": say("within ±")}


class MarkEditor(Popup):
    """Edits a mark, or a new one.

    Signals:
        taken: the mark as edited.
        removed: it is to go.
    """

    taken = Signal(object)
    removed = Signal()

    def __init__(self, project: Project, trial: Trial, mark: Mark | None, scale: Scale, parent: QWidget) -> None:
        super().__init__(parent)
        self._scale, self._mark = scale, mark
        self._measure, self._subject, self._direction = Choice(), Choice(), Choice()
        self._events = [event.name for event in trial.events]
        self._bodies = list(project.rig.body_names)
        for key, kind in MEASURES.items():
            if kind.scope != "event" or self._events:
                self._measure.addItem(tell(kind.title), key)
        for direction, words in _DIRECTIONS.items():
            self._direction.addItem(tell(words), direction)
        self._limit = QLineEdit()
        self._limit.setAccessibleName(tell("Limit"))
        self._why = QLineEdit()
        self._why.setAccessibleName(tell("Because"))
        self._why.setMaxLength(200)
        self._measure.setAccessibleName(tell("Measure"))
        self._fault = PlainLabel()
        self._fault.setProperty("role", "wrong")
        self._fault.setFont(theme.font("small"))
        self._fault.setWordWrap(True)
        self._fault.setMinimumWidth(250)
        form = QFormLayout()
        form.addRow(tell("Measure"), self._measure)
        form.addRow("Of", self._subject)
        form.addRow(tell("Must be"), self._direction)
        form.addRow(tell("Limit"), self._limit)
        form.addRow(tell("Because"), self._why)
        take = QPushButton(tell("Set the mark"))
        take.setProperty("main", True)
        take.clicked.connect(self._take)
        buttons = QHBoxLayout()
        if mark is not None:
            remove = QPushButton(tell("Remove"))
            remove.clicked.connect(self._remove)
            buttons.addWidget(remove)
        buttons.addStretch(1)
        buttons.addWidget(take)
        layout = QVBoxLayout(self)
        layout.addWidget(heading(tell("Mark") if mark is not None else tell("New mark")))
        layout.addLayout(form)
        layout.addWidget(self._fault)
        layout.addLayout(buttons)
        self._fill(mark)
        self._measure.activated.connect(lambda _: self._show_subjects())
        self._limit.returnPressed.connect(self._take)

    def _fill(self, mark: Mark | None) -> None:
        if mark is None:
            self._show_subjects()
            return
        self._measure.setCurrentIndex(self._measure.findData(mark.measure))
        self._show_subjects()
        self._subject.setCurrentIndex(max(0, self._subject.findText(mark.event or mark.body or "")))
        self._direction.setCurrentIndex(self._direction.findData(mark.direction))
        self._why.setText(mark.why)
        self._limit.setText(show(mark.limit, mark.kind.quantity, self._scale, exact=True))
        self._limit.selectAll()

    def _show_subjects(self) -> None:
        scope = MEASURES[self._measure.currentData()].scope
        self._subject.clear()
        self._subject.addItems(
            {"event": self._events, "body": self._bodies}.get(
                scope, [tell("the whole run") if scope == "run" else tell("the longest setpoint")]
            )
        )
        self._subject.setEnabled(scope in ("event", "body"))

    def popup(self, corner: QPoint) -> None:
        """Show it above a point."""
        self.adjustSize()
        super().popup(corner - QPoint(0, self.height() + 6))
        self._limit.setFocus()

    def _take(self) -> None:
        key = self._measure.currentData()
        kind = MEASURES[key]
        try:
            made = Mark(
                measure=key,
                limit=parse(self._limit.text(), kind.quantity, self._scale, _bare(kind.quantity)),
                direction=self._direction.currentData(),
                why=self._why.text(),
                event=self._subject.currentText() if kind.scope == "event" else None,
                body=self._subject.currentText() if kind.scope == "body" else None,
            )
        except UnitError as error:
            self._fault.setText(str(error))
            return
        except ValidationError as error:
            self._fault.setText(first_sentence(error, self._scale))
            return
        self.taken.emit(made)
        self.close()

    def _remove(self) -> None:
        self.removed.emit()
        self.close()


def _bare(quantity: Quantity) -> str | None:
    return "min" if quantity is Quantity.DURATION else None
