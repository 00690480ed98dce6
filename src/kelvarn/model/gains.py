"""One set of gains in the words of other devices: exact conversions of the standard form.

Standard: v = Kp (e + 1/Ti ∫e + Td de/dt). Parallel: Kp e + Ki ∫e + Kd de/dt. Series: Kp' (1 + 1/(Ti' s))(1 + Td' s).
Source of the series conversion: factorising the standard form's numerator, Ti Td s² + Ti s + 1 without a filter, which
has real roots only for Ti ≥ 4 Td (any text on PID forms, e.g. Åström and Hägglund, Advanced PID Control, 2006, ch. 3).
"""

import math
from dataclasses import dataclass

from kelvarn.sentence import figures, say


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


def to_series(kp_per_K: float, ti_s: float, td_s: float, filter_s: float = 0.0) -> Series:
    """Standard to series, both with the derivative filtered by the same lag.

    Kp (1 + 1/(Ti s) + Td s/(1 + Tf s)) = Kp' (1 + 1/(Ti' s)) (1 + Td' s/(1 + Tf s)): over s (1 + Tf s) their numerators
    are Kp/Ti (1 + (Ti + Tf) s + Ti (Td + Tf) s²) and Kp'/Ti' (1 + Ti' s)(1 + (Td' + Tf) s).

    Args:
        kp_per_K, ti_s, td_s: of the standard form.
        filter_s: lag Tf of the derivative's filter, Td/N; 0 without one.

    Raises:
        ValueError: where no equivalent exists (without a filter: Ti below 4 Td).
    """
    total, square = ti_s + filter_s, ti_s * (td_s + filter_s)
    if total * total < 4 * square:
        if filter_s == 0:
            raise ValueError(
                say("no series form: it needs Ti ≥ 4 Td, but Ti is {ti} s and 4 Td is {least} s",
                    ti=figures(f"{ti_s:g}", ""), least=figures(f"{4 * td_s:g}", ""))
            )  # fmt: skip
        raise ValueError(
            say("no series form: with a filter of {filter} s it needs (Ti + Tf)² ≥ 4 Ti (Td + Tf), "
                "but that is {total} and {least} s²", filter=figures(f"{filter_s:g}", ""),
                total=figures(f"{total * total:.4g}", ""), least=figures(f"{4 * square:.4g}", ""))
        )  # fmt: skip
    ti_series = (total + math.sqrt(total * total - 4 * square)) / 2
    # Td' + Tf from the product rather than from the difference of roots, which would lose figures for small Td.
    return Series(kp_per_K * ti_series / ti_s, ti_series, square / ti_series - filter_s)


def from_series(gains: Series, filter_s: float = 0.0) -> tuple[float, float, float]:
    """Series to standard (Kp, Ti, Td), with the same filter."""
    ti = gains.ti_s + gains.td_s
    return gains.kp_per_K * ti / gains.ti_s, ti, gains.ti_s * (gains.td_s + filter_s) / ti - filter_s
