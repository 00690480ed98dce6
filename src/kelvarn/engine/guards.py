"""What rules over a law. The order stands here; each guard that is added is looked at in `rule`, from the strongest.

Not there yet: guards, permits and override. Until then the law rules alone.
"""

from enum import IntEnum

from .compiled import part
from .decision import Decision


class Ruler(IntEnum):
    """Who decides what is given, from the strongest; the guard code of a sample."""

    POWER_CUT = 1
    THERMAL_CUT_OFF = 2
    LATCHED_TRIP = 3
    GUARD = 4
    PROBE_FAULT = 5
    PERMIT = 6
    OVERRIDE = 7
    LAW = 0


@part
def rule(out: Decision) -> None:
    """Decide what is given: `proposed` unless something stronger than the law holds; says in the codes what does."""
    out.given = out.proposed
    out.guard_code = Ruler.LAW
    out.alarm_code = 0
