"""What the kernel knows of a rig and of what happens to it, and what it keeps of each part while a run goes on.

Every field stands here once, with its unit; `layout.py` fills them in from the model. Indices count from 0, −1 is none.
"""

from dataclasses import dataclass
from enum import IntEnum
from math import inf
from typing import NamedTuple

from .records import Grid, Reals, Table, Tables

NONE = -1.0  # in place of a number that there is not
TIME_EPS = 1e-9
"""Instants closer than this, in s, are one: sums of intervals miss by rounding."""


class DriveKind(IntEnum):
    """How a drive makes output of a demand."""

    RELAY = 0
    SLOW_WINDOW = 1
    PWM = 2  # fans too
    VALVE = 3


class Sharing(IntEnum):
    """How drives of one effect share a demand."""

    EQUAL = 0
    PRIORITY = 1


class ConverterKind(IntEnum):
    """What a probe is read with."""

    NONE = 0
    EVEN = 1
    NTC = 2
    OHM_CURVE = 3  # a resistance by its table, in a divider
    VOLT_CURVE = 4  # a voltage by its table


class FaultKind(IntEnum):
    """What goes wrong with a probe."""

    OPEN = 1
    SHORT = 2
    STUCK = 3
    STALE = 4
    DRIFT = 5
    OFFSET = 6
    SPIKES = 7


class ChangeKind(IntEnum):
    """What changes at an instant; `index` and `value` of the change."""

    FAULT = 0  # of a probe: index of the probe, and of the fault that rules from now on
    LINK = 1  # index of the link, W/K more
    LOAD = 2  # index of the body, W more
    DRAW = 3  # index of the body, W/K drawn more, and the temperature of what comes in
    SURROUNDINGS = 4  # K more
    SUPPLY = 5  # index of the drive, its share of the voltage
    STUCK = 6  # index of the drive, level that it is stuck at; NONE: no more
    WEAK = 7  # index of the drive, share of its power or flow that is left
    WELDED = 9  # index of the drive whose own thermostat no longer opens (1), or does again (0)
    SEAT = 8  # index of the probe, of the body that it sits in; after the last body: the surroundings


@dataclass(slots=True)
class RigData:
    """What there is one of."""

    h: float  # sample interval, s
    samples: int
    nonlinear: bool  # which of the two integrations advances it
    tolerance_K: float  # error allowed in a step of the adaptive one
    most_steps: int  # of the adaptive one, after which it is given up
    sharing: int  # Sharing
    control_probe: int
    judged_body: int  # whose temperature measures are of
    peeks: bool  # whether some probe is read between samples
    outside_degC: float  # surroundings at the start
    band_K: float  # half width of the band in which it counts as settled
    since_s: float  # when the event that stands last in the trial begins; 0 without one
    guarded: bool  # whether it has guards at all
    final_guards: int  # a bit for each that, once it has tripped, holds the drives off until somebody resets it
    switched: bool  # whether it has thermal cut-offs, or drives with thermostats of their own
    matters: bool  # whether it can be ready: it has a goal, or a body that matters
    goal_body: int  # that must be kept; none where there is no goal
    goal_low_degC: float
    goal_high_degC: float


@dataclass(slots=True)
class BodyRecord:
    """What has a temperature."""

    start_degC: float
    per_capacity_K_per_J: float
    melts_from_degC: float
    melted_at_degC: float
    latent_K: float  # latent heat over heat capacity; 0 does not melt
    driven: bool  # whether a drive puts power into it
    limit_degC: float = inf  # rated
    low_limit_degC: float = -inf
    ready_K: float = NONE  # how near to the setpoint it is ready; NONE: it does not matter


@dataclass(slots=True)
class LinkRecord:
    """A way for heat between two bodies; the surroundings come after the last body."""

    a: int
    b: int
    still_W_per_K: float  # with the mover at rest; doors change it
    full_W_per_K: float  # that full flow adds
    flow_exponent: float
    radiating_W_per_K4: float  # σ·ε·A
    mover: int  # drive that moves something along it
    one_way: bool  # only b feels it
    ice: int = -1  # that grows at one of its ends


