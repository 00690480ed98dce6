"""The setpoint of a plan at given instants."""

from typing import Any

import numpy as np
import numpy.typing as npt

from kelvarn.model.trial import Plan

_SHORTEST_S = 1e-9  # a ramp between almost equal setpoints takes this long, for the division's sake


def setpoint_at(plan: Plan, time_s: npt.NDArray[np.floating[Any]]) -> npt.NDArray[np.floating[Any]]:
    """Setpoint in degC at each instant of `time_s` (any shape, in s).

    A ramp that a later change interrupts goes on from where it got to.
    """
    result = np.empty_like(time_s)
    value = plan.changes[0].to_degC
    for index, change in enumerate(plan.changes):
        later = time_s >= change.at_s
        if change.ramp_K_per_s is None or index == 0:
            result[later] = change.to_degC
            value = change.to_degC
            continue
        gap = change.to_degC - value
        needs_s = max(abs(gap) / change.ramp_K_per_s, _SHORTEST_S)
        share = np.clip((time_s[later] - change.at_s) / needs_s, 0.0, 1.0)
        result[later] = value + gap * share
        until = plan.changes[index + 1].at_s if index + 1 < len(plan.changes) else np.inf
        value += gap * min(1.0, (until - change.at_s) / needs_s)
    return result


def ramp_end_s(plan: Plan, index: int) -> float:
    """When the change of this index reaches its setpoint, were it left alone; its start for one at once."""
    change = plan.changes[index]
    if change.ramp_K_per_s is None or index == 0:
        return change.at_s
    before = float(setpoint_at(Plan(changes=plan.changes[:index]), np.array([change.at_s]))[0])
    return change.at_s + abs(change.to_degC - before) / change.ramp_K_per_s
