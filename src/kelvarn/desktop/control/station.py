"""Puts the Control station together."""

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.columns import Columns
from kelvarn.desktop.document import Document
from kelvarn.desktop.elided import ElidedLine
from kelvarn.desktop.runner import Runner
from kelvarn.desktop.strip.content import Entry, candidate_content
from kelvarn.desktop.strip.strip import Strip
from kelvarn.desktop.texts import MOST_OF_A_NAME
from kelvarn.desktop.view import View
from kelvarn.engine.why import why
from kelvarn.model.edit import append, put, remove
from kelvarn.model.mark import Mark
from kelvarn.units import shortened

from .actions import CandidateActions
from .cards import Cards
from .edits import StripEdits
from .mark_editor import MarkEditor
from .marks import MarksFoot
from .settings import Settings
from .terms import Terms


def entries(document: Document, runner: Runner) -> list[Entry]:
    """All candidates with their results."""
    project = document.project
    return [
        Entry(c, runner.result_of(c.name), k, c.name == project.chosen, c.name in runner.faults)
        for k, c in enumerate(project.candidates)
    ]


class ControlStation(QWidget):
    """Candidates, strip, settings, marks."""

    def __init__(self, document: Document, view: View, runner: Runner, actions: CandidateActions) -> None:
        super().__init__()
        self._document, self._view, self._runner = document, view, runner
        self.cards = Cards(actions)
        self.cards.selected.connect(view.select)
        self.terms = Terms()
        self.strip = Strip(StripEdits(document, view))
        self.strip.cursor_moved.connect(view.move_cursor)
        self.strip.pin_changed.connect(self._pin)
        self.why_line = ElidedLine("body", indent=50)
        self.why_line.setAccessibleName("Why: the controller's decision at the cursor")
        self.settings = Settings(document, view, actions)
        self.marks = MarksFoot()
        self.marks.edit_wanted.connect(self._edit_mark)
        self.marks.add_wanted.connect(self._add_mark)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(12)
        column.addWidget(self.cards)
        column.addWidget(self.terms)
        column.addStretch(1)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.strip, 1)
        column.addWidget(self.why_line)
        self.columns = Columns(left, middle, self.settings)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.columns, 1)
        layout.addWidget(self.marks)

    def refresh(self) -> None:
        """Show the present state of document, view and runner."""
        project = self._document.project
        trial, selected = self._view.trial(project), self._view.candidate(project)
        shown = entries(self._document, self._runner)
        self.cards.show_entries(shown, selected.name, self._view.scale, self._runner.faults)
        self._content = candidate_content(trial, self._view.scale, shown, selected.name)
        self.strip.show_content(self._content)
        self.settings.refresh()
        result = self._runner.result_of(selected.name)
        caption = f"for “{selected.name}” on “{trial.name}”"
        self.marks.show_marks(trial.marks, result, self._view.scale, caption)
        self.show_cursor()

    def show_cursor(self) -> None:
        """Show what depends on the cursor."""
        self.strip.set_cursor(self._view.cursor_s, self._view.pinned)
        self.terms.show_at(self._content, self._view.cursor_s)
        selected = self._view.candidate(self._document.project)
        if self._runner.preparing:
            self.why_line.say("preparing, first start only …", "muted")
        elif selected.name in self._runner.faults:
            self.why_line.say(self._runner.faults[selected.name], "ember")
        elif self._runner.busy:
            self.why_line.say("computing …", "muted")
        elif (result := self._runner.result_of(selected.name)) is not None:
            index = min(round(self._view.cursor_s / result.run.rig.probe.interval_s), result.run.time_s.size - 1)
            reason = why(result.run, index, self._view.scale)
            self.why_line.say(f"{shortened(selected.name, MOST_OF_A_NAME)}: {reason}", "ink")

    def _pin(self, pinned: bool) -> None:
        self._view.pinned = pinned
        self.show_cursor()

    def _marks_path(self) -> tuple[str | int, ...]:
        return ("trials", self._view.trial_index(self._document.project), "marks")

    def _edit_mark(self, index: int, at: QPoint) -> None:
        project = self._document.project
        trial = self._view.trial(project)
        mark, path = trial.marks[index], self._marks_path()

        def take(new: Mark) -> None:
            self._document.apply(put(project, (*path, index), new), f"mark {mark.title}")

        def drop() -> None:
            self._document.apply(remove(project, path, index), f"remove mark {mark.title}")

        editor = MarkEditor(project, trial, mark, self._view.scale, self)
        editor.taken.connect(take)
        editor.removed.connect(drop)
        editor.popup(at)

    def _add_mark(self, at: QPoint) -> None:
        project = self._document.project
        path = self._marks_path()
        editor = MarkEditor(project, self._view.trial(project), None, self._view.scale, self)
        editor.taken.connect(lambda new: self._document.apply(append(project, path, new), f"add mark {new.title}"))
        editor.popup(at)
