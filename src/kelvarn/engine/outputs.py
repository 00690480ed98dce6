"""What the software of a device makes of what is given: the level of each of its outputs, tick by tick.

The physics of the drives (dead time, stall, speed, play) are in `drives.py`; what decides a level is there too, and
called from here: how drives share, the steps of PWM, the length of a pulse. Between two samples a device ticks, so that
slow windows, kick-starts and shortest times end to the millisecond of a tick.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from .ages import NOT_BEGUN, OLDEST_MS, aged
from .compiled import part
from .drives import pulse_s, pwm_level, share_out
from .plant import Drive, DriveKind
from .records import Table, table


@dataclass(slots=True)
class SharingRecord:
    """How drives share what is given."""

    sharing: int  # plant.Sharing
    watchdog_ms: int  # without an order for so long all outputs are off


@dataclass(slots=True)
class OutputState:
    """An output of a device; off since before the start, so that no shortest off-time is to be kept."""

    demand: float = 0.0  # 0…1
    level: float = 0.0
    since_ms: int = OLDEST_MS  # since it last switched
    kick_ms: int = NOT_BEGUN  # since its kick-start began
    into_ms: int = NOT_BEGUN  # into its slow window
    pulse_s: float = 0.0  # of that window
    order_ms: int = NOT_BEGUN  # since the last order
    switched: int = 0  # times it went on


class Outputs(NamedTuple):
    """Drives as a device has them."""

    sharing: Table[SharingRecord]
    drives: Table[Drive]
    states: Table[OutputState]


def outputs_of(drives: Sequence[Drive], sharing: int, interval_ms: int, make: Any = table) -> Outputs:
    """Outputs before the first order.

    Args:
        drives: as `lay_out` makes them.
        sharing: plant.Sharing.
        interval_ms: between samples; an order counts for two of them.
        make: makes a table, as for `laws.laws_of`.
    """
    return Outputs(
        sharing=make(SharingRecord, [SharingRecord(sharing, 2 * interval_ms)]),
        drives=make(Drive, drives),
        states=make(OutputState, [OutputState() for _ in drives]),
    )


@part
def order(outputs: Outputs, given: float, alone: int) -> None:
    """Take an order of the control step.

    Args:
        outputs: written.
        given: −1…1.
        alone: the one drive that takes all of it; below 0: they share it.
    """
    share_out(given, outputs.sharing[0].sharing, outputs.drives, outputs.states)
    for d in range(len(outputs.states)):
        if alone >= 0:
            outputs.states[d].demand = abs(given) if d == alone else 0.0
        outputs.states[d].order_ms = 0


@part
def tick(outputs: Outputs, passed_ms: int) -> None:
    """Bring each level to where it is to be; without an order in time an output is off.

    Args:
        outputs: written.
        passed_ms: since the tick before; 0 right after an order, so that it acts at once.
    """
    for d in range(len(outputs.states)):
        drive, state = outputs.drives[d], outputs.states[d]
        state.order_ms = aged(state.order_ms, passed_ms)
        state.since_ms = aged(state.since_ms, passed_ms)
        if state.order_ms < 0 or state.order_ms > outputs.sharing[0].watchdog_ms:
            _set(state, 0.0)
            state.into_ms = NOT_BEGUN
        elif drive.kind == DriveKind.SLOW_WINDOW:
            _window(drive, state, passed_ms)
        elif drive.kind == DriveKind.PWM:
            _pwm(drive, state, passed_ms)
        else:
            _relay(drive, state)


@part
def _set(state: OutputState, level: float) -> None:
    """Change a level."""
    if (level > 0.0) != (state.level > 0.0):
        state.since_ms = 0
        state.switched += 1 if level > 0.0 else 0
    state.level = level


@part
def _relay(drive: Drive, state: OutputState) -> None:
    """On at half the demand or more, but for its shortest times."""
    shortest_s = drive.shortest_on_s if state.level > 0.0 else drive.shortest_off_s
    if state.since_ms >= shortest_s * 1000.0:
        _set(state, 1.0 if state.demand >= 0.5 else 0.0)


@part
def _pwm(drive: Drive, state: OutputState, passed_ms: int) -> None:
    """A duty; from standstill, off or stalled, it first runs at the top for the time of its kick-start."""
    level = pwm_level(drive, state.demand)
    if drive.kick_start_s > 0.0:
        state.kick_ms = aged(state.kick_ms, passed_ms)
        stalled = state.level * drive.volts < drive.stalls_below and level * drive.volts >= drive.stalls_below
        if level > 0.0 and (state.level == 0.0 or stalled):
            state.kick_ms = 0
        if level > 0.0 and state.kick_ms >= 0 and state.kick_ms < drive.kick_start_s * 1000.0:
            level = drive.top
    _set(state, level)


@part
def _window(drive: Drive, state: OutputState, passed_ms: int) -> None:
    """On from the start of a slow window for as long as its pulse is."""
    state.into_ms = aged(state.into_ms, passed_ms)
    if state.into_ms < 0 or state.into_ms >= drive.window_ms:
        # A window that begins late by less than a tick keeps its beat.
        state.into_ms = 0 if state.into_ms < 0 else state.into_ms % drive.window_ms
        state.pulse_s = pulse_s(drive, state.demand)
    _set(state, 1.0 if state.into_ms < state.pulse_s * 1000.0 else 0.0)
