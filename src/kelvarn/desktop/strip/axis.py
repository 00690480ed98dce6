"""Numbers to pixels and back, and where ticks go."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from kelvarn.desktop.language import number_told, tell
from kelvarn.sentence import figures

_TIME_STEPS = (
    0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600,
    7200, 10800, 21600, 43200, 86400, 172800, 432000, 864000, 1728000, 4320000, 8640000,
)  # fmt: skip


@dataclass(frozen=True)
class Axis:
    """A straight map: `low` lies at pixel `at_low`, `high` at `at_high`."""

    low: float
    high: float
    at_low: float
    at_high: float

    def to_px(self, value: Any) -> Any:
        """Pixel of a value or an array of values."""
        return self.at_low + (value - self.low) * self.px_per_unit

    def from_px(self, px: float) -> float:
        """Value at a pixel."""
        return self.low + (px - self.at_low) / self.px_per_unit

    @property
    def px_per_unit(self) -> float:
        """Signed pixels for one unit."""
        return (self.at_high - self.at_low) / (self.high - self.low)


def nice_step(least: float) -> float:
    """The smallest of 1, 2, 5 times a power of ten that is not below `least`."""
    if least <= 0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(least))
    return next(m * power for m in (1, 2, 5, 10) if m * power >= least * (1 - 1e-9))


def nice_time(least_s: float) -> float:
    """The smallest usual time step that is not below `least_s`."""
    return next((step for step in _TIME_STEPS if step >= least_s), _TIME_STEPS[-1])


def value_ticks(axis: Axis, spacing_px: float = 36) -> tuple[list[float], int]:
    """Tick values of an axis, and the decimals they need."""
    step = nice_step(spacing_px / abs(axis.px_per_unit))
    low, high = sorted((axis.low, axis.high))
    first = math.ceil(low / step - 1e-9)
    ticks = [k * step for k in range(first, math.floor(high / step + 1e-9) + 1)]
    return ticks, max(0, -math.floor(math.log10(step) + 1e-9))


_LONG_TICK_PX = 86.0


def time_ticks(axis: Axis, spacing_px: float = 76) -> list[tuple[float, str]]:
    """Ticks of a time axis with their texts."""
    step = nice_time(spacing_px / axis.px_per_unit)
    if 60 <= step < 3600 <= axis.high:  # "1 h 10 min" takes more room
        step = nice_time(_LONG_TICK_PX / axis.px_per_unit)
    first = math.ceil(axis.low / step - 1e-9)
    return [(k * step, clock(k * step, step)) for k in range(first, math.floor(axis.high / step + 1e-9) + 1)]


def clock(time_s: float, step_s: float) -> str:
    """A tick or cursor time, as exact as the step asks for."""
    if step_s >= 86400:
        return f"{time_s / 86400:g} d"
    hours, rest = divmod(time_s + 1e-6, 3600)
    minutes, seconds = divmod(rest, 60)
    if step_s >= 3600:
        return f"{hours:.0f} h"
    if step_s >= 60:
        if hours and minutes < 1:
            return f"{hours:.0f} h"
        text = (
            tell("{minutes} min", minutes=figures(f"{minutes:02.0f}", ""))
            if hours
            else tell("{minutes} min", minutes=figures(f"{minutes:.0f}", ""))
        )
        return f"{hours:.0f} h {text}" if hours else text
    digits = 0 if step_s >= 1 else 1 if step_s >= 0.1 else 3
    width = 2 if digits == 0 else 3 + digits
    if hours:
        return number_told(f"{hours:.0f} h {minutes:02.0f}:{seconds:0{width}.{digits}f}")
    return number_told(f"{minutes:.0f}:{seconds:0{width}.{digits}f}")


def padded_range(low: float, high: float, share: float = 0.07, least: float = 1.0) -> tuple[float, float]:
    """A range round data with some air, at least `least` wide."""
    if not (np.isfinite(low) and np.isfinite(high)):
        return 0.0, least
    span = max(high - low, least)
    middle = (low + high) / 2
    half = span * (0.5 + share)
    return middle - half, middle + half
