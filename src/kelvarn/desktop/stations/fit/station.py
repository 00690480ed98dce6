"""Puts the Fit station together."""

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMenu,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.lanes.log import plan_lanes
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.panel import Columns
from kelvarn.desktop.stations.station import Context, Phrase, Station
from kelvarn.desktop.strip.lane import Shown
from kelvarn.desktop.strip.strip import Strip
from kelvarn.fit.observed import FitError
from kelvarn.fit.planning import Rough, StepTestPlan
from kelvarn.model.log import Log
from kelvarn.model.log_data import LogData
from kelvarn.sentence import say
from kelvarn.units import counted

from . import words
from .actions import LogActions
from .calibrate_view import CalibrateView
from .cards import VIEWS, LogCards
from .changes_panel import ChangesPanel
from .edits import LogEdits
from .fit_panel import FitPanel
from .knowledge import Knowledge, WantedFit
from .log_menu import log_menu
from .plan_panel import PlanPanel, Wish, planned
from .read_panel import ReadPanel
from .reading_view import ReadingView
from .scenes import scene_of

_PLAN = say("plan a recording")


class FitStation(Station):
    """Logs left; the log with what is laid over it, or how it is read; values right."""

    title, keys = say("Fit"), "Ctrl+2"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._document, self._view, self._runner = context.document, context.view, context.runner
        self.edits = LogEdits(self._document, self._show_log)
        self.known = Knowledge(self._runner.jobs)
        self.known.updated.connect(self._learned)
        self._document.replaced.connect(self._forget)
        self.work = LogActions(
            self, context, self.known, self.edits, lambda: self.log, self._at, lambda: self.fit_panel.wanted
        )
        self._selected = 0
        self.over: str | None = None  # another log laid beside the one shown
        self._cursor_s: float | None = None
        self._pinned = False
        self.plan: tuple[Rough, StepTestPlan] | str | None = None
        self._planned_for: object = None
        self.view = "fit"
        self._make_middle()
        self._make_right()
        self.cards = LogCards()
        self.cards.selected.connect(self.select)
        self.cards.menu_wanted.connect(self._show_menu)
        self.cards.open_wanted.connect(self.work.ask_open)
        self.cards.paste_wanted.connect(context.guarded(self.work.paste))
        self.cards.view_wanted.connect(self.set_view)
        self.verdict = ElidedLine("body", ground="panel")
        self.verdict.setAccessibleName(tell("How far to trust it"))
        foot = QFrame()
        foot.setProperty("foot", True)
        row = QHBoxLayout(foot)
        row.setContentsMargins(16, 10, 16, 10)
        row.addWidget(self.verdict, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(Columns(self.cards, self._middle, self._right), 1)
        layout.addWidget(foot)

    def _make_middle(self) -> None:
        guarded = self.context.guarded
        self.strip = Strip(self._document)
        self.strip.setAccessibleName(tell("Strip: the log over time, with what is laid over it"))
        self.strip.cursor_moved.connect(self._move_cursor)
        self.strip.pin_changed.connect(self._pin)
        self.reading = ReadingView(lambda reading, what: guarded(lambda: self.work.read_as(reading, what))())
        self.both = QSplitter(Qt.Orientation.Vertical)
        self.both.addWidget(self.reading)
        self.both.addWidget(self.strip)
        self.both.setSizes([330, 260])
        self.both.setChildrenCollapsible(False)
        self.calibrate = CalibrateView(
            lambda: self._view.scale, lambda: self._data(), lambda c: guarded(lambda: self.work.use_correction(c))(),
            lambda t: guarded(lambda: self.work.use_ntc(t))(), lambda c: self.work.converted_degC(c),
        )  # fmt: skip
        self._stack = QStackedWidget()
        self._stack.addWidget(self.both)
        self._stack.addWidget(self.calibrate)
        self.readout = ElidedLine("small", "muted", indent=50)
        self._middle = QWidget()
        column = QVBoxLayout(self._middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self._stack, 1)
        column.addWidget(self.readout)

    def _make_right(self) -> None:
        guarded, scale = self.context.guarded, lambda: self._view.scale
        self.fit_panel = FitPanel(
            self.known, lambda: self._document.project, scale, lambda _: self._ask(), guarded(self.work.use_in_rig)
        )
        self.read_panel = ReadPanel(
            self._document, self._view, self.known, lambda: self._placed(),
            lambda reading, what: guarded(lambda: self.work.read_as(reading, what))(), guarded(self._confirm),
            lambda a, b, why: guarded(lambda: self.work.leave_out(a, b, why))(),
        )  # fmt: skip
        self.changes_panel = ChangesPanel(self.known, scale)
        self.plan_panel = PlanPanel(lambda: self.plan, scale, lambda _: self._ask())
        self._nothing = QScrollArea()
        self._right = QStackedWidget()
        self._panels: dict[str, QWidget] = {
            "fit": self.fit_panel, "read": self.read_panel, "changed": self.changes_panel, "plan": self.plan_panel,
            "calibrate": self._nothing,
        }  # fmt: skip
        for panel in self._panels.values():
            self._right.addWidget(panel)

    # Which log, which view

    @property
    def chart(self) -> Strip:
        return self.strip

    @property
    def log(self) -> Log | None:
        """The log shown."""
        placed = self._placed()
        return None if placed is None else placed[1]

    def _placed(self) -> tuple[int, Log] | None:
        logs = self._document.project.logs
        if not logs:
            return None
        place = min(self._selected, len(logs) - 1)
        return place, logs[place]

    def _data(self) -> LogData | None:
        found = self.known.data(self.log) if self.log is not None else None
        return found if isinstance(found, LogData) else None

    def select(self, place: int) -> None:
        """Show another log."""
        self._selected = place
        self.over = None
        self.strip.fit()
        self._ask()

    def _show_log(self, name: str) -> None:
        """Show a log that has come; how it is read, unless nothing of it is in doubt."""
        self._selected = self.edits.place(name)
        log = self.log
        self.view = "fit" if log is not None and log.confirmed else "read"
        self.wanted.emit()
        self._ask()

    def set_view(self, view: str) -> None:
        """Show something else of the logs: a key of `VIEWS`."""
        self.view = view
        self._ask()

    # Commands

    def commands(self) -> list[Command]:
        menu = say("Fi&t")
        views = [Command(menu, title.capitalize(), "", self.shown(partial(self.set_view, key)))
                 for key, title in VIEWS.items()]  # fmt: skip
        return [
            Command(menu, say("Open a log…"), "Ctrl+Shift+O", self.shown(self.work.ask_open)),
            Command(menu, say("Paste a log"), "Ctrl+Shift+V", self.shown(self.work.paste)),
            Command(menu, say("Kept run as a log…"), "", self.shown(self.work.ask_kept)),
            Command(menu),
            Command(menu, say("Leave out at the cursor"), "Ctrl+Shift+X", self.shown(self.work.leave_out_here)),
            Command(menu, say("Note at the cursor…"), "", self.shown(self.work.ask_note)),
            Command(menu, say("Use in rig"), "Ctrl+Shift+U", self.shown(self.work.use_in_rig)),
            Command(menu, say("Trial as in this log"), "", self.shown(self.work.to_trial)),
            Command(menu, say("Remove the log"), "", self.in_sight(self.work.remove)),
            Command(menu),
            *views,
        ]

    def _show_menu(self, at: QPoint) -> None:
        self.menu().popup(at)

    def menu(self) -> QMenu:
        """What can be done with the log shown."""
        return log_menu(self.work, self.context.guarded, self._document.project.logs, self.over, self.lay_over, self)

    def lay_over(self, name: str) -> None:
        """Show another log beside the one shown, or no more."""
        self.over = None if self.over == name else name
        self.refresh()

    def _confirm(self) -> None:
        """The log is read rightly: go on to the fit."""
        self.view = "fit"
        self.work.confirm()

    # Asking and showing

    def _ask(self) -> None:
        self.request()
        self.refresh()
        self.stands_elsewhere.emit()

    def _forget(self) -> None:
        """Another project altogether is looked at from its first log on."""
        self.known.forget()
        self._selected, self.over, self._cursor_s = 0, None, None
        self.plan = self._planned_for = None

    def request(self) -> None:
        if self._runner.preparing:
            return
        project = self._document.project
        wanted: WantedFit = self.fit_panel.wanted
        self.known.request(project, wanted)
        if self.view == "changed" and self.log is not None and all(self.known.data(log) for log in project.logs):
            self.known.compare(project, self.log)
            self.known.ask_drift(project)
        if self.view == "plan":
            self._request_plan(self.plan_panel.wish)

    def _request_plan(self, wish: Wish) -> None:
        project = self._document.project
        key = (project.rig, project.first_trial.plan, wish)
        if key != self._planned_for:
            self._planned_for, self.plan = key, None
            self._runner.jobs.start(_PLAN, lambda: _plan(planned, project, wish), self._take_plan)

    def _take_plan(self, outcome: object) -> None:
        self.plan = outcome  # type: ignore[assignment]
        self._learned()

    def _learned(self) -> None:
        if self.isVisible():
            self.request()
            self.refresh()
        self.stands_elsewhere.emit()

    def phrase(self) -> Phrase:
        logs = self._document.project.logs
        if not logs:
            return Phrase(tell("no logs yet"), "begin")
        doubted = sum(not log.confirmed for log in logs)
        if doubted:
            return Phrase(tell("read: {logs} to look at", logs=counted(doubted, "log")), "look")
        found = self.known.fitted
        if self.known.fault:
            return Phrase(tell("cannot tell"), "look")
        if found is None or any(fit.log.name not in [log.name for log in logs] for fit in found.fit.logs):
            return Phrase(counted(len(logs), "log"), "fine")
        return words.phrase(found, self._view.scale)

    def refresh(self) -> None:
        project, view = self._document.project, self.view
        texts = [words.card_text(log, self.known, self._view.scale) for log in project.logs]
        placed = self._placed()
        self.cards.show_logs(texts, -1 if placed is None else placed[0], view)
        self._right.setCurrentWidget(self._panels[view])
        self._stack.setCurrentWidget(self.calibrate if view == "calibrate" else self.both)
        self.reading.setVisible(view == "read" and placed is not None)
        panel = self._panels[view]
        if hasattr(panel, "refresh"):
            panel.refresh()
        if view == "read" and placed is not None:
            self.reading.show_log(placed[1], self.known.look(placed[1]), self.known.data(placed[1]))
        self.calibrate.refresh()
        self.strip.show_lanes(self._lanes())
        self._right.setVisible(view != "calibrate")
        self.verdict.say(words.verdict(self.known, self.log, view, self._view.scale))
        self.show_cursor()

    def _lanes(self) -> Shown:
        if self.view == "plan":
            if not isinstance(self.plan, tuple):
                return Shown((words.empty_lane(tell("the recording is being planned …")),), 1.0)
            rough, plan = self.plan
            return plan_lanes(rough, plan, self._view.scale)
        log, data = self.log, self._data()
        if log is None:
            return Shown(
                (
                    words.empty_lane(
                        tell("Open a log, paste one, or drop a file on the window: what the real thing did.")
                    ),
                ),
                1.0,
            )
        if data is None:
            found = self.known.data(log)
            return Shown((words.empty_lane(found if isinstance(found, str) else tell("the log is being read …")),), 1.0)
        other = next((o for o in self._document.project.logs if o.name == self.over), None)
        beside = None if other is None else self.known.data(other)
        laid = (other.name, beside) if other is not None and isinstance(beside, LogData) else None
        return scene_of(self.known, self.edits, log, data, self._view.scale, self.view, laid)

    def show_cursor(self) -> None:
        data = self._data()
        if data is None or self.view in ("plan", "calibrate"):
            self.readout.say("")
            return
        at = self._at()
        self.strip.set_cursor(at, self._pinned)
        self.readout.say(words.readout(data, at, self._view.scale))

    def _at(self) -> float:
        """Where the cursor stands in a log; at first where it hides nothing that is said of the beginning."""
        data = self._data()
        if data is None:
            return 0.0
        wanted = 0.3 * data.duration_s if self._cursor_s is None else self._cursor_s
        return float(np.clip(wanted, 0.0, data.duration_s))

    def _move_cursor(self, time_s: float) -> None:
        self._cursor_s = time_s
        self.show_cursor()

    def _pin(self, pinned: bool) -> None:
        self._pinned = pinned
        self.show_cursor()

    def new_look(self) -> None:
        self.reading.new_look()


def _plan(make: Callable[..., object], *arguments: object) -> object:
    """A plan, or why there is none."""
    try:
        return make(*arguments)
    except FitError as error:
        return str(error)
