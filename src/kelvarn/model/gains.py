"""One set of gains in the words of other devices: exact conversions of the standard form.

Standard: v = Kp (e + 1/Ti ∫e + Td de/dt). Parallel: Kp e + Ki ∫e + Kd de/dt. Series: Kp' (1 + 1/(Ti' s))(1 + Td' s).
Source of the series conversion: factorising the standard form's numerator Ti Td s² + Ti s + 1, which has real
roots only for Ti ≥ 4 Td (any text on PID forms, e.g. Åström and Hägglund, Advanced PID Control, 2006, ch. 3).
"""

import math
from dataclasses import dataclass


@dataclass(frozen=True)
class Parallel:
    """Gains of the parallel form: 1/K, 1/(K s), s/K."""

    kp_per_K: float
    ki_per_Ks: float
    kd_s_per_K: float


@dataclass(frozen=True)
class Series:
    """Gains of the series form: 1/K, s, s."""

    kp_per_K: float
    ti_s: float
    td_s: float


def proportional_band_K(kp_per_K: float) -> float:
    """Temperature change that moves the drive from 0 to 100 %."""
    return 1 / kp_per_K


def to_parallel(kp_per_K: float, ti_s: float | None, td_s: float) -> Parallel:
    """Standard to parallel; `ti_s` None means no integral term."""
    return Parallel(kp_per_K, 0.0 if ti_s is None else kp_per_K / ti_s, kp_per_K * td_s)


def from_parallel(gains: Parallel) -> tuple[float, float | None, float]:
    """Parallel to standard (Kp, Ti or None, Td)."""
    kp = gains.kp_per_K
    return kp, None if gains.ki_per_Ks == 0 else kp / gains.ki_per_Ks, gains.kd_s_per_K / kp


def to_series(kp_per_K: float, ti_s: float, td_s: float) -> Series:
    """Standard to series.

    Raises:
        ValueError: where no equivalent exists (Ti below 4 Td).
    """
    if ti_s < 4 * td_s:
        raise ValueError(f"no series form: it needs Ti ≥ 4 Td, but Ti is {ti_s:g} s and 4 Td is {4 * td_s:g} s")
    root = math.sqrt(1 - 4 * td_s / ti_s)
    # Td' from the product Ti'·Td' = Ti·Td rather than from 1 − root, which would lose figures for small Td.
    ti_series = ti_s * (1 + root) / 2
    return Series(kp_per_K * (1 + root) / 2, ti_series, ti_s * td_s / ti_series)


def from_series(gains: Series) -> tuple[float, float, float]:
    """Series to standard (Kp, Ti, Td)."""
    ti = gains.ti_s + gains.td_s
    return gains.kp_per_K * ti / gains.ti_s, ti, gains.ti_s * gains.td_s / ti
