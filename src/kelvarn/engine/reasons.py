"""What a controller did at a sample, as a code; `why.py` makes sentences of code and numbers."""

from enum import IntEnum


class Reason(IntEnum):
    """Reason codes, recorded by the kernel for every sample."""

    KEEPS_OFF = 1  # on/off: inside the band, was off
    KEEPS_ON = 2  # on/off: inside the band, was on
    SWITCHES_ON = 3  # on/off: reached the lower edge
    SWITCHES_OFF = 4  # on/off: reached the upper edge
    STAYS_ON = 5  # on/off: beyond the lower edge and on
    STAYS_OFF = 6  # on/off: beyond the upper edge and off
    SHORTEST_ON = 7  # on/off: would switch off, but shortest on has not passed
    RESTART_DELAY = 8  # on/off: would switch on, but restart delay has not passed
    CONFIRMING = 9  # on/off: edge passed, waiting for the confirm delay
    NOT_DECIDING = 10  # on/off: between two decisions
    DONE_ONCE = 11  # on/off: reached the setpoint once and stays off
    FREE = 20  # PID: drive as asked
    AT_HIGH = 21  # PID: more asked than given, memory goes on
    AT_LOW = 22  # PID: less asked than given, memory goes on
    HELD_HIGH = 23  # PID: more asked than given, memory frozen
    HELD_LOW = 24  # PID: less asked than given, memory frozen
    PULLED_HIGH = 25  # PID: more asked than given, memory pulled back
    PULLED_LOW = 26  # PID: less asked than given, memory pulled back
    RATE_UP = 27  # PID: asked rise is faster than the rate limit
    RATE_DOWN = 28  # PID: asked fall is faster than the rate limit
    BY_HAND = 40  # the drive is set by hand


AT_LIMIT = frozenset(
    {
        Reason.AT_HIGH,
        Reason.AT_LOW,
        Reason.HELD_HIGH,
        Reason.HELD_LOW,
        Reason.PULLED_HIGH,
        Reason.PULLED_LOW,
    }
)
