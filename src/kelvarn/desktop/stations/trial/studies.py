"""What the Trial station has computed beside the window: marks on all trials, and the failure table."""

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Stopped, current_go_on
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import joined
from kelvarn.studies.all_trials import Met, marks_met
from kelvarn.studies.cold_again import cold_again_s, ready_text
from kelvarn.studies.failures import FailureTable, failure_table
from kelvarn.studies.results import Result
from kelvarn.studies.stopping import Stopping, safer_action, stopping_guard
from kelvarn.units import Quantity, show

_MET, _TABLE, _OFFERS, _COLD = "marks of all trials", "failures", "remedies", "cold again"


class TrialStudies(QObject):
    """The results, each kept until the project is another one.

    Attributes:
        met: marks met by candidate and trial; a sentence where it cannot be run.
        table, offer, action: the failure table, the guard that would stop what passes a limit, and the action at a
            fault of the control probe that makes it better; None while unknown, or where there is none.
        fault: why there is no table.

    Signals:
        updated: something else is known.
        cooled: it is known how long it takes until the rig is cold again.
    """

    updated = Signal()
    cooled = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._met_of: Project | None = None
        self._table_of: tuple[Rig, Candidate, Trial] | None = None
        self._wanted: tuple[Rig, Candidate, Trial] | None = None
        self._trials: tuple[Trial, ...] = ()
        self.met: dict[tuple[str, str], Met | str] = {}
        self.table: FailureTable | None = None
        self.offer: Stopping | None = None
        self.action: str | None = None
        self.fault = ""
        self._cold_again = ""
        self._cooled: Result | None = None

    def ask_cold(self, result: Result | None) -> None:
        """Have it worked out how long after a run the rig is cold again."""
        if result is None or result is self._cooled:
            return
        self._cooled, self._cold_again = result, ""
        rig, end = result.run.rig, result.measures.end_degC
        self._jobs.start(_COLD, lambda: cold_again_s(rig, end), self._take_cold)

    def time_words(self) -> str:
        """When the run asked about is ready, and when a cold one can begin after it."""
        ready = None if self._cooled is None else self._cooled.measures.values.get("ready_s")
        said = ready_text(ready)
        return tell(joined("; ", (each for each in (said, self._cold_again) if each)))

    def _take_cold(self, outcome: object) -> None:
        assert outcome is None or isinstance(outcome, float)
        after = (
            tell("never, or not in 30 days")
            if outcome is None
            else tell("{outcome} after its end", outcome=show(outcome, Quantity.DURATION))
        )
        self._cold_again = tell("next cold trial: {after}", after=after)
        self.cooled.emit()

    def ask_met(self, project: Project) -> None:
        """Have every candidate run on every trial."""
        if project is self._met_of:
            return
        self._met_of = project
        self._jobs.start(_MET, lambda: _all_met(project), self._take_met)

    def _take_met(self, outcome: object) -> None:
        assert isinstance(outcome, dict)
        self.met = outcome
        self.updated.emit()

    def ask_table(self, project: Project, candidate: Candidate, trial: Trial) -> None:
        """Have every single failure tried."""
        wanted = project.rig, candidate, trial
        trials = (trial, *(each for each in project.trials if each.name != trial.name))
        if _same(self._wanted, wanted):
            return
        self._wanted, self._trials = wanted, trials
        self._jobs.stop(_OFFERS)
        self._jobs.start(_TABLE, lambda: _try_failures(project.rig, candidate, trial), self._take_table)

    def _take_table(self, outcome: object) -> None:
        self._table_of, self.fault = self._wanted, ""
        self.table = self.offer = self.action = None
        if isinstance(outcome, str):
            self.fault = outcome
        else:
            assert isinstance(outcome, FailureTable)
            self.table = outcome
            assert self._wanted is not None
            rig, candidate, _ = self._wanted
            self._jobs.start(_OFFERS, lambda: _find_remedies(rig, candidate, self._trials, outcome), self._take_offers)
        self.updated.emit()

    def _take_offers(self, outcome: object) -> None:
        assert isinstance(outcome, tuple)
        self.offer, self.action = outcome
        self.updated.emit()

    def table_fits(self, project: Project, subject: tuple[Candidate, Trial]) -> bool:
        """Whether the table is of what is looked at now."""
        return _same(self._table_of, (project.rig, *subject))


def _same(one: tuple[Rig, Candidate, Trial] | None, other: tuple[Rig, Candidate, Trial]) -> bool:
    return one is not None and one[0] == other[0] and one[1].controller == other[1].controller and one[2] == other[2]


def _all_met(project: Project) -> object:
    """Marks met by every candidate on every trial; on another thread."""
    go_on = current_go_on()
    return marks_met(project, lambda: go_on is None or go_on(0.0))


def _try_failures(rig: Rig, candidate: Candidate, trial: Trial) -> object:
    """The failure table; on another thread."""
    go_on = current_go_on() or (lambda share: True)
    try:
        table = failure_table(rig, candidate.controller, trial, go_on)
        if not go_on(1.0):
            raise Stopped
    except RunError as error:
        return str(error)
    return table


def _find_remedies(rig: Rig, candidate: Candidate, trials: tuple[Trial, ...], table: FailureTable) -> object:
    """A guard and an action at a probe fault that would make the table better; on another thread."""
    go_on, law = current_go_on() or (lambda share: True), candidate.controller
    try:
        offer = stopping_guard(rig, law, trials, table, lambda share: go_on(0.6 * share))
        action = safer_action(rig, law, trials, table, lambda share: go_on(0.6 + 0.4 * share))
    except RunError:  # of a trial that cannot be run at all
        return None, None
    return offer, action
