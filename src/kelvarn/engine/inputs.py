"""What reaches the control step at a sample: readings, and what pins, a person and a network say.

The board of a device fills them in; in a trial `happenings.py` does.
"""

from dataclasses import dataclass
from enum import IntEnum
from typing import NamedTuple

from .ages import NOT_BEGUN
from .records import Table


class Until(IntEnum):
    """What ends an override before its time."""

    TIME = 0
    PLAN = 1
    REACHED = 2


@dataclass(slots=True)
class Reading:
    """What a probe reads; one that is missing has no temperature."""

    degC: float = 0.0
    valid: bool = False
    at_end: bool = False  # of its range, before any correction: the probe is open, shorted or beyond it


@dataclass(slots=True)
class Said:
    """What is said at a sample."""

    reset: bool = False  # somebody presses it
    stop: bool = False  # somebody stops it: nothing heats from now on
    again: bool = False  # somebody lets it go on
    begin: bool = False  # somebody lets the plan begin from its start, with a law that remembers nothing
    order_age_ms: int = NOT_BEGUN  # since an order last reached the drives; below 0: they all do
    override: int = -1  # who holds the drive by hand; below 0: nobody
    override_drive: float = 0.0
    override_alone: int = -1  # the one drive that takes it; below 0: they share it
    override_until: int = 0  # Until
    nudge_K: float = 0.0  # by which somebody moves the setpoint
    nearer_K: float = 0.0  # by which somebody moves the levels of trips and alarms nearer, to see them act
    week_ms: int = NOT_BEGUN  # since midnight before Monday; below 0: the clock is not known
    price: float = 0.0  # of energy, where it is known
    price_known: bool = False
    retunes: bool = False  # settings change by these factors
    gain_factor: float = 1.0
    ti_factor: float = 1.0
    td_factor: float = 1.0


@dataclass(slots=True)
class PermitInput:
    """What a permit asks for."""

    gone_ms: int = NOT_BEGUN  # for how long it has been gone; below 0: it is there


class Inputs(NamedTuple):
    """All inputs of a sample."""

    readings: Table[Reading]  # of each probe
    said: Table[Said]
    asked: Table[PermitInput]  # for by each permit
