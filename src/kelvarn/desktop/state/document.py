"""The project being edited: one list of states for undo, the file it belongs to, the autosave journal."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import Enum
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from kelvarn.desktop.language import date_told, tell
from kelvarn.files.faults import FileError
from kelvarn.files.journal import Journal, Unsaved, stamp
from kelvarn.files.project_file import SUFFIX, load, save
from kelvarn.files.writing import remove_leftovers
from kelvarn.model.edit import Path as FieldPath
from kelvarn.model.edit import put, value_at
from kelvarn.model.project import Project
from kelvarn.sentence import figures, say

FILE_KIND = say("Kelvarn projects (*{suffix})", suffix=SUFFIX)
"""As dialogs have it."""
_MOST_UNDO = 500
_AUTOSAVE_MS = 1000


@dataclass(frozen=True)
class _Edit:
    """An edit: its name, and the project before it."""

    name: str
    before: Project


class _Stroke(Enum):
    """How far a drag has come."""

    NONE, BEGUN, EDITED = range(3)


class Document(QObject):
    """Holds the project; every edit goes through `apply`.

    Signals:
        changed: the project is another one.
        replaced: before `changed`, where it is another one altogether: nothing selected in the old one means anything.
        saved_changed: save state or file changed.
        stroked: a drag begins, or ends.
        trouble: a sentence for the user, from work that nobody waits for.
    """

    changed = Signal()
    replaced = Signal()
    saved_changed = Signal()
    stroked = Signal(bool)
    trouble = Signal(str)

    def __init__(
        self, project: Project, path: Path | None = None, journal: Journal | None = None,
        autosave_ms: int = _AUTOSAVE_MS,
    ) -> None:  # fmt: skip
        super().__init__()
        self._project = project
        self._saved: Project | None = project
        self._path = _absolute(path)
        self._stamp = stamp(self._path)
        self._undo: list[_Edit] = []
        self._redo: list[_Edit] = []
        self._stroke = _Stroke.NONE
        self._journal = journal or Journal()
        self._autosave = QTimer(self)
        self._autosave.setSingleShot(True)
        self._autosave.setInterval(autosave_ms)
        self._autosave.timeout.connect(self.autosave_now)

    def carried_on(self) -> Callable[[], "Document"]:
        """What makes the same, undo and all, in an application that begins after this one."""
        self.end_stroke()
        self._autosave.stop()
        project, path, journal = self._project, self._path, self._journal
        kept = self._saved, self._stamp, self._undo, self._redo

        def again() -> Document:
            made = Document(project, path, journal)
            made._saved, made._stamp, made._undo, made._redo = kept
            return made

        return again

    @property
    def project(self) -> Project:
        """The project as it is now."""
        return self._project

    @property
    def path(self) -> Path | None:
        """The file it was opened from or saved to."""
        return self._path

    @property
    def dirty(self) -> bool:
        """Whether there are edits not in the file."""
        return self._saved is None or self._project != self._saved

    def apply(self, project: Project, name: str, *, dragged: bool = False) -> None:
        """Make an edit, named as the undo menu shows it.

        Args:
            project, name: what comes of it, and what it is called.
            dragged: it is a step of the stroke under way, whose edits become one; nothing, where another edit or
                undo has ended that stroke. An edit that is none ends the stroke first.
        """
        if dragged and not self.in_stroke:
            return
        if not dragged:
            self.end_stroke()
        if project == self._project:
            return
        if self._stroke is _Stroke.EDITED:
            self._undo[-1] = _Edit(name, self._undo[-1].before)
        else:
            self._push(_Edit(name, self._project))
        if dragged:
            self._put_stroke(_Stroke.EDITED)
        self._show(project)

    def _push(self, step: _Edit) -> None:
        self._undo.append(step)
        del self._undo[:-_MOST_UNDO]
        self._redo.clear()

    def set(self, path: FieldPath, value: Any, name: str, *, dragged: bool = False) -> None:
        """Set one field, as `apply`. Raises pydantic.ValidationError where the result would be no valid project."""
        self.apply(put(self._project, path, value), name, dragged=dragged)

    def get(self, path: FieldPath) -> Any:
        """The value of one field."""
        return value_at(self._project, path)

    def begin_stroke(self) -> None:
        """A drag begins: its edits from here to `end_stroke` are one entry of undo."""
        self._put_stroke(_Stroke.BEGUN)

    def end_stroke(self) -> None:
        """The drag, if there is one, is done; one that came back to where it began leaves no entry."""
        if not self.in_stroke:
            return
        if self._stroke is _Stroke.EDITED and self._undo[-1].before == self._project:
            self._undo.pop()
        self._put_stroke(_Stroke.NONE)
        self.saved_changed.emit()

    def abort_stroke(self) -> None:
        """Give the drag up: as it was before."""
        edited = self._stroke is _Stroke.EDITED
        self._put_stroke(_Stroke.NONE)
        if edited:
            self._show(self._undo.pop().before)

    def _put_stroke(self, stroke: _Stroke) -> None:
        before, self._stroke = self.in_stroke, stroke
        if before != self.in_stroke:
            self.stroked.emit(self.in_stroke)

    @property
    def in_stroke(self) -> bool:
        """Whether a drag is under way."""
        return self._stroke is not _Stroke.NONE

    @property
    def origin(self) -> Project:
        """The project before the drag under way, else the project: what a new edit's name counts from."""
        return self._undo[-1].before if self._stroke is _Stroke.EDITED else self._project

    @property
    def undo_name(self) -> str | None:
        """Name of what undo would take back."""
        return self._undo[-1].name if self._undo else None

    @property
    def redo_name(self) -> str | None:
        """Name of what redo would do again."""
        return self._redo[-1].name if self._redo else None

    def undo(self) -> None:
        """Take the last edit back."""
        self._swap(self._undo, self._redo)

    def redo(self) -> None:
        """Do the last edit taken back again."""
        self._swap(self._redo, self._undo)

    def _swap(self, source: list[_Edit], target: list[_Edit]) -> None:
        self.end_stroke()
        if source:
            step = source.pop()
            target.append(_Edit(step.name, self._project))
            self._show(step.before)

    def _show(self, project: Project) -> None:
        self._project = project
        if not self._autosave.isActive():  # begun anew at each edit it would never come to an end
            self._autosave.start()
        self.changed.emit()

    def replace(self, project: Project, path: Path | None) -> None:
        """Another project altogether: undo starts anew."""
        self._journal.clear()
        self._path = _absolute(path)
        self._stamp, self._saved = stamp(self._path), project
        self._show_other(project)

    def recover(self, unsaved: Unsaved) -> None:
        """Go on with unsaved work that a crash left.

        Its entry in the journal becomes this document's: nothing is written that could fail.
        """
        self._journal.clear()
        self._journal = unsaved.journal
        self._path, self._stamp, self._saved = unsaved.path, unsaved.saved, None
        self._show_other(unsaved.project)

    def _show_other(self, project: Project) -> None:
        self._put_stroke(_Stroke.NONE)
        self._undo.clear()
        self._redo.clear()
        self._project = project
        self.replaced.emit()
        self._show(project)

    def open(self, path: Path) -> None:
        """Open a file. Raises FileError; then nothing has changed."""
        project = load(path)
        remove_leftovers(path)
        self.replace(project, path)

    @property
    def changed_outside(self) -> bool:
        """Whether another program has changed or removed the file since it was opened or saved."""
        return self._path is not None and self._stamp is not None and stamp(self._path) != self._stamp

    def save(self, path: Path | None = None) -> None:
        """Save to a file, or where it was saved last. Raises FileError; then nothing has changed on disk."""
        target = _absolute(path) or self._path
        if target is None:
            raise ValueError("a project without a file needs a path to be saved")
        as_it_is = target == self._path and stamp(target) is not None and stamp(target) == self._stamp
        if self.dirty or not as_it_is:  # an unchanged file keeps its time stamp
            save(self._project, target)
        self._path, self._saved, self._stamp = target, self._project, stamp(target)
        self.close()
        self.saved_changed.emit()

    def autosave_now(self) -> None:
        """Keep unsaved work in the journal."""
        if not self.dirty:
            self._journal.clear()
            return
        try:
            self._journal.keep(self._project, self._path, self._stamp)
        except FileError as error:
            self.trouble.emit(tell("Unsaved work could not be kept for a crash: {error}", error=error))

    def close(self) -> None:
        """Nothing unsaved is to be brought back later."""
        self._autosave.stop()
        self._journal.clear()


def saved_phrase(document: Document) -> str:
    """Whether and where the project is saved."""
    if document.path is None:
        return tell("never saved" if document.dirty else "not saved yet")
    if document.dirty:
        return tell("{file}, changed", file=document.path.name)
    try:
        saved = datetime.fromtimestamp(document.path.stat().st_mtime, UTC)
    except OSError:
        return tell("{file} is gone", file=document.path.name)
    minutes = int((datetime.now(UTC) - saved).total_seconds() // 60)
    if minutes < 1:
        return tell("saved just now")
    if minutes < 120:
        return tell("saved {time} ago", time=figures(str(minutes), "min"))
    return tell("saved {when}", when=f"{date_told(saved.astimezone(), 'd MMM')} {saved.astimezone():%H:%M}")


def _absolute(path: Path | None) -> Path | None:
    """A path that means the same wherever the program is started."""
    return None if path is None else path.absolute()
