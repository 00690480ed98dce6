"""Plays the cursor through a run."""

import time
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

_WHOLE_S = 14.0  # a whole run takes so long
_FRAME_MS = 33


class Play(QObject):
    """Moves a cursor evenly until the end.

    Args:
        move: told the instant of the run, in s, at each frame.
        now: clock, s.

    Signals:
        changed: it runs, or has stopped.
    """

    changed = Signal()

    def __init__(self, move: Callable[[float], None], now: Callable[[], float] = time.monotonic) -> None:
        super().__init__()
        self._move, self._now = move, now
        self._begun, self._from, self._end = 0.0, 0.0, 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME_MS)
        self._timer.timeout.connect(self.step)

    @property
    def running(self) -> bool:
        """Whether it runs."""
        return self._timer.isActive()

    def toggle(self, from_s: float, end_s: float) -> None:
        """Start at an instant of a run, or at its beginning where that is its end; or stop."""
        if self.running:
            self.stop()
            return
        self._from, self._end = (from_s if from_s < end_s * 0.999 else 0.0), end_s
        self._begun = self._now()
        self._timer.start()
        self.changed.emit()

    def step(self) -> None:
        """One frame."""
        at = self._from + (self._now() - self._begun) * self._end / _WHOLE_S
        self._move(min(at, self._end))
        if at >= self._end:
            self.stop()

    def stop(self) -> None:
        """Stop where it is."""
        if self.running:
            self._timer.stop()
            self.changed.emit()
