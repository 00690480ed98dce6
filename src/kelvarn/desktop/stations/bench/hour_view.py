"""The middle of the first hour: what a step asks and found, and the device sample by sample."""

import math
from collections.abc import Callable

from pydantic import ValidationError
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts.boxes import first_sentence
from kelvarn.desktop.parts.plain import PlainLabel, set_shown
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.desktop.state.view import View
from kelvarn.link.bench.session import Session
from kelvarn.link.device import ProbeLine
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, parse, show
from kelvarn.words.live import MODE_WORDS, ruler_of

from .typed import TypedNumber
from .work import Bench

_ROWS = 8
_COLUMNS = (say("time"), say("reads"), say("setpoint"), say("asked"), say("given"), say("why"))


class HourView(QWidget):
    """A step of the first hour.

    Args:
        bench: the device.
        view: in what scale it is spoken.
    """

    def __init__(self, bench: Bench, view: View) -> None:
        super().__init__()
        self._bench, self._view = bench, view
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self._title = heading("")
        column.addWidget(self._title)
        self._asks = PlainLabel()
        self._asks.setWordWrap(True)
        self._said = PlainLabel()
        self._said.setWordWrap(True)
        column.addWidget(self._asks)
        row = QHBoxLayout()
        self.begin = QPushButton(tell("Begin"))
        self.begin.setProperty("main", True)
        self.begin.clicked.connect(self._begin)
        self.yes, self.no = QPushButton(tell("Yes")), QPushButton(tell("No"))
        self.yes.clicked.connect(lambda: self._answer(True))
        self.no.clicked.connect(lambda: self._answer(False))
        self.reference = TypedNumber(tell("What the reference shows"), 20.0, -273.0, 3000.0, "°C")
        self.take = QPushButton(tell("The reference shows this"))
        self.take.clicked.connect(self._take_reference)
        self.correct = QPushButton(tell("Correct the probe by these"))
        self.correct.clicked.connect(self._correct)
        for widget in (self.begin, self.yes, self.no, self.reference, self.take, self.correct):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self._said)
        column.addSpacing(8)
        head = QHBoxLayout()
        head.addWidget(heading(tell("Sample by sample")))
        head.addStretch(1)
        note = small(tell("only while commissioning"))
        note.setWordWrap(False)
        head.addWidget(note)
        column.addLayout(head)
        self._raws = small("")
        self._raws.setWordWrap(True)
        column.addWidget(self._raws)
        self.table = ReadTable(tell("The last samples"))
        self.table.setColumnCount(len(_COLUMNS))
        self.table.setHorizontalHeaderLabels([tell(name) for name in _COLUMNS])
        self.table.verticalHeader().hide()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setStretchLastSection(True)
        column.addWidget(self.table, 1)

    def _begin(self) -> None:
        hour = self._bench.at.first_hour
        if hour is not None:
            if hour.busy:
                hour.cancel()
            else:
                hour.begin()
        self.refresh()

    def _answer(self, is_so: bool) -> None:
        if self._bench.at.first_hour is not None:
            self._bench.at.first_hour.yes(is_so)
        self.refresh()

    def _take_reference(self) -> None:
        hour = self._bench.at.first_hour
        if hour is not None:
            typed = f"{self.reference.number:g} {self._view.scale.value}"
            hour.reference(parse(typed, Quantity.TEMPERATURE, self._view.scale))
        self.refresh()

    def _correct(self) -> None:
        hour = self._bench.at.first_hour
        if hour is not None:
            hour.said = guarded_text(self._bench.use_pairs)
        self.refresh()

    def refresh(self) -> None:
        """Show the step."""
        hour, session = self._bench.at.first_hour, self._bench.session
        if hour is None or session is None:
            self._title.setText(tell("The first hour"))
            self._asks.setText(tell("Open the link to a device first, or take the practice rig."))
            for widget in (self.begin, self.yes, self.no, self.reference, self.take, self.correct, self._said):
                set_shown(widget, False)
            self.table.setRowCount(0)
            return
        step = hour.step
        self._title.setText(step.title)
        self._asks.setText(step.asks)
        self.begin.setText(tell("End") if hour.busy else tell("Again") if step.key in hour.done else tell("Begin"))
        set_shown(self.begin, True)
        set_shown(self.yes, hour.asks_yes_no)
        set_shown(self.no, hour.asks_yes_no)
        typing = hour.busy and step.key == "readings"
        self.reference.setSuffix(f" {self._view.scale.value}")
        set_shown(self.reference, typing)
        set_shown(self.take, typing)
        set_shown(self.correct, step.key == "readings" and len(hour.pairs) > 1)
        self._said.setText(hour.said or hour.why_not())
        self._said.setProperty("role", "met" if step.key in hour.done and not hour.busy else "gold")
        self._said.style().unpolish(self._said)
        self._said.style().polish(self._said)
        set_shown(self._said, bool(self._said.text()))
        session.read_raws()
        self._raws.setText("   ".join(_raw_text(each) for each in session.raws))
        self._fill(session)

    def _fill(self, session: Session) -> None:
        history, rig, scale = session.history, session.carried.project.rig, self._view.scale
        count = min(history.count, _ROWS)
        columns = {name: history.of(name)[-count:] if count else history.of(name) for name in
                   ("time_s", "measured_degC", "setpoint_degC", "asked", "given", "guard", "mode")}  # fmt: skip
        self.table.setRowCount(count)
        for row in range(count):
            k = count - 1 - row
            degC = float(columns["measured_degC"][k])
            why = ruler_of(rig, int(columns["guard"][k])) or MODE_WORDS[int(columns["mode"][k]) & 3]
            cells = (
                show(float(columns["time_s"][k]), Quantity.DURATION),
                tell("no reading") if math.isnan(degC) else show(degC, Quantity.TEMPERATURE, scale),
                show(float(columns["setpoint_degC"][k]), Quantity.TEMPERATURE, scale),
                show(float(columns["asked"][k]), Quantity.DRIVE), show(float(columns["given"][k]), Quantity.DRIVE), why,
            )  # fmt: skip
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(told(text)))


def _raw_text(probe: ProbeLine) -> str:
    """A probe as the board has it."""
    degC = (
        tell("no reading") if probe.degC is None else tell("corrected {degc} °C", degc=figures(f"{probe.degC:.2f}", ""))
    )
    return tell("{probe}: raw {raw}, {degc}, channel {channel}", probe=probe.name, raw=figures(f"{probe.raw:g}", ""),
                degc=degC, channel=probe.channel)  # fmt: skip


def guarded_text(work: Callable[[], str]) -> str:
    """What some work says; where it cannot be done, why."""
    try:
        return work()
    except ValidationError as error:
        return first_sentence(error)
