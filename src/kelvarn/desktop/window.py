"""The frame: the line, the stations, menus, and what happens to the file."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import QPoint, QSettings, QSize, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QInputDialog,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kelvarn import __version__
from kelvarn.demos import DEMOS, Demo
from kelvarn.files.faults import FileError
from kelvarn.files.project_file import SUFFIX
from kelvarn.model.blank import blank_project
from kelvarn.model.drives import KIND_NAMES
from kelvarn.model.edit import EditError
from kelvarn.model.names import MOST_CHARACTERS
from kelvarn.units import SCALES

from . import theme
from .control.actions import CandidateActions
from .control.station import ControlStation
from .document import Document
from .fields.binding import first_sentence
from .finder import Finder
from .handover.station import HandoverStation
from .line import Line
from .menus import Command, Menus
from .phrases import saved_phrase, station_phrases
from .rig.station import RigStation
from .runner import Runner
from .view import View

RIG, CONTROL, HANDOVER = range(3)


class Window(QMainWindow):
    """The main window.

    Args:
        document: what it edits.
        runner: computes; its kernel is prepared by the caller.
        settings: where theme, unit and window size are kept; None keeps nothing.
    """

    def __init__(self, document: Document, runner: Runner, settings: QSettings | None = None) -> None:
        super().__init__()
        self.document, self.runner, self._settings = document, runner, settings
        self.view = View(document.project)
        self.candidate_actions = CandidateActions(document, self.view)
        self.line = Line()
        self.control = ControlStation(document, self.view, runner, self.candidate_actions)
        self.rig = RigStation(document, self.view, runner, self._guarded)
        self.handover = HandoverStation(document, self.view, runner)
        self.stations = QStackedWidget()
        for station in (self.rig, self.control, self.handover):
            self.stations.addWidget(station)
        centre = QWidget()
        layout = QVBoxLayout(centre)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.line)
        layout.addWidget(self.stations, 1)
        self.setCentralWidget(centre)
        self.menus = Menus(self, self._commands())
        self._connect()
        self._restore()
        self.go_to(CONTROL)
        self._project_changed()
        self.control.strip.setFocus()

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)

    def _connect(self) -> None:
        self.line.chosen.connect(self.go_to)
        self.line.scale_box.activated.connect(lambda _: self.view.set_scale(self.line.scale_box.currentData()))
        self.document.changed.connect(self._project_changed)
        self.document.saved_changed.connect(self._show_state)
        self.document.trouble.connect(lambda sentence: self.statusBar().showMessage(sentence, 15000))
        self.view.changed.connect(self.refresh)
        self.view.cursor_moved.connect(lambda: self._station().show_cursor())
        self.runner.updated.connect(self.refresh)
        self.control.cards.menu_wanted.connect(self._candidate_menu)
        # The state of "saved 2 min ago" ages by itself.
        self._clock = QTimer(self)
        self._clock.setInterval(20_000)
        self._clock.timeout.connect(self._show_state)
        self._clock.start()

    def _commands(self) -> list[Command]:
        guarded, do = self._guarded, self.candidate_actions
        parts, rig = self.rig.edits, "&Rig"
        project, edit, candidate, look, helping = "&Project", "&Edit", "&Candidate", "&View", "&Help"
        drives = [
            Command(rig, f"Add a drive: {name}", "", guarded(partial(parts.add_drive, kind)))
            for kind, name in KIND_NAMES.items()
        ]
        found = [Command(project, f"Open demo: {d.title}", "", partial(self._open_demo, d)) for d in DEMOS]
        return [
            Command(project, "New rig", "Ctrl+N", self._new_rig),
            Command(project, "Open…", "Ctrl+O", self.ask_open),
            *found,
            Command(project),
            Command(project, "Save", "Ctrl+S", self.save),
            Command(project, "Save as…", "Ctrl+Shift+S", self.save_as),
            Command(project),
            Command(project, "Quit", "Ctrl+Q", self.close),
            Command(edit, "Undo", "Ctrl+Z", self.document.undo),
            Command(edit, "Redo", "Ctrl+Shift+Z", self.document.redo),
            Command(edit),
            Command(edit, "Name of the project…", "", self._rename_project),
            Command(edit, "Find a command…", "Ctrl+K", self.find_command),
            Command(rig, "Add a body", "Ctrl+B", guarded(parts.add_body)),
            Command(rig, "Add heat loss", "Ctrl+L", guarded(parts.add_loss)),
            Command(rig, "Add a fan-driven link", "", guarded(parts.add_fan_link)),
            Command(rig, "Add a draw-off", "", guarded(parts.add_draw_off)),
            Command(rig, "Add a probe", "", guarded(parts.add_probe)),
            *drives,
            Command(rig, "Remove the part", "", guarded(parts.remove)),
            Command(rig),
            Command(rig, "Known only by its answer (response model)", "", guarded(self._to_response)),
            Command(rig, "Play the cursor, or stop", "Ctrl+P", self.rig.toggle_play),
            Command(candidate, "Choose for the device", "Ctrl+Return", do.choose),
            Command(candidate, "Duplicate", "Ctrl+D", do.duplicate),
            Command(candidate, "Rename", "F2", self._rename_candidate),
            Command(candidate, "Hide or show", "Ctrl+H", do.toggle_hidden),
            Command(candidate, "Delete", "Ctrl+Delete", guarded(do.delete)),
            Command(candidate, "Next candidate", "Ctrl+Down", lambda: self._next_candidate(1)),
            Command(candidate, "Previous candidate", "Ctrl+Up", lambda: self._next_candidate(-1)),
            Command(look, "Rig", "Ctrl+1", lambda: self.go_to(RIG)),
            Command(look, "Control", "Ctrl+3", lambda: self.go_to(CONTROL)),
            Command(look, "Handover", "Ctrl+6", lambda: self.go_to(HANDOVER)),
            Command(look),
            Command(look, "Fit the strip", "Ctrl+0", lambda: self._strip("fit")),
            Command(look, "Zoom back", "Ctrl+Backspace", lambda: self._strip("zoom_back")),
            Command(look),
            *[Command(look, f"Temperatures in {s.value}", "", partial(self.view.set_scale, s)) for s in SCALES],
            Command(look),
            Command(look, "Paper or night", "Ctrl+T", self.toggle_theme),
            Command(helping, "About Kelvarn", "", self._about),
        ]  # fmt: skip

    # Showing

    def refresh(self) -> None:
        """Show the present state of everything in sight."""
        self._station().refresh()
        self._show_state()

    def _station(self) -> RigStation | ControlStation | HandoverStation:
        return (self.rig, self.control, self.handover)[self.stations.currentIndex()]

    def go_to(self, index: int) -> None:
        """Go to a station."""
        self.stations.setCurrentIndex(index)
        self.refresh()

    def _project_changed(self) -> None:
        project = self.document.project
        self.view.keep_cursor(project)
        self.view.own = project.scale
        trial = self.view.trial(project)
        before = self.runner.results
        self.runner.request(project, trial)
        if self.runner.results is before:
            self.refresh()  # nothing new was computed at once

    def _show_state(self) -> None:
        project = self.document.project
        phrases = station_phrases(project, self.runner, self.view)
        self.line.show_state(project.name, saved_phrase(self.document), phrases, self.stations.currentIndex())
        self.line.scale_box.setCurrentIndex(SCALES.index(self.view.of_temperature))
        self.line.scale_box.setEnabled(not self.view.scale.own)
        undo, redo = self.document.undo_name, self.document.redo_name
        self.menus.title("Undo", f"Undo: {undo}" if undo else "Undo", enabled=undo is not None)
        self.menus.title("Redo", f"Redo: {redo}" if redo else "Redo", enabled=redo is not None)
        self.setWindowTitle(f"{'• ' if self.document.dirty else ''}{project.name} – Kelvarn")

    def toggle_theme(self) -> None:
        """Paper to night and back."""
        self.use_theme(theme.PAPER if theme.current() is theme.NIGHT else theme.NIGHT)

    def use_theme(self, wanted: theme.Theme) -> None:
        """Dress the window in a theme."""
        theme.use(wanted)
        self.rig.heat_path.rebuild()
        self.refresh()
        if self._settings is not None:
            self._settings.setValue("theme", wanted.name)

    # Candidates

    def _candidate_menu(self, at: QPoint) -> None:
        menu = QMenu(self)
        for name in ("Choose for the device", "Rename", "Duplicate", "Hide or show", "Delete"):
            menu.addAction(self.menus.actions[name])
        menu.popup(at)

    def _rename_candidate(self) -> None:
        self.go_to(CONTROL)
        self.control.cards.card(self.candidate_actions.selected.name).start_rename()

    def _rename_project(self) -> None:
        project = self.document.project
        name, wanted = QInputDialog.getText(self, "Kelvarn", "Name of the project", text=project.name)
        if wanted and name.strip():
            self._guarded(
                lambda: self.document.set(("name",), name.strip()[:MOST_CHARACTERS], f"rename {project.name}")
            )()

    def _next_candidate(self, step: int) -> None:
        project = self.document.project
        index = (self.view.candidate_index(project) + step) % len(project.candidates)
        self.view.select(project.candidates[index].name)

    def _strip(self, action: str) -> None:
        strip = getattr(self._station(), "strip", None)
        if strip is not None:
            getattr(strip, action)()

    def find_command(self) -> None:
        """Open the find-a-command box."""
        Finder(list(self.menus.actions.values()), self).popup()

    # Files

    def ask_open(self) -> None:
        """Ask for a file and open it."""
        if self._may_leave():
            name, _ = QFileDialog.getOpenFileName(self, "Open", self._folder(), f"Kelvarn projects (*{SUFFIX})")
            if name:
                self.open(Path(name))

    def open(self, path: Path) -> None:
        """Open a file, or say why not."""
        self._guarded(lambda: self.document.open(path))()

    def _open_demo(self, demo: Demo) -> None:
        if self._may_leave():
            self.document.replace(demo.build(), None)

    def _new_rig(self) -> None:
        if self._may_leave():
            self.document.replace(blank_project(), None)
            self.go_to(RIG)

    def _to_response(self) -> None:
        self.go_to(RIG)
        cold = self.rig.steps.cold
        self.rig.edits.use_response(cold.reading if cold is not None else None)

    def save(self) -> bool:
        """Save; asks where for a project without a file. Whether it is saved."""
        if self.document.path is None:
            return self.save_as()
        if self.document.changed_outside and not self._may_overwrite(self.document.path):
            return False
        return self._guarded(self.document.save)()

    def _may_overwrite(self, path: Path) -> bool:
        """Ask about a file that another program changed."""
        kind = QMessageBox.StandardButton
        text = f"{path.name} was changed by another program since it was opened. Save over it? (“Save as” keeps both.)"
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Kelvarn", text, kind.Save | kind.Cancel, self)
        return bool(box.exec() == kind.Save)

    def save_as(self) -> bool:
        """Ask where and save. Whether it is saved."""
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Save as",
            str(Path(self._folder()) / f"{self.document.project.name}{SUFFIX}"),
            f"Kelvarn projects (*{SUFFIX})",
        )
        if not name:
            return False
        path = Path(name)
        if path.suffix != SUFFIX:
            path = path.with_name(path.name + SUFFIX)
        return self._guarded(lambda: self.document.save(path))()

    def _folder(self) -> str:
        return str(self.document.path.parent if self.document.path is not None else Path.home())

    def _guarded(self, work: Callable[[], object]) -> Callable[[], bool]:
        """Work whose faults of the user are said in a box; whether it went well."""

        def run() -> bool:
            try:
                work()
            except (FileError, EditError) as error:
                self.complain(str(error))
                return False
            except ValidationError as error:
                self.complain(first_sentence(error))
                return False
            return True

        return run

    def complain(self, text: str, details: str = "") -> None:
        """Say what went wrong; what follows the first line goes behind a fold."""
        first, _, rest = text.partition("\n")
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Kelvarn", first, QMessageBox.StandardButton.Ok, self)
        if rest or details:
            box.setDetailedText("\n".join(part for part in (rest, details) if part))
        box.open()

    def _may_leave(self) -> bool:
        """Whether unsaved work is saved or may go."""
        if not self.document.dirty:
            return True
        kind = QMessageBox.StandardButton
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Kelvarn", f"“{self.document.project.name}” has unsaved changes.",
                          kind.Save | kind.Discard | kind.Cancel, self)  # fmt: skip
        answer = box.exec()
        if answer == kind.Save:
            return self.save()
        return bool(answer == kind.Discard)

    def offer_recovery(self, name: str, take: Callable[[], None], drop: Callable[[], None]) -> None:
        """Offer back work that a crash left; unless it is taken or thrown away it stays for the next start."""
        text = f"Unsaved work on “{name}” was left by a program that did not end properly. Bring it back?"
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Kelvarn", text, parent=self)
        back = box.addButton("Bring it back", QMessageBox.ButtonRole.AcceptRole)
        away = box.addButton("Throw it away", QMessageBox.ButtonRole.DestructiveRole)
        box.setEscapeButton(box.addButton("Ask again later", QMessageBox.ButtonRole.RejectRole))
        box.setDefaultButton(back)
        back.clicked.connect(lambda: take())
        away.clicked.connect(lambda: drop())
        box.open()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave():
            event.ignore()
            return
        self._clock.stop()
        self.document.close()
        self.runner.finish()
        self.rig.finish()
        if self._settings is not None:
            self._settings.setValue("geometry", self.saveGeometry())
            self._settings.setValue("scale", self.view.of_temperature.value)
        super().closeEvent(event)

    def _restore(self) -> None:
        self.resize(self.sizeHint())
        self.setMinimumSize(960, 640)
        if self._settings is not None:
            geometry = self._settings.value("geometry")
            if geometry is not None:
                self.restoreGeometry(geometry)
            kept = self._settings.value("scale")
            self.view.set_scale(next((scale for scale in SCALES if scale.value == kept), self.view.of_temperature))

    def _about(self) -> None:
        self.complain(
            f"Kelvarn {__version__}", "Tune closed-loop temperature control before power is applied.\nMIT licence."
        )
