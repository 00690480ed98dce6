"""What stands behind a run's figures: the pulses of slow windows and relays, and the raw counts of converters."""

from typing import Any, NamedTuple

import numpy as np

from kelvarn.model.drives import SlowWindow

from .drives import pulse_s, share_out
from .layout import Floats, curves_of, lay_out, probe_record, sharing_of
from .plant import TIME_EPS, ConverterKind, DriveState
from .probes import count_of
from .run import Run

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
    pulse = _pulses_s(run, index)[sample]
    begin = np.maximum(start, sample * h)
    on = pulse > 0
    begin, end = begin[on], np.minimum(begin[on] + pulse[on], end_s)
    if not begin.size:
        return Pulses(begin, end)
    apart = np.append(True, begin[1:] > end[:-1] + TIME_EPS)  # full windows are one pulse with the next
    return Pulses(begin[apart], end[np.append(apart[1:], True)])


def _pulses_s(run: Run, index: int) -> Floats:
    """How long a pulse of a drive would be for what is given at each sample, shared with the others, s."""
    drives, sharing = lay_out(run.rig).drives, sharing_of(run.rig)
    levels, place = np.unique(run.drive, return_inverse=True)
    found = np.empty(levels.size)
    for k, given in enumerate(levels.tolist()):
        states = [DriveState() for _ in drives]
        share_out(given, sharing, drives, states)
        found[k] = pulse_s(drives[index], states[index].demand)
    pulses: Floats = found[place]
    return pulses


def counts_of(run: Run, index: int) -> Floats | None:
    """Raw counts of a probe's converter at each sample; None without one.

    What is read is a value that a count stands for, so that this only goes back; at the ends of its range all that lies
    beyond is the same.

    Args:
        run: as computed.
        index: of the probe in its rig.
    """
    probe = probe_record(run.rig, run.rig.probes[index])
    if probe.converter == ConverterKind.NONE:
        return None
    read, place = np.unique(run.probes_degC[index], return_inverse=True)
    shown = (read - probe.correct_true_degC) / probe.correct_slope + probe.correct_shown_degC
    points: Any = curves_of(run.rig)
    counts = np.array([count_of(probe, points, degC) for degC in shown.tolist()])
    found: Floats = counts[place]
    return found
