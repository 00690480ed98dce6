"""The control laws, one sample at a time: the one definition for simulation, live loop and proofs.

Both laws are written for heating. A cooling drive uses them with setpoint and measured temperature negated, which
mirrors every edge and sign. Settings and state are float arrays, laid out in codes.py and below; `control.py` wraps
them for callers that want names.

Sources: on/off with hysteresis, and the two-degrees-of-freedom PID with back-calculation, as in Åström and Hägglund,
Advanced PID Control, 2006, ch. 3 (setpoint weights, filtered derivative, tracking anti-windup) and ch. 13 (backward
difference for the derivative, forward difference for the integral).
"""

from .codes import (
    ABOVE,
    BELOW,
    BIAS,
    CONFIRM,
    DECIDE_EVERY,
    HAND_DRIVE,
    HIGH,
    INTEGRATES,
    KD,
    KI,
    KP,
    LOW,
    ONCE,
    RATE,
    SHORTEST_OFF,
    SHORTEST_ON,
    SPEED_WEIGHT,
    TF,
    TRACKING,
    WEIGHT,
    WINDUP,
    WINDUP_BACK,
    WINDUP_HOLD,
    WINDUP_NONE,
)  # fmt: skip
from .jit import part, subroutine
from .reasons import Reason

# State of on/off: on (0/1), time since the last switching, time an edge has been passed (−1: not), time since the
# last decision (−1: none yet), done (0/1).
ON, SINCE, PASSED, DECIDED, DONE = range(5)

# State of PID: memory I, speed term D, last input of the speed term, last drive, started (0/1).
MEMORY, SPEED, LAST_INPUT, LAST_DRIVE, STARTED = range(5)

STATE_SIZE = 5

# What a step writes: drive given, drive asked, P, I, D, and the seconds left of a delay.
GIVEN, ASKED, P_TERM, I_TERM, D_TERM, LEFT = range(6)
DECISION_SIZE = 6

_KEEPS_OFF, _KEEPS_ON = int(Reason.KEEPS_OFF), int(Reason.KEEPS_ON)
_SWITCHES_ON, _SWITCHES_OFF = int(Reason.SWITCHES_ON), int(Reason.SWITCHES_OFF)
_STAYS_ON, _STAYS_OFF = int(Reason.STAYS_ON), int(Reason.STAYS_OFF)
_SHORTEST_ON, _RESTART_DELAY = int(Reason.SHORTEST_ON), int(Reason.RESTART_DELAY)
_CONFIRMING, _NOT_DECIDING, _DONE_ONCE = (
    int(Reason.CONFIRMING),
    int(Reason.NOT_DECIDING),
    int(Reason.DONE_ONCE),
)
_FREE, _RATE_UP, _RATE_DOWN = int(Reason.FREE), int(Reason.RATE_UP), int(Reason.RATE_DOWN)
_BY_HAND = int(Reason.BY_HAND)
_AT_HIGH, _HELD_HIGH, _PULLED_HIGH = int(Reason.AT_HIGH), int(Reason.HELD_HIGH), int(Reason.PULLED_HIGH)

_TIME_EPS = 1e-9  # sums of sample intervals may miss a delay by rounding


@subroutine
def on_off_start(x):
    """State at power-up: off, and the restart delay starts now."""
    x[ON], x[SINCE], x[PASSED], x[DECIDED], x[DONE] = 0.0, 0.0, -1.0, -1.0, 0.0


