"""Why a measure of the run is what it is, and what would help: under the strip, each part and remedy a run."""

from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.panel import put_content
from kelvarn.desktop.parts.plain import PlainLabel, plain_tip
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import current_go_on
from kelvarn.model.candidate import Candidate
from kelvarn.model.mark import Mark
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.sentence import joined, say
from kelvarn.studies.reasons import Reason, ReasonError, Reasons, Remedy, can_be_asked, reasons
from kelvarn.units import Scale, counted, show

_CHANNEL = "why"
_QUESTIONS = {
    "overshoot_K": say("Why is it {amount} over?"),
    "swing_K": say("Why does it swing by {amount}?"),
    "steady_error_K": say("Why does it stay {amount} off?"),
    "settling_s": say("Why does it take {amount} to settle?"),
    "sag_K": say("Why does it sag by {amount} after “{of}”?"),
    "recovery_s": say("Why is it back only {amount} after “{of}” began?"),
    "worst_over_K": say("Why is it up to {amount} over?"),
    "worst_under_K": say("Why is it up to {amount} under?"),
}
_NEVER = {"settling_s": say("Why does it never settle?"), "recovery_s": say("Why is it never back after “{of}”?")}
_HEIGHT = 276
_BAR = QSize(64, 14)
_LINE = 16


@dataclass(frozen=True)
class _Asked:
    """What is asked: of which run, and about which measure; None for what is most worth it."""

    project: Project
    candidate: Candidate
    trial: Trial
    ref: Mark | None


