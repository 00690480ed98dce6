"""What happens to the project's file: open, save, leave, and bring back after a crash."""

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu, QMessageBox, QWidget

from kelvarn.demos import DEMOS, Demo
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import Boxes, Button, ask_where, make_box
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.plain import menu_text
from kelvarn.desktop.state.document import FILE_KIND, Document
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.desktop.state.only_here import OnlyHere, said_elsewhere
from kelvarn.desktop.state.session import Session
from kelvarn.files.journal import Unsaved
from kelvarn.files.project_file import SUFFIX, load, roundings, save
from kelvarn.files.sharing import shared, words_of_this_computer
from kelvarn.files.writing import safe_name
from kelvarn.model.blank import blank_project
from kelvarn.model.project import Project
from kelvarn.model.version_edit import at_version, keep_version, without_version
from kelvarn.sentence import say

from .versions import VersionsDialog

_LOGS = f"(*{SUFFIX} *.csv *.tsv *.txt *.log *.json *.jsonl)"


class ProjectFiles:
    """Opens and saves the document, and asks what must be asked.

    Args:
        window: over which it asks.
        document, boxes: what it works on, and says it with.
        session: which files were opened lately.
        show_rig: called for a new rig.
        take_logs: called with files that are no projects.
        jobs: what is computed beside the window.

    Attributes:
        marks: tells how many marks are met.
    """

    def __init__(
        self, window: QWidget, document: Document, boxes: Boxes, session: Session, show_rig: Callable[[], None],
        take_logs: Callable[[list[Path]], object], jobs: Jobs,
    ) -> None:  # fmt: skip
        self._jobs = jobs
        self._window, self._document, self._boxes, self._show_rig = window, document, boxes, show_rig
        self._session, self._take_logs = session, take_logs
        self.marks: Callable[[], str] = lambda: ""
        self.claim = OnlyHere(window, self._to_front)
        document.replaced.connect(self._opened)
        document.saved_changed.connect(self._saved)
        self._opened()

    def _opened(self) -> None:
        path = self._document.path
        self.claim.claim(path)
        if path is not None:
            self._session.add_recent(path)
            marks, changed = self._session.noted(path)
            self._session.note(path, "" if changed else marks)

    def _saved(self) -> None:
        self.claim.claim(self._document.path)
        if self._document.path is not None:
            self._session.add_recent(self._document.path)
            self._session.note(self._document.path, self.marks())

    def _to_front(self) -> None:
        self._window.setWindowState(self._window.windowState() & ~Qt.WindowState.WindowMinimized)
        self._window.raise_()
        self._window.activateWindow()

    def fill_recent(self, menu: QMenu) -> None:
        """Let a menu list the files opened lately."""
        menu.clear()
        for path in self._session.recent:
            menu.addAction(menu_text(f"{path.name}   {path.parent}"), partial(self.leave_for, path))
        if menu.isEmpty():
            menu.addAction(tell("none yet")).setEnabled(False)

    def places(self) -> list[tuple[str, Callable[[], object]]]:
        """Files opened lately, to be found."""
        return [(f"Open {path.name} · {path.parent}", partial(self.leave_for, path)) for path in self._session.recent]

    def leave_for(self, path: Path) -> None:
        """Open another file, unless there is unsaved work that is to stay; of one shown elsewhere that is not asked."""
        if not self._is_elsewhere(path) and self.may_leave():
            self.open(path)

    def _is_elsewhere(self, path: Path) -> bool:
        """Whether another window has a file open, which is said."""
        said = "" if self.claim.has(path) else said_elsewhere(path)
        if said:
            self._boxes.complain(said)
        return bool(said)

    def commands(self, leave: Callable[[], object]) -> list[Command]:
        """The project menu; `leave` closes the window."""
        menu = say("&Project")
        demos = [
            Command(menu, say("Open demo: {demo}", demo=say(d.title)), "", partial(self.open_demo, d)) for d in DEMOS
        ]
        return [
            Command(menu, say("New rig"), "Ctrl+N", self.new_rig),
            Command(menu, say("Open…"), "Ctrl+O", self.ask_open),
            Command(menu, say("Open recent"), fill=self.fill_recent),
            *demos,
            Command(menu),
            Command(menu, say("Save"), "Ctrl+S", self.save),
            Command(menu, say("Save as…"), "Ctrl+Shift+S", self.save_as),
            Command(menu, say("Save a copy to share…"), "", self.save_to_share),
            Command(menu, say("Compare with another version…"), "", self.ask_compare),
            Command(menu, say("Keep this version…"), "", self.ask_version),
            Command(menu, say("Versions"), fill=self.fill_versions),
            Command(menu),
            Command(menu, say("Quit"), "Ctrl+Q", leave, also="Ctrl+W"),
        ]

    def ask_open(self) -> None:
        """Ask for a file and open it; a log is added to the project."""
        kinds = f"{tell('Projects and logs')} {_LOGS};;{tell(FILE_KIND)};;{tell('All files')} (*)"
        name, _ = QFileDialog.getOpenFileName(self._window, tell("Open"), str(self.folder), kinds)
        if name:
            self.take([Path(name)])

    def take(self, paths: list[Path]) -> None:
        """Take files: a project is opened, anything else is taken for a log."""
        projects = [path for path in paths if path.suffix == SUFFIX]
        if projects:
            self.leave_for(projects[0])
        logs = [path for path in paths if path.suffix != SUFFIX]
        if logs:
            self._take_logs(logs)

    def open(self, path: Path) -> None:
        """Open a file, or say why not; one that another window has open is shown there."""
        if self._is_elsewhere(path) or not self._boxes.guarded(lambda: self._document.open(path))():
            return
        if said := roundings(path, self._document.project):
            self._boxes.complain(said)

    def open_demo(self, demo: Demo) -> None:
        """Open a demo in place of the project."""
        if self.may_leave():
            self._document.replace(demo.build(), None)

    def new_rig(self) -> None:
        """Begin anew."""
        if self.may_leave():
            self._document.replace(blank_project(), None)
            self._show_rig()

    def save(self) -> bool:
        """Save; asks where for a project without a file. Whether it is saved."""
        path = self._document.path
        if path is None:
            return self.save_as()
        if self._document.changed_outside:
            text = tell(
                "{file} was changed by another program since it was opened. Save over it? (“Save as” keeps both.)",
                file=path.name,
            )
            if self._boxes.ask(text, Button.Save | Button.Cancel) != Button.Save:
                return False
        return self._boxes.guarded(self._document.save)()

    def save_as(self) -> bool:
        """Ask where and save. Whether it is saved."""
        suggested = self.folder / f"{safe_name(self._document.project.name)}{SUFFIX}"
        path = ask_where(self._window, tell("Save as"), suggested, tell(FILE_KIND))
        return path is not None and self._boxes.guarded(lambda: self._document.save(path))()

    def save_to_share(self) -> None:
        """Ask where, and save a copy without what is nobody's business; says what was left out, and what stays."""
        suggested = self.folder / f"{safe_name(self._document.project.name)} shared{SUFFIX}"
        path = ask_where(self._window, tell("Save a copy to share"), suggested, tell(FILE_KIND))
        if path is None:
            return
        made = shared(self._document.project, words_of_this_computer())
        if self._boxes.guarded(lambda: save(made.project, path))():
            left = ", ".join(f"{count} × {tell(what)}" for what, count in made.left_out.most_common() if count)
            self._boxes.complain(
                tell("Left out: {left}.\nNames that stay, to be looked at: {stays}.", left=left or tell("nothing"),
                     stays="; ".join(made.stays))
            )  # fmt: skip

    def ask_compare(self) -> None:
        """Ask for another version of the project, and show what differs."""
        name, _ = QFileDialog.getOpenFileName(self._window, tell("Another version"), str(self.folder), tell(FILE_KIND))
        if name:
            self._boxes.guarded(lambda: self.compare_with(load(Path(name)), Path(name).stem))()

    def compare_with(self, other: Project, name: str) -> VersionsDialog:
        """Show what differs from another version of a name."""
        dialog = VersionsDialog(self._window, self._jobs, self._document.project, other, name)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()
        return dialog

    def ask_version(self) -> None:
        """Ask for a name, and keep what the project is now as a version inside it."""
        name, wanted = QInputDialog.getText(self._window, "Kelvarn", tell("Name of this version"))
        if wanted:
            today = f"{datetime.now().date():%Y-%m-%d}"
            self._boxes.guarded(
                lambda: self._document.apply(
                    keep_version(self._document.project, name.strip(), today),
                    tell("keep version {version}", version=name.strip()),
                )
            )()

    def fill_versions(self, menu: QMenu) -> None:
        """Let a menu list the versions inside the project; one is shown beside what is now."""
        menu.clear()
        for each in reversed(self._document.project.versions):
            text = menu_text(f"{each.name}   {each.day}")
            menu.addAction(text, partial(self._boxes.guarded(partial(self.show_version, each.name))))
        if menu.isEmpty():
            menu.addAction(tell("none yet")).setEnabled(False)

    def show_version(self, name: str) -> None:
        """Show a version beside what is now, to go back to or to take out."""
        project = self._document.project
        dialog = self.compare_with(at_version(project, name), name)
        dialog.offer(
            tell("Go back to it"),
            lambda: self._document.apply(
                at_version(self._document.project, name), tell("back to {version}", version=name)
            ),
        )
        dialog.offer(
            tell("Take it out"),
            lambda: self._document.apply(
                without_version(self._document.project, name), tell("take out version {version}", version=name)
            ),
        )

    @property
    def folder(self) -> Path:
        """Where dialogs begin."""
        return self._document.path.parent if self._document.path is not None else Path.home()

    def may_leave(self) -> bool:
        """Whether unsaved work is saved or may go."""
        if not self._document.dirty:
            if self._document.path is not None and not self._document.changed_outside:
                self._session.note(self._document.path, self.marks())
            return True
        text = tell("“{project}” has unsaved changes.", project=self._document.project.name)
        answer = self._boxes.ask(text, Button.Save | Button.Discard | Button.Cancel)
        if answer == Button.Save:
            return self.save()
        return answer == Button.Discard

    def offer_recovery(self, unsaved: Unsaved) -> None:
        """Offer back work that a crash left; unless it is taken or thrown away it stays for the next start."""
        text = tell("Unsaved work on “{project}” was left by a program that did not end properly. Bring it back?",
                    project=unsaved.project.name)  # fmt: skip
        if unsaved.lost:
            gone = ", ".join(tell("the log “{log}”", log=name) for name in unsaved.lost)
            text += " " + tell("It comes without what has gone: {gone}.", gone=gone)
        box = make_box(self._window, text)
        back = box.addButton(tell("Bring it back"), QMessageBox.ButtonRole.AcceptRole)
        away = box.addButton(tell("Throw it away"), QMessageBox.ButtonRole.DestructiveRole)
        later = box.addButton(tell("Ask again later"), QMessageBox.ButtonRole.RejectRole)
        box.setEscapeButton(later)
        box.setDefaultButton(back)
        back.clicked.connect(lambda: self._document.recover(unsaved))
        away.clicked.connect(unsaved.journal.clear)
        box.rejected.connect(unsaved.journal.let_go)  # also by its ✕
        box.open()
