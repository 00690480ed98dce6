"""What a drive makes of the demand: changes of its output level, put on its delay line.

The delay line is a ring of changes, each an instant, a level and a slope (of a valve under way, in 1/s): they enter at
the instant they happen plus the dead time, and the heat integration takes them out at exactly that instant. So dead
times need not be whole samples and switching inside a sample is honoured to rounding.
"""

import math

from . import sharing
from .codes import (
    BACKLASH,
    DEAD_TIME,
    FLOOR,
    HIGHEST,
    KICK,
    KIND,
    LOWEST,
    OFF_BELOW,
    PULSE,
    RELAY,
    RELAY_SHORTEST_OFF,
    RELAY_SHORTEST_ON,
    RESOLUTION,
    SLOW_WINDOW,
    STEPS,
    TOP,
    TRAVEL,
    VALVE,
    WINDOW,
)  # fmt: skip
from .jit import part, subroutine

# State: level now, instant of its last change, windows begun, switch-ons, shortest complete on-time and off-time
# (−1: none yet), changes so far, end of the kick-start, place of a valve's motor.
LEVEL, CHANGED, WINDOWS, SWITCH_ONS, SHORTEST_ON, SHORTEST_OFF, CHANGES, KICK_UNTIL, MOTOR = range(9)
STATE_SIZE = 9

# Rows of the delay line.
LINE_T, LINE_LEVEL, LINE_SLOPE = range(3)
HEAD, TAIL = 0, 1

_TIME_EPS = 1e-9


share_out = subroutine(sharing.share_out)


@part
def push_change(t, level, slope, line, ends):
    """Put a change on the delay line."""
    tail = ends[TAIL]
    line[LINE_T, tail], line[LINE_LEVEL, tail], line[LINE_SLOPE, tail] = t, level, slope
    ends[TAIL] = tail + 1 if tail + 1 < line.shape[1] else 0


@part
def set_level(level, t, dead_time, x, line, ends):
    """Change the output level at instant t; counts switchings of a drive that is on or off."""
    if level != x[LEVEL]:
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
        push_change(t + dead_time, level, 0.0, line, ends)


@subroutine
def _move_valve(demand, t, h, c, x, line, ends):
    """Drive a valve's motor towards the demand for one sample; it first takes up the play of the gearing."""
    target = min(max(demand, c[LOWEST]), c[HIGHEST])
    way = target - x[MOTOR]
    if abs(way) < 1e-12:
        return
    sign = 1.0 if way > 0.0 else -1.0
    reach = min(abs(way), h / c[TRAVEL])
    # The valve lags the motor by half the play on either side.
    slack = max(0.0, c[BACKLASH] / 2.0 - sign * (x[MOTOR] - x[LEVEL]))
    moves = reach - slack
    if moves > 0.0:
        begin = t + slack * c[TRAVEL] + c[DEAD_TIME]
        after = min(max(x[LEVEL] + sign * moves, c[LOWEST]), c[HIGHEST])
        push_change(begin, x[LEVEL], (after - x[LEVEL]) / (moves * c[TRAVEL]), line, ends)
        push_change(begin + moves * c[TRAVEL], after, 0.0, line, ends)
        x[LEVEL] = after
    x[MOTOR] += sign * reach


@subroutine
def _plain_step(demand, t, h, c, x, line, ends):
    """`drive_step` of all but slow windows."""
    dead_time = c[DEAD_TIME]
    if c[KIND] == RELAY:
        want = 1.0 if demand >= 0.5 else 0.0
        shortest = c[RELAY_SHORTEST_ON] if x[LEVEL] > 0.0 else c[RELAY_SHORTEST_OFF]
        # Off since before the start: no shortest off-time to keep until the first switching.
        if x[CHANGES] == 0.0 or t - x[CHANGED] + _TIME_EPS >= shortest:
            set_level(want, t, dead_time, x, line, ends)
        return
    if c[KIND] == VALVE:
        _move_valve(demand, t, h, c, x, line, ends)
        return
    level = math.floor(min(max(demand, c[FLOOR]), c[TOP]) * c[STEPS] + 0.5) / c[STEPS]
    if demand < c[OFF_BELOW]:
        level = 0.0
    if c[KICK] > 0.0 and level > 0.0:
        if x[LEVEL] == 0.0:
            x[KICK_UNTIL] = t + c[KICK]
        if x[KICK_UNTIL] > t + _TIME_EPS:
            set_level(c[TOP], t, dead_time, x, line, ends)
            if x[KICK_UNTIL] < t + h - _TIME_EPS:
                set_level(level, x[KICK_UNTIL], dead_time, x, line, ends)
            return
    set_level(level, t, dead_time, x, line, ends)


@part
def drive_step(demand, t, h, c, x, line, ends):
    """Turn the demand at sample t into output changes until t + h.

    One way out, here and in what it calls: with several, the compiler counts each array in and out at every call, which
    takes longer than all the rest.

    Args:
        demand: 0…1.
        t, h: s.
        c, x: its row of the table and its state.
        line, ends: its delay line, shape (3, size), and head and tail of it.
    """
    if c[KIND] == SLOW_WINDOW:
        window, shortest, resolution = c[WINDOW], c[PULSE], c[RESOLUTION]
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
            set_level(1.0 if pulse > 0.0 else 0.0, begin, c[DEAD_TIME], x, line, ends)
            if 0.0 < pulse < window:
                set_level(0.0, begin + pulse, c[DEAD_TIME], x, line, ends)
            x[WINDOWS] += 1.0
            start = x[WINDOWS] * window
    else:
        _plain_step(demand, t, h, c, x, line, ends)


@subroutine
def drive_steps(first, demands, t, h, c, x, lines, ends):
    """`drive_step` of the drives from the one at `first` on."""
    for d in range(first, c.shape[0]):
        drive_step(demands[d], t, h, c[d], x[d], lines[d], ends[d])
