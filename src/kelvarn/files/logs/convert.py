"""Temperatures of a log in degC."""

import numpy as np

from kelvarn.model.log import LogReading
from kelvarn.model.log_data import Floats

_KELVIN = 273.15


def to_degC(values: Floats, reading: LogReading, form: str) -> Floats:
    """Values of a form as degC, NaN where there is none.

    Raw counts of an NTC go through R = fixed·c/(full − c) where the NTC is the lower half of the divider, and through
    1/T = 1/298.15 + ln(R/R25)/β (the Beta form of the thermistor equation).
    """
    if form == "degF":
        return (values - 32.0) / 1.8
    if form == "K":
        return values - _KELVIN
    if form == "counts":
        return _from_counts(values, reading)
    return values


def _from_counts(counts: Floats, reading: LogReading) -> Floats:
    made, full = reading.converter, reading.full_counts
    inside = np.where((counts > 0) & (counts < full), counts, np.nan)
    share = inside / (full - inside) if reading.falls else (full - inside) / inside
    ohm = made.fixed_ohm * share
    return np.asarray(1.0 / (1.0 / (_KELVIN + 25.0) + np.log(ohm / made.ohm_at_25_degC) / made.beta_K) - _KELVIN)
