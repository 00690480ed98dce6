"""Readings that stay at an end of what the probe or its converter can show."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from .observed import Observed, noise_K

_FEWEST = 20
_SHARE = 0.03
_LIVELY = 0.6  # times the step: with more noise than this a reading does not stand still by itself
_LOCAL = 60  # rows on either side that tell the noise there


@dataclass(frozen=True)
class Clipped:
    """A stretch at exactly one reading, the highest or lowest of its log.

    Attributes:
        side: what the probe does not show.
        degC: where it stays.
        rows: how many.
    """

    side: Literal["above", "below"]
    degC: float
    rows: int


def clipped(log: Observed) -> list[Clipped]:
    """Stretches that a probe does not show: its noise is missing there, or its course breaks off without its drive."""
    found: list[Clipped] = []
    sides: tuple[tuple[Literal["above", "below"], float], ...] = (("above", 1.0), ("below", -1.0))
    for side, sign in sides:
        level = sign * float((sign * log.y).max())
        first, end = _longest_run(log.y == level)
        long = end - first > max(_FEWEST, _SHARE * log.y.size)
        if long and (_silent(log, first, end) or _breaks(log, first, end, sign)):
            found.append(Clipped(side, level, end - first))
    return found


def _longest_run(flags: np.ndarray) -> tuple[int, int]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(int), [0]])))
    starts, ends = edges[::2], edges[1::2]
    if not starts.size:
        return 0, 0
    longest = int(np.argmax(ends - starts))
    return int(starts[longest]), int(ends[longest])


def _silent(log: Observed, first: int, end: int) -> bool:
    """Whether noise that the rows beside it have is missing."""
    beside = [log.y[max(first - _LOCAL, 0) : first], log.y[end : end + _LOCAL]]
    noises = [noise_K(part) for part in beside if part.size >= _FEWEST]
    # Steps on a slope look like noise of a third of a step.
    return bool(noises) and min(noises) > max(_LIVELY * log.step_K, 1e-9)


def _breaks(log: Observed, first: int, end: int, sign: float) -> bool:
    """Whether it was on its way past the level, too fast to come to rest there, with the drive as before."""
    moved = np.searchsorted(log.t, log.at_s[1:])  # rows from which on the drive is another one
    since = int(max(moved[moved <= first], default=0))
    width = min(end - first, (first - since) // 2)
    if width < 3 or np.any((moved > first) & (moved <= first + 2)):
        return False
    y = sign * log.y
    earlier, later = y[first - width] - y[first - 2 * width], y[first] - y[first - width]
    if earlier <= 0 or later <= 0:
        return False
    to_come = later * min(later / earlier, 1.0)
    return bool(to_come > 2.0 * log.step_K + 4.0 * noise_K(log.y[first - 2 * width : first]))
