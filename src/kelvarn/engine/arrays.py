"""A rig, controller and trial as the plain arrays that the kernel takes."""

import math
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from kelvarn.model.candidate import OnOff, Pid
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Pwm, Relay, Rig, SlowWindow
from kelvarn.model.trial import DoorOpens, Load, SurroundingsChange, Trial

from . import codes
from .plan import setpoint_at

Floats = npt.NDArray[np.floating[Any]]
Ints = npt.NDArray[np.int64]

MOST_SAMPLES = 5_000_000
MOST_STEPS = 2_000_000_000

# Longest integration step as a share of the fastest time constant; benchmarks/RESULTS.md has the error study.
STEP_SHARE = 0.5


class RunError(ValueError):
    """The run cannot be computed. The message is one sentence that names what and where."""


@dataclass(frozen=True)
class Arrays:
    """Arguments of `kernel.run_loop` up to its outputs, in its order."""

    h: float
    step_limit: float
    inv_c: Floats
    start: Floats
    link_a: Ints
    link_b: Ints
    link_g: Floats
    event_t: Floats
    event_kind: Ints
    event_index: Ints
    event_change: Floats
    drive_kind: int
    drive_body: int
    drive_power: float
    dead_time: float
    drive_settings: Floats
    line_size: int
    probe_body: int
    probe_lag: float
    probe_step: float
    noise: Floats
    law: int
    mirror: float
    law_settings: Floats
    setpoint: Floats

    def arguments(self) -> tuple[Any, ...]:
        """The fields in order."""
        return tuple(getattr(self, field.name) for field in fields(self))


def to_arrays(rig: Rig, controller: OnOff | Pid, trial: Trial, step_share: float = STEP_SHARE) -> Arrays:
    """Lay out a run.

    Args:
        rig, controller, trial: what runs; references were checked when the project was made.
        step_share: longest integration step over the fastest time constant.

    Raises:
        RunError: the trial is too short or too long for the probe's interval, or a body too fast to follow.
    """
    h = rig.probe.interval_s
    samples = math.floor(trial.duration_s / h + 1e-9) + 1
    if samples < 2:
        raise RunError(
            f"Trial “{trial.name}” lasts {trial.duration_s:g} s, less than one reading of the probe "
            f"(every {h:g} s); make it longer."
        )
    if samples > MOST_SAMPLES:
        raise RunError(
            f"Trial “{trial.name}” would take {samples:,} readings; make it shorter or let the probe read less often."
        )
    n = len(rig.bodies)
    link_a, link_b, link_g, events = _links_and_events(rig, trial)
    inv_c = np.array([1 / body.capacity_J_per_K for body in rig.bodies])
    step_limit = _step_limit(rig, trial, inv_c, link_a, link_b, link_g, step_share)
    start = np.empty(n + 2)
    start[n] = rig.surroundings.temperature_degC
    for i, body in enumerate(rig.bodies):
        cold = body.start_degC if body.start_degC is not None else start[n]
        start[i] = trial.start_degC if trial.start_degC is not None else cold
    probe_body = rig.body_index(rig.probe.body)
    start[n + 1] = start[probe_body]
    drive = rig.drive
    kind, drive_settings, changes_per_sample = _drive_settings(drive, h)
    law, law_settings = law_settings_of(controller)
    return Arrays(
        h=h,
        step_limit=step_limit,
        inv_c=inv_c,
        start=start,
        link_a=link_a,
        link_b=link_b,
        link_g=link_g,
        event_t=np.array([e[0] for e in events], float),
        event_kind=np.array([e[1] for e in events], np.int64),
        event_index=np.array([e[2] for e in events], np.int64),
        event_change=np.array([e[3] for e in events], float),
        drive_kind=kind,
        drive_body=rig.body_index(drive.body),
        drive_power=drive.power_W if drive.acts == "heats" else -drive.power_W,
        dead_time=drive.dead_time_s,
        drive_settings=drive_settings,
        # Changes that can be under way at once, and one slot that stays empty.
        line_size=(math.ceil(drive.dead_time_s / h) + 3) * changes_per_sample + 4,
        probe_body=probe_body,
        probe_lag=rig.probe.lag_s,
        probe_step=rig.probe.resolution_K,
        noise=_noise(trial.seed, samples) * rig.probe.noise_K,
        law=law,
        mirror=1.0 if drive.acts == "heats" else -1.0,
        law_settings=law_settings,
        setpoint=setpoint_at(trial.plan, np.arange(samples) * h),
    )


