"""Lists that stand over the window: remarks, what differs between two candidates, kept runs; candidates from files."""

from pathlib import Path

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QFileDialog, QWidget

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import FILE_KIND
from kelvarn.desktop.stations.station import Context
from kelvarn.files.project_file import load
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import EditError, add_candidates, append
from kelvarn.model.kept_run import MOST_KEPT
from kelvarn.sentence import say
from kelvarn.studies.keep import kept_run

from .actions import CandidateActions
from .compare import Compare, sides_of
from .kept_runs import KeptRuns
from .remarks_list import RemarksList


class Lists:
    """Opens them, and does what is chosen in them.

    Args:
        context, actions: what they are about.
        station: over which they stand.
    """

    def __init__(self, context: Context, actions: CandidateActions, station: QWidget) -> None:
        self._context, self._actions, self._remarks, self._station = context, actions, context.remarks, station
        self._document, self._view, self._runner = context.document, context.view, context.runner
        self.remarks_list: RemarksList | None = None
        self.compare: Compare | None = None
        self.kept_runs: KeptRuns | None = None

    def _at(self) -> QPoint:
        """Where lists stand over the window."""
        return self._station.mapToGlobal(QPoint(self._station.width() // 3, 60))

    def compare_two(self) -> None:
        """Open what differs between the selected candidate and the chosen one, or the next."""
        project = self._document.project
        sides = sides_of(project, self._runner, self._view.scale)
        if len(sides) < 2:
            raise EditError(say("There is but one candidate; add another one to compare."))
        first = self._view.candidate_index(project)
        chosen = next((k for k, c in enumerate(project.candidates) if c.name == project.chosen), first)
        second = chosen if chosen != first else (first + 1) % len(sides)
        self.compare = Compare(sides, first, second, self._station.window())
        self.compare.popup(self._at())

    def keep_run(self) -> None:
        """Keep the selected candidate's run with the project. Raises EditError where there is none, or no room."""
        project, candidate = self._document.project, self._view.candidate(self._document.project)
        result = self._runner.result_of(candidate.name)
        if result is None or candidate.name in self._runner.faults:
            raise EditError(say("There is no run of “{candidate}” to keep yet.", candidate=candidate.name))
        if len(project.kept) >= MOST_KEPT:
            raise EditError(say("There is room for {most} kept runs; delete one first.", most=MOST_KEPT))
        names = [run.name for run in project.kept]
        made = kept_run(result, self._view.trial(project), candidate.name, names)
        self._document.apply(append(project, ("kept",), made), tell("keep run {made}", made=made.name))

    def show_kept(self) -> None:
        self.kept_runs = KeptRuns(self._document, self._view.scale, self._take_candidate, self._station.window())
        self.kept_runs.popup(self._at())

    def _take_candidate(self, candidate: Candidate) -> None:
        self._context.guarded(lambda: self._actions.add_candidate(candidate))()

    def ask_take_from(self) -> None:
        """Ask for a project, and add its candidates. Raises FileError, EditError."""
        name, _ = QFileDialog.getOpenFileName(self._station.window(), tell("Take candidates from"), "", tell(FILE_KIND))
        if name:
            self.take_from(Path(name))

    def take_from(self, path: Path) -> None:
        """Add the candidates of another project. Raises FileError, EditError."""
        other = load(path)
        changed = add_candidates(self._document.project, other.candidates)
        self._document.apply(changed, tell("take candidates of {other}", other=other.name))

    def show_remarks(self) -> None:
        """Open the list of remarks; where it is open, go to the next one."""
        if self.remarks_list is not None:
            self.remarks_list.step()
            return
        made = RemarksList(self._remarks, self._station.window())
        made.destroyed.connect(self._remarks_closed)
        self.remarks_list = made
        made.popup(self._at())

    def _remarks_closed(self) -> None:
        self.remarks_list = None
