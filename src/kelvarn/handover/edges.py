"""The engine beside a program of 32 bits: where a reading lies on an edge to the last digit, rounding decides the side.

The engine then goes along with the program, if it would decide so itself of a reading a millionth beside, so that what
follows is compared with what follows from it. Such samples are counted and told; all else that differs is a difference.
"""

from collections.abc import Sequence

import numpy as np

from kelvarn.engine.layout import Floats

from .comparing import differ, figures, only_reasons
from .twin import BoardRow, Twin

_OFF = 1e-6
_NUDGES = tuple((reading, given) for reading in (_OFF, -_OFF) for given in (_OFF, -_OFF))
_KEEP_EVERY = 20  # samples after which it is noted where the engine stands, to go back to


class Beside:
    """The engine, told what the program made of each sample.

    Args:
        twin: the engine as it stands.
        within: by which share a number of the program may be off.

    Attributes:
        twin: the engine as it stands now.
        edges: samples at which it went along.
    """

    def __init__(self, twin: Twin, within: float) -> None:
        self.twin, self._within, self.edges = twin, within, 0
        self._names = figures(twin.carried)
        self._note()

    def told(self, rows: Sequence[BoardRow], found: Floats) -> tuple[list[list[float]], list[BoardRow]]:
        """What the engine decides of rows, and of which: those at which a sample was due.

        Args:
            rows: what the board reads.
            found: what the program told of its samples.
        """
        expected: list[list[float]] = []
        due: list[BoardRow] = []
        most = 0.0
        for row in rows:
            decided = self.twin.row(row)
            self._since.append(row)
            if decided is not None:
                most = max(most, abs(decided[1]))
                if len(expected) < len(found) and not self._agree(decided, found[len(expected)], most):
                    decided = self._go_along(found[len(expected)], most) or decided
                expected.append(decided)
                due.append(row)
            if len(self._since) >= _KEEP_EVERY:
                self._note()
        return expected, due

    def _note(self) -> None:
        self._kept, self._since = self.twin.copied(), list[BoardRow]()

    def _agree(self, decided: Sequence[float], told: Floats, most: float) -> bool:
        if np.array_equal(decided, told):
            return True
        apart = differ(self._names, decided, told.tolist(), self._within, most)
        return not apart or only_reasons(apart)

    def _go_along(self, told: Floats, most: float) -> list[float] | None:
        """Decide the last row anew with what is read a millionth beside; None where that decides no better."""
        before, row = self._kept.copied(), self._since[-1]
        for each in self._since[:-1]:
            before.row(each)
        for off in _NUDGES:
            tried = before.copied(*off)
            decided = tried.row(row)
            if decided is not None and self._agree(decided, told, most):
                tried.nudge(0.0, 0.0)
                self.twin = tried
                self._note()
                self.edges += 1
                return decided
        return None