@dataclass(slots=True)
class Drive:
    """A drive; the settings of other kinds than its own are 0."""

    kind: int  # DriveKind
    acts_on: int  # body; none where it only moves something
    power_W: float  # at full drive, below 0 cools
    dead_time_s: float  # from a change of its output until the body feels it, its contacts included
    operate_s: float  # of that, what its own contacts take: what cuts the supply does not wait for them
    direction: float  # 1 heats, −1 cools
    share: float  # weight in sharing
    moves: bool  # whether air or liquid moves with it: fans and valves
    speed_lag_s: float
    stalls_below: float
    starts_from: float  # standstill: duty that it needs
    idle_flow: float  # at a duty of 0
    volts: float  # share of its rated voltage
    flow_at_25: float  # at a quarter of full speed by duty and voltage
    flow_at_50: float
    flow_at_75: float
    shortest_on_s: float
    shortest_off_s: float
    window_s: float
    window_ms: int  # the same for a device, which counts whole ones
    shortest_pulse_s: float
    resolution_s: float  # of a pulse
    steps: float  # levels between off and full
    floor: float
    top: float
    off_below: float
    kick_start_s: float
    travel_s: float
    backlash: float
    lowest: float
    highest: float
    dial_degC: float  # of a thermostat of its own; inf without one
    dial_band_K: float
    ice: int = -1  # that stands in the way of what it moves


@dataclass(slots=True)
class IceRecord:
    """Ice on a body below 0 °C; it is carried as kelvins of that body, see `icing.py`."""

    body: int
    link: int  # to the air that it takes its water from
    start_K: float
    air_humidity: float  # kg/kg, at the dew point
    takes_K: float  # that a W/K brings in a second for each unit of humidity
    resists: float  # of a layer, K/W for each kelvin
    blocks_K: float  # 0: never
    kg_per_K: float


@dataclass(slots=True)
class CutOffRecord:
    """An independent thermal cut-off."""

    body: int
    place: int  # among the guards of the rig
    at_degC: float
    closes_degC: float  # −inf: never by itself
    cuts_loads: bool  # else the drives


@dataclass(slots=True)
class ProbeRecord:
    """A probe."""

    sits_in: int
    lag_s: float
    late_samples: int  # dead time in whole samples, rounded up
    peek_segment: int  # segment of a sample at whose end it is read; none: at the sample itself
    offset_K: float
    slope: float
    resolution_K: float
    lowest_degC: float
    highest_degC: float
    converter: int  # ConverterKind
    levels: float  # of the converter
    first_point: int  # of its table among all points
    last_point: int
    ohm_at_25_degC: float
    fixed_ohm: float
    beta_K: float
    corrects: bool  # by two points
    correct_slope: float
    correct_shown_degC: float
    correct_true_degC: float
    plain: bool  # neither converter, correction nor error of its own


@dataclass(slots=True)
class CurvePoint:
    """A point of a sensor's table; between two of them the count goes straight."""

    degC: float
    count: float  # share of the converter's highest one


@dataclass(slots=True)
class Fault:
    """A fault of a probe."""

    kind: int  # FaultKind
    since_s: float
    size_K: float  # of a drift K/h
    every_s: float


@dataclass(slots=True)
class Change:
    """Something that changes at an instant."""

    at_s: float
    kind: int  # ChangeKind
    index: int
    value: float
    inlet_degC: float


@dataclass(slots=True)
class Segment:
    """A part of each sample that is advanced in one go."""

    from_s: float  # after the sample
    length_s: float
    matrices: int  # which of the prepared ones


class Plant(NamedTuple):
    """A rig and what happens to it."""

    rig: Table[RigData]
    bodies: Table[BodyRecord]
    links: Table[LinkRecord]
    drives: Table[Drive]
    probes: Table[ProbeRecord]
    curves: Table[CurvePoint]  # of all sensors that have a table
    ices: Table[IceRecord]
    faults: Table[Fault]
    changes: Table[Change]
    segments: Table[Segment]
    cut_offs: Table[CutOffRecord]  # the last one is none
    noise: Grid  # of each probe at each sample, K
    weather: Reals  # by how much the surroundings are warmer from each sample to the next; empty: by nothing
    played: Reals  # demand at each sample as it was recorded; empty where a controller decides


