"""What is looked at: trial, candidate, cursor, units. It is kept out of the project and out of undo."""

from PySide6.QtCore import QObject, Signal

from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.units import Scale


class View(QObject):
    """Selection, cursor and units shared by all stations.

    Attributes:
        of_temperature: scale that the user chose for temperatures.
        own: unit of a rig that is about something else; None where it is about temperature.

    Signals:
        changed: selection or units changed.
        cursor_moved: the cursor is at another instant.
    """

    changed = Signal()
    cursor_moved = Signal()

    def __init__(self, project: Project) -> None:
        super().__init__()
        self._candidate = project.chosen or project.candidates[0].name
        self._trial = project.first_trial.name
        self.of_temperature = Scale.CELSIUS
        self.own: Scale | None = project.scale
        self.cursor_s = _first_look(project, project.first_trial)
        self.pinned = False
        self._seen: str | None = project.first_trial.name

    def forget(self) -> None:
        """Another project is looked at: nothing of the old one is selected."""
        self._candidate = self._trial = ""
        self.pinned = False
        self._seen = None

    def follow(self, project: Project) -> None:
        """Keep to what there is: unit, and the cursor, which comes back where the trial shown ends before it."""
        self.own = project.scale
        trial = self.trial(project)
        if self.cursor_s > trial.duration_s or self._seen is None:
            self.cursor_s, self.pinned = _first_look(project, trial), False
        self._seen = trial.name

    def candidate(self, project: Project) -> Candidate:
        """The selected candidate; where it has gone the chosen one, else the first."""
        found = {c.name: c for c in project.candidates}
        return found.get(self._candidate) or found.get(project.chosen or "") or project.candidates[0]

    def candidate_index(self, project: Project) -> int:
        """Where the selected candidate stands."""
        return project.candidates.index(self.candidate(project))

    def trial(self, project: Project) -> Trial:
        """The trial shown; the first one where it has gone."""
        return next((t for t in project.trials if t.name == self._trial), project.first_trial)

    def trial_index(self, project: Project) -> int:
        """Where the trial shown stands."""
        return project.trials.index(self.trial(project))

    def select(self, candidate: str) -> None:
        """Select a candidate by name."""
        if candidate != self._candidate:
            self._candidate = candidate
            self.changed.emit()

    def select_trial(self, trial: str) -> None:
        """Show another trial."""
        if trial != self._trial:
            self._trial = trial
            self.changed.emit()

    @property
    def scale(self) -> Scale:
        """What is shown in: the scale of temperature, or the rig's own unit where it is about something else."""
        return self.own or self.of_temperature

    def set_scale(self, scale: Scale) -> None:
        """Show temperatures in another scale."""
        if scale is not self.of_temperature:
            self.of_temperature = scale
            self.changed.emit()

    def move_cursor(self, time_s: float) -> None:
        """Put the cursor at an instant."""
        if time_s != self.cursor_s:
            self.cursor_s = time_s
            self.cursor_moved.emit()


def _first_look(project: Project, trial: Trial) -> float:
    """An instant, s, at which there is something to see and its readings hide nothing said about the start."""
    interval = project.rig.probe.interval_s
    return round(0.3 * trial.duration_s / interval) * interval
