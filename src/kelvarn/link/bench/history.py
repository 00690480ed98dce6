"""What was measured so far, for drawing: arrays that stay as large as hours need, however long it goes on."""

import math
from typing import NamedTuple

import numpy as np

from kelvarn.engine.layout import Floats
from kelvarn.link.lines import Sample

MOST_ROWS = 100_000
"""Beyond it the older half keeps every second row; the recording has all."""
_FIRST_ROWS = 1024
_PLAIN = ("time_s", "measured_degC", "setpoint_degC", "asked", "given", "guard", "law", "mode", "stopped", "tripped")


class Moment(NamedTuple):
    """Something that happened, and when, s."""

    at_s: float
    text: str


class History:
    """What was measured so far.

    Args:
        probes, outputs: how many there are.
    """

    def __init__(self, probes: int, outputs: int) -> None:
        self._probes, self._outputs = probes, outputs
        self._rows: Floats = np.empty((_FIRST_ROWS, len(_PLAIN) + probes + outputs))
        self.count, self.samples = 0, 0
        self.moments: list[Moment] = []

    def add(self, sample: Sample, time_s: float) -> None:
        """Add a sample at an instant; readings that are missing are NaN."""
        if self.count == len(self._rows):
            self._make_room()
        row = self._rows[self.count]
        degC = math.nan if sample.reading_degC is None else sample.reading_degC
        row[: len(_PLAIN)] = (
            time_s, degC, sample.setpoint_degC, sample.asked, sample.given, sample.guard, sample.law, sample.mode,
            float(sample.stopped), sample.tripped,
        )  # fmt: skip
        for k in range(self._probes):
            read = sample.probes_degC.get(k)
            row[len(_PLAIN) + k] = math.nan if read is None else read
        for k in range(self._outputs):
            row[len(_PLAIN) + self._probes + k] = sample.outputs.get(k, math.nan)
        self.count += 1
        self.samples += 1

    def _make_room(self) -> None:
        if len(self._rows) < MOST_ROWS:
            more = np.empty((min(2 * len(self._rows), MOST_ROWS), self._rows.shape[1]))
            more[: self.count] = self._rows[: self.count]
            self._rows = more
            return
        half = self.count // 2
        kept = np.concatenate([self._rows[:half:2], self._rows[half : self.count]])
        self._rows[: len(kept)] = kept
        self.count = len(kept)

    def note(self, text: str, at_s: float) -> None:
        """Note something that happened."""
        self.moments.append(Moment(at_s, text))
        del self.moments[:-500]

    def of(self, name: str) -> Floats:
        """A plain column by its name, shape (m,)."""
        found: Floats = self._rows[: self.count, _PLAIN.index(name)].copy()
        return found

    def probe(self, place: int) -> Floats:
        """What a probe reads, degC, shape (m,)."""
        found: Floats = self._rows[: self.count, len(_PLAIN) + place].copy()
        return found

    def output(self, place: int) -> Floats:
        """Level of an output, 0…1, shape (m,)."""
        found: Floats = self._rows[: self.count, len(_PLAIN) + self._probes + place].copy()
        return found
