"""Calibration: pairs of what a probe shows and what a trusted thermometer shows, and what makes one of the other."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from kelvarn.model.log_data import Floats
from kelvarn.model.probes import Correction, ntc_degC
from kelvarn.sentence import figures, say
from kelvarn.units import KELVIN_AT_0_DEGC

from .observed import FitError

_PLAIN_K = 0.2
How = Literal["offset", "two_point", "slope"]


@dataclass(frozen=True)
class Pair:
    """What a probe showed and what was true, degC."""

    shown_degC: float
    true_degC: float


@dataclass(frozen=True)
class Calibrated:
    """What makes a truth of a reading: true = true0 + slope·(shown − shown0).

    Attributes:
        how: an offset alone, through the two outer points, or a line through all by least squares.
        slope, shown0_degC, true0_degC: the line.
        left_K: what is left over at each pair: true less corrected.
    """

    how: How
    slope: float
    shown0_degC: float
    true0_degC: float
    left_K: tuple[float, ...]

    def corrected_degC(self, shown_degC: float) -> float:
        """The truth for a reading."""
        return self.true0_degC + self.slope * (shown_degC - self.shown0_degC)

    @property
    def worst_K(self) -> float:
        """The most that is left over."""
        return max((abs(left) for left in self.left_K), default=0.0)

    def correction(self, low_degC: float, high_degC: float) -> Correction:
        """It as the two-point correction of a probe, at two readings."""
        return Correction(
            shown_low_degC=low_degC,
            true_low_degC=self.corrected_degC(low_degC),
            shown_high_degC=high_degC,
            true_high_degC=self.corrected_degC(high_degC),
        )


def calibrate(pairs: Sequence[Pair], how: How) -> Calibrated:
    """Find what makes one of the other.

    Raises:
        FitError: there are too few pairs, or they lie too near to each other.
    """
    if not pairs or (how != "offset" and len(pairs) < 2):
        raise FitError(say("A correction by offset needs one pair of reading and reference, any other at least two."))
    shown = np.array([pair.shown_degC for pair in pairs])
    true = np.array([pair.true_degC for pair in pairs])
    if how == "offset":
        slope, at = 1.0, float(shown.mean())
        true0 = float(true.mean())
    else:
        low, high = int(shown.argmin()), int(shown.argmax())
        if shown[high] - shown[low] < 1.0:
            raise FitError(say("The readings lie within 1 K of each other; take one pair cold and one warm."))
        if how == "two_point":
            slope = float((true[high] - true[low]) / (shown[high] - shown[low]))
            at, true0 = float(shown[low]), float(true[low])
        else:
            at, true0 = float(shown.mean()), float(true.mean())
            slope = float(np.sum((shown - at) * (true - true0)) / np.sum((shown - at) ** 2))
    if not 0.2 <= slope <= 5.0:
        raise FitError(
            say("The probe would have to show {kelvins} K for each kelvin; look at the pairs.",
                kelvins=figures(f"{1 / slope if slope else math.inf:.2g}", ""))
        )  # fmt: skip
    left = true - (true0 + slope * (shown - at))
    return Calibrated(how, slope, at, true0, tuple(float(each) for each in left))


@dataclass(frozen=True)
class Thermistor:
    """An NTC by its Beta, and what is left over at each point, K."""

    ohm_at_25_degC: float
    beta_K: float
    left_K: tuple[float, ...]


def thermistor(points: Sequence[tuple[float, float]]) -> Thermistor:
    """An NTC from points of temperature and resistance: ln R is a straight line over 1/T (the Beta equation).

    Args:
        points: pairs of degC and ohm, two or more; three show by what is left over how far to trust the line.

    Raises:
        FitError: too few points, or resistances that do not fall as it warms.
    """
    if len(points) < 2:
        raise FitError(say("A thermistor needs at least two points, better three: cold, room, warm."))
    degC, ohm = np.array([p[0] for p in points]), np.array([p[1] for p in points])
    if (ohm <= 0).any() or (degC <= -KELVIN_AT_0_DEGC).any() or float(np.ptp(degC)) < 5:
        raise FitError(say("The points must lie at least 5 K apart and have resistances above 0 Ω."))
    x = 1.0 / (degC + KELVIN_AT_0_DEGC) - 1.0 / (25.0 + KELVIN_AT_0_DEGC)
    beta, at_25 = np.polyfit(x, np.log(ohm), 1)
    if beta <= 0:
        raise FitError(
            say("The resistance of an NTC falls as it warms; these points rise: are the pairs the right way round?")
        )
    left = degC - ntc_degC(ohm, math.exp(at_25), float(beta))
    return Thermistor(math.exp(at_25), float(beta), tuple(left.tolist()))


def pairs_of(shown: Floats, true: Floats, count: int = 6) -> list[Pair]:
    """Pairs from a log with a reference beside the probe: means of the stillest stretches, from cold to warm.

    Args:
        shown: what the probe shows, degC.
        true: what the reference shows at the same instants, degC.
        count: how many pairs at most.
    """
    parts = np.array_split(np.arange(shown.size), min(40, max(2, shown.size // 5)))
    spread = [
        (float(np.ptp(shown[part])), float(shown[part].mean()), float(true[part].mean())) for part in parts if part.size
    ]
    low, high = min(p[1] for p in spread), max(p[1] for p in spread)
    found = []
    for k in range(count):
        edge = low + (high - low) * k / count, low + (high - low) * (k + 1) / count
        inside = [p for p in spread if edge[0] <= p[1] <= edge[1]]
        if inside:
            best = min(inside)
            found.append(Pair(best[1], best[2]))
    return found


def stays_apart_K(one: Floats, other: Floats) -> float | None:
    """By how much another probe stays above one all the time; None where the two go different ways, or as one."""
    apart = other - one
    by = float(np.median(apart))
    steady = abs(by) > _PLAIN_K and float(np.abs(apart - by).mean()) < 0.5 * abs(by)
    return by if steady else None
