"""The questions of a kind of rig, each with a guess in place; Enter builds it."""

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import fault_told, number_heard, tell
from kelvarn.desktop.parts.plain import PlainLabel, clear, set_shown
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.desktop.stations.rig.words import verdict_text
from kelvarn.kinds import Kind, Question
from kelvarn.model.project import Project
from kelvarn.model.tolerances import guesses
from kelvarn.sentence import joined, lowered, say
from kelvarn.studies.guesses import size_text, value_text
from kelvarn.units import Scale, parse, show, split

from .names import named

_SOON_MS = 200


class AnswerLine(QWidget):
    """A question, its answer, and below it what is wrong with that."""

    def __init__(self, question: Question, scale: Scale, done: Callable[[], object]) -> None:
        super().__init__()
        self.question, self._scale = question, scale
        self._unit = split(question.guess, question.quantity, scale)[1]
        self.edit = QLineEdit(tell(show(question.guess, question.quantity, scale)))
        self.edit.setAccessibleName(tell(question.text))
        self.edit.setFixedWidth(130)
        self.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.edit.textChanged.connect(self._look)
        self.edit.returnPressed.connect(done)
        label = PlainLabel(tell(question.text))
        label.setBuddy(self.edit)
        self.fault = small("", "wrong")
        self.fault.hide()
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label, 0, 0)
        layout.addWidget(self.edit, 0, 1)
        layout.addWidget(self.fault, 1, 0, 1, 2)
        layout.setColumnStretch(0, 1)

    @property
    def value(self) -> float | None:
        """The answer in its base unit; None where it is none."""
        shown = tell(show(self.question.guess, self.question.quantity, self._scale))
        if self.edit.text().strip() == shown:
            return self.question.guess
        try:
            value = self._typed()
        except ValueError:
            return None
        return None if self.question.fault(value) else value

    def _typed(self) -> float:
        """What stands there. Raises UnitError, or ValueError where its figures can be read two ways."""
        return parse(number_heard(self.edit.text()), self.question.quantity, self._scale, self._unit or None)

    def _look(self) -> None:
        text = ""
        try:
            text = tell(self.question.fault(self._typed()))
        except ValueError as error:
            text = fault_told(error)
        self.fault.setText(text)
        set_shown(self.fault, bool(text))


class QuestionsPage(QWidget):
    """All questions of a kind.

    Args:
        build: told the kind and its answers.
        back: leaves the page.
        jobs: what works out what becomes of the answers.
    """

    def __init__(
        self, build: Callable[[Kind, dict[str, float]], object], back: Callable[[], object], jobs: Jobs
    ) -> None:  # fmt: skip
        super().__init__()
        self._build, self._jobs = build, jobs
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON_MS)
        self._soon.timeout.connect(self._work_out)
        self._kind: Kind | None = None
        self.lines: list[AnswerLine] = []
        outer = QHBoxLayout(self)
        outer.setContentsMargins(24, 12, 24, 12)
        column = QVBoxLayout()
        outer.addLayout(column)
        outer.addSpacing(40)
        self.becomes = QVBoxLayout()
        self.becomes.setSpacing(6)
        outer.addLayout(self.becomes, 1)
        self._title = heading("")
        column.addWidget(self._title)
        column.addWidget(
            small(tell("Each has a guess in place; what is not known stays as it is, and is marked as a guess."))
        )
        self._rows = QVBoxLayout()
        self._rows.setSpacing(8)
        column.addSpacing(8)
        column.addLayout(self._rows)
        column.addSpacing(8)
        row = QHBoxLayout()
        self.back = QPushButton(tell("Back"))
        self.back.clicked.connect(lambda: back())
        self.button = QPushButton(tell("Build it"))
        self.button.setDefault(True)
        self.button.clicked.connect(self._done)
        row.addWidget(self.back)
        row.addStretch(1)
        row.addWidget(self.button)
        column.addLayout(row)
        self.said = small("")
        self.said.setMinimumWidth(430)
        column.addWidget(self.said)
        column.addStretch(1)

    def ask(self, kind: Kind, scale: Scale) -> None:
        """Ask the questions of a kind."""
        self._kind = kind
        for line in self.lines:
            line.hide()
            line.deleteLater()
        self._title.setText(tell(kind.title))
        self.lines = [AnswerLine(question, scale, self._done) for question in kind.questions]
        for line in self.lines:
            self._rows.addWidget(line)
            theme.dress(line)
            line.edit.textChanged.connect(self._soon.start)
        self.say("")
        self._work_out()
        self.lines[0].edit.setFocus()
        self.lines[0].edit.selectAll()

    def say(self, text: str, *, busy: bool = False) -> None:
        """Say how it goes."""
        self.said.setText(text)
        self.button.setEnabled(not busy)

    def _work_out(self) -> None:
        """Say what becomes of the answers so far."""
        answers = {line.question.key: line.value for line in self.lines if line.value is not None}
        if self._kind is not None and len(answers) == len(self.lines):
            self._jobs.start("start: becomes", lambda kind=self._kind: kind.drafted(answers), self._show)  # type: ignore[misc]

    def _show(self, found: object) -> None:
        clear(self.becomes)
        lines = (
            what_becomes(named(found))
            if isinstance(found, Project)
            else [(tell("That is no rig: {why}", why=str(found)), "wrong")]
        )
        self.becomes.addWidget(heading(tell("What becomes of it")))
        for text, role in lines:
            self.becomes.addWidget(small(text, role))
        self.becomes.addStretch(1)
        theme.dress(self)

    def _done(self) -> None:
        answers = {line.question.key: line.value for line in self.lines}
        wrong = next((line for line in self.lines if line.value is None), None)
        if wrong is not None:
            wrong.edit.setFocus()
            self.say(tell("“{question}” has no answer yet.", question=wrong.question.text))
        elif self._kind is not None and self.button.isEnabled():
            self._build(self._kind, {key: value for key, value in answers.items() if value is not None})


def what_becomes(project: Project) -> list[tuple[str, str]]:
    """Lines on a project as it would be, and the colour role of each."""
    rig, trial = project.rig, project.first_trial
    scale = project.scale or Scale.CELSIUS
    found = [(tell(verdict_text(rig, trial.plan.last_degC, scale, None)), "")]
    for guess in guesses(rig):
        parameter = guess.parameter
        said = tell("{parameter}: {value}, a guess, {size}", parameter=parameter.text, value=value_text(rig, parameter),
                    size=size_text(parameter))  # fmt: skip
        found.append((said, "muted"))
    asked = joined(
        ", ", (say("{mark} {limit}", mark=lowered(mark.title), limit=mark.limit_text(scale)) for mark in trial.marks)
    )
    found.append((tell("Asked of it: {marks}.", marks=asked), ""))
    guards = ", ".join(guard.name for guard in rig.guards)
    return [*found, (tell("Guarded by: {guards}.", guards=guards), "")] if guards else found
