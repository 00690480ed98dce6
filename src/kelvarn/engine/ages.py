"""Time as the control step knows it: ages and durations in whole milliseconds.

A device runs for years. A step is told how much time has passed, and what it keeps is how old things are; an age stops
at a cap, so that no number ever wraps. Only the clock of day parts, hours and prices is an instant.
"""

import math

from .compiled import part

NOT_BEGUN = -1
"""Age of what has not begun."""
OLDEST_MS = 2_000_000_000
"""Where ages stop, 23 days: longer than every duration that they are compared with, and it fits in 32 bits."""
DAY_MS = 86_400_000
WEEK_MS = 7 * DAY_MS


@part
def aged(age_ms: int, passed_ms: int) -> int:
    """An age once some time has passed; what has not begun stays so."""
    if age_ms < 0:
        return age_ms
    return OLDEST_MS if passed_ms > OLDEST_MS - age_ms else age_ms + passed_ms


@part
def in_week(days: int, from_ms: int, lasts_ms: int, week_ms: int) -> bool:
    """Whether an instant of the week is in a part of some of its days.

    Args:
        days: a bit for each day on which the part begins, the lowest for Monday.
        from_ms, lasts_ms: when it begins, since midnight, and how long it is.
        week_ms: the instant, since midnight before Monday; below 0: it is not known, and in no part.
    """
    if week_ms < 0:
        return False
    for day in range(7):
        if days >> day & 1 == 1:
            into_ms = week_ms - day * DAY_MS - from_ms
            if into_ms < 0:
                into_ms += WEEK_MS
            if into_ms < lasts_ms:
                return True
    return False


def ms_of(duration_s: float) -> int:
    """A duration in whole milliseconds; one that is none is rounded up, as samples would see it."""
    return math.ceil(duration_s * 1000.0 - 1e-6)
