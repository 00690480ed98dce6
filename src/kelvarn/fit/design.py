"""What the temperatures of a log are a weighted sum of, for given lags and dead time."""

from collections.abc import Sequence
from typing import Literal

import numpy as np

from kelvarn.engine.answer import follow
from kelvarn.model.log_data import Floats
from kelvarn.sentence import say

from .observed import Observed

Kind = Literal["one_lag", "two_lags", "integrating"]
KINDS: dict[Kind, str] = {"one_lag": say("One lag"), "two_lags": say("Two lags"), "integrating": say("Integrating")}


def unit_course(
    kind: Kind, theta: Sequence[float], at_s: Floats, values: Floats, t: Floats, *, held: bool, late: bool
) -> Floats:
    """What a model of gain 1 makes of a course, from 0; `theta` as `names_of` names it.

    Args:
        kind: of the model.
        theta: its lags and dead time.
        at_s, values: when the drive changes, and to what.
        t: instants that are asked for, s.
        held: drive stays from one change to the next; else it goes straight there.
        late: further dead time, s.
    """
    lag, lag2, dead = split_theta(kind, theta)
    found = np.empty(t.size)
    follow(at_s, values, int(held), lag, lag2, dead if late else 0.0, t, found)
    return found


def split_theta(kind: Kind, theta: Sequence[float]) -> tuple[float, float, float]:
    """Lag, second lag and dead time; 0 for what a kind does not have."""
    if kind == "integrating":
        return 0.0, 0.0, theta[0]
    if kind == "one_lag":
        return theta[0], 0.0, theta[1]
    return theta[0], theta[1], theta[2]


def names_of(kind: Kind) -> tuple[str, ...]:
    """Names of what is searched for."""
    return {
        "integrating": ("dead_time_s",),
        "one_lag": ("lag_s", "dead_time_s"),
        "two_lags": ("lag_s", "lag2_s", "dead_time_s"),
    }[kind]


def columns_of(
    kind: Kind, theta: Sequence[float], log: Observed, *, drifts: bool, rests: bool
) -> tuple[Floats, Floats, list[str]]:
    """What the temperatures of a log are a weighted sum of.

    Args:
        kind, theta, log: model, lags and dead time, log.
        drifts: its rest drifts evenly.
        rests: it begins at rest, where it stands still before the drive moves; else its start is free.

    Returns:
        What is there whatever the weights, shape (n,): the surroundings as they come through; the columns, shape
        (n, p), the first one that of the gain; and their names.
    """
    t = log.t
    since = t - t[0]
    lag, lag2, _ = split_theta(kind, theta)
    drive = unit_course(kind, theta, log.at_s, log.drive, t, held=True, late=True)
    fixed = np.zeros(t.size)
    columns, names = [drive], ["gain"]
    ends = np.array([t[0], t[-1]])
    if kind == "integrating":
        if rests and log.still:  # what stood still would go on doing so
            columns[0] = unit_course(kind, theta, log.at_s, log.drive - log.drive[0], t, held=True, late=True)
        else:
            columns.append(since / 3600.0)
            names.append("slope")
        columns.append(np.ones(t.size))
        names.append("start")
    else:
        decay = np.exp(-since / lag)
        own = _other_decay(since, lag, lag2) if lag2 > 0 else decay
        at_rest = rests and log.still
        if at_rest:
            columns = [drive + log.drive[0] * own, np.ones(t.size)]
            names.append("rest")
        else:
            columns += [1.0 - own, own]
            names += ["rest", "start"]
        if lag2 > 0 and not log.still:
            columns.append(_hidden(since, lag, lag2))
            names.append("hidden")
        if log.outside_s is not None and log.outside_degC is not None:
            fixed = unit_course(kind, theta, log.outside_s, log.outside_degC, t, held=False, late=False)
            fixed = fixed + log.outside_degC[0] * own if at_rest else fixed
        if drifts:
            columns.append(
                unit_course(kind, theta, ends, np.array([0.0, (t[-1] - t[0]) / 3600.0]), t, held=False, late=False)
            )
            names.append("drift")
    for _, after in log.breaks:
        gone = np.maximum(t - after, 0.0)
        jump = np.where(t > after, np.exp(-gone / lag) if lag > 0 else 1.0, 0.0)
        columns.append(jump)
        names.append("jump")
    return fixed, np.column_stack(columns), names


def _other_decay(since: Floats, lag: float, lag2: float) -> Floats:
    """How two lags that both begin at 1 come down to 0."""
    if abs(lag - lag2) < 1e-6 * lag:
        lag2 = lag * (1 - 1e-6)
    return np.asarray((lag * np.exp(-since / lag) - lag2 * np.exp(-since / lag2)) / (lag - lag2))


def _hidden(since: Floats, lag: float, lag2: float) -> Floats:
    """What a first lag that begins 1 above the second makes of it."""
    if abs(lag - lag2) < 1e-6 * lag:
        lag2 = lag * (1 - 1e-6)
    return np.asarray(lag / (lag - lag2) * (np.exp(-since / lag) - np.exp(-since / lag2)))