@lru_cache(maxsize=8)
def _noise(seed: int, samples: int) -> Floats:
    """Standard normal noise of a seed; kept, since a drag runs the same trial again and again."""
    drawn = np.random.Generator(np.random.PCG64(seed)).standard_normal(samples)
    drawn.flags.writeable = False
    return drawn


def _links_and_events(rig: Rig, trial: Trial) -> tuple[Ints, Ints, Floats, list[tuple[float, int, int, float]]]:
    ends = [(rig.body_index(link.a), rig.body_index(link.b)) for link in rig.links]
    conductance = [link.conductance_W_per_K for link in rig.links]
    changes: list[tuple[float, int, int, float]] = []  # when, kind, index, change
    for event in trial.events:
        match event:
            case DoorOpens():
                kind, index, change = codes.LINK_CHANGES, len(ends), event.conductance_W_per_K
                ends.append((rig.body_index(event.body), rig.body_index(SURROUNDINGS)))
                conductance.append(0.0)
            case Load():
                kind, index, change = codes.LOAD_CHANGES, rig.body_index(event.body), event.power_W
            case SurroundingsChange():
                kind, index, change = codes.SURROUNDINGS_CHANGE, 0, event.change_K
        changes.append((event.at_s, kind, index, change))
        if event.lasts_s is not None:
            changes.append((event.at_s + event.lasts_s, kind, index, -change))
    changes.sort(key=lambda found: found[0])
    return (
        np.array([a for a, _ in ends], np.int64),
        np.array([b for _, b in ends], np.int64),
        np.array(conductance, float),
        changes,
    )


def _step_limit(
    rig: Rig, trial: Trial, inv_c: Floats, link_a: Ints, link_b: Ints, link_g: Floats, share: float
) -> float:
    """Longest integration step: a share of the fastest time constant, all doors open.

    The fastest rate is bounded by 2·max(ΣG/C) (Gershgorin's circles of the heat-flow matrix).
    """
    g = link_g.tolist()
    doors = [e for e in trial.events if isinstance(e, DoorOpens)]
    for k, door in enumerate(doors):
        g[len(rig.links) + k] = door.conductance_W_per_K
    sums: list[float] = [0.0] * (len(inv_c) + 1)
    for a, b, conductance in zip(link_a.tolist(), link_b.tolist(), g, strict=True):
        sums[a] += conductance
        sums[b] += conductance
    rates: list[float] = [total * inverse for total, inverse in zip(sums[:-1], inv_c.tolist(), strict=True)]
    fastest = max(rates)
    name = f"“{rig.bodies[rates.index(fastest)].name}”"
    if rig.probe.lag_s > 0 and 1 / rig.probe.lag_s > fastest:
        fastest, name = 1 / rig.probe.lag_s, f"probe “{rig.probe.name}”"
    if fastest == 0:
        return math.inf
    limit = share / (2 * fastest)
    if trial.duration_s / limit > MOST_STEPS:
        raise RunError(
            f"{name} follows within {1 / fastest:.2g} s, too fast for a trial of {trial.duration_s:g} s; "
            "raise its heat capacity, lower its conductances or shorten the trial."
        )
    return limit


def _drive_settings(drive: Relay | SlowWindow | Pwm, h: float) -> tuple[int, Floats, int]:
    """Kind, settings and the most output changes in one sample interval."""
    c = np.zeros(codes.DRIVE_SETTINGS_SIZE)
    match drive:
        case Relay():
            c[codes.RELAY_SHORTEST_ON], c[codes.RELAY_SHORTEST_OFF] = drive.shortest_on_s, drive.shortest_off_s
            return codes.RELAY, c, 1
        case SlowWindow():
            c[codes.WINDOW], c[codes.RESOLUTION] = drive.window_s, drive.resolution_s
            c[codes.SHORTEST_PULSE] = drive.shortest_pulse_s
            return codes.SLOW_WINDOW, c, 2 * (math.ceil(h / drive.window_s) + 1)
        case Pwm():
            c[codes.STEPS], c[codes.FLOOR], c[codes.TOP] = drive.steps, drive.floor, drive.top
            return codes.PWM, c, 1


_WINDUP = {"none": codes.WINDUP_NONE, "hold": codes.WINDUP_HOLD, "back_calculation": codes.WINDUP_BACK}


def law_settings_of(controller: OnOff | Pid) -> tuple[int, Floats]:
    """Law number and its settings, laid out as in codes.py."""
    c, s = controller, np.zeros(codes.LAW_SETTINGS_SIZE)
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
