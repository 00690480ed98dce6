"""Temperatures of a log in degC."""

from kelvarn.model.log import LogReading
from kelvarn.model.log_data import Floats
from kelvarn.units import KELVIN_AT_0_DEGC

_SHARES = {"tenths": 0.1, "hundredths": 0.01, "milli_degC": 0.001}


def to_degC(values: Floats, reading: LogReading, form: str) -> Floats:
    """Values of a form as degC, NaN where there is none.

    Args:
        values: as the column has them.
        reading: how the log is read: what a count or an ohm stands for.
        form: what a value is.
    """
    if form == "degF":
        return (values - 32.0) / 1.8
    if form == "K":
        return values - KELVIN_AT_0_DEGC
    if form in _SHARES:
        return values * _SHARES[form]
    if form == "milli_K":
        return values / 1000.0 - KELVIN_AT_0_DEGC
    if form == "counts":
        return reading.converter.degC_of_counts(values, reading.full_counts, falls=reading.falls)
    return values
