"""How long a failure is followed, by what has to come to an end: lags, melting, drifts, what guards wait for."""

from functools import lru_cache

from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.prepare import MOST_SAMPLES
from kelvarn.engine.steady import rest_degC
from kelvarn.model.event_base import LONGEST_S
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .failure_kinds import CUT_S, DRIFT_K_PER_H, Failure
from .follow import slowest_s

_DAY_S = 86400.0
_LAGS = 8.0  # of the slowest time constant after which 3e-4 of a change is left
_MOST_FOLLOWED = {False: 300_000, True: 60_000}
"""Samples that a row is followed for at most: of linear rigs, and of others."""


def steady_ramps(trial: Trial) -> Trial:
    """The trial with ramps of the surroundings that end where it ends: it will go on for longer."""
    return trial.model_copy(
        update={
            "events": tuple(
                each.model_copy(update={"lasts_s": trial.duration_s - each.at_s})
                if getattr(each, "course", "") == "ramp" and each.lasts_s is None
                else each
                for each in trial.events
            )
        }
    )


def _patience_s(rig: Rig) -> float:
    """How long guards wait before they act, or begin anew, s."""
    times = ("delay_s", "for_s", "still_s", "after_s", "longest_s", "rest_s")
    return min(max((getattr(guard, name, None) or 0.0 for guard in rig.guards for name in times), default=0.0), _DAY_S)


@lru_cache(maxsize=16)
def _drifted_s(rig: Rig) -> float:
    """After how long a probe has drifted by all that the drives can move the rig, s."""
    ends = [rest_degC(rig, drive) for drive in (-1.0 if rig.way.both else 0.0, 1.0)]
    if ends[0] is None or ends[1] is None:
        return _DAY_S
    return (float(abs(ends[1] - ends[0]).max()) + 20.0) / DRIFT_K_PER_H * 3600.0


def longest_s(rig: Rig, trial: Trial) -> float:
    """How long a row is followed at most, from the trial's start."""
    h = rig.probe.interval_s
    lasts_s = trial.duration_s + _settles_s(rig) + _drifted_s(rig)
    most_s = max(_MOST_FOLLOWED[is_nonlinear(rig)] * h, 1.5 * trial.duration_s, trial.duration_s + 10 * h)
    return min(lasts_s, most_s, LONGEST_S, (MOST_SAMPLES - 1) * h)


def _settles_s(rig: Rig) -> float:
    """How long it takes at most until all that is left of a change can be forgotten."""
    melting_s = sum(
        body.melting.latent_J / max(0.1 * sum(drive.power_W for drive in rig.drives), 1.0)
        for body in rig.bodies if body.melting is not None
    )  # fmt: skip
    return max(_LAGS * slowest_s(rig) + melting_s, 5 * CUT_S)


def latest_of(failure: Failure, at_s: float, rig: Rig, trial: Trial, *, whole: bool) -> float:
    """Until when a failure is followed at most, from the trial's start, s.

    Args:
        failure, at_s: what is tried, and when it begins.
        rig, trial: where.
        whole: to its end; else only so far that what happens at once is seen, since another moment tells the end.
    """
    longest = longest_s(rig, trial)
    if not whole:
        ends_s = getattr(failure.event, "lasts_s", None) or 0.0  # it comes back only then
        return at_s + ends_s + _patience_s(rig) + max(slowest_s(rig), min(trial.duration_s / 4, _DAY_S))
    if getattr(failure.event, "fault", "") == "drift":
        return min(longest, at_s + _drifted_s(rig) + _LAGS * slowest_s(rig))
    return min(longest, max(trial.duration_s, at_s) + _settles_s(rig))
