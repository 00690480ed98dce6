"""A control law outside the kernel: one step at a time, for live loops, proofs and tests."""

from dataclasses import dataclass

import numpy as np

from kelvarn.model.candidate import OnOff, Pid

from .reasons import Reason
from .tables import law_settings_of


@dataclass(frozen=True)
class Decision:
    """What a controller decided at one sample: drive 0…1, its terms as drive, why, and what is left of a delay."""

    drive: float
    asked: float
    p: float
    i: float
    d: float
    reason: Reason
    delay_left_s: float


class LawStepper:
    """Steps the very law that the kernel runs.

    Args:
        controller: its settings.
        interval_s: time between samples.
        acts: "heats" or "cools".
    """

    def __init__(self, controller: OnOff | Pid, interval_s: float, acts: str = "heats") -> None:
        from . import laws

        self._laws = laws
        self._on_off = isinstance(controller, OnOff)
        _, self._settings = law_settings_of(controller)
        self._h = interval_s
        self._mirror = 1.0 if acts == "heats" else -1.0
        self._state = np.zeros(laws.STATE_SIZE)
        self._out = np.zeros(laws.DECISION_SIZE)
        self._started = False

    def step(self, setpoint_degC: float, measured_degC: float) -> Decision:
        """Take one sample and decide."""
        r, y = self._mirror * setpoint_degC, self._mirror * measured_degC
        if not self._started:
            self._started = True
            if self._on_off:
                self._laws.on_off_start(self._state)
            else:
                self._laws.pid_start(y, self._settings, self._state)
        step = self._laws.on_off_step if self._on_off else self._laws.pid_step
        code = step(r, y, self._h, self._settings, self._state, self._out)
        given, asked, p, i, d, left = (float(value) for value in self._out)
        return Decision(given, asked, p, i, d, Reason(code), left)
