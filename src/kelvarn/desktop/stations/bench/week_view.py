"""The week: a recording against what was expected of it, day by day."""

import math
from datetime import date, timedelta
from functools import partial

from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QHeaderView, QTableWidgetItem, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import Choice, heading, link, small
from kelvarn.desktop.language import fault_told, tell, told
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.state.view import View
from kelvarn.engine.run import Run
from kelvarn.link.bench.live import watts_of
from kelvarn.link.bench.week import Kept, WeekError, changes_of, day_words, expected_of, week_of
from kelvarn.model.log import Log
from kelvarn.model.trial import Plan
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

_COLUMNS = (
    say("day"),
    say("part"),
    say("recorded"),
    say("inside"),
    say("worst"),
    say("swing"),
    say("on, 1/h"),
    say("energy"),
)


class WeekView(QWidget):
    """A recorded log, day by day, beside what the trial promised.

    Args:
        document, view, runner: whose logs, and what was computed.
    """

    def __init__(self, document: Document, view: View, runner: Runner) -> None:
        super().__init__()
        self._document, self._view, self._runner = document, view, runner
        self._shown: object = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        head = QHBoxLayout()
        head.addWidget(heading(tell("The week, against what was expected")))
        head.addStretch(1)
        self.logs = Choice()
        self.logs.setAccessibleName(tell("Recording"))
        self.logs.activated.connect(lambda _: self.refresh())
        head.addWidget(self.logs)
        self.again = link(tell("look again in a week"), self._look_again, tell("The station says so on that day"))
        head.addWidget(self.again)
        column.addLayout(head)
        self.said = small("")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        self.table = ReadTable(tell("Days and parts of them"))
        self.table.setColumnCount(len(_COLUMNS))
        self.table.setHorizontalHeaderLabels([tell(name) for name in _COLUMNS])
        self.table.verticalHeader().hide()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        column.addWidget(self.table, 1)

    def _look_again(self) -> None:
        day = "" if self._document.project.look_again else (date.today() + timedelta(days=7)).isoformat()
        self._document.set(("look_again",), day, tell("when to look again"))

    def refresh(self) -> None:
        """Show the log that is chosen."""
        day = self._document.project.look_again
        self.again.setText(tell("look again on {day} ✕", day=day) if day else tell("look again in a week"))
        project, trial = self._document.project, self._view.trial(self._document.project)
        names = [log.name for log in project.logs]
        if [self.logs.itemText(k) for k in range(self.logs.count())] != names:
            chosen = self.logs.currentText()
            self.logs.clear()
            self.logs.addItems(names)
            self.logs.setCurrentIndex(names.index(chosen) if chosen in names else len(names) - 1)
        if not names:
            self.table.setRowCount(0)
            self.said.setText(tell("Record for hours or days, and keep it as a log: then it is shown here by the day."))
            return
        name = project.chosen or self._view.candidate(project).name
        result = self._runner.result_of(name)
        subject = project, self.logs.currentText(), trial, result, self._view.scale
        if subject == self._shown:
            return
        self._shown = subject
        log = project.log(self.logs.currentText())
        plan, band_K, watts = trial.plan, trial.band_K, watts_of(project.rig)
        run = None if result is None else result.run
        work = partial(_compared, log, run, plan, band_K, watts)
        self._runner.jobs.start("bench: week", work, self._take, waits=False)

    def _take(self, found: object) -> None:
        if isinstance(found, str):
            self.table.setRowCount(0)
            self.said.setText(found)
        elif isinstance(found, tuple):
            rows, said = found
            self.said.setText(said)
            self._fill(rows)

    def _fill(self, rows: list[Kept]) -> None:
        scale: Scale = self._view.scale
        self.table.setRowCount(len(rows))
        for row, kept in enumerate(rows):
            inside = "–" if math.isnan(kept.inside) else f"{kept.inside:.0%}"
            cells = (
                "" if kept.part == "expected" else day_words(kept.day), kept.part,
                show(kept.hours * 3600.0, Quantity.DURATION), inside,
                show(kept.worst_K, Quantity.DIFFERENCE, scale, sign=True),
                show(kept.swing_K, Quantity.DIFFERENCE, scale), f"{kept.ons_per_h:.1f}",
                show(kept.energy_Wh * 3600.0, Quantity.ENERGY),
            )  # fmt: skip
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(told(text)))


def _compared(log: Log, run: Run | None, plan: Plan, band_K: float, watts: float) -> tuple[list[Kept], str] | str:
    """A log by the day, beside a run where there is one, and what is other than expected; else why it says nothing."""
    try:
        rows = week_of(log, band_K, watts, plan)
    except WeekError as error:
        return fault_told(error)
    if run is None:
        return rows, ""
    expected = expected_of(run, band_K, watts)
    said = "; ".join(changes_of(rows, expected)) or tell("As expected. Fit says what has changed in it.")
    return [rows[0], expected, *rows[1:]], said
