"""The setpoints that a log went through."""

import itertools
import math

import numpy as np

from kelvarn.model.log_data import Floats, LogData
from kelvarn.model.trial import SetpointChange

_LEAST_K = 0.02  # less is the rounding of a column
_COARSE_K = 0.25
_MOST_CHANGES = 60
_SAME_S = 1e-3  # instants are kept to a millisecond
_SLOWEST, _FASTEST = 1e-6, 1000.0  # ramps that a change may have, K/s


def setpoint_changes(data: LogData) -> tuple[SetpointChange, ...]:
    """The setpoints of a log as steps and ramps, the first from its beginning on; empty where no column holds them."""
    if data.setpoint_degC is None:
        return ()
    moved = np.abs(np.diff(data.setpoint_degC))
    finest = float(np.min(moved[moved > _LEAST_K], initial=_COARSE_K))
    near = max(_LEAST_K, 0.6 * finest)
    while len(found := _changes(data.time_s, data.setpoint_degC, near)) > _MOST_CHANGES:
        near *= 2
    return tuple(found)


def _changes(t: Floats, setpoint: Floats, near_K: float) -> list[SetpointChange]:
    """The changes of a course of straight pieces that lies within so much of a setpoint."""
    corners = _corners(t, setpoint, near_K)
    found = [SetpointChange(at_s=0, to_degC=round(float(setpoint[0]), 3))]
    for before, after in itertools.pairwise(corners):
        away = float(setpoint[after]) - found[-1].to_degC
        if abs(away) <= near_K:
            continue
        # A change that begins where another one stands begins a row later.
        begin = before if float(t[before]) > found[-1].at_s + _SAME_S else before + 1
        ramp = abs(away) / float(t[after] - t[begin]) if after > before + 1 else math.inf
        at_s, rate = (float(t[begin]), ramp) if _SLOWEST <= ramp <= _FASTEST else (float(t[after]), None)
        found.append(SetpointChange(at_s=round(at_s, 3), to_degC=round(float(setpoint[after]), 3), ramp_K_per_s=rate))
    return found


def _corners(t: Floats, y: Floats, near: float) -> list[int]:
    """Corners of a polyline within `near` of a course (D. Douglas and T. Peucker, 1973)."""
    kept, open_ = {0, t.size - 1}, [(0, t.size - 1)]
    while open_:
        low, high = open_.pop()
        if high <= low + 1:
            continue
        inside = slice(low + 1, high)
        straight = y[low] + (y[high] - y[low]) * (t[inside] - t[low]) / (t[high] - t[low])
        away = np.abs(y[inside] - straight)
        worst = int(np.argmax(away))
        if away[worst] > near:
            middle = low + 1 + worst
            kept.add(middle)
            open_ += [(low, middle), (middle, high)]
    return sorted(kept)
