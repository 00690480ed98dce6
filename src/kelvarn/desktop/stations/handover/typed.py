"""What a candidate does with the numbers that a controller that was bought can hold; computed beside the window."""

from typing import Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop.fields.any import field_for
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.desktop.state.view import View
from kelvarn.engine.run import current_go_on
from kelvarn.handover.bought import Outcome, held, run_held
from kelvarn.handover.faults import HandoverError
from kelvarn.model.bought import Bought
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project

_TYPED = "handover: typed"


class Typed(QObject):
    """Results with the numbers that are typed.

    Args:
        jobs: computes.

    Signals:
        updated: more is known.

    Attributes:
        results: by the names of trials; empty while they are computed.
    """

    updated = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._asked: Any = None
        self.results: dict[str, Outcome] = {}

    def request(self, project: Project, candidate: Candidate) -> None:
        """Ask for what a candidate does with them, where it, the rig, the trials or the controller are others."""
        wanted = (project.rig, candidate.controller, project.trials, project.bought)
        if wanted == self._asked:
            return
        self._asked, self.results = wanted, {}
        try:
            of = held(project, candidate, project.bought)
        except HandoverError:
            return
        self._jobs.start(_TYPED, lambda: run_held(of, current_go_on() or (lambda _: True)), self._take)

    def _take(self, outcome: object) -> None:
        if isinstance(outcome, dict):
            self.results = outcome
            self.updated.emit()


class BoughtFields(QWidget):
    """What a controller that was bought can hold, to be typed once."""

    def __init__(self, document: Document, view: View) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(4)
        self.fields = {
            name: field_for(Binding(document, view, ("bought", name)), document.project.rig)
            for name in Bought.model_fields
        }
        for each in self.fields.values():
            column.addWidget(each)

    def refresh(self) -> None:
        """Show what is typed now."""
        for each in self.fields.values():
            each.refresh()  # type: ignore[attr-defined]