@part
def on_off_step(r, y, h, c, x, out):
    """One sample of on/off.

    Args:
        r, y: setpoint and measured temperature, degC (negated for a cooling drive).
        h: time to the next sample, s.
        c, x: settings and state, changed in place.
        out: decision, written.

    Returns:
        The reason code.
    """
    on = x[ON] > 0.5
    want = on
    off_edge = r if c[ONCE] > 0.5 else r + c[ABOVE]
    if y <= r - c[BELOW]:
        want = True
    elif y >= off_edge:
        want = False
    beyond = y <= r - c[BELOW] or y >= off_edge
    left = 0.0
    if x[DONE] > 0.5:
        reason = _DONE_ONCE
    elif x[DECIDED] >= 0.0 and x[DECIDED] + _TIME_EPS < c[DECIDE_EVERY]:
        reason = _NOT_DECIDING
        left = c[DECIDE_EVERY] - x[DECIDED]
    else:
        x[DECIDED] = 0.0
        if want == on:
            x[PASSED] = -1.0
            if on:
                reason = _STAYS_ON if beyond else _KEEPS_ON
            else:
                reason = _STAYS_OFF if beyond else _KEEPS_OFF
        else:
            if x[PASSED] < 0.0:
                x[PASSED] = 0.0
            shortest = c[SHORTEST_ON] if on else c[SHORTEST_OFF]
            if x[PASSED] + _TIME_EPS < c[CONFIRM]:
                reason = _CONFIRMING
                left = c[CONFIRM] - x[PASSED]
            elif x[SINCE] + _TIME_EPS < shortest:
                reason = _SHORTEST_ON if on else _RESTART_DELAY
                left = shortest - x[SINCE]
            else:
                reason = _SWITCHES_OFF if on else _SWITCHES_ON
                if on and c[ONCE] > 0.5:
                    x[DONE] = 1.0
                on = want
                x[ON] = 1.0 if on else 0.0
                x[SINCE] = 0.0
                x[PASSED] = -1.0
    x[SINCE] += h
    if x[PASSED] >= 0.0:
        x[PASSED] += h
    if x[DECIDED] >= 0.0:
        x[DECIDED] += h
    out[GIVEN] = out[ASKED] = x[ON]
    out[P_TERM] = out[I_TERM] = out[D_TERM] = 0.0
    out[LEFT] = left
    return reason


@subroutine
def pid_start(y, c, x):
    """State at the start, with the drive at its bias.

    The memory starts at Kp (1 − b) y, which makes the first output what a loop at rest at y would give. Without
    it the start would depend on where the temperature scale has its zero.
    """
    x[MEMORY] = c[KP] * (1.0 - c[WEIGHT]) * y if c[INTEGRATES] > 0.5 else 0.0
    x[SPEED] = x[LAST_INPUT] = x[STARTED] = 0.0
    x[LAST_DRIVE] = min(max(c[BIAS], c[LOW]), c[HIGH])


@part
def hand_step(c, out):
    """One sample with the drive set by hand."""
    out[GIVEN] = out[ASKED] = c[HAND_DRIVE]
    out[P_TERM] = out[I_TERM] = out[D_TERM] = out[LEFT] = 0.0
    return _BY_HAND


@part
def pid_step(r, y, h, c, x, out):
    """One sample of P, PI or PID; arguments and result as for `on_off_step`."""
    speed_input = c[SPEED_WEIGHT] * r - y
    if x[STARTED] < 0.5:
        x[LAST_INPUT] = speed_input
        x[STARTED] = 1.0
    # Backward difference of Kp Td s / (1 + s Td/N).
    x[SPEED] = (c[TF] * x[SPEED] + c[KD] * (speed_input - x[LAST_INPUT])) / (c[TF] + h)
    x[LAST_INPUT] = speed_input
    p = c[KP] * (c[WEIGHT] * r - y)
    asked = c[BIAS] + p + x[MEMORY] + x[SPEED]
    given = min(max(asked, c[LOW]), c[HIGH])
    reason = _FREE
    if c[RATE] > 0.0:
        step = c[RATE] * h
        if given > x[LAST_DRIVE] + step:
            given = x[LAST_DRIVE] + step
            reason = _RATE_UP
        elif given < x[LAST_DRIVE] - step:
            given = x[LAST_DRIVE] - step
            reason = _RATE_DOWN
    x[LAST_DRIVE] = given
    out[GIVEN], out[ASKED], out[P_TERM], out[I_TERM], out[D_TERM], out[LEFT] = (
        given,
        asked,
        p,
        x[MEMORY],
        x[SPEED],
        0.0,
    )
    e = r - y
    high, low = asked > given, asked < given
    frozen = c[WINDUP] == WINDUP_HOLD and ((high and e > 0.0) or (low and e < 0.0))
    if c[INTEGRATES] > 0.5:
        if not frozen:
            x[MEMORY] += c[KI] * h * e
        if c[WINDUP] == WINDUP_BACK:
            x[MEMORY] += min(h / c[TRACKING], 1.0) * (given - asked)
    if reason == _FREE and (high or low):
        if c[INTEGRATES] < 0.5 or c[WINDUP] == WINDUP_NONE or (c[WINDUP] == WINDUP_HOLD and not frozen):
            reason = _AT_HIGH
        elif frozen:
            reason = _HELD_HIGH
        else:
            reason = _PULLED_HIGH
        if low:  # each low code follows its high one
            reason += 1
    return reason
