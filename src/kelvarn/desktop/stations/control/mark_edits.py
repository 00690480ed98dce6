"""Edits of the marks of the trial shown, each in a small window at the place clicked."""

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QWidget

from kelvarn.desktop.language import tell
from kelvarn.desktop.stations.station import Context
from kelvarn.model.edit import append, remove
from kelvarn.model.mark import Mark

from .mark_editor import MarkEditor


class MarkEdits:
    """Edits marks, and adds them.

    Args:
        context: what it works on.
        over: what the small windows are over.
    """

    def __init__(self, context: Context, over: QWidget) -> None:
        self._document, self._view, self._guarded, self._over = context.document, context.view, context.guarded, over

    def _path(self) -> tuple[str | int, ...]:
        return ("trials", self._view.trial_index(self._document.project), "marks")

    def edit(self, index: int, at: QPoint) -> None:
        """Open the window of a mark."""
        project = self._document.project
        trial = self._view.trial(project)
        mark, path = trial.marks[index], self._path()

        def still_there() -> bool:
            """Whether it is the mark that was clicked: the project may be another one by now."""
            marks = self._view.trial(self._document.project).marks
            return self._path() == path and index < len(marks) and marks[index] == mark

        def take(new: Mark) -> None:
            if still_there():
                self._document.set((*path, index), new, tell("mark {mark}", mark=mark.title))

        def drop() -> None:
            if still_there():
                changed = remove(self._document.project, path, index)
                self._document.apply(changed, tell("remove mark {mark}", mark=mark.title))

        editor = MarkEditor(project, trial, mark, self._view.scale, self._over)
        editor.taken.connect(take)
        editor.removed.connect(drop)
        editor.popup(at)

    def add(self, at: QPoint) -> None:
        """Open the window of a new mark."""
        project = self._document.project
        editor = MarkEditor(project, self._view.trial(project), None, self._view.scale, self._over)

        def add(new: Mark) -> None:
            changed = append(self._document.project, self._path(), new)
            self._document.apply(changed, tell("add mark {mark}", mark=new.title))

        editor.taken.connect(lambda new: self._guarded(lambda: add(new))())
        editor.popup(at)
