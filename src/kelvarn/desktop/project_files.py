"""What happens to the project's file: open, save, leave, and bring back after a crash."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from kelvarn.demos import DEMOS, Demo
from kelvarn.files.journal import Unsaved
from kelvarn.files.project_file import SUFFIX
from kelvarn.files.writing import safe_name
from kelvarn.model.blank import blank_project

from .asking import ask_where
from .boxes import Boxes, Button, make_box
from .document import Document
from .menus import Command

FILE_KIND = f"Kelvarn projects (*{SUFFIX})"


class ProjectFiles:
    """Opens and saves the document, and asks what must be asked.

    Args:
        window: over which it asks.
        document, boxes: what it works on, and says it with.
        show_rig: called for a new rig.
    """

    def __init__(self, window: QWidget, document: Document, boxes: Boxes, show_rig: Callable[[], None]) -> None:
        self._window, self._document, self._boxes, self._show_rig = window, document, boxes, show_rig

    def commands(self, leave: Callable[[], object]) -> list[Command]:
        """The project menu; `leave` closes the window."""
        menu = "&Project"
        demos = [Command(menu, f"Open demo: {d.title}", "", partial(self.open_demo, d)) for d in DEMOS]
        return [
            Command(menu, "New rig", "Ctrl+N", self.new_rig),
            Command(menu, "Open…", "Ctrl+O", self.ask_open),
            *demos,
            Command(menu),
            Command(menu, "Save", "Ctrl+S", self.save),
            Command(menu, "Save as…", "Ctrl+Shift+S", self.save_as),
            Command(menu),
            Command(menu, "Quit", "Ctrl+Q", leave, also="Ctrl+W"),
        ]

    def ask_open(self) -> None:
        """Ask for a file and open it."""
        if self.may_leave():
            name, _ = QFileDialog.getOpenFileName(self._window, "Open", str(self.folder), FILE_KIND)
            if name:
                self.open(Path(name))

    def open(self, path: Path) -> None:
        """Open a file, or say why not."""
        self._boxes.guarded(lambda: self._document.open(path))()

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
            text = (
                f"{path.name} was changed by another program since it was opened. Save over it? (“Save as” keeps both.)"
            )
            if self._boxes.ask(text, Button.Save | Button.Cancel) != Button.Save:
                return False
        return self._boxes.guarded(self._document.save)()

    def save_as(self) -> bool:
        """Ask where and save. Whether it is saved."""
        suggested = self.folder / f"{safe_name(self._document.project.name)}{SUFFIX}"
        path = ask_where(self._window, "Save as", suggested, FILE_KIND)
        return path is not None and self._boxes.guarded(lambda: self._document.save(path))()

    @property
    def folder(self) -> Path:
        """Where dialogs begin."""
        return self._document.path.parent if self._document.path is not None else Path.home()

    def may_leave(self) -> bool:
        """Whether unsaved work is saved or may go."""
        if not self._document.dirty:
            return True
        text = f"“{self._document.project.name}” has unsaved changes."
        answer = self._boxes.ask(text, Button.Save | Button.Discard | Button.Cancel)
        if answer == Button.Save:
            return self.save()
        return answer == Button.Discard

    def offer_recovery(self, unsaved: Unsaved) -> None:
        """Offer back work that a crash left; unless it is taken or thrown away it stays for the next start."""
        text = (
            f"Unsaved work on “{unsaved.project.name}” was left by a program that did not end properly. Bring it back?"
        )
        if unsaved.lost:
            text += f" It comes without what has gone: {', '.join(f'the log “{name}”' for name in unsaved.lost)}."
        box = make_box(self._window, text)
        back = box.addButton("Bring it back", QMessageBox.ButtonRole.AcceptRole)
        away = box.addButton("Throw it away", QMessageBox.ButtonRole.DestructiveRole)
        later = box.addButton("Ask again later", QMessageBox.ButtonRole.RejectRole)
        box.setEscapeButton(later)
        box.setDefaultButton(back)
        back.clicked.connect(lambda: self._document.recover(unsaved))
        away.clicked.connect(unsaved.journal.clear)
        box.rejected.connect(unsaved.journal.let_go)  # also by its ✕
        box.open()
