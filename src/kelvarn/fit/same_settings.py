"""Whether a device has the settings of a candidate: its law is asked for the temperatures of a log.

Law, plan and timing are those of the control step that simulation and device share; only the temperatures come from the
log. Where it would have given what the log says was given, the settings are the same.
"""

from dataclasses import dataclass

import numpy as np

from kelvarn.engine.on_trial import Stepper
from kelvarn.model.candidate import Candidate
from kelvarn.model.log_data import Floats, LogData
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.sentence import say

from .setpoints import setpoint_changes

_MOST_STEPS = 8000
_WINDOW_S = 120.0  # over which drives are averaged: pulses and noise are no other settings
_SAME = 0.08
_PLAIN = 0.35  # of coarse logs
_TOO_OPEN = 0.5  # of the drive, on average: what a coarse log leaves open of it
_MOST_ASKED = 12  # candidates


@dataclass(frozen=True)
class SameSettings:
    """How far what was given lies from what a candidate would have given.

    Attributes:
        candidate: its name.
        apart: rms of the difference of both drives, averaged over two minutes, 0…1.
    """

    candidate: str
    apart: float

    @property
    def same(self) -> bool:
        """Whether the settings are the same, as far as the log tells."""
        return self.apart <= _SAME

    @property
    def text(self) -> str:
        """In words."""
        if self.same:
            return say(
                "The settings are those of “{candidate}”: it would have given the same drive.", candidate=self.candidate
            )
        by = f"{100 * self.apart:.0f} %"
        return say("The settings are not those of “{candidate}”: its drive would have been {by} apart.",
                   candidate=self.candidate, by=by)  # fmt: skip


def same_settings(rig: Rig, candidate: Candidate, data: LogData) -> SameSettings | None:
    """Compare a log's drive with what a candidate gives for its temperatures.

    None where the log does not say its setpoint or drive, or is too coarse for the law: rows further apart than ten
    samples of it, or than its drive holds. Between two rows of a coarse log the drive may have been that of either,
    and what the law remembers is only nearly known, so a small difference tells nothing.

    Args:
        rig, candidate: whose drive it should be.
        data: the log.
    """
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    if data.setpoint_degC is None or data.drive is None:
        return None
    h = rig.probe.interval_s
    if data.interval_s > 10 * h:
        return None
    # As often as the device decides; of a long log the beginning, where the memory of the law is known.
    t = np.arange(0.0, min(data.duration_s, h * _MOST_STEPS), h)
    stepper = Stepper(candidate.controller, setpoint_changes(data), h, rig.way)
    seen = np.interp(t, data.time_s, data.measured_degC)
    asked = np.array([stepper.step(float(value)).given for value in seen])
    given = data.drive[np.clip(np.searchsorted(data.time_s, t, side="right") - 1, 0, data.time_s.size - 1)]
    width = max(1, int(_WINDOW_S / h))
    rows = round(data.interval_s / h) if data.interval_s > 1.5 * h else 0
    most, least = (_mean(reach(given, size=2 * rows + 1), width) for reach in (maximum_filter1d, minimum_filter1d))
    if float(np.mean(most - least)) > _TOO_OPEN:
        return None
    means = _mean(asked, width)
    apart = np.maximum(np.maximum(means - most, least - means), 0.0)
    by = float(np.sqrt(np.mean(apart**2)))
    return None if rows and _SAME < by < _PLAIN else SameSettings(candidate.name, by)


def settings_in(project: Project, data: LogData) -> SameSettings | None:
    """What a log says of the settings: those of the candidate that comes nearest, or not those of the chosen one.

    None where the log does not tell.
    """
    found = [made for each in project.candidates[:_MOST_ASKED] if (made := same_settings(project.rig, each, data))]
    if not found:
        return None
    nearest = min(found, key=lambda made: made.apart)
    if nearest.same:
        return nearest
    return next((made for made in found if made.candidate == project.chosen), nearest)


def _mean(values: Floats, width: int) -> Floats:
    return np.asarray(np.convolve(values, np.ones(width) / width, "valid"))
