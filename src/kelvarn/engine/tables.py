"""Drives, probes and laws as rows of the tables that the kernel takes, laid out as in codes.py."""

import math

import numpy as np

from kelvarn.model.candidate import Hand, OnOff, Pid
from kelvarn.model.drives import AnyDrive, Fan, Pwm, Relay, SlowWindow, Valve, heated_body
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig

from . import codes
from .layout import Floats, Layout
from .sharing import share_out

_KINDS = {
    "relay": codes.RELAY,
    "slow_window": codes.SLOW_WINDOW,
    "pwm": codes.PWM,
    "fan": codes.PWM,
    "valve": codes.VALVE,
}


def drive_table(rig: Rig, layout: Layout) -> Floats:
    """The table of drives, as in codes.py."""
    return np.array([_drive_row(rig, drive, layout) for drive in rig.drives])


def sharing_of(rig: Rig) -> int:
    """Code of how the drives share a demand."""
    return codes.SHARE_PRIORITY if rig.sharing == "priority" else codes.SHARE_EQUAL


def demand_levels(rig: Rig, table: Floats, demand: float) -> Floats:
    """Level of each drive at a constant demand, −1…1, averaged over its switching."""
    levels = np.zeros(len(rig.drives))
    share_out(demand, sharing_of(rig), table, levels)
    for k, drive in enumerate(rig.drives):
        if isinstance(drive, Valve):
            levels[k] = min(max(levels[k], drive.lowest), drive.highest)
    return levels


def _drive_row(rig: Rig, drive: AnyDrive, layout: Layout) -> Floats:
    """A drive's row of the table, as in codes.py."""
    c = np.zeros(codes.DRIVE_SIZE)
    way = 1.0 if drive.acts == "heats" else -1.0
    body = heated_body(drive)
    if rig.response is not None:
        body = rig.response.name  # whatever kind it is, the answer to it is what is known
        c[codes.DEAD_TIME] = rig.response.dead_time_s
    c[codes.KIND], c[codes.ACTS_ON] = _KINDS[drive.kind], -1 if body is None else layout.entry[body]
    c[codes.POWER_W] = way * drive.power_W if body is not None else drive.power_W
    c[codes.DEAD_TIME] += drive.dead_time_s
    c[codes.DIRECTION] = way
    same = [other for other in rig.drives if other.acts == drive.acts]
    c[codes.SHARE] = 1.0 if any(isinstance(other, Fan | Valve) for other in same) else drive.power_W
    match drive:
        case Relay():
            c[codes.RELAY_SHORTEST_ON], c[codes.RELAY_SHORTEST_OFF] = drive.shortest_on_s, drive.shortest_off_s
            c[codes.DEAD_TIME] += drive.operate_s
            c[codes.BY_SUPPLY] = drive.resistive
        case SlowWindow():
            c[codes.WINDOW], c[codes.RESOLUTION] = drive.window_s, drive.resolution_s
            c[codes.PULSE] = drive.shortest_pulse_s
            c[codes.BY_SUPPLY] = drive.resistive
        case Pwm() | Fan():
            c[codes.STEPS], c[codes.FLOOR], c[codes.TOP] = drive.steps, drive.floor, drive.top
            c[codes.OFF_BELOW], c[codes.KICK] = drive.acting_off_below, drive.kick_start_s
            if isinstance(drive, Fan):
                c[codes.MOVES], c[codes.SPEED_LAG], c[codes.STALL] = 1.0, drive.speed_lag_s, drive.stalls_below
            else:
                c[codes.BY_SUPPLY] = drive.resistive
        case Valve():
            c[codes.MOVES], c[codes.TRAVEL], c[codes.BACKLASH] = 1.0, drive.travel_s, drive.backlash
            c[codes.LOWEST], c[codes.HIGHEST] = drive.lowest, drive.highest
    return c


def changes_in_a_sample(drive: AnyDrive, h: float) -> int:
    """The most output changes in one sample interval."""
    return 2 * (math.ceil(h / drive.window_s) + 1) if isinstance(drive, SlowWindow) else 2


def probe_row(rig: Rig, probe: Probe) -> Floats:
    """A probe's row of the table, as in codes.py."""
    c = np.zeros(codes.PROBE_SIZE)
    c[codes.SITS_IN] = rig.body_index(probe.body)
    c[codes.LAG], c[codes.AGE] = probe.lag_s, probe.dead_time_s
    c[codes.OFFSET], c[codes.SLOPE], c[codes.STEP] = probe.offset_K, probe.slope, probe.resolution_K
    c[codes.LOWEST_READ], c[codes.HIGHEST_READ] = probe.lowest_degC, probe.highest_degC
    c[codes.CORRECT_SLOPE] = 1.0
    if probe.converter is not None:
        c[codes.CONVERTER] = codes.NTC if probe.converter.sensor == "ntc" else codes.EVEN
        c[codes.LEVELS] = 2**probe.converter.bits - 1
        c[codes.OHM_25], c[codes.FIXED_OHM] = probe.converter.ohm_at_25_degC, probe.converter.fixed_ohm
        c[codes.BETA] = probe.converter.beta_K
    if probe.correction is not None:
        c[codes.CORRECT_SLOPE], c[codes.CORRECT_SHOWN] = probe.correction.slope, probe.correction.shown_low_degC
        c[codes.CORRECT_TRUE] = probe.correction.true_low_degC
    return c


_WINDUP = {"none": codes.WINDUP_NONE, "hold": codes.WINDUP_HOLD, "back_calculation": codes.WINDUP_BACK}


def law_settings_of(controller: OnOff | Pid | Hand) -> tuple[int, Floats]:
    """Law number and its settings, laid out as in codes.py."""
    c, s = controller, np.zeros(codes.LAW_SETTINGS_SIZE)
    if isinstance(c, Hand):
        s[codes.HAND_DRIVE] = c.drive
        return codes.HAND, s
    if isinstance(c, OnOff):
        s[codes.BELOW], s[codes.ABOVE], s[codes.ONCE] = c.below_K, c.above_K, c.once
        s[codes.SHORTEST_ON], s[codes.SHORTEST_OFF] = c.shortest_on_s, c.shortest_off_s
        s[codes.CONFIRM], s[codes.DECIDE_EVERY] = c.confirm_s, c.decide_every_s
        return codes.ON_OFF, s
    s[codes.KP], s[codes.KD], s[codes.TF] = c.kp_per_K, c.kp_per_K * c.acting_td_s, c.acting_td_s / c.filter_n
    s[codes.KI], s[codes.INTEGRATES] = c.kp_per_K / c.ti_s if c.integrates else 0.0, c.integrates
    s[codes.WEIGHT], s[codes.SPEED_WEIGHT] = c.acting_weight, c.derivative_weight
    s[codes.BIAS], s[codes.LOW], s[codes.HIGH], s[codes.RATE] = c.bias, c.low, c.high, c.rate_per_s or 0.0
    s[codes.WINDUP], s[codes.TRACKING] = _WINDUP[c.anti_windup], c.acting_tracking_s
    return codes.PID, s
