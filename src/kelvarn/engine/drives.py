"""What a drive makes of the demand: changes of its output level, put on its delay line.

The delay line is a ring of changes, each an instant, a level and a slope (of a valve under way, in 1/s): they enter at
the instant they happen plus the dead time, and the heat integration takes them out at exactly that instant. So dead
times need not be whole samples and switching inside a sample is honoured to rounding.
"""

import math
from collections.abc import Sequence
from typing import Any

from .compiled import part, subroutine
from .plant import NONE, TIME_EPS, Delayed, Drive, DriveKind, DriveState, Sharing
from .records import Table


@subroutine
def share_out(
    demand: float,
    sharing: int,
    drives: "Table[Drive] | Sequence[Drive]",
    states: Any,
) -> None:
    """Write the demand of each drive, 0…1, from that of the law, −1…1; below 0 it asks for cooling, where some cool.

    Args:
        demand: of the law.
        sharing: equal gives each drive of the effect the same; by priority they are filled one after another.
        drives: the drives.
        states: of each, whatever has a demand: the kernel's states, or a device's outputs.
    """
    count = len(drives)
    heats = cools = False
    for d in range(count):
        heats = heats or drives[d].direction > 0.0
        cools = cools or drives[d].direction < 0.0
    wanted_way, size = (1.0 if demand >= 0.0 else -1.0), abs(demand)
    if not (heats and cools):  # a law for one effect is mirrored instead: its demand is positive for either
        wanted_way, size = (1.0 if heats else -1.0), max(demand, 0.0)
    total = 0.0
    for d in range(count):
        if drives[d].direction == wanted_way:
            total += drives[d].share
    left = size * total
    for d in range(count):
        if drives[d].direction != wanted_way:
            states[d].demand = 0.0
        elif sharing == Sharing.PRIORITY:
            states[d].demand = min(1.0, left / drives[d].share)
            left -= states[d].demand * drives[d].share
        else:
            states[d].demand = size


@part
def pwm_level(drive: Drive, demand: float) -> float:
    """Output of PWM or a fan at a demand, kick-start apart: off below one, else between floor and top."""
    if demand < drive.off_below:
        return 0.0
    return math.floor(min(max(demand, drive.floor), drive.top) * drive.steps + 0.5) / drive.steps


@part
def flow_at(drive: Drive, level: float, supply: float, turning: bool) -> float:
    """Relative flow that a fan or valve comes to at an output.

    Args:
        drive: a fan turns as fast as its duty and its voltage say; below its stall, or from standstill below what it
            needs to start, it does not, but for what it turns at when asked for nothing.
        level: output.
        supply: share of its voltage that there is.
        turning: whether it turns already.
    """
    if drive.kind != DriveKind.PWM:
        return level
    volts = supply * drive.volts
    idle = drive.idle_flow * volts
    least = drive.stalls_below if turning else max(drive.stalls_below, drive.starts_from)
    speed = level * volts
    return max(_of_table(drive, speed), idle) if level > 0.0 and speed >= least else idle


@part
def _of_table(drive: Drive, speed: float) -> float:
    """Flow of a fan by its table, straight between its figures; beyond full speed as between the last two."""
    if drive.flow_at_25 == 0.25 and drive.flow_at_50 == 0.5 and drive.flow_at_75 == 0.75:
        return speed
    if speed <= 0.25:
        return 4.0 * speed * drive.flow_at_25
    if speed <= 0.5:
        return drive.flow_at_25 + (4.0 * speed - 1.0) * (drive.flow_at_50 - drive.flow_at_25)
    if speed <= 0.75:
        return drive.flow_at_50 + (4.0 * speed - 2.0) * (drive.flow_at_75 - drive.flow_at_50)
    return drive.flow_at_75 + (4.0 * speed - 3.0) * (1.0 - drive.flow_at_75)


@part
def left_of(drive: Drive, state: DriveState) -> float:
    """Share of the heat that a fault leaves of what a valve lets through; of others their power is less itself."""
    return state.left if drive.moves and drive.acts_on >= 0 else 1.0


