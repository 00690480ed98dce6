"""The line over an experiment: what to try, what to look at, and that it was seen."""

from collections.abc import Callable

from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from kelvarn.demos.experiments import Experiment, Results, experiment_of
from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.model.project import Project


class ExperimentLine(QWidget):
    """See the module; hidden for all other projects.

    Args:
        leave: leads to the other experiments.
    """

    def __init__(self, leave: Callable[[], object]) -> None:
        super().__init__()
        self._experiment: Experiment | None = None
        self.was_seen = False
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 5, 18, 6)
        self.said = small("", "")
        row.addWidget(self.said, 1)
        row.addWidget(link("other experiments", leave))
        self.hide()

    def begin(self, project: Project) -> None:
        """Another project is open."""
        self._experiment = experiment_of(project.experiment)
        self.was_seen = False

    def refresh(self, project: Project, results: Results) -> None:
        """Say what to try, or that it was seen; once it was, that stays."""
        found = self._experiment
        set_shown(self, found is not None)
        if found is None:
            return
        self.was_seen = self.was_seen or found.seen(project, results)
        if self.was_seen:
            text = tell("Seen: {what}", what=tell(found.told))
        else:
            text = tell("Try: {tries} Look at: {look}", tries=tell(found.tries), look=tell(found.look))
        if text != self.said.text():
            self.said.setText(text)
            self.said.setProperty("role", "met" if self.was_seen else "")
            theme.dress(self)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, look = QPainter(self), theme.current()
        painter.fillRect(self.rect(), look.color("panel"))
        painter.fillRect(0, 0, 4, self.height(), look.color("moss" if self.was_seen else "glacier"))
        painter.end()
