"""What guards, permits and events are to the control step, and what is kept of them; filled in by `guarding.py`."""

from dataclasses import dataclass
from enum import IntEnum
from typing import NamedTuple

from .ages import NOT_BEGUN
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
    NO_READING = 9  # a reading is missing that no guard looks at; it is as strong as PROBE_FAULT
    STOPPED = 10  # by hand: of all that is given, what heats is not
    LAW = 0


RULERS = 16
"""A guard code is a ruler and so many times the place of the guard, permit or event that it is of."""


class GuardKind(IntEnum):
    """What a guard watches."""

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
    after_ms: int
    duty: float  # given while it is on
    cycle_ms: int  # over which that duty is on and off in turn; 0: evenly
    on_ms: int  # of a cycle
    latches: bool  # it stays until reset is pressed, through a power cut too
    at_least: float  # drive that counts
    rest_ms: int  # after a longest on-time
    still_ms: int  # 0: not watched
    resumes: int  # Resumes
    own_degC: float  # setpoint that is kept through a power cut
    keeps_memory: bool


@dataclass(slots=True)
class GuardState:
    """What is kept of a guard."""

    age_ms: int = NOT_BEGUN  # of what it watches; of a longest on-time, since it was off last
    active: bool = False
    from_degC: float = 0.0  # reading that it compares with
    seen_ms: int = 0  # since that was, or since it began to rest
    armed: bool = False
    phase_ms: int = 0  # of its cycle


class PermitKind(IntEnum):
    """What a permit goes by."""

    INPUT = 0  # something that is there or gone: a door, a signal
    HOURS = 1
    PRICE = 2


@dataclass(slots=True)
class PermitRecord:
    """A permit; fields that its kind lacks are 0."""

    kind: int  # PermitKind
    heats: bool  # needed for a drive above 0
    cools: bool  # needed for one below
    after_ms: int  # how long what it asks for may be gone
    days: int  # a bit for each, the lowest for Monday
    from_ms: int
    lasts_ms: int
    limit: float


@dataclass(slots=True)
class Now:
    """What holds at this sample, and what is kept from one to the next."""

    started: bool = False
    no_heating: int = -1  # permit that is missing
    no_cooling: int = -1
    seen_override: int = -1  # that somebody holds
    let_go: bool = False  # it ended before its time
    override: int = -1  # that holds
    blind: bool = False  # a reading is missing that no guard looks at
    given: float = 0.0  # last
    returned_ms: int = NOT_BEGUN  # since the power came back
    lost_degC: float = 0.0  # the setpoint of a controller that forgot it
    lost: bool = False
    stopped: bool = False  # by hand, until somebody lets it go on; through a power cut too


@dataclass(slots=True)
class Timing:
    """How often a controller steps, which way, and inside what."""

    interval_ms: int
    mirror: float  # −1 where all drives cool, else 1
    only_heats: bool  # no drive cools
    control_probe: int
    band_K: float  # in which the setpoint counts as reached
    limited: bool  # whether setpoints are
    lowest_degC: float  # that a setpoint may be
    highest_degC: float
    least: float  # drive that the law ever asks for
    most: float


class Guarding(NamedTuple):
    """All that rules over the law."""

    guards: Table[Guard]
    states: Table[GuardState]
    permits: Table[PermitRecord]
    now: Table[Now]
