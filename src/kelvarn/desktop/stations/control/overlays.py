"""Runs laid over the strip beside the candidates': one that a reason opens, or the gain turned up until it rings."""

from PySide6.QtCore import QObject, Signal

from kelvarn.desktop.lanes.scene import LaidOver
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import compute
from kelvarn.model.candidate import Controller
from kelvarn.model.edit import EditError
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import say
from kelvarn.studies.alternatives import Alternative
from kelvarn.tune.process import PlantError
from kelvarn.tune.ringing import turned_up

_CHANNEL = "runs laid over"


class Overlays(QObject):
    """Computes them beside the window.

    Args:
        jobs: computes.

    Attributes:
        shown: what is laid over now.

    Signals:
        changed: that is something else.
    """

    changed = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._of: object = None
        self.shown: tuple[LaidOver, ...] = ()

    def clear(self) -> None:
        """Nothing any more."""
        self._jobs.stop(_CHANNEL)
        self._of = None
        if self.shown:
            self.shown = ()
            self.changed.emit()

    def toggle_alternative(self, found: Alternative, words: str, trial: Trial, place: int) -> None:
        """Lay the run of an alternative over, or take it away where it is the one that lies there."""
        self._toggle(("alternative", words), [(words, found.rig, found.law)], trial, place)

    def toggle_ringing(self, rig: Rig, law: Controller, trial: Trial, place: int) -> None:
        """Lay runs at ever higher gain over, or take them away.

        Raises:
            EditError: nothing rings.
        """
        if self._of == "ringing":
            self.clear()
            return
        if not isinstance(law, Pid):
            raise EditError(
                say("{law} has no gain to turn up; P, PI and PID have.",
                    law=law.strategy[0].upper() + law.strategy[1:])
            )  # fmt: skip
        try:
            laws = turned_up(rig, law, trial.plan.last_degC)
        except PlantError as error:
            raise EditError(str(error)) from error
        self._toggle("ringing", [(words, rig, each) for words, each in laws], trial, place)

    def _toggle(self, of: object, runs: list[tuple[str, Rig, Controller]], trial: Trial, place: int) -> None:
        again = of == self._of
        self.clear()
        if again:
            return
        self._of = of

        def work() -> tuple[LaidOver, ...]:
            found = []
            for k, (words, rig, law) in enumerate(runs):
                try:
                    found.append(LaidOver(words, compute(rig, law, trial).thinned(), place + k))
                except RunError:
                    continue  # it has no course to be seen
            return tuple(found)

        self._jobs.start(_CHANNEL, work, self._take)

    def _take(self, outcome: object) -> None:
        assert isinstance(outcome, tuple)
        self.shown = outcome
        self.changed.emit()