class Bar(QWidget):
    """A share of the whole, to the right; hatched to the left where it holds the whole back."""

    def __init__(self, share: float, color: str) -> None:
        super().__init__()
        self._share, self._color = max(-1.0, min(share, 1.0)), color
        self.setMinimumSize(_BAR)
        self.setMaximumHeight(_BAR.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        painter, color = QPainter(self), theme.current().color(self._color)
        zero = self.width() / 4
        room = self.width() - zero if self._share > 0 else zero
        width = max(abs(self._share) * room, 1.5)
        rect = QRectF(zero if self._share > 0 else zero - width, 1, width, self.height() - 2)
        if self._share < 0:
            painter.setPen(color)
            painter.setBrush(theme.current().color(self._color, 0.25))
            painter.drawRect(rect.adjusted(0, 0, -1, -1))
        else:
            painter.fillRect(rect, color)
        painter.setPen(theme.current().color("muted"))
        painter.drawLine(round(zero), 0, round(zero), self.height())
        painter.end()


class WhyPanel(QFrame):
    """See the module.

    Args:
        jobs: computes.

    Signals:
        show_wanted: the run of an alternative is to be seen over the strip, with what it is called, or no longer.
        taken: an alternative that is to be had: as a candidate, or as the rig.
        closed: it is to be folded in.
    """

    show_wanted = Signal(object, str)
    taken = Signal(object)
    closed = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self.setProperty("card", True)
        self._jobs = jobs
        self._asked: _Asked | None = None
        self._scale = Scale.CELSIUS
        self._ref: Mark | None = None
        self.found: Reasons | None = None
        self.question = heading(tell("Why?"))
        self.note = ElidedLine("small", "muted", ground="panel")
        self.measure = Choice()
        self.measure.setAccessibleName(tell("What is asked about"))
        self.measure.activated.connect(lambda _: self._choose(self.measure.currentData()))
        close = QPushButton("×")
        close.setProperty("link", True)
        close.setAccessibleName(tell("Close: why, and what would help"))
        close.setFixedWidth(20)
        close.clicked.connect(self.closed)
        head = QHBoxLayout()
        for widget in (self.question, self.note, self.measure, close):
            head.addWidget(widget, 1 if widget is self.note else 0)
        self._scroll = QScrollArea()
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it takes the keys
        self._scroll.setWidgetResizable(True)
        self._scroll.setProperty("inFoot", True)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.shows: list[QPushButton] = []
        self.takes: list[QPushButton] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(self._scroll, 1)
        self.setFixedHeight(_HEIGHT)

    def ask(self, project: Project, candidate: Candidate, trial: Trial, scale: Scale) -> None:
        """Ask for the reasons of a run, where they are not known or under way."""
        known = can_be_asked(trial)
        if self._ref not in known:
            self._ref = None
        wanted = _Asked(project, candidate, trial, self._ref)
        if wanted == self._asked and scale == self._scale:
            return
        if self._asked is None or trial.events != self._asked.trial.events or not self.measure.count():
            self.measure.clear()
            self.measure.addItem(tell("what is most worth asking"), None)
            for ref in known:
                self.measure.addItem(ref.title, ref)
        self._asked, self._scale = wanted, scale
        self.note.say(tell("computing …"))
        before: QWidget | None = self._scroll.widget()
        if before is not None:
            before.setEnabled(False)
        self._jobs.start(_CHANNEL, lambda: _work(wanted), self._take)

    def stop(self) -> None:
        """Nothing is asked any more."""
        self._jobs.stop(_CHANNEL)
        self._asked = None

    def _choose(self, ref: Mark | None) -> None:
        self._ref = ref
        if self._asked is not None:
            self.ask(self._asked.project, self._asked.candidate, self._asked.trial, self._scale)

    def _take(self, outcome: object) -> None:
        content = QWidget()
        grid = QGridLayout(content)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(3)
        self.shows, self.takes = [], []
        self.found = outcome if isinstance(outcome, Reasons) else None
        if self.found is None:
            self.question.setText(tell("Why?"))
            self.note.say(str(outcome))
        else:
            self._fill(grid, self.found)
        grid.setRowStretch(grid.rowCount(), 1)
        put_content(self._scroll, content)

    def _fill(self, grid: QGridLayout, found: Reasons) -> None:
        of = found.ref.event or found.ref.body or ""
        size = None if found.whole is None else abs(found.whole)
        question = _NEVER[found.ref.measure] if size is None else _QUESTIONS[found.ref.measure]
        self.question.setText(tell(question, amount="" if size is None else self._said(size), of=of))
        self.note.say(tell("{runs}, each with one thing taken away or changed", runs=counted(found.runs, "run")))
        at = max(range(self.measure.count()), key=lambda k: _same(self.measure.itemData(k), found.ref))
        self.measure.setCurrentIndex(at)
        for column, share in enumerate((5, 4, 0, 0)):
            grid.setColumnStretch(column, share)
        most = max([abs(part.part or 0.0) for part in found.parts] + [size or 0.0, 1e-12])
        for row, part in enumerate(found.parts):
            self._part_row(grid, row, part, most)
        row = len(found.parts)
        if size is not None:
            overlap = found.together < 0
            words = tell("counted more than once, since parts overlap") if overlap else tell("only together")
            grid.addWidget(_cut(words), row, 0)
            grid.addWidget(Bar(found.together / most, "muted"), row, 1)
            grid.addWidget(_ink(self._said(abs(found.together)), bold=True), row, 2)
        elif not found.parts:
            grid.addWidget(_cut(tell("none of what was taken away makes it settle")), row, 0)
        head = QHBoxLayout()
        head.setContentsMargins(0, 8, 0, 0)
        head.setSpacing(10)
        head.addWidget(heading(tell("What would help most")))
        by = tell("by the marks that fail now") if found.met < found.asked else tell("all marks are met already")
        head.addWidget(small(by if found.remedies else tell("nothing of what was tried")), 1)
        grid.addLayout(head, row + 1, 0, 1, 4)
        for place, remedy in enumerate(found.remedies):
            self._remedy_row(grid, row + 2 + place, place + 1, remedy, found.asked)

    def _part_row(self, grid: QGridLayout, row: int, part: Reason, most: float) -> None:
        without = part.alternative.words
        grid.addWidget(_cut(without, bold=row == 0), row, 0)
        if part.part is None:
            said = (
                tell("there would be none")
                if part.value is None
                else tell("{said} without it", said=self._said(part.value))
            )
            grid.addWidget(small(said), row, 1, 1, 2)
        else:
            grid.addWidget(Bar(part.part / most, "glacier"), row, 1)
            said = self._said(abs(part.part))
            grid.addWidget(_ink(said if part.part >= 0 else tell("{said} less", said=said), bold=True), row, 2)
        show_it = link(
            tell("show"),
            lambda: self.show_wanted.emit(part.alternative, tell("without {without}", without=without)),
            tell("Lay the run without it over the strip: {without}", without=without),
        )
        show_it.setProperty("words", without)
        self.shows.append(show_it)
        grid.addWidget(show_it, row, 3)

    def _remedy_row(self, grid: QGridLayout, row: int, place: int, remedy: Remedy, asked: int) -> None:
        value = tell("no value") if remedy.value is None else self._said(remedy.value)
        marks = tell(" · {met} of {asked} marks", met=remedy.met, asked=asked) if asked else ""
        grid.addWidget(_cut(joined("  ", (str(place), remedy.alternative.words)), bold=place == 1), row, 0)
        grid.addWidget(_ink(tell(value) + marks), row, 1, 1, 2)
        of_rig = remedy.alternative.of_rig
        words = remedy.alternative.words
        tip = (
            tell("Change the rig so: {words}", words=words)
            if of_rig
            else tell("Make it a candidate: {words}", words=words)
        )
        take = link(tell("to the rig") if of_rig else tell("take"), lambda: self.taken.emit(remedy.alternative), tip)
        show_it = link(
            tell("show"),
            lambda: self.show_wanted.emit(remedy.alternative, remedy.alternative.words),
            tell("Lay this run over the strip: {words}", words=remedy.alternative.words),
        )
        both = QWidget()
        inner = QHBoxLayout(both)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(show_it)
        inner.addWidget(take)
        self.takes.append(take)
        grid.addWidget(both, row, 3)

    def _said(self, value: float) -> str:
        assert self.found is not None
        return show(value, self.found.ref.kind.quantity, self._scale)


def _work(asked: _Asked) -> object:
    go_on = current_go_on() or (lambda _: True)
    try:
        return reasons(asked.project, asked.candidate, asked.trial, asked.ref, go_on)
    except (ReasonError, RunError) as error:
        return str(error)


def _same(ref: Mark | None, asked: Mark) -> int:
    return int(ref is not None and (ref.measure, ref.event) == (asked.measure, asked.event))


def _cut(text: str, *, bold: bool = False) -> ElidedLine:
    """What a row is of, cut where it has no room."""
    made = ElidedLine("small", bold=bold, ground="panel")
    made.setFixedHeight(_LINE)
    made.say(text)
    return made


def _ink(text: str, *, bold: bool = False) -> PlainLabel:
    """A word of the table: it is not wrapped, and the whole is its tool tip."""
    made = small(text, "", bold=bold)
    made.setWordWrap(False)
    made.setToolTip(plain_tip(text))
    return made
