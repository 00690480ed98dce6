"""What of a log counts for a fit: rows in the span used, the drive as changes, the surroundings where known."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.model.log import LogSpan
from kelvarn.model.log_data import Floats, LogData
from kelvarn.sentence import say
from kelvarn.units import Quantity, show

MOST_ROWS = 20_000
"""Rows of one log that are fitted to; of more, evenly picked ones are. Changes of the drive are never left out."""
_MOST_POINTS = 400  # of the surroundings
_FEWEST = 8
_FEW_BEFORE = 4


class FitError(ValueError):
    """A log from which nothing can be fitted. The message says what is missing and what to record instead."""


@dataclass(frozen=True, eq=False)
class Observed:
    """One log, ready to be fitted to.

    Attributes:
        name: of the log.
        t, y: instants in s, rising, and temperatures in degC of the rows that count, shape (n,).
        at_s, drive: when the drive changed, and to what; the first is what it was at the beginning.
        outside_s, outside_degC: the surroundings, straight between; None where nobody recorded them.
        breaks: stretches left out, in which something happened to the temperature: from and to, s.
        interval_s: usual time between rows.
        step_K: resolution of the readings: the smallest difference that they show; 0 where it is below the noise.
    """

    name: str
    t: Floats
    y: Floats
    at_s: Floats
    drive: Floats
    outside_s: Floats | None
    outside_degC: Floats | None
    breaks: tuple[tuple[float, float], ...]
    interval_s: float
    step_K: float

    @property
    def span_s(self) -> float:
        """From the first row that counts to the last."""
        return float(self.t[-1] - self.t[0])

    @property
    def still(self) -> bool:
        """Whether it stood still before the drive changed first."""
        if self.at_s.size < 2:
            return False
        before = self.t < self.at_s[1]
        if before.sum() < _FEW_BEFORE:
            return bool(self.drive[0] == 0)
        y = self.y[before]
        scatter = max(noise_K(self.y), self.step_K / 2, 1e-6)
        half = y.size // 2
        return bool(abs(float(y[half:].mean() - y[:half].mean())) < 5 * scatter / np.sqrt(half) + self.step_K / 2)

    @property
    def floor_K(self) -> float:
        """What a perfect model would still miss by, K rms: noise and steps of the readings."""
        return max(noise_K(self.y), self.step_K / 3, 1e-3)

    @property
    def first_degC(self) -> float:
        """What it shows at the beginning: the mean until the drive moves where it stands still, else of a few rows."""
        before = int(np.searchsorted(self.t, self.at_s[1])) if self.still else 0
        return float(np.mean(self.y[: max(before, min(5, self.t.size // 50), 1)]))


def noise_K(y: Floats) -> float:
    """Scatter of readings from row to row, K rms: of second differences, which a smooth course leaves alone."""
    if y.size < 5:
        return 0.0
    second = y[2:] - 2 * y[1:-1] + y[:-2]
    return float(np.sqrt(np.mean(second**2) / 6.0))


def resolution_K(y: Floats) -> float:
    """The step that readings come in, K: what their differences are multiples of; 0 where there is no such step."""
    values = np.unique(np.round(y, 6))
    if values.size < 2:
        return 0.0
    gaps = np.diff(values)
    step = float(np.mean(gaps[gaps <= 1.5 * np.quantile(gaps, 0.05)]))
    many = gaps[gaps < 6 * step] / step
    even = np.abs(many - np.round(many)) < 0.2  # a step of 0.0625 that is written with two places is 0.06 or 0.07
    return step if float(np.mean(even)) >= 0.9 else 0.0


def observed(name: str, data: LogData, used: LogSpan | None = None, left_out: Sequence[LogSpan] = ()) -> Observed:
    """What of a log counts.

    Args:
        name, data: the log.
        used: the span that counts; None: all of it.
        left_out: spans that do not.

    Raises:
        FitError: too little is left, there is no drive, or it never moves, or the temperature does not.
    """
    if data.drive is None:
        raise FitError(
            say("“{name}” does not say what the drive did; record its duty, or on and off, beside the temperature.",
                name=name)
        )  # fmt: skip
    low, high = (used.from_s, used.to_s) if used is not None else (-np.inf, np.inf)
    inside = (data.time_s >= low) & (data.time_s <= high)
    counts = inside.copy()
    for span in left_out:
        counts &= ~((data.time_s >= span.from_s) & (data.time_s <= span.to_s))
    if counts.sum() < _FEWEST:
        raise FitError(
            say("“{name}” has {rows} rows in the span used; a fit needs at least {fewest}.", name=name,
                rows=int(counts.sum()), fewest=_FEWEST)
        )  # fmt: skip
    at_s, drive = _changes(data.time_s[inside], data.drive[inside])
    t, y = data.time_s[counts], data.measured_degC[counts]
    if at_s.size < 2:
        raise FitError(
            say("“{name}”: the drive stays at {drive} throughout, so nothing tells its gain from the "
                "rest temperature; begin some minutes before the drive is switched, and let it go on.", name=name,
                drive=show(float(drive[0]), Quantity.DRIVE))
        )  # fmt: skip
    step_K = resolution_K(y)
    if float(y.max() - y.min()) <= max(1.01 * step_K, 1e-9) or float(y.max() - y.min()) < 4 * noise_K(y):
        level = show(float(y.mean()), Quantity.TEMPERATURE)
        raise FitError(
            say("“{name}”: the temperature stays at {level} whatever the drive does; look at probe "
                "and plug, and record until it has moved by a few kelvins.", name=name, level=level)
        )  # fmt: skip
    stride = -(-t.size // MOST_ROWS)
    outside_s, outside = _surroundings(data, inside)
    breaks = tuple(
        (span.from_s, span.to_s)
        for span in sorted(left_out, key=lambda s: s.to_s)
        if t[0] < span.from_s and span.to_s < t[-1]
    )
    return Observed(
        name, np.ascontiguousarray(t[::stride]), np.ascontiguousarray(y[::stride]), at_s, drive, outside_s, outside,
        breaks, data.interval_s, step_K,
    )  # fmt: skip


def _changes(t: Floats, drive: Floats) -> tuple[Floats, Floats]:
    first = np.append(True, np.diff(drive) != 0)
    return np.ascontiguousarray(t[first]), np.ascontiguousarray(drive[first])


def _surroundings(data: LogData, inside: np.ndarray) -> tuple[Floats | None, Floats | None]:
    """The surroundings as few straight pieces: means of stretches, which noise and steps of their probe hardly move."""
    if data.surroundings_degC is None:
        return None, None
    t, values = data.time_s[inside], data.surroundings_degC[inside]
    parts = np.array_split(np.arange(t.size), min(_MOST_POINTS, max(2, t.size // 4)))
    at = np.array([t[part].mean() for part in parts])
    mean = np.array([values[part].mean() for part in parts])
    return at, mean
