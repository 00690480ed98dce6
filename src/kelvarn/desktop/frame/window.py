"""The main window: arranges the stations, and gives the line, the menus and undo."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QSize, Qt, QTimer, Slot
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication
from PySide6.QtWidgets import QInputDialog, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from kelvarn import __version__
from kelvarn.desktop import language, theme
from kelvarn.desktop.frame import scaling
from kelvarn.desktop.frame.findables import findables
from kelvarn.desktop.frame.finder import Finder
from kelvarn.desktop.frame.guide.guide import Guide
from kelvarn.desktop.frame.project_files import ProjectFiles
from kelvarn.desktop.frame.run_table import ask_table
from kelvarn.desktop.frame.start.experiment_line import ExperimentLine
from kelvarn.desktop.frame.start.pages import StartPages
from kelvarn.desktop.frame.start.screen import StartScreen
from kelvarn.desktop.frame.station_line import StationLine, Stop
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts import spoken
from kelvarn.desktop.parts.boxes import Boxes
from kelvarn.desktop.parts.menus import Command, Menus
from kelvarn.desktop.parts.plain import menu_text
from kelvarn.desktop.state.document import Document, saved_phrase
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.state.session import Session
from kelvarn.desktop.state.view import View
from kelvarn.desktop.stations.bench.station import BenchStation
from kelvarn.desktop.stations.control.station import ControlStation
from kelvarn.desktop.stations.fit.station import FitStation
from kelvarn.desktop.stations.handover.station import HandoverStation
from kelvarn.desktop.stations.remarks import Remarks
from kelvarn.desktop.stations.rig.station import RigStation
from kelvarn.desktop.stations.station import Context, Station
from kelvarn.desktop.stations.trial.station import TrialStation
from kelvarn.desktop.strip.strip import Strip
from kelvarn.model.blank import blank_project
from kelvarn.model.names import MOST_CHARACTERS
from kelvarn.sentence import say
from kelvarn.units import SCALES

RIG, FIT, CONTROL, TRIAL, BENCH, HANDOVER = range(6)


class MainWindow(QMainWindow):
    """The main window.

    Args:
        document: what it edits.
        runner: computes; its kernel is prepared by the caller.
        session: what is kept from one start to the next; None keeps nothing.

    Attributes:
        begins_anew: it closes to be opened again, in another size or language.
    """

    def __init__(self, document: Document, runner: Runner, session: Session | None = None) -> None:
        super().__init__()
        spoken.install()
        self.begins_anew = False
        self.document, self.runner, self.session = document, runner, session or Session(None)
        self.view = View(document.project)
        self.boxes = Boxes(self, lambda: self.view.scale)
        self.remarks = Remarks(document, self.view, runner, self.boxes.guarded)
        context = self._context = Context(document, self.view, runner, self.boxes.guarded, self.remarks)
        self.line = StationLine()
        self.rig, self.fit, self.control = RigStation(context), FitStation(context), ControlStation(context)
        self.trial, self.bench, self.handover = TrialStation(context), BenchStation(context), HandoverStation(context)
        self.stations: list[Station] = [self.rig, self.fit, self.control, self.trial, self.bench, self.handover]
        self.files = ProjectFiles(
            self,
            document,
            self.boxes,
            self.session,
            lambda: self.go_to(RIG),
            self.fit.work.open_files,
            runner.jobs,
        )
        self.files.marks = self.control.marks_met
        self._stack = QStackedWidget()
        for station in self.stations:
            self._stack.addWidget(station)
        centre = QWidget()
        layout = QVBoxLayout(centre)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.line)
        self.experiment = ExperimentLine(self.close_project)
        layout.addWidget(self.experiment)
        layout.addWidget(self._stack, 1)
        self.start = StartScreen(
            runner.jobs,
            lambda project: self.document.replace(project, None),
            self.files,
            lambda: self.view.of_temperature,
        )
        self.whole = StartPages(centre, self.start)
        self.setCentralWidget(self.whole)
        self.setAcceptDrops(True)
        self.guide = Guide(self, lambda: None if self.nothing_open else self.station, self.files.take)
        self.menus = self.guide.menus = Menus(self, self._commands())
        self._connect()
        theme.dress(self)
        self._restore()
        self.experiment.begin(document.project)
        self.go_to(CONTROL)
        self._project_changed()
        self.control.strip.setFocus()

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)

    def _connect(self) -> None:
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._follow_system)
        self.line.chosen.connect(self.go_to)
        self.line.scale_box.activated.connect(lambda _: self.view.set_scale(self.line.scale_box.currentData()))
        self.document.replaced.connect(self.view.forget)
        self.document.replaced.connect(self._leave_start)
        self.document.replaced.connect(lambda: self.experiment.begin(self.document.project))
        self.document.changed.connect(self._project_changed)
        self.document.saved_changed.connect(self._show_state)
        self.document.stroked.connect(self.runner.jobs.hold)
        self.document.trouble.connect(lambda sentence: self.statusBar().showMessage(sentence, 15000))
        self.view.changed.connect(self._view_changed)
        self.view.cursor_moved.connect(lambda: self.station.show_cursor())
        self.runner.updated.connect(self.refresh)
        self.runner.updated.connect(self.remarks.request)
        self.runner.prepared.connect(lambda: self.station.request())
        self.runner.jobs.progressed.connect(self._progressed)
        for index, station in enumerate(self.stations):
            station.wanted.connect(partial(self.go_to, index))
            station.stands_elsewhere.connect(self._show_state)
        self.control.settings.trial_wanted.connect(self._show_trial)
        # The state of "saved 2 min ago" ages by itself.
        self._clock = QTimer(self)
        self._clock.setInterval(20_000)
        self._clock.timeout.connect(self._show_state)
        self._clock.start()

    def _commands(self) -> list[Command]:
        edit, look, helping, guarded = say("&Edit"), say("&View"), say("&Help"), self.boxes.guarded
        return [
            *self.files.commands(self.close),
            Command(say("&Project"), say("Close the project"), "", self.close_project),
            Command(edit, say("Undo"), "Ctrl+Z", self.document.undo),
            Command(edit, say("Redo"), "Ctrl+Y", self.document.redo, also="Ctrl+Shift+Z"),
            Command(edit),
            Command(edit, say("Name of the project…"), "", self._rename_project),
            Command(edit, say("Find a command…"), "Ctrl+K", self.find_command),
            *[command for station in self.stations for command in station.commands()],
            *[Command(look, station.title, station.keys, partial(self.go_to, index))
              for index, station in enumerate(self.stations)],
            Command(look),
            Command(look, say("Fit the strip"), "Ctrl+0", self._on_strip(Strip.fit)),
            Command(look, say("Zoom to the setpoint, or back"), "Ctrl+Shift+0", self._on_strip(Strip.zoom_to_setpoint)),
            Command(look, say("Zoom back"), "Ctrl+Backspace", self._on_strip(Strip.zoom_back)),
            Command(look, say("Select the next handle"), "Ctrl+J", self._on_strip(Strip.take_next)),
            Command(look, say("Copy the strip as a picture"), "Ctrl+Shift+C", self._on_strip(Strip.copy)),
            Command(look, say("Save the strip as a picture…"), "", guarded(self._on_strip(Strip.ask_picture))),
            Command(look, say("Save the run as a table…"), "", guarded(self._ask_table)),
            Command(look),
            *[Command(look, say("Temperatures in {unit}", unit=each.value), "", partial(self.view.set_scale, each))
              for each in SCALES],
            Command(look),
            Command(look, say("Light or dark"), "Ctrl+T", self.toggle_theme),
            Command(look, say("Light or dark as the desktop is"), "", self.use_system_theme),
            Command(look, say("Larger"), "Ctrl++", partial(self.zoom, 1), also="Ctrl+="),
            Command(look, say("Smaller"), "Ctrl+-", partial(self.zoom, -1)),
            Command(look, say("As large as the desktop has it"), "", partial(self.zoom, 0)),
            Command(look, say("Full screen, or not"), "F11", self.toggle_full_screen),
            Command(look),
            *[Command(look, f"Language: {name}", "", partial(self.speak, code))
              for code, name in language.OWN_NAMES.items()],
            *self.guide.commands(helping),
            Command(helping, say("About Kelvarn"), "", self._about),
        ]  # fmt: skip

    # Showing

    @property
    def station(self) -> Station:
        """The station in sight."""
        return self.stations[self._stack.currentIndex()]

    def refresh(self) -> None:
        """Show the present state of everything in sight."""
        self.station.refresh()
        project = self.document.project
        known = {each.name: self.runner.result_of(each.name) for each in project.candidates}
        self.experiment.refresh(project, {name: result for name, result in known.items() if result is not None})
        self._show_state()

    @property
    def nothing_open(self) -> bool:
        """Whether the start screen is shown."""
        return self.whole.nothing_open

    def show_start(self) -> None:
        """Show what there is to begin with."""
        self.whole.show_start(self.document, self.session)

    def close_project(self) -> None:
        """Leave the project for the start screen."""
        if self.files.may_leave():
            self.document.replace(blank_project(), None)
            self.show_start()

    def _leave_start(self) -> None:
        if self.nothing_open:
            self.go_to(CONTROL)

    def go_to(self, index: int) -> None:
        """Go to a station."""
        self.whole.leave()
        self._stack.setCurrentIndex(index)
        self.station.request()
        self.refresh()

    def _show_trial(self, event: str) -> None:
        self.go_to(TRIAL)
        self.trial.show_event(event)

    def _project_changed(self) -> None:
        self.view.follow(self.document.project)
        self._request()

    def _view_changed(self) -> None:
        self._request()

    def _request(self) -> None:
        """Ask for what is to be shown, and show what is known."""
        project = self.document.project
        before = self.runner.results
        self.runner.request(project, self.view.trial(project))
        self.station.request()
        self.remarks.request()
        if self.runner.results is before:
            self.refresh()  # nothing new was computed at once

    @Slot(str, float)
    def _progressed(self, _channel: str, _share: float) -> None:
        # A method of the window's own: what is still under way when it goes does not reach it.
        self._show_state()

    def _show_state(self) -> None:
        project = self.document.project
        stops = [Stop(tell(station.title), station.phrase()) for station in self.stations]
        self.line.show_state(project.name, saved_phrase(self.document), stops, self._stack.currentIndex())
        self.line.scale_box.setCurrentIndex(SCALES.index(self.view.of_temperature))
        self.line.scale_box.setEnabled(not self.view.scale.own)
        undo, redo = self.document.undo_name, self.document.redo_name
        to_undo, to_redo = tell("Undo: {edit}", edit=undo), tell("Redo: {edit}", edit=redo)
        self.menus.title("Undo", menu_text(to_undo if undo else tell("Undo")), enabled=undo is not None)
        self.menus.title("Redo", menu_text(to_redo if redo else tell("Redo")), enabled=redo is not None)
        # “[*]” would be a place for Qt's own mark of what is not saved.
        shown = project.name.replace("[*]", "[*][*]")
        self.setWindowTitle(f"{'• ' if self.document.dirty else ''}{shown} – Kelvarn")

    def toggle_theme(self) -> None:
        """Paper to night and back."""
        self.use_theme(theme.PAPER if theme.current() is theme.NIGHT else theme.NIGHT)

    def toggle_full_screen(self) -> None:
        """The whole screen, and back."""
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def use_system_theme(self) -> None:
        """Light or dark as the desktop is, also when it changes."""
        self.session.put("theme", None)
        self._dress(theme.system_theme())

    def _follow_system(self) -> None:
        if self.session.get("theme") is None:
            self._dress(theme.system_theme())

    def use_theme(self, wanted: theme.Theme) -> None:
        """Dress the window in a theme, and at the next start too."""
        self.session.put("theme", wanted.name)
        self._dress(wanted)

    def _dress(self, wanted: theme.Theme) -> None:
        theme.use(wanted)
        theme.dress(self)
        for station in self.stations:
            station.new_look()
        self.guide.new_look()
        self.refresh()

    def _on_strip(self, work: Callable[[Strip], object]) -> Callable[[], None]:
        """Something done with the strip in sight."""

        def run() -> None:
            if self.station.chart is not None:
                work(self.station.chart)

        return run

    def _ask_table(self) -> None:
        ask_table(self, self._context, self.files.folder, lambda said: self.statusBar().showMessage(said, 15000))

    def find_command(self) -> None:
        """Open the find-a-command box."""
        places = [*self.files.places(), *self.guide.places()]
        Finder(findables(self.menus, self.stations, self.go_to, places), self).popup()

    def _rename_project(self) -> None:
        project = self.document.project
        name, wanted = QInputDialog.getText(self, "Kelvarn", tell("Name of the project"), text=project.name)
        if wanted and name.strip():
            self.boxes.guarded(
                lambda: self.document.set(
                    ("name",), name.strip()[:MOST_CHARACTERS], tell("rename {project}", project=project.name)
                )
            )()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Take files that were dropped on the window."""
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        self.files.take(paths)

    # Beginning and end

    def zoom(self, by: int) -> None:
        """Make everything larger or smaller: the window closes, and whoever opened it opens it anew.

        Args:
            by: above 0 larger, below it smaller, 0 as the desktop has it.
        """
        before = float(self.session.get("zoom") or 1.0)
        wanted = scaling.stepped(before, by) if by else 1.0
        room, least = self.screen().availableSize(), self.minimumSize()
        if wanted > before and room == room.expandedTo(least) != (room * (before / wanted)).expandedTo(least):
            self.statusBar().showMessage(tell("Larger than this it would not fit on the screen."), 15000)
        elif wanted != before:
            self.session.put("zoom", wanted)
            self.resize(self.size() * (before / wanted))
            self.begins_anew = True
            self.close()

    def speak(self, code: str) -> None:
        """Speak another language: the window closes, and whoever opened it opens it anew."""
        if code != language.used():
            self.session.put("language", code)
            self.begins_anew = True
            self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.begins_anew:
            if not self.files.may_leave():
                event.ignore()
                return
            self.document.close()
        self._clock.stop()
        self.files.claim.release()
        self.whole.let_go()
        self.remarks.stop()
        self.runner.finish()
        for station in self.stations:
            station.finish()
        self.session.put("geometry", self.saveGeometry())
        self.session.put("scale", self.view.of_temperature.value)
        candidate, trial = self.view.candidate(self.document.project), self.view.trial(self.document.project)
        self.session.leave(self.document.path, station=self.station.title, candidate=candidate.name, trial=trial.name)
        super().closeEvent(event)

    def _restore(self) -> None:
        self.resize(self.sizeHint())
        self.setMinimumSize(960, 640)
        geometry = self.session.get("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)
        kept = self.session.get("scale")
        self.view.set_scale(next((scale for scale in SCALES if scale.value == kept), self.view.of_temperature))

    def go_on(self) -> None:
        """Go to where work was left."""
        project = self.document.project
        kept = {key: self.session.get(f"left/{key}") for key in ("candidate", "trial", "station")}
        if kept["candidate"] in [each.name for each in project.candidates]:
            self.view.select(kept["candidate"])
        if kept["trial"] in [each.name for each in project.trials]:
            self.view.select_trial(kept["trial"])
        self.go_to(next((k for k, each in enumerate(self.stations) if each.title == kept["station"]), CONTROL))

    def _about(self) -> None:
        self.boxes.complain(
            f"Kelvarn {__version__}",
            tell("Tune closed-loop temperature control before power is applied.\nMIT licence."),
        )