@part
def valve_place(drive: Drive, demand: float) -> float:
    """Where a valve's motor is driven: at an end stop half the play further, so that the valve shuts or opens fully."""
    if demand <= drive.lowest:
        return drive.lowest - drive.backlash / 2.0
    if demand >= drive.highest:
        return drive.highest + drive.backlash / 2.0
    return demand


@part
def push_change(at_s: float, level: float, slope_per_s: float, state: DriveState, line: Table[Delayed]) -> None:
    """Put a change on the delay line.

    Args:
        at_s: when it is felt, dead time included.
        level: output from then on, 0…1.
        slope_per_s: how fast it goes on changing, 1/s.
        state, line: of the drive; written.
    """
    place = line[state.tail]
    place.at_s, place.level, place.slope_per_s = at_s, level, slope_per_s
    state.tail = state.tail + 1 if state.tail + 1 < line.size else 0


@part
def set_level(level: float, t: float, dead_time_s: float, state: DriveState, line: Table[Delayed]) -> None:
    """Change the output level at instant t; counts switchings.

    Args:
        level: output, 0…1.
        t: instant, s.
        dead_time_s: after which it is felt.
        state, line: of the drive; written.
    """
    if level != state.level:
        was_on, is_on = state.level > 0.0, level > 0.0
        if was_on != is_on:
            _count_switching(is_on, t, state)
        state.output_s += state.level * (t - state.counted_s)
        state.counted_s = t
        state.level = level
        push_change(t + dead_time_s, level, 0.0, state, line)


@part
def _count_switching(is_on: bool, t: float, state: DriveState) -> None:
    """Count that a drive went on or off at instant t."""
    lasted = t - state.switched_s
    # The time before the first switching is cut off by the start and would be no true off-time.
    if state.changes > 0:
        if is_on:
            if state.shortest_off_s < 0.0 or lasted < state.shortest_off_s:
                state.shortest_off_s = lasted
        elif state.shortest_on_s < 0.0 or lasted < state.shortest_on_s:
            state.shortest_on_s = lasted
    if is_on:
        state.switch_ons += 1
    state.switched_s = t
    state.changes += 1


