"""What drives put out under recorded demands, for the second engine (`reference.py`): written anew from the model page."""

import math
from typing import Any

from kelvarn.engine.run import Run


def demands(run: Run, given: float) -> list[float]:
    """What each drive is asked."""
    drives = run.rig.drives
    ways = [1 if drive.acts == "heats" else -1 for drive in drives]
    way = ways[0] if len(set(ways)) == 1 else (1 if given >= 0 else -1)
    size = max(given, 0.0) if len(set(ways)) == 1 else abs(given)
    asked = [drive for drive, its in zip(drives, ways, strict=True) if its == way]
    moving = any(drive.kind in ("fan", "valve") for drive in asked)
    weight = {drive.name: 1.0 if moving else drive.power_W for drive in asked}
    left, found = size * sum(weight.values()), []
    for drive in drives:
        if drive.name not in weight:
            found.append(0.0)
        elif run.rig.sharing == "equal":
            found.append(size)
        else:
            found.append(min(1.0, left / weight[drive.name]))
            left = max(0.0, left - weight[drive.name])
    return found


Course = list[tuple[float, float, float]]
"""From an instant on, a level and its slope in 1/s."""


def output(drive: Any, asked: list[float], h: float) -> Course:
    """What a drive puts out under demands at samples."""
    makes = {"relay": _relay, "slow_window": _window, "pwm": _pwm, "fan": _pwm, "valve": _valve}
    course: Course = makes[drive.kind](drive, asked, h)
    return course


def _relay(drive: Any, asked: list[float], h: float) -> Course:
    course, on, since = [(0.0, 0.0, 0.0)], False, -math.inf
    for k, demand in enumerate(asked):
        want, t = demand >= 0.5, k * h
        least = drive.shortest_on_s if on else drive.shortest_off_s
        if want != on and t - since >= least - 1e-9:
            on, since = want, t
            course.append((t, float(on), 0.0))
    return course


def _window(drive: Any, asked: list[float], h: float) -> Course:
    course, n = [(0.0, 0.0, 0.0)], 0
    for k, demand in enumerate(asked):
        while n * drive.window_s < (k + 1) * h - 1e-9:
            begin, pulse = max(n * drive.window_s, k * h), min(max(demand, 0), 1) * drive.window_s
            if drive.resolution_s > 0:
                pulse = min(math.floor(pulse / drive.resolution_s + 0.5) * drive.resolution_s, drive.window_s)
            if pulse < max(drive.shortest_pulse_s, 1e-9):
                pulse = 0.0
            if drive.window_s - pulse < max(drive.shortest_pulse_s, 1e-9):
                pulse = drive.window_s
            course.append((begin, float(pulse > 0), 0.0))
            if 0 < pulse < drive.window_s:
                course.append((begin + pulse, 0.0, 0.0))
            n += 1
    return course


def _pwm(drive: Any, asked: list[float], h: float) -> Course:
    course, level, kick_until = [(0.0, 0.0, 0.0)], 0.0, -math.inf
    stall = getattr(drive, "stalls_below", 0.0)
    for k, demand in enumerate(asked):
        t = k * h
        want = math.floor(min(max(demand, drive.floor), drive.top) * drive.steps + 0.5) / drive.steps
        if demand < (drive.floor if drive.off_below is None else drive.off_below):
            want = 0.0
        stands = level == 0 or level < stall
        if drive.kick_start_s > 0 and want > 0 and stands and (level == 0 or want >= stall):
            kick_until = t + drive.kick_start_s
        if want > 0 and kick_until > t + 1e-9:
            course.append((t, drive.top, 0.0))
            level = drive.top
            if kick_until < t + h - 1e-9:
                course.append((kick_until, want, 0.0))
                level = want
        else:
            course.append((t, want, 0.0))
            level = want
    return course


def _valve(drive: Any, asked: list[float], h: float) -> Course:
    motor = valve = drive.lowest
    half = drive.backlash / 2
    course = [(0.0, valve, 0.0)]
    for k, demand in enumerate(asked):
        goal = motor if math.isnan(demand) else demand  # without supply it stays where it is
        if demand <= drive.lowest:
            goal = drive.lowest - half
        elif demand >= drive.highest:
            goal = drive.highest + half
        reach = motor + min(max(goal - motor, -h / drive.travel_s), h / drive.travel_s)
        pushed = min(max(valve, reach - half), reach + half)  # the play operator
        if abs(pushed - valve) > 1e-13:
            way = math.copysign(1.0, pushed - valve)
            begin = k * h + (valve + way * half - motor) * way * drive.travel_s
            course.append((begin, valve, way / drive.travel_s))
            course.append((begin + abs(pushed - valve) * drive.travel_s, pushed, 0.0))
        motor, valve = reach, pushed
    return course
