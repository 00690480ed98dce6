"""What a probe shows of a temperature: age, errors, converter, correction, and faults while an event lasts."""

import math

from .codes import (
    AGE,
    BETA,
    CONVERTER,
    CORRECT_SHOWN,
    CORRECT_SLOPE,
    CORRECT_TRUE,
    DRIFT,
    EVEN,
    FIXED_OHM,
    HIGHEST_READ,
    LAG,
    LEVELS,
    LOWEST_READ,
    NTC,
    OFFSET,
    OHM_25,
    OPEN,
    SHORT,
    SLOPE,
    SOUND,
    SPIKES,
    STALE,
    STEP,
    STUCK,
    WRONG_BY,
)  # fmt: skip
from .jit import part, subroutine

# State: fault now, its size in K (of a drift K/h), its time in s, when it began, the reading shown, when it was taken.
FAULT, FAULT_SIZE, FAULT_EVERY, FAULT_SINCE, SHOWN, TAKEN = range(6)
STATE_SIZE = 6

KELVIN = 273.15
_AT_25 = 1.0 / (KELVIN + 25.0)


@subroutine
def aged(k, h, degC, sensed, c, history, rates):
    """Temperature of a probe one dead time ago, between samples by a cubic that also meets its rates.

    Args:
        k, h: sample and interval in s.
        degC, sensed: temperature of its body and its own, at this sample.
        c: the probe's row of the table.
        history, rates: rings of its temperature in degC and rate in K/s at the latest samples, shape (size,), kept.
    """
    size = history.size
    history[k % size] = sensed
    if c[LAG] > 0.0:
        rates[k % size] = (degC - sensed) / c[LAG]
    back = c[AGE] / h
    whole = math.floor(back + 1e-9)
    share = back - whole
    newer = k - whole
    if newer <= 0:
        return history[0]  # the ring is longer than the dead time: its first place is still that of the start
    late = history[newer % size]
    if share < 1e-9:
        return late
    early = history[(newer - 1) % size]
    if c[LAG] == 0.0:  # the rate of a body is not known here
        return late + share * (early - late)
    u = 1.0 - share
    r0, r1 = rates[(newer - 1) % size] * h, rates[newer % size] * h
    return (
        early * (1.0 + 2.0 * u) * share * share
        + late * u * u * (3.0 - 2.0 * u)
        + r0 * u * share * share
        - r1 * u * u * share
    )


@subroutine
def _converted(c, value, fault):
    """What a converter makes of it: even steps, or an NTC in a divider, R = R25 e^(β(1/T − 1/298.15))."""
    low, high, levels = c[LOWEST_READ], c[HIGHEST_READ], c[LEVELS]
    if c[CONVERTER] == EVEN:
        code = math.floor((min(max(value, low), high) - low) / (high - low) * levels + 0.5)
        return low + code / levels * (high - low)
    if fault == OPEN:
        code = levels
    elif fault == SHORT:
        code = 0.0
    else:
        ohm = c[OHM_25] * math.exp(c[BETA] * (1.0 / (max(value, -200.0) + KELVIN) - _AT_25))
        code = math.floor(ohm / (ohm + c[FIXED_OHM]) * levels + 0.5)
    if code <= 0.0:
        return high
    if code >= levels:
        return low
    ohm = c[FIXED_OHM] * code / (levels - code)
    return 1.0 / (_AT_25 + math.log(ohm / c[OHM_25]) / c[BETA]) - KELVIN


@subroutine
def _awry(t, value, noise, c, x):
    """A reading of a probe that has a fault or a converter."""
    value = value * c[SLOPE] + c[OFFSET] + noise
    fault = x[FAULT]
    if fault == DRIFT:
        value += x[FAULT_SIZE] * (t - x[FAULT_SINCE]) / 3600.0
    elif fault == WRONG_BY:
        value += x[FAULT_SIZE]
    elif fault == SPIKES and math.floor((t - x[FAULT_SINCE]) / x[FAULT_EVERY] + 1e-9) > x[TAKEN]:
        x[TAKEN] = math.floor((t - x[FAULT_SINCE]) / x[FAULT_EVERY] + 1e-9)
        value += x[FAULT_SIZE]
    if c[CONVERTER] == EVEN or c[CONVERTER] == NTC:
        value = _converted(c, value, fault)
    elif c[STEP] > 0.0:
        value = math.floor(value / c[STEP] + 0.5) * c[STEP]
    if fault == OPEN and c[CONVERTER] != NTC:
        value = c[HIGHEST_READ]
    elif fault == SHORT and c[CONVERTER] != NTC:
        value = c[LOWEST_READ]
    value = min(max(value, c[LOWEST_READ]), c[HIGHEST_READ])
    return c[CORRECT_TRUE] + (value - c[CORRECT_SHOWN]) * c[CORRECT_SLOPE]


@part
def reading(t, value, noise, c, x, plain):
    """What a probe shows at a sample.

    Args:
        t: s.
        value: temperature it has, degC.
        noise: K.
        c, x: its row of the table and its state.
        plain: whether it has neither converter, correction nor error of its own.
    """
    fault, shown = x[FAULT], x[SHOWN]
    if fault == SOUND and plain:
        shown = value + noise
        if c[STEP] > 0.0:
            shown = math.floor(shown / c[STEP] + 0.5) * c[STEP]
        shown = min(max(shown, c[LOWEST_READ]), c[HIGHEST_READ])
    elif fault != STUCK and (fault != STALE or t > x[TAKEN] + x[FAULT_EVERY] - 1e-9):
        shown = _awry(t, value, noise, c, x)
        if fault == STALE:
            x[TAKEN] = t
    x[SHOWN] = shown
    return shown


@subroutine
def begin_fault(t, fault, size, every, x):
    """Begin a fault at an instant, or end it with SOUND."""
    x[FAULT], x[FAULT_SIZE], x[FAULT_EVERY], x[FAULT_SINCE] = fault, size, every, t
    x[TAKEN] = -1.0 if fault == SPIKES else t
