"""What stands behind a run's figures: the pulses of slow windows and relays, and the raw counts of converters."""

from typing import NamedTuple

import numpy as np

from kelvarn.model.drives import SlowWindow
from kelvarn.model.probes import Probe
from kelvarn.units import KELVIN_AT_0_DEGC

from .drives import share_out
from .layout import Floats, lay_out, sharing_of
from .plant import TIME_EPS, DriveState
from .run import Run

_AT_25 = 1.0 / (KELVIN_AT_0_DEGC + 25.0)
_MOST_WINDOWS = 200_000


class Pulses(NamedTuple):
    """Instants in s at which a drive goes on, and off, as its controller switches it (before its dead time)."""

    on_s: Floats
    off_s: Floats


def pulses_of(run: Run, index: int) -> Pulses | None:
    """The pulses of a drive; None of one that is not switched, or too often to be told apart in a run this long.

    Args:
        run: as computed, with every sample.
        index: of the drive in its rig.
    """
    drive = run.rig.drives[index]
    if isinstance(drive, SlowWindow):
        return _of_windows(run, index, drive)
    if drive.kind != "relay":
        return None
    return on_times(run.time_s, run.put_out[index])


def on_times(time_s: Floats, drive: Floats) -> Pulses:
    """When a drive that is either on or off is on, by what it is at each sample."""
    on = np.concatenate([[False], drive > 0.5, [False]])
    edges = np.flatnonzero(on[1:] != on[:-1])
    ends = np.append(time_s, time_s[-1])
    return Pulses(ends[edges[0::2]], ends[edges[1::2]])


def _of_windows(run: Run, index: int, drive: SlowWindow) -> Pulses | None:
    """By the drive's own sum: one pulse for each window, from its start on."""
    h, end_s = run.rig.probe.interval_s, float(run.time_s[-1])
    count = int(np.ceil((end_s - TIME_EPS) / drive.window_s))
    if count > _MOST_WINDOWS:
        return None
    start = np.arange(count) * drive.window_s
    sample = np.minimum(np.floor((start + TIME_EPS) / h).astype(int), run.time_s.size - 1)
    pulse = np.clip(_demand(run, index)[sample], 0.0, 1.0) * drive.window_s
    if drive.resolution_s > 0:
        pulse = np.minimum(np.floor(pulse / drive.resolution_s + 0.5) * drive.resolution_s, drive.window_s)
    shortest = max(drive.shortest_pulse_s, TIME_EPS)
    pulse[pulse < shortest] = 0.0
    pulse[(drive.window_s - pulse < shortest) & (pulse > 0)] = drive.window_s
    begin = np.maximum(start, sample * h)
    on = pulse > 0
    begin, end = begin[on], np.minimum(begin[on] + pulse[on], end_s)
    if not begin.size:
        return Pulses(begin, end)
    apart = np.append(True, begin[1:] > end[:-1] + TIME_EPS)  # full windows are one pulse with the next
    return Pulses(begin[apart], end[np.append(apart[1:], True)])


def _demand(run: Run, index: int) -> Floats:
    """What is asked of a drive at each sample, shared with the others."""
    if len(run.rig.drives) == 1:
        return np.maximum(run.drive, 0.0)
    drives, sharing = lay_out(run.rig).drives, sharing_of(run.rig)
    levels, place = np.unique(run.drive, return_inverse=True)
    found = np.empty(levels.size)
    for k, given in enumerate(levels):
        states = [DriveState() for _ in drives]
        share_out(float(given), sharing, drives, states)
        found[k] = states[index].demand
    shared: Floats = found[place]
    return shared


def counts_of(probe: Probe, readings_degC: Floats) -> Floats | None:
    """Raw counts of a probe's converter for what was read; None without one.

    What is read is a value that a count stands for, so that this only goes back; at the ends of its range all that lies
    beyond is the same.

    Args:
        probe: with its converter, range and correction.
        readings_degC: as the controller gets them, any shape.
    """
    converter = probe.converter
    if converter is None:
        return None
    value = np.asarray(readings_degC, float)
    if probe.correction is not None:
        value = (value - probe.correction.true_low_degC) / probe.correction.slope + probe.correction.shown_low_degC
    levels = 2.0**converter.bits - 1
    if converter.sensor == "even":
        span = probe.highest_degC - probe.lowest_degC
        even: Floats = np.round((value - probe.lowest_degC) / span * levels)
        return even
    exponent = converter.beta_K * (1.0 / (np.maximum(value, -200.0) + KELVIN_AT_0_DEGC) - _AT_25)
    ohm = converter.ohm_at_25_degC * np.exp(exponent)
    found: Floats = np.round(ohm / (ohm + converter.fixed_ohm) * levels)
    return found
