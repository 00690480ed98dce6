"""What a drive makes of the demand: changes of its output level, put on the delay line.

The delay line is a ring of (instant, level) pairs: output changes enter at the instant they happen plus the dead
time, and the heat integration takes them out at exactly that instant. So dead times need not be whole samples and
switching inside a sample is honoured to rounding.
"""

import math

from .codes import (
    FLOOR,
    RELAY,
    RELAY_SHORTEST_OFF,
    RELAY_SHORTEST_ON,
    RESOLUTION,
    SHORTEST_PULSE,
    SLOW_WINDOW,
    STEPS,
    TOP,
    WINDOW,
)  # fmt: skip
from .jit import part

# State: level now, instant of its last change, windows begun, switch-ons, shortest complete on-time and off-time
# (−1: none yet), changes so far.
LEVEL, CHANGED, WINDOWS, SWITCH_ONS, SHORTEST_ON, SHORTEST_OFF, CHANGES = range(7)
STATE_SIZE = 7

_TIME_EPS = 1e-9


@part
def set_level(level, t, dead_time, x, line_t, line_level, ends):
    """Change the output level at instant t; counts switchings of a drive that is on or off."""
    if level == x[LEVEL]:
        return
    was_on, is_on = x[LEVEL] > 0.0, level > 0.0
    if was_on != is_on:
        lasted = t - x[CHANGED]
        slot = SHORTEST_ON if was_on else SHORTEST_OFF
        # The time before the first switching is cut off by the start and would be no true off-time.
        if x[CHANGES] > 0.0 and (x[slot] < 0.0 or lasted < x[slot]):
            x[slot] = lasted
        if is_on:
            x[SWITCH_ONS] += 1.0
        x[CHANGED] = t
        x[CHANGES] += 1.0
    x[LEVEL] = level
    tail = ends[1]
    line_t[tail] = t + dead_time
    line_level[tail] = level
    ends[1] = tail + 1 if tail + 1 < line_t.size else 0


@part
def drive_step(kind, demand, t, h, dead_time, c, x, line_t, line_level, ends):
    """Turn the demand at sample t into output changes until t + h.

    Args:
        kind: RELAY, SLOW_WINDOW or PWM.
        demand: 0…1.
        t, h, dead_time: s.
        c, x: settings and state.
        line_t, line_level, ends: the delay line; ends holds head and tail.
    """
    if kind == RELAY:
        want = 1.0 if demand >= 0.5 else 0.0
        shortest = c[RELAY_SHORTEST_ON] if x[LEVEL] > 0.0 else c[RELAY_SHORTEST_OFF]
        # Off since before the start: no shortest off-time to keep until the first switching.
        if x[CHANGES] == 0.0 or t - x[CHANGED] + _TIME_EPS >= shortest:
            set_level(want, t, dead_time, x, line_t, line_level, ends)
    elif kind == SLOW_WINDOW:
        window, shortest, resolution = c[WINDOW], c[SHORTEST_PULSE], c[RESOLUTION]
        start = x[WINDOWS] * window
        while start < t + h - _TIME_EPS:
            pulse = min(max(demand, 0.0), 1.0) * window
            if resolution > 0.0:
                pulse = min(math.floor(pulse / resolution + 0.5) * resolution, window)
            if pulse < shortest or pulse < _TIME_EPS:
                pulse = 0.0
            elif window - pulse < shortest or window - pulse < _TIME_EPS:
                pulse = window
            begin = max(start, t)  # a window that began by rounding before the sample starts with it
            set_level(1.0 if pulse > 0.0 else 0.0, begin, dead_time, x, line_t, line_level, ends)
            if 0.0 < pulse < window:
                set_level(0.0, begin + pulse, dead_time, x, line_t, line_level, ends)
            x[WINDOWS] += 1.0
            start = x[WINDOWS] * window
    else:
        steps, floor, top = c[STEPS], c[FLOOR], c[TOP]
        level = math.floor(min(max(demand, 0.0), top) * steps + 0.5) / steps
        if demand < floor:
            level = 0.0
        set_level(level, t, dead_time, x, line_t, line_level, ends)
