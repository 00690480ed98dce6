"""What guards, permits and events are to the control step, and what is kept of them; filled in by `guarding.py`."""

from dataclasses import dataclass
from enum import IntEnum
from typing import NamedTuple

from .plant import NONE
from .records import Table


class Ruler(IntEnum):
    """Who decides what is given, from the strongest; with a place, the guard code of a sample."""

    POWER_CUT = 1
    THERMAL_CUT_OFF = 2
    LATCHED_TRIP = 3
    GUARD = 4
    PROBE_FAULT = 5
    PERMIT = 6
    OVERRIDE = 7
    STANDS_STILL = 8  # the controller takes no sample
    LAW = 0


RULERS = 16
"""A guard code is a ruler and so many times the place of the guard, permit or event that it is of."""


class IntervalKind(IntEnum):
    """What holds from an instant to before another."""

    NEVER = 0
    POWER_CUT = 1
    ORDERS_LOST = 2
    STALLED = 3  # value: seconds between samples that are taken; NONE for none
    NO_HEATING = 4  # index: of the permit
    NO_COOLING = 5
    OVERRIDE = 6  # index: of the event; value: the drive
    NUDGE = 7  # value: K
    RESET = 8


class Until(IntEnum):
    """What ends an override before its time."""

    TIME = 0
    PLAN = 1
    REACHED = 2


class GuardKind(IntEnum):
    """What a guard watches."""

    NEVER = 0
    TRIP = 1
    PROBE_FAULT = 2
    NO_RISE = 3
    LINK_LOST = 4
    LONGEST_ON = 5
    RESTART = 6
    ALARM = 7


class Does(IntEnum):
    """What a guard does."""

    OFF = 0
    FULL = 1
    FIXED = 2
    HOLD = 3
    CONTACTOR = 4
    LOAD = 5


class Watches(IntEnum):
    """What an alarm tells."""

    HIGH = 0
    LOW = 1
    DEVIATION = 2
    SATURATED = 3


class Resumes(IntEnum):
    """Where the plan goes on after a power cut."""

    CLOCK = 0
    STORED = 1
    START = 2
    LOST = 3


@dataclass(slots=True)
class Interval:
    """Something that holds for a while, in order of their beginnings; `over` is state: it ended before its time."""

    kind: int  # IntervalKind
    from_s: float
    to_s: float
    index: int
    value: float
    given: float  # of a controller that hangs, its output; NONE: as it was
    until: int  # Until, of an override
    begun: int  # of an override: changes of the plan begun when it began; below 0: it has not begun
    over: bool


@dataclass(slots=True)
class Guard:
    """A guard; fields that its kind lacks are 0. Temperatures and signs as the probe shows them."""

    kind: int  # GuardKind
    place: int  # in the rig
    probe: int
    rank: int  # Ruler, while it is on
    does: int  # Does, while it is on
    watches: int  # Watches, of an alarm
    sign: float  # 1 acts above, −1 below
    level_degC: float  # reading at which it acts
    away_K: float  # distance from the setpoint beyond which it counts
    rise_K: float  # change that is expected of much drive
    hysteresis_K: float
    after_s: float
    duty: float  # given while it is on
    cycle_s: float  # over which that duty is on and off in turn; 0: evenly
    latches: bool
    at_least: float  # drive that counts
    rest_s: float  # after a longest on-time
    still_s: float  # 0: not watched
    resumes: int  # Resumes
    own_degC: float  # setpoint that is kept through a power cut
    keeps_memory: bool
    low_degC: float  # readings at which the probe is faulty
    high_degC: float


@dataclass(slots=True)
class GuardState:
    """What is kept of a guard."""

    since_s: float = NONE  # since when what it watches has been so; of a longest on-time, when it was off last
    active: bool = False
    from_degC: float = 0.0  # reading that it compares with
    seen_s: float = 0.0  # when that was
    armed: bool = False


@dataclass(slots=True)
class Now:
    """What holds at this sample, and what is kept from one to the next."""

    place: int = 0  # intervals before it have ended
    power_cut: bool = False
    was_cut: bool = False
    orders_lost_s: float = NONE  # for how long
    stalled: bool = False
    hung_at: float = NONE  # the drive that a controller gives that hangs; NONE: its last one
    taken_s: float = NONE  # when the last sample was taken
    elapsed_s: float = NONE  # between that and the one before; NONE: there is none
    no_heating: int = -1
    no_cooling: int = -1
    override: int = -1  # event
    override_drive: float = 0.0
    nudge_K: float = 0.0
    reset: bool = False
    given: float = 0.0  # last
    returned_s: float = NONE  # when the power came back
    cut_from_s: float = 0.0
    lost_degC: float = NONE  # the setpoint of a controller that forgot it
    lost: bool = False


@dataclass(slots=True)
class Timing:
    """How often a controller steps, which way, and inside what."""

    h: float  # s
    mirror: float  # −1 where all drives cool, else 1
    control_probe: int
    band_K: float  # in which the setpoint counts as reached
    lowest_degC: float  # that a setpoint may be
    highest_degC: float
    least: float  # drive that the law ever asks for
    most: float


class Guarding(NamedTuple):
    """All that rules over the law."""

    intervals: Table[Interval]
    guards: Table[Guard]
    states: Table[GuardState]
    now: Table[Now]