@dataclass(slots=True)
class DriveState:
    """What is kept of a drive. Its output is before its dead time; what acts is after it."""

    demand: float = 0.0
    level: float = 0.0  # output
    switched_s: float = 0.0  # when it last went on or off
    changes: int = 0  # between on and off so far
    switch_ons: int = 0
    shortest_on_s: float = 0.0  # complete on-time so far; NONE without one
    shortest_off_s: float = 0.0
    windows: int = 0  # slow windows begun
    kick_until_s: float = 0.0
    motor: float = 0.0  # place of a valve's motor
    counted_s: float = 0.0  # up to when the output is counted
    output_s: float = 0.0  # output times seconds since the sample
    pulse_s: float = 0.0  # of a pulse begun, what lies beyond the sample
    pulse_from_s: float = 0.0  # when that pulse went on
    shortest_before_s: float = NONE  # on-time without that pulse
    acting: float = 0.0  # level that acts
    ramp_per_s: float = 0.0  # of a valve under way
    target: float = 0.0  # flow that it tends to
    full_W: float = 0.0  # at level 1, with the supply as it is
    supply: float = 1.0  # share of it that there is
    left: float = 1.0  # share of its power or flow that a fault leaves
    stuck: float = NONE  # level that it is stuck at; NONE: it is not
    forced: float = NONE  # level that it is held at; NONE: it is not
    blocked: bool = False  # by its own thermostat
    welded: bool = False  # that thermostat no longer opens
    moved_J: float = 0.0
    head: int = 0  # of its delay line
    tail: int = 0


@dataclass(slots=True)
class Delayed:
    """A change of a drive's output on its way through the dead time."""

    at_s: float
    level: float
    slope_per_s: float


@dataclass(slots=True)
class ProbeState:
    """What is kept of a probe."""

    sits_in: int  # now: it may come loose
    shown_degC: float
    at_end: bool  # of its range, before any correction
    fault: int  # that rules now
    start_degC: float  # what it has before the run


@dataclass(slots=True)
class FaultState:
    """What is kept of a fault, also while a later one rules."""

    begun: bool
    held_degC: float  # last reading that arrived
    taken: float  # when it arrived, s; of spikes, how many were


@dataclass(slots=True)
class BodyState:
    """What is kept of a body."""

    into_W: float  # by loads and what is drawn off
    load_W: float  # by loads, were they not cut
    drawn_W_per_K: float
    beyond: int  # samples so far beyond a limit
    passed_s: float  # when it was first beyond one; NONE: never
    now_low_degC: float  # of the true course, in this sample
    now_high_degC: float
    lowest_degC: float  # so far
    highest_degC: float
    after_low_degC: float  # since `since_s` of the rig
    after_degC: float


@dataclass(slots=True)
class CutOffState:
    """What is kept of a thermal cut-off."""

    open: bool = False


@dataclass(slots=True)
class LoopState:
    """What is kept of the whole."""

    next_change: int
    outside_degC: float
    step_s: float  # of the adaptive integration, that its error allows
    steps: int  # of it so far
    load_W: float
    drawn_in_W: float  # heat that comes in with what is drawn off
    loaded_J: float
    lost_J: float
    damp_J: float  # that vapour brought by turning to water and ice
    drained_kg: float  # water that ran off
    ice_kg: float  # on all that ices, at the last sample
    most_ice_kg: float
    failed_body: int
    failed_s: float
    inside: int  # samples so far at which the goal was kept
    ready_s: float  # since when it has been ready; NONE: it is not
    loads_cut: bool
    trips_load: bool  # whether a trip of the controller switches the loads off
    cut_off: int  # the first cut-off of drives that is open; none where none is
    opened: int  # a bit for each guard of the rig that is a cut-off and has been open since the last sample


class State(NamedTuple):
    """What is kept while a run goes on."""

    loop: Table[LoopState]
    bodies: Table[BodyState]
    links: Table[LinkRecord]  # as they are now
    drives: Table[DriveState]
    cut_offs: Table[CutOffState]
    lines: Tables[Delayed]  # a ring for each drive
    probes: Table[ProbeState]
    faults: Table[FaultState]
    history: Grid  # a ring for each probe: temperatures it had, degC
