"""The answer of lags and a dead time to a drive that was recorded: exact between changes, for any instants."""

import math

from .compiled import entry, part
from .records import Reals


@part
def _second(x1: float, x2: float, value: float, slope: float, dt: float, lag_s: float, lag2_s: float) -> float:
    """Where the second of two lags is after a stretch in which the first follows a straight course."""
    if abs(lag_s - lag2_s) < 1e-6 * lag_s:
        lag2_s = lag_s * (1.0 - 1e-6)
    away = x1 - value + slope * lag_s
    by_first = away * lag_s / (lag_s - lag2_s)
    own = x2 - value + slope * (lag_s + lag2_s) - by_first
    end = value + slope * dt - slope * (lag_s + lag2_s)
    return end + by_first * math.exp(-dt / lag_s) + own * math.exp(-dt / lag2_s)


@part
def _first(x: float, value: float, slope: float, dt: float, lag_s: float) -> float:
    """Where a lag is after a stretch in which what it follows goes straight; without a lag, what that adds up to."""
    if lag_s <= 0.0:
        return x + value * dt + 0.5 * slope * dt * dt
    return value + slope * (dt - lag_s) + (x - value + slope * lag_s) * math.exp(-dt / lag_s)


@entry
def follow(
    at_s: Reals, value: Reals, held: int, lag_s: float, lag2_s: float, dead_time_s: float, t: Reals, found: Reals
) -> None:
    """What one or two lags make of a course, from 0 at the first instant asked for.

    x1' = (v(t − dead time) − x1)/lag, x2' = (x1 − x2)/lag2; integrated exactly, since v is straight between its
    instants. Before its first instant the course is what it is there.

    Args:
        at_s, value: the course: instants in s, rising, and its values, shape (m,).
        held: 1 where a value holds until the next instant, 0 where the course goes straight to the next.
        lag_s, lag2_s: time constants, s; a second one of 0 is none, a first one of 0 integrates.
        dead_time_s: how much later it acts, s.
        t: instants asked for, rising, shape (n,).
        found: written, shape (n,).
    """
    x1, x2, now, j = 0.0, 0.0, t[0], 0
    while j + 1 < at_s.size and at_s[j + 1] + dead_time_s <= now:
        j += 1
    for k in range(t.size):
        while now < t[k]:
            until = t[k]
            if j + 1 < at_s.size and at_s[j + 1] + dead_time_s < until:
                until = at_s[j + 1] + dead_time_s
            v, slope = value[j], 0.0
            if now < at_s[j] + dead_time_s:  # before the course begins it is what it is there
                until = min(until, at_s[j] + dead_time_s)
            elif held == 0 and j + 1 < at_s.size:
                slope = (value[j + 1] - value[j]) / (at_s[j + 1] - at_s[j])
                v += slope * (now - at_s[j] - dead_time_s)
            dt = until - now
            if lag2_s > 0.0:
                x2 = _second(x1, x2, v, slope, dt, lag_s, lag2_s)
            x1 = _first(x1, v, slope, dt, lag_s)
            now = until
            if j + 1 < at_s.size and at_s[j + 1] + dead_time_s <= now:
                j += 1
        found[k] = x2 if lag2_s > 0.0 else x1
