"""Least squares: weights, covariance, and values with their intervals."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kelvarn.model.log_data import Floats

Z95 = 1.959964
"""Standard deviations from the middle of a normal distribution to the ends of its middle 95 %."""


_EVEN = 0.7  # errors of a step are spread evenly: 95 % of them lie within 1.65 standard deviations, not 1.96


@dataclass(frozen=True)
class Estimate:
    """A fitted value with its 95 % interval."""

    value: float
    low: float
    high: float

    @property
    def half(self) -> float:
        """Half the width of its interval."""
        return (self.high - self.low) / 2


def estimate_of(value: float, variance: float, least: float) -> Estimate:
    """A value with the 95 % interval of its variance, which does not go below `least`.

    Args:
        value: as fitted.
        variance: of it.
        least: below which its interval does not go.
    """
    half = Z95 * math.sqrt(max(variance, 0.0))
    return Estimate(float(value), max(float(value - half), least), float(value + half))


def solved(design: Floats, target: Floats, weights: Floats | None) -> Floats:
    """Weights of least squares, of scaled columns; of columns that say the same, the smallest.

    Args:
        design: shape (n, p).
        target: shape (n,).
        weights: of each row, shape (n,); None: all alike.
    """
    if weights is not None:
        design, target = design * weights[:, None], target * weights
    scale = np.sqrt(np.einsum("ij,ij->j", design, design))
    scale[scale == 0] = 1.0  # columns alike in size: what counts as none is told by the largest
    found, *_ = np.linalg.lstsq(design / scale, target, rcond=None)
    return np.asarray(found / scale)


def covariance(slopes: Floats, left: Floats, sizes: Sequence[int]) -> tuple[Floats, float, float]:
    """Covariance of least squares, widened where residuals follow one another.

    Args:
        slopes, left: Jacobian, shape (n, p), and residuals, shape (n,).
        sizes: rows of each log, one after another.

    Returns:
        The covariance, shape (p, p); by how much it was widened (1 + 2 Σ ρ, the sum cut where ρ is no longer told from
        0: C. Geyer, Practical Markov chain Monte Carlo, 1992); the correlation from one row to the next.
    """
    n, p = slopes.shape
    inflation, follows = following(left, sizes)
    variance = float(left @ left) / max(n - p, 1) * inflation
    return _inverse_square(slopes) * variance, inflation, follows


def _inverse_square(slopes: Floats) -> Floats:
    """The inverse of a Jacobian's square, shape (p, p), by scaled columns."""
    scale = np.sqrt(np.einsum("ij,ij->j", slopes, slopes))
    scale[scale == 0] = 1.0
    square = (slopes / scale).T @ (slopes / scale)
    return np.asarray(np.linalg.pinv(square, rcond=1e-13, hermitian=True) / np.outer(scale, scale))


def step_covariance(slopes: Floats, course: Floats, y: Floats, step_K: float) -> Floats:
    """What the steps of a reading add to a covariance: where noise is finer than a step, they do not average out.

    While the course stays within a step, the reading is off by the same; noise spreads that (B. Widrow and I. Kollár,
    Quantization Noise, 2008: the mean error falls by exp(−2π²σ²/q²)). So rows of one step err together.

    Args:
        slopes: Jacobian, shape (n, p).
        course, y: of the model and as read, shape (n,).
        step_K: of the reading, K.

    Returns:
        Shape (p, p); zero where there is no step.
    """
    p = slopes.shape[1]
    if step_K <= 0:
        return np.zeros((p, p))
    level = np.round(course / step_K)
    starts = np.flatnonzero(np.append(True, np.diff(level) != 0))
    # Seen of the noise is what goes beyond that of steps alone, from row to row and about the model.
    seen = min(float(np.mean((y[2:] - 2 * y[1:-1] + y[:-2]) ** 2)) / 6.0, float(np.mean((y - course) ** 2)))
    left = math.exp(-2 * (math.pi**2) * max(seen - step_K**2 / 12, 0.0) / step_K**2)
    together = np.add.reduceat(slopes, starts, axis=0)
    inverse = _inverse_square(slopes)
    return np.asarray(inverse @ (together.T @ together) @ inverse * (_EVEN * step_K**2 / 12 * left**2))


def following(left: Floats, sizes: Sequence[int]) -> tuple[float, float]:
    """By how much residuals that follow one another count for less, 1 + 2 Σ ρ, and ρ from one row to the next."""
    whole = max(float(left @ left), 1e-300)
    parts, row = [], 0
    for size in sizes:
        parts.append(left[row : row + size])
        row += size
    total, first = 1.0, 0.0
    for k in range(1, max(2, min(max(sizes) // 4, 2000))):
        rho = sum(float(part[:-k] @ part[k:]) for part in parts if part.size > k) / whole
        if k == 1:
            first = rho
        if rho < 2.0 / math.sqrt(left.size):
            break
        total += 2 * rho
    return total, first
