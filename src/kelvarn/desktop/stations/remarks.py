"""Remarks on the project: computed beside the window, shown as flags at their settings."""

from functools import partial

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import Guarded
from kelvarn.desktop.parts.plain import clear, set_shown
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.state.view import View
from kelvarn.model.edit import EditError, Path
from kelvarn.sentence import joined, say
from kelvarn.tune.remark import Remark, still_stands
from kelvarn.tune.remarks import remarks, set_aside

_CHANNEL = "remarks"
_PAUSE_MS = 250


class Remarks(QObject):
    """What is noticed in the project as it stands.

    Args:
        document, view, runner: whose project, trial and results.
        guarded: runs work whose faults are said to the user.

    Attributes:
        found: all remarks, as far as they are known.

    Signals:
        updated: there are others.
    """

    updated = Signal()

    def __init__(self, document: Document, view: View, runner: Runner, guarded: Guarded) -> None:
        super().__init__()
        self._document, self._view, self._runner, self._guarded = document, view, runner, guarded
        self._wanted: object = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_PAUSE_MS)
        self._later.timeout.connect(self._start)
        self.found: list[Remark] = []
        # Queued: who is told of it shows the project, which the rest of the window must have taken up before.
        document.replaced.connect(self._forget, Qt.ConnectionType.QueuedConnection)

    @property
    def busy(self) -> bool:
        """Whether others may come of what was asked for."""
        return self._later.isActive() or self._runner.jobs.busy(_CHANNEL)

    def _forget(self) -> None:
        """Another project altogether: what was noticed is of the old one."""
        self._runner.jobs.stop(_CHANNEL)
        self._wanted = None
        self._take([])

    def request(self) -> None:
        """Ask for them, once edits pause; where the project, the trial or the results are others."""
        if not self._runner.preparing:
            self._later.start()

    def stop(self) -> None:
        """Nothing is asked any more: the window closes."""
        self._later.stop()

    def _start(self) -> None:
        project, trial = self._document.project, self._view.trial(self._document.project)
        results = {c.name: self._runner.result_of(c.name) for c in project.candidates}
        measures = {name: result.measures for name, result in results.items() if result is not None}
        scale = self._view.scale
        wanted = (project, trial.name, results, scale)
        if wanted != self._wanted:
            self._wanted = wanted
            self._runner.jobs.start(_CHANNEL, lambda: remarks(project, trial, measures, scale), self._take)

    def _take(self, outcome: object) -> None:
        assert isinstance(outcome, list)
        before = [(each.key, each.candidate, each.text) for each in self.found]
        self.found = outcome
        if [(each.key, each.candidate, each.text) for each in outcome] != before:
            self.updated.emit()

    def mend(self, remark: Remark) -> None:
        """Do what a remark proposes, where its setting still stands."""

        def do() -> None:
            project = self._document.project
            if remark.mend is not None and remark in self.found and still_stands(project, remark):
                self._document.apply(remark.mend(self._document.project), joined(": ", (remark.key, remark.remedy)))

        self._guarded(do)()

    def put_aside(self, remark: Remark, reason: str) -> None:
        """Set a remark aside; the reason is kept with the project."""

        def do() -> None:
            if not reason:
                raise EditError(say("Say why it does not count here; the reason is kept with the project."))
            project = self._document.project
            # What it is of may have gone since, and another project may be open.
            if remark in self.found and remark.candidate in (None, *[each.name for each in project.candidates]):
                self._document.apply(set_aside(project, remark, reason), tell("set aside: {remark}", remark=remark.key))

        self._guarded(do)()

    def at(self, path: Path) -> list[Remark]:
        """Those about a setting."""
        return [each for each in self.found if each.path == path]


class Flag(QWidget):
    """The remarks on a setting, below it; nothing where there are none.

    Args:
        of: the remarks.
        path: the setting.
    """

    def __init__(self, of: Remarks, path: Path) -> None:
        super().__init__()
        self._of, self._path = of, path
        self._shown: tuple[str, ...] | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 2)
        self._column.setSpacing(0)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is now."""
        found = self._of.at(self._path)
        shown = tuple(each.text for each in found)
        if shown == self._shown:
            return
        self._shown = shown
        clear(self._column)
        for each in found:
            self._column.addWidget(small(tell(joined(" ", ("⚑", each.text))), "gold"))
            if each.mend is not None:
                remedy = link(each.remedy, partial(self._of.mend, each))
                self._column.addWidget(remedy, 0, Qt.AlignmentFlag.AlignLeft)
        set_shown(self, bool(found))
