"""What is expected of a device, worked out beside the window: what the trial promised, what comes, when it is cold."""

import math
from collections.abc import Callable

from kelvarn.desktop.state.jobs import Jobs
from kelvarn.link.bench.expected import Expected, computed, trial_from_now
from kelvarn.link.bench.observer import Observer
from kelvarn.link.bench.session import Session
from kelvarn.studies.cold_again import cold_again_s

from .beside import Beside

_FUTURE, _EXPECTED, _COLD = "bench: future", "bench: expected", "bench: cold"
_FUTURE_EVERY_S, _AHEAD_S = 30.0, 3600.0


class Expecting:
    """Keeps what is expected of a device up to date.

    Args:
        jobs: works it out.
        shown: called when there is more to show.
    """

    def __init__(self, jobs: Jobs, shown: Callable[[], None]) -> None:
        self._jobs, self._shown = jobs, shown

    def stop(self) -> None:
        """Work nothing out any more: another device is looked at, or none."""
        for channel in (_FUTURE, _EXPECTED, _COLD):
            self._jobs.stop(channel)

    def look(self, at: Beside, session: Session) -> None:
        """Work out what is wanting of the device that is looked at."""
        self._look_for_cold(at, session)
        if session.last is None:
            return
        if at.expected is None and session.is_ours and not self._jobs.busy(_EXPECTED):
            trial, from_s = trial_from_now(session, begins=at.begins)
            at.begins = False
            rig, law = session.carried.project.rig, session.carried.candidate.controller

            def promised(found: object) -> None:
                if isinstance(found, Expected):
                    at.expected = found
                    self._shown()

            self._jobs.start(_EXPECTED, lambda: computed(rig, law, trial, from_s), promised, waits=False)
        if session.observer is not None and session.time_s - at.future_at_s >= _FUTURE_EVERY_S:
            if not self._jobs.busy(_FUTURE):
                at.future_at_s = session.time_s
                self._look_ahead(at, session.observer.copy(), session.time_s)
        elif session.time_s < at.future_at_s:
            at.future_at_s = session.time_s

    def _look_ahead(self, at: Beside, observer: Observer, at_s: float) -> None:
        def comes(found: object) -> None:
            if isinstance(found, tuple) and found[1] is not None:
                at.future = found
                self._shown()

        self._jobs.start(_FUTURE, lambda: (at_s, observer.future(_AHEAD_S)), comes, waits=False)

    def _look_for_cold(self, at: Beside, session: Session) -> None:
        """Once it is stopped: when is it cold again, for the next trial from cold?"""
        stopped = session.last is not None and session.last.stopped
        if not stopped or session.observer is None:
            at.cold_s = None
        elif at.cold_s is None and not self._jobs.busy(_COLD):
            rig, bodies = session.carried.project.rig, session.observer.bodies_degC()

            def cold(found: object) -> None:
                at.cold_s = found if isinstance(found, float) else math.inf

            self._jobs.start(_COLD, lambda: cold_again_s(rig, bodies), cold, waits=False)
