"""The setpoints that a log went through."""

import numpy as np

from kelvarn.model.log_data import LogData
from kelvarn.model.trial import SetpointChange

_LEAST_K = 0.02  # less is the rounding of a column
_MOST_CHANGES = 60


def setpoint_changes(data: LogData) -> tuple[SetpointChange, ...]:
    """The setpoints of a log where they change, the first from its beginning on; empty where no column holds them."""
    if data.setpoint_degC is None:
        return ()
    moved = np.flatnonzero(np.append(True, np.abs(np.diff(data.setpoint_degC)) > _LEAST_K))[:_MOST_CHANGES]
    changes: list[SetpointChange] = []
    for k in moved.tolist():
        at_s = round(float(data.time_s[k]), 3) if changes else 0.0
        if not changes or at_s > changes[-1].at_s:
            changes.append(SetpointChange(at_s=at_s, to_degC=round(float(data.setpoint_degC[k]), 3)))
    return tuple(changes)
