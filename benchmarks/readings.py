"""Of the second engine (`reference.py`): the plan, and what probes show of temperatures that they had."""

import math
from typing import Any

import numpy as np

from kelvarn.engine.run import Run
from kelvarn.model.guards import DAY_S, DAYS


def under_way(event: Any, t: float) -> bool:
    """Whether an event is under way."""
    return event.at_s <= t and (event.lasts_s is None or t < event.at_s + event.lasts_s)


def of_kind(run: Run, kind: str) -> list[Any]:
    """Events of a kind."""
    return [event for event in run.trial.events if event.kind == kind]


def setpoint(run: Run, t: float) -> float:
    """The plan at an instant, with its repeats, parts of the day and limits; a ramp from the start begins at the first
    reading. Plans that wait are not known here."""
    plan, begins_s = run.trial.plan, run.trial.begins_s
    low, high = plan.lowest_degC, plan.highest_degC
    value = _by_day(plan, min(t, run.trial.duration_s - 1e-6), begins_s)  # nothing changes any more as it ends
    if value is None:
        value = _by_changes(run, t)
    return min(max(value, -math.inf if low is None else low), math.inf if high is None else high)


def _by_day(plan: Any, t: float, begins_s: float) -> float | None:
    """Setpoint of the part of the day that holds, the last one in the table; None outside all."""
    found = None
    for part in plan.week:
        for day in part.days:
            into = (begins_s + t - DAYS.index(day) * DAY_S - part.from_s + 1e-9) % (7 * DAY_S)
            if into < part.lasts_s:
                found = float(part.to_degC)
    return found


def _by_changes(run: Run, t: float) -> float:
    plan = run.trial.plan
    changes = [(c.at_s, c) for c in plan.changes]
    if plan.again_s is not None:
        rounds = range(1, int(run.trial.duration_s / plan.again_s) + 1)
        changes += [(c.at_s + k * plan.again_s, c) for k in rounds for c in plan.changes]
    value = start = float(run.measured_degC[0])
    since, target, rate = 0.0, start, None
    for at_s, change in sorted(changes, key=lambda each: each[0]):
        if at_s > t + 1e-9 or at_s >= run.trial.duration_s:
            break
        if at_s > 0:
            value = _ramped(value, target, rate, at_s - since)
        since, target, rate = at_s, change.to_degC, change.ramp_K_per_s
    return _ramped(value, target, rate, t - since)


def _ramped(value: float, target: float, rate: float | None, lasted: float) -> float:
    if rate is None or abs(target - value) <= rate * lasted:
        return target
    return value + math.copysign(rate * lasted, target - value)


def shown(run: Run, p: int, sensed: np.ndarray) -> np.ndarray:
    """What a probe shows of temperatures that it had, without noise and rounding; NaN where a fault makes it jump."""
    probe, found = run.rig.probes[p], np.array(sensed)
    faults = [event for event in of_kind(run, "probe_fault") if event.probe == probe.name]
    last = math.nan
    held: dict[str, float] = {}
    arrived: dict[str, float] = {}
    for k, value in enumerate(sensed.tolist()):
        t = k * run.rig.probe.interval_s
        ruling = max(
            (e for e in faults if under_way(e, t + 1e-9)), key=lambda e: (e.at_s, faults.index(e)), default=None
        )
        kind = ruling.fault if ruling is not None else "none"
        straight = value * probe.slope + probe.offset_K
        if kind == "drift":
            straight += ruling.size_K * (t - ruling.at_s) / 3600
        elif kind == "offset":
            straight += ruling.size_K
        made = min(max(straight, probe.lowest_degC), probe.highest_degC)
        if kind in ("open", "short"):
            hot = (kind == "open") != (probe.converter is not None and probe.converter.sensor == "ntc")
            made = probe.highest_degC if hot else probe.lowest_degC
        if probe.correction is not None:
            c = probe.correction
            made = c.true_low_degC + (made - c.shown_low_degC) * c.slope
        if kind in ("stuck", "stale"):
            name = ruling.name
            if name not in held:
                held[name] = made if k == 0 else last
                arrived[name] = ruling.at_s
            if kind == "stale" and t > arrived[name] + ruling.every_s - 1e-9:
                held[name], arrived[name] = made, t
            made = held[name]
        if kind == "spikes":
            made = math.nan
        last = found[k] = made
    return found
