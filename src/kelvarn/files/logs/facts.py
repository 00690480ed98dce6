"""What a sample of a log shows of each column."""

import itertools
import math

import numpy as np

from kelvarn.model.log_data import Floats

from .cells import DISCONNECTED, clock_s, go_back, is_clock, is_date, numbers, on_off, seconds, span_s, unit_of
from .names import form_of, roles_of


class Facts:
    """What the sample shows of a column."""

    def __init__(self, index: int, name: str, unit: str, cells: list[str], decimal: str, whole: int) -> None:
        self.index, self.name, self.unit, self.cells, self._together = index, name, unit, cells, whole
        filled = [cell for cell in cells if cell]
        self.filled = len(filled)
        self.values = numbers(cells, decimal)
        self.numeric = float(np.isfinite(self.values).sum()) / max(self.filled, 1)
        self.clocks = sum(map(is_clock, filled)) / max(self.filled, 1)
        self.dates = sum(map(is_date, filled)) / max(self.filled, 1)
        self.spans = sum(not math.isnan(span_s(cell)) for cell in filled) / max(self.filled, 1)
        self.words = sum(not math.isnan(on_off(cell)) for cell in filled) / max(self.filled, 1)
        self.kinds = {cell.lower() for cell in filled}
        there = np.isfinite(self.values) & ~np.isin(self.values, DISCONNECTED)
        self.known: Floats = self.values[there]
        self.first: Floats = self.values[:whole][there[:whole]]
        self.roles, self.form = roles_of(name), form_of(name, unit)
        if self.form is None and filled and self.numeric > 0.5:
            self.form = form_of("", unit_of(filled[len(filled) // 2]))

    @property
    def low(self) -> float:
        """Lowest number."""
        return float(self.known.min()) if self.known.size else 0.0

    @property
    def high(self) -> float:
        """Highest number."""
        return float(self.known.max()) if self.known.size else 0.0

    @property
    def whole(self) -> bool:
        """Whether all numbers are whole."""
        return bool(self.known.size) and bool(np.all(self.known == np.round(self.known)))

    @property
    def levels(self) -> int:
        """How many numbers differ."""
        return int(np.unique(self.known).size)

    @property
    def step(self) -> float:
        """Usual step between rows that follow one another."""
        steps = np.diff(self.first)
        return float(np.median(steps)) if steps.size else 0.0

    @property
    def rises(self) -> bool:
        """Whether it grows from row to row, but for a few."""
        steps = np.diff(self.first)
        if self.numeric < 0.9 or steps.size < 1:
            return False
        grows = float(np.mean(steps > 0)) > 0.6 and float(np.mean(steps >= 0)) > 0.9
        return grows and self.high > self.low

    @property
    def falls(self) -> bool:
        """Whether it falls from row to row, but for a few; instants too."""
        if self.dates > 0.8:
            known = seconds(self.cells[: self._together], day_first=True)[0]
        elif self.clocks > 0.8:
            known = np.array([clock_s(cell) for cell in self.cells[: self._together]])
        else:
            known = self.first
        return go_back(known)

    @property
    def smooth(self) -> bool:
        """Whether it changes little from row to row, against what it changes in all."""
        steps = np.abs(np.diff(self.first))
        spread = self.high - self.low
        return steps.size > 1 and spread > 0 and float(np.quantile(steps, 0.95)) < 0.2 * spread

    @property
    def switched(self) -> bool:
        """Whether it goes to and fro between two words, such as on and off of a language that is not known."""
        cells = [cell.lower() for cell in self.cells if cell]
        turns = sum(a != b for a, b in itertools.pairwise(cells))
        return len(self.kinds) == 2 and self.numeric == 0 and 2 <= turns < 0.5 * len(cells)

    @property
    def title(self) -> str:
        """What it is called."""
        return f"“{self.name}”" if self.name else f"column {self.index + 1}"
