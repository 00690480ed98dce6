"""The open-loop step: how a rig answers a drive set by hand, and that answer read as one lag and a dead time."""

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Literal

import numpy as np

from kelvarn.model.candidate import Hand
from kelvarn.model.drives import AnyDrive, Pwm, Relay, SlowWindow
from kelvarn.model.edit import with_fields
from kelvarn.model.rig import Rig
from kelvarn.model.trial import LONGEST_S, Plan, SetpointChange, Trial

from .arrays import RunError
from .layout import Floats
from .measures import Measures, measure
from .run import Run, compute
from .steady import can_hold, rest_degC

SAMPLES = 1500
_FIRST_GUESS_S = 600.0
_SETTLED = 0.02  # the answer is shown until so little of it is missing
_LONGEST_HEATING_S = 30 * 86400.0
_MOST_LONGER = 14  # doublings of the time looked at

Start = Literal["cold", "warm"]


@dataclass(frozen=True)
class Reading:
    """An answer read as one lag and a dead time, or as a ramp and a dead time where it integrates.

    Attributes:
        gain_K: rest temperature gained by full drive, by scaling of this step; None where it integrates.
        lag_s: time constant; None where it integrates.
        rise_K_per_s: rate at full drive where it integrates, else None.
        dead_time_s: dead time.
        rms_K: how far the one-lag curve is off, rms.
        reach_95_s: time to 95 % of the way; None where it integrates.
    """

    gain_K: float | None
    lag_s: float | None
    rise_K_per_s: float | None
    dead_time_s: float
    rms_K: float
    reach_95_s: float | None

    @property
    def ratio(self) -> float | None:
        """Dead time over lag; None where it integrates."""
        return None if self.lag_s is None else self.dead_time_s / self.lag_s

    @property
    def difficulty(self) -> str:
        """What the ratio of dead time to lag means.

        The bounds are where the published tuning rules change their advice: Åström and Hägglund, Advanced PID Control,
        2006, section 2.6 on the normalised dead time τ = L/(L+T): below 0.1 lag dominates, above 0.5 dead time does.
        """
        if self.ratio is None:
            return "it integrates: without control it never comes to rest"
        share = self.ratio / (1 + self.ratio)
        if share < 0.1:
            return "easy to control"
        if share < 0.3:
            return "fair to control"
        return "hard to control" if share < 0.5 else "very hard to control: dead time rules"


@dataclass(frozen=True, eq=False)
class Step:
    """An open-loop step: what it started from, its run, its reading.

    Attributes:
        start: from cold, or from warm: at rest at half the drive.
        before, after: demand before and after the step at 0 s.
        run: with the drive by hand; times in s from the step.
        reading: None where the run shows no answer to read.
    """

    start: Start
    before: float
    after: float
    run: Run
    reading: Reading | None

    @cached_property
    def measures(self) -> Measures:
        """What is read off its run."""
        return measure(self.run)


def usual_drive(rig: Rig, setpoint_degC: float) -> float:
    """A drive for the step: about twice what holds the setpoint, as a round share of full."""
    verdict = can_hold(rig, setpoint_degC)
    if verdict is None or verdict.holding_drive is None:
        return 0.6
    return min(1.0, max(0.1, math.ceil(verdict.holding_drive * 20) / 10))


@lru_cache(maxsize=16)
def open_loop(rig: Rig, drive: float, start: Start = "cold") -> Step:
    """Step the drive and see; it starts at rest, since only then all that follows is the step's.

    Args:
        rig: the rig; its probes are read without noise and steps here, as often as the picture needs.
        drive: demand from 0 s on, −1…1.
        start: "cold": at rest with the drive off (or as the bodies start, where there is no rest); "warm": at rest at
            half the drive.

    Raises:
        RunError: it cannot be computed, or there is no rest to start warm from.
    """
    before = drive / 2 if start == "warm" else 0.0
    end, initial = rest_degC(rig, drive), rest_degC(rig, before)
    if initial is not None:
        rig = _at(rig, initial)
    elif start == "warm":
        raise RunError("This rig never comes to rest, so there is no warm start for a step; take a cold one.")
    span = _span(rig, drive, end)
    run = _by_hand(rig, drive, span, before)
    reading = read_step(run, drive - before, integrates=end is None, known_delay_s=_known_delay_s(rig))
    return Step(start, before, drive, run, reading)