@subroutine
def _move_valve(t: float, h: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> None:
    """Drive a valve's motor towards the demand for one sample; it first takes up the play of the gearing."""
    way = valve_place(drive, state.demand) - state.motor
    if abs(way) < 1e-12:
        return
    sign = 1.0 if way > 0.0 else -1.0
    reach = min(abs(way), h / drive.travel_s)
    # The valve lags the motor by half the play on either side.
    slack = max(0.0, drive.backlash / 2.0 - sign * (state.motor - state.level))
    moves = reach - slack
    state.motor += sign * reach
    if moves <= 0.0:
        return
    begin = t + slack * drive.travel_s
    before, after = state.level, min(max(state.level + sign * moves, drive.lowest), drive.highest)
    takes = moves * drive.travel_s
    if takes <= 0.0:
        return
    push_change(begin + drive.dead_time_s, before, (after - before) / takes, state, line)
    push_change(begin + drive.dead_time_s + takes, after, 0.0, state, line)
    state.output_s += before * (begin - state.counted_s) + (before + after) / 2.0 * takes
    state.counted_s = begin + takes
    if (before > 0.0) != (after > 0.0):
        _count_switching(after > 0.0, begin if after > 0.0 else begin + takes, state)
    state.level = after


@subroutine
def _switch_relay(t: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> None:
    """On at half the demand or more, but for its shortest times."""
    want = 1.0 if state.demand >= 0.5 else 0.0
    shortest = drive.shortest_on_s if state.level > 0.0 else drive.shortest_off_s
    # Off since before the start: no shortest off-time to keep until the first switching.
    if state.changes == 0 or t - state.switched_s + TIME_EPS >= shortest:
        set_level(want, t, drive.dead_time_s, state, line)


@subroutine
def _set_pwm(t: float, h: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> None:
    """PWM or a fan; from standstill, off or stalled, it first runs at the top for the time of its kick-start."""
    level = pwm_level(drive, state.demand)
    if drive.kick_start_s > 0.0 and level > 0.0:
        volts = drive.volts * state.supply
        if state.level == 0.0 or state.level * volts < drive.stalls_below <= level * volts:
            state.kick_until_s = t + drive.kick_start_s
        if state.kick_until_s > t + TIME_EPS:
            set_level(drive.top, t, drive.dead_time_s, state, line)
            if state.kick_until_s < t + h - TIME_EPS:
                set_level(level, state.kick_until_s, drive.dead_time_s, state, line)
            return
    set_level(level, t, drive.dead_time_s, state, line)


@part
def pulse_s(drive: Drive, demand: float) -> float:
    """How long a pulse of a slow window is for a demand, s."""
    pulse = min(max(demand, 0.0), 1.0) * drive.window_s
    if drive.resolution_s > 0.0:
        pulse = min(math.floor(pulse / drive.resolution_s + 0.5) * drive.resolution_s, drive.window_s)
    if pulse < drive.shortest_pulse_s or pulse < TIME_EPS:
        return 0.0
    if drive.window_s - pulse < drive.shortest_pulse_s or drive.window_s - pulse < TIME_EPS:
        return drive.window_s
    return pulse


@subroutine
def _pulse_window(t: float, h: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> None:
    """One pulse for each slow window that begins in this sample."""
    start = state.windows * drive.window_s
    while start < t + h - TIME_EPS:
        pulse = pulse_s(drive, state.demand)
        begin = max(start, t)  # a window that began by rounding before the sample starts with it
        set_level(1.0 if pulse > 0.0 else 0.0, begin, drive.dead_time_s, state, line)
        if 0.0 < pulse < drive.window_s:
            state.pulse_from_s, state.shortest_before_s = state.switched_s, state.shortest_on_s
            set_level(0.0, begin + pulse, drive.dead_time_s, state, line)
        state.windows += 1
        start = state.windows * drive.window_s


@part
def _pulsed(end: float, h: float, state: DriveState) -> float:
    """Mean output of a slow window in the sample that ends at an instant; a pulse may last into the next ones."""
    before = min(state.pulse_s, h)
    beyond = max(state.counted_s - end, 0.0)  # of the pulse that was begun last
    state.pulse_s += beyond - before
    return (before + state.output_s - beyond + state.level * max(end - state.counted_s, 0.0)) / h


@part
def output_at(t: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> float:
    """Output of a drive at an instant from now on, before its dead time; of what is planned already.

    Args:
        t: instant, s.
        drive, state, line: the drive, where it stands, and its delay line.
    """
    level, slope, since = state.acting, 0.0, t
    k = state.head
    while k != state.tail:
        out_s = line[k].at_s - drive.dead_time_s
        if out_s > t + TIME_EPS:
            break
        level, slope, since = line[k].level, line[k].slope_per_s, out_s
        k = k + 1 if k + 1 < line.size else 0
    return level + slope * (t - since)


@part
def output_between(t: float, end: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> float:
    """Integral of that from an instant to another, s.

    Args:
        t, end: instants, s.
        drive, state, line: as for `output_at`.
    """
    level, slope, since, total = output_at(t, drive, state, line), 0.0, t, 0.0
    k = state.head
    while k != state.tail:
        out_s = line[k].at_s - drive.dead_time_s
        if out_s >= end:
            break
        if out_s > t + TIME_EPS:
            total += (level + slope * (out_s - since) / 2.0) * (out_s - since)
            since, level, slope = out_s, line[k].level, line[k].slope_per_s
        elif line[k].slope_per_s != 0.0:
            slope = line[k].slope_per_s
        k = k + 1 if k + 1 < line.size else 0
    return total + (level + slope * (end - since) / 2.0) * (end - since)


@subroutine
def force(level: float, t: float, h: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> None:
    """Hold the output at a level whatever is asked; a valve stays where it is. What was to come is undone.

    Args:
        level: the level.
        t, h: from when on, and from then to the next sample, s.
        drive, state, line: it.
    """
    if drive.kind == DriveKind.VALVE:
        return
    felt_s = drive.dead_time_s - drive.operate_s
    while state.head != state.tail:
        last = state.tail - 1 if state.tail > 0 else line.size - 1
        if line[last].at_s <= t + felt_s + TIME_EPS:
            break
        is_on = line[last].level > 0.0
        state.tail = last
        before = output_at(t + h + drive.window_s, drive, state, line) > 0.0
        if is_on != before:
            state.changes -= 1
            state.switch_ons -= 1 if is_on else 0
            state.switched_s = t if is_on else state.pulse_from_s
            state.shortest_on_s = state.shortest_before_s if not is_on else state.shortest_on_s
    state.level = output_at(t, drive, state, line)
    state.pulse_s = 0.0
    set_level(level, t, felt_s, state, line)
    while drive.kind == DriveKind.SLOW_WINDOW and state.windows * drive.window_s < t + h - TIME_EPS:
        state.windows += 1


@subroutine
def resume(t: float, h: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> None:
    """Let the output be as asked again, since a switch between drive and body has closed; arguments as for `force`.

    The drive has gone on meanwhile: a window that is under way still gives its pulse, and no delay counts.
    """
    if drive.kind == DriveKind.SLOW_WINDOW:
        state.windows = math.floor((t + TIME_EPS) / drive.window_s)
        start = state.windows * drive.window_s
        until = start + pulse_s(drive, state.demand)
        state.windows += 1
        set_level(1.0 if until > t + TIME_EPS else 0.0, t, drive.dead_time_s, state, line)
        if t + TIME_EPS < until < start + drive.window_s - TIME_EPS:
            state.pulse_from_s, state.shortest_before_s = state.switched_s, state.shortest_on_s
            set_level(0.0, until, drive.dead_time_s, state, line)
        _pulse_window(t, h, drive, state, line)
        state.pulse_s = max(state.counted_s - (t + h), 0.0)
    elif drive.kind == DriveKind.PWM:
        _set_pwm(t, h, drive, state, line)
    elif drive.kind == DriveKind.RELAY:
        set_level(1.0 if state.demand >= 0.5 else 0.0, t, drive.dead_time_s - drive.operate_s, state, line)


@part
def drive_step(t: float, h: float, forced: float, drive: Drive, state: DriveState, line: Table[Delayed]) -> float:
    """Turn the demand at sample t into output changes until t + h.

    Args:
        t, h: sample, and time to the next one, s.
        forced: level that it is held at by a fault, a contactor or its own thermostat; NONE: it is not.
        drive, state, line: it.

    Returns:
        The mean output until then, before the dead time.
    """
    state.counted_s, state.output_s = t, 0.0
    if forced != NONE:
        state.forced = forced
        force(forced, t, h, drive, state, line)
        return output_between(t, t + h, drive, state, line) / h
    if state.forced != NONE:
        state.forced = NONE
        if drive.kind == DriveKind.SLOW_WINDOW:  # what makes the windows begins anew: nothing until the next one
            set_level(0.0, t, drive.dead_time_s, state, line)
    if drive.kind == DriveKind.SLOW_WINDOW:
        _pulse_window(t, h, drive, state, line)
    elif drive.kind == DriveKind.PWM:
        _set_pwm(t, h, drive, state, line)
    elif drive.kind == DriveKind.RELAY:
        _switch_relay(t, drive, state, line)
    else:
        _move_valve(t, h, drive, state, line)
    if drive.kind == DriveKind.SLOW_WINDOW:
        return _pulsed(t + h, h, state)
    return (state.output_s + state.level * (t + h - state.counted_s)) / h
