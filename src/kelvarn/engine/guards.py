"""What rules over a law. The order stands here; each guard that is added is looked at in `rule`, from the strongest.

Not there yet: guards and permits. The law rules, but while an override by hand holds the drive.
"""

from dataclasses import dataclass
from enum import IntEnum

from .compiled import part
from .decision import Decision
from .plant import TIME_EPS
from .records import Table


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


@dataclass(slots=True)
class Override:
    """From an instant to before another the drive is held by hand."""

    from_s: float
    to_s: float
    drive: float


@part
def rule(out: Decision, overrides: Table[Override], t: float) -> None:
    """Decide what is given: `proposed` unless something stronger than the law holds; says in the codes what does.

    Args:
        out: what was asked; what is given is written.
        overrides: by hand, in the order of their beginnings; the one begun last holds.
        t: instant of the sample, s.
    """
    out.given = out.proposed
    out.guard_code = Ruler.LAW
    out.alarm_code = 0
    for k in range(len(overrides)):
        if overrides[k].from_s <= t + TIME_EPS and t + TIME_EPS < overrides[k].to_s:
            out.given, out.guard_code = overrides[k].drive, Ruler.OVERRIDE