def _at(rig: Rig, degC: Floats) -> Rig:
    """A rig whose bodies start at given temperatures."""
    if rig.response is not None:
        return with_fields(rig, response=with_fields(rig.response, start_degC=float(degC[0])))
    bodies = tuple(with_fields(b, start_degC=float(t)) for b, t in zip(rig.bodies, degC, strict=True))
    return with_fields(rig, bodies=bodies)


def _by_hand(rig: Rig, drive: float, span_s: float, before: float = 0.0) -> Run:
    interval = min(span_s / SAMPLES, 3600.0)
    probes = tuple(
        with_fields(p, interval_s=max(interval, 0.01), noise_K=0, resolution_K=0, converter=None) for p in rig.probes
    )
    drives = tuple(_averaged(drive) for drive in rig.drives)
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=rig.surroundings.temperature_degC),))
    trial = Trial(name="Open-loop step", duration_s=max(span_s, 1.0), plan=plan)
    return compute(with_fields(rig, probes=probes, drives=drives), Hand(drive=drive, before=before), trial)


def _averaged(drive: AnyDrive) -> AnyDrive:
    """A drive that gives a demand as it is, where it would else make pulses of it."""
    if not isinstance(drive, Relay | SlowWindow):
        return drive
    return Pwm(
        name=drive.name, body=drive.body, power_W=drive.power_W, acts=drive.acts, dead_time_s=drive.dead_time_s,
        resistive=drive.resistive, steps=65535,
    )  # fmt: skip


def _known_delay_s(rig: Rig) -> float:
    """Dead times that the rig states: no answer can come sooner."""
    own = rig.response.dead_time_s if rig.response is not None else 0.0
    return min(drive.dead_time_s for drive in rig.drives) + own + rig.probe.dead_time_s


def _span(rig: Rig, drive: float, end: Floats | None, limit_s: float = LONGEST_S) -> float:
    """Time in which the answer all but ends: looked for by doubling, then without what is flat at its end."""
    at, delay = rig.body_index(rig.probe.body), _known_delay_s(rig)
    span = max(_FIRST_GUESS_S, 4 * delay)
    if end is None:
        return min(max(span, 3600.0), limit_s)
    for _ in range(_MOST_LONGER):
        if span >= limit_s:
            return limit_s
        course = _by_hand(rig, drive, span).bodies_degC[at]
        outside = np.flatnonzero(np.abs(course - end[at]) > _SETTLED * abs(course[0] - end[at]) + 0.01)
        settled = 1 + int(outside[-1]) if outside.size else course.size // 20
        if settled < course.size:
            return float(max(span * min(1.15 * settled / course.size, 1.0), 5 * delay, 10.0))
        span *= 2
    return span


def read_step(run: Run, change: float, *, integrates: bool, known_delay_s: float = 0.0) -> Reading | None:
    """Read an answer by least squares on the whole of the measured curve.

    Args:
        run: of a step at 0 s.
        change: how much the demand changed, −1…1.
        integrates: whether there is no rest, so that a ramp is fitted to its later half.
        known_delay_s: dead time that there is at least.
    """
    t, y = run.time_s, run.measured_degC
    rise = y - y[0]
    if abs(change) < 1e-9 or np.abs(rise).max() < 1e-6:
        return None
    if integrates:
        late = t >= t[-1] / 2
        slope, offset = np.polyfit(t[late], rise[late], 1)
        if slope == 0:
            return None
        delay = max(-offset / slope, 0.0)
        miss = rise - slope * np.maximum(t - delay, 0.0)
        return Reading(None, None, float(slope / change), float(delay), float(np.sqrt(np.mean(miss**2))), None)
    lag, delay, gain = _one_lag(t, rise, known_delay_s)
    miss = rise - gain * _answer(t, lag, delay)
    reached = np.flatnonzero(np.abs(rise) >= 0.95 * abs(rise[-1]))
    return Reading(
        gain_K=gain / change, lag_s=lag, rise_K_per_s=None, dead_time_s=delay, rms_K=float(np.sqrt(np.mean(miss**2))),
        reach_95_s=float(t[reached[0]]) if reached.size else None,
    )  # fmt: skip


def _answer(t: Floats, lag: float, delay: float) -> Floats:
    """Answer of one lag with dead time and gain 1 to a step at 0 s."""
    course: Floats = -np.expm1(-np.maximum(t - delay, 0.0) / lag)
    return course


def _one_lag(t: Floats, rise: Floats, known_delay_s: float) -> tuple[float, float, float]:
    """Lag, dead time and gain of least squares; the gain follows from the other two, as it enters linearly."""
    from scipy.optimize import least_squares

    end = float(t[-1])

    def gain(lag: float, delay: float) -> float:
        course = _answer(t, lag, delay)
        power = float(course @ course)
        return float(course @ rise) / power if power > 0 else 0.0

    def miss(x: Floats) -> Floats:
        lag, delay = end * math.exp(x[0]), end * float(x[1])
        found: Floats = rise - gain(lag, delay) * _answer(t, lag, delay)
        return found

    reached = np.abs(rise) >= 0.63 * abs(rise[-1])
    guess = max(float(t[int(np.argmax(reached))]), end / SAMPLES)
    begun = float(t[int(np.argmax(np.abs(rise) >= 0.02 * np.abs(rise).max()))])
    best, least = None, min(known_delay_s / end, 0.9)
    for delay in (0.0, begun):  # from two starts: the cost has a valley along lag plus dead time
        start = [math.log(max(guess - delay, end / SAMPLES) / end), min(max(delay / end, least), 0.9)]
        found = least_squares(miss, start, bounds=([-12.0, least], [5.0, 0.95]), x_scale=[1.0, 0.1], xtol=1e-10)
        if best is None or found.cost < best.cost:
            best = found
    assert best is not None
    lag, delay = end * math.exp(best.x[0]), end * float(best.x[1])
    return lag, delay, gain(lag, delay)


def heating_up_s(rig: Rig, setpoint_degC: float) -> float | None:
    """Time flat out from cold until the probed body first reaches a setpoint, s; None where it never does."""
    at = rig.body_index(rig.probe.body)
    verdict = can_hold(rig, setpoint_degC)
    if verdict is not None and not verdict.can:
        return None
    run = _by_hand(rig, 1.0, _span(rig, 1.0, rest_degC(rig, 1.0), _LONGEST_HEATING_S))
    # The first look finds roughly when; a second one, that ends soon after, finds it well.
    reach = _first_reach_s(run, at, setpoint_degC)
    if reach is not None and reach > 0:
        reach = _first_reach_s(_by_hand(rig, 1.0, max(1.5 * reach, 2.0)), at, setpoint_degC)
    return reach


def _first_reach_s(run: Run, at: int, setpoint_degC: float) -> float | None:
    """When a body first reaches a temperature, between samples; None where it does not."""
    course = run.bodies_degC[at]
    way = setpoint_degC - course[0]
    if way == 0:
        return 0.0
    over = (course - setpoint_degC) * np.sign(way) >= 0
    if not over.any():
        return None
    k = int(np.argmax(over))
    if k == 0:
        return None
    share = (setpoint_degC - course[k - 1]) / (course[k] - course[k - 1])
    return float(run.time_s[k - 1] + share * (run.time_s[k] - run.time_s[k - 1]))


def holding_round(rig: Rig, setpoint_degC: float) -> list[tuple[float, float]]:
    """Setpoints from half to one and a half times as far from the surroundings as one, degC, and the demand of each.

    Those that the drives cannot hold are left out.
    """
    low = rig.surroundings.temperature_degC
    found = []
    for share in (0.5, 0.75, 1.0, 1.25, 1.5):
        setpoint = float(round(low + (setpoint_degC - low) * share))
        verdict = can_hold(rig, setpoint)
        if verdict is not None and verdict.can and verdict.holding_drive is not None:
            found.append((setpoint, verdict.holding_drive))
    return found
