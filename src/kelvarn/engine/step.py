"""The open-loop step: how a rig answers a drive set by hand, and that answer read as one lag and a dead time."""

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any, Literal

import numpy as np

from kelvarn.model.bodies import COLDEST_DEGC, HOTTEST_DEGC
from kelvarn.model.drives import AnyDrive, Pwm
from kelvarn.model.edit import with_each, with_fields
from kelvarn.model.event_base import LONGEST_S
from kelvarn.model.fixed import Hand
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.sentence import say

from .layout import Floats, curves_of, lay_out, probe_record, sharing_of, transport_s
from .measures import Measures, measure
from .output import mean_output, outputs_of
from .plant import Fault, FaultState, ProbeState
from .prepare import RunError
from .probes import felt, reading
from .run import Run, compute
from .steady import can_hold, reached, rest_degC

SAMPLES = 1500
_FIRST_GUESS_S = 600.0
_SETTLED = 0.02  # the answer is shown until so little of it is missing
_LONGEST_HEATING_S = 30 * 86400.0
_LONGEST_RAMP_S = 3600.0
_MOST_LONGER = 18  # doublings of the time looked at
_MOST_RISE_K = 3000.0  # of an integrating rig
_NOTHING_K = 1e-9  # what moves less does not answer

Start = Literal["cold", "warm"]


@dataclass(frozen=True)
class Reading:
    """An answer read as one lag and a dead time, or as a ramp and a dead time where it integrates.

    Attributes:
        gain_K: rest temperature gained, scaled to full drive, from the heat balance; None where it integrates.
        lag_s: time constant; None where it integrates.
        rise_K_per_s: rate at full drive where it integrates, else None.
        dead_time_s: dead time.
        rms_K: how far the one-lag curve is off, rms.
        reach_95_s: time to 95 % of the way to rest; None where it integrates, or does not get there in the record.
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
            return say("it integrates: without control it never comes to rest")
        share = self.ratio / (1 + self.ratio)
        if share < 0.1:
            return say("easy to control")
        if share < 0.3:
            return say("fair to control")
        return say("hard to control") if share < 0.5 else say("very hard to control: dead time rules")


@dataclass(frozen=True, eq=False)
class StepResponse:
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
def open_loop(rig: Rig, drive: float, start: Start = "cold") -> StepResponse:
    """Step the drive and see; it starts at rest, since only then all that follows is the step's.

    Args:
        rig: the rig; its probes are read without noise and steps here, as often as the picture needs, and relays and
            slow windows give the demand as it is.
        drive: demand from 0 s on, −1…1.
        start: "cold": at rest with the drive off (or as the bodies start, where there is no rest); "warm": at rest at
            half the drive.

    Raises:
        RunError: it cannot be computed, or there is no rest to start warm from.
    """
    rig = averaged(rig)
    before = drive / 2 if start == "warm" else 0.0
    end, initial = rest_degC(rig, drive), rest_degC(rig, before)
    if initial is not None:
        rig = _at(rig, initial, start)
    elif start == "warm":
        raise RunError(say("This rig never comes to rest, so there is no warm start for a step; take a cold one."))
    if end is None:
        return _integrating(rig, drive, before, start)
    run = _by_hand(rig, drive, _span(rig, drive, end), before)
    at = rig.body_index(rig.probe.body)
    way = _shown(rig, float(end[at])) - _shown(rig, float(run.bodies_degC[at, 0]))
    change = _output_change(rig, before, drive)
    return StepResponse(start, before, drive, run, read_step(run, change, way, _known_delay_s(rig)))


def _output_change(rig: Rig, before: float, after: float) -> float:
    """How much the output of the drives changes when their demand does: less than that at a top, more at a floor."""
    drives, sharing, way = lay_out(rig).drives, sharing_of(rig), 1.0 if after >= 0 else -1.0
    first, last = (mean_output(drives, outputs_of(drives, sharing, demand), way) for demand in (before, after))
    return way * (last - first)


def averaged(rig: Rig) -> Rig:
    """A rig in dry air whose probes are read exactly and whose drives give a demand as it is, not pulses of it."""
    exact = with_each(rig, "probes", lambda _: {"noise_K": 0.0, "resolution_K": 0.0, "converter": None})
    dry = with_each(exact, "links", lambda _: {"icing": None})  # ice grows without end: nothing would come to rest
    return with_fields(dry, drives=tuple(averaged_drive(drive) for drive in rig.drives))


def averaged_drive(drive: AnyDrive) -> AnyDrive:
    """A drive that gives a demand as it is, in place of one that switches to give it in the mean."""
    if not (drive.kind == "relay" or drive.kind == "slow_window"):
        return drive
    return Pwm(
        name=drive.name, body=drive.body, power_W=drive.power_W, acts=drive.acts, dead_time_s=drive.dead_time_s,
        resistive=drive.resistive, steps=65535,
    )  # fmt: skip


def _at(rig: Rig, degC: Floats, start: Start) -> Rig:
    """A rig whose bodies start at given temperatures."""
    for name, value in zip(rig.body_names, degC.tolist(), strict=True):
        if not COLDEST_DEGC <= value <= HOTTEST_DEGC:
            where = say("with the drive off") if start == "cold" else say("at half this drive")
            how = say("hotter") if value > 0 else say("colder")
            raise RunError(
                say(
                    "{name} would rest {how} than can be computed {where}: no step can start there; check what it "
                    "loses to the surroundings and the heat of its own.",
                    name=name,
                    how=how,
                    where=where,
                )
            )
    if rig.response is not None:
        return with_fields(rig, response=with_fields(rig.response, start_degC=float(degC[0])))
    bodies = tuple(with_fields(b, start_degC=float(t)) for b, t in zip(rig.bodies, degC, strict=True))
    return with_fields(rig, bodies=bodies)


def _shown(rig: Rig, degC: float) -> float:
    """What the control probe shows of a temperature that stays."""
    nothing = Fault(0, 0.0, 0.0, 1.0)
    probe, state, kept = probe_record(rig, rig.probe), ProbeState(0, 0.0, False, -1, 0.0), FaultState(False, 0.0, 0.0)
    curves: Any = curves_of(rig)
    return reading(1, 0.0, felt(probe, degC, 0.0), probe, state, curves, [nothing], [kept])


def _by_hand(rig: Rig, drive: float, span_s: float, before: float = 0.0) -> Run:
    interval = min(max(span_s / SAMPLES, 0.01), 3600.0)
    often = with_each(rig.unguarded, "probes", lambda _: {"interval_s": interval})
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=rig.surroundings.temperature_degC),))
    trial = Trial(name="Open-loop step", duration_s=min(max(span_s, 1.0), LONGEST_S), plan=plan)
    return compute(often, Hand(drive=drive, before=before), trial)


def _known_delay_s(rig: Rig) -> float:
    """Dead times that the rig states: no answer can come sooner."""
    return min(transport_s(rig, drive) for drive in rig.drives) + rig.probe.dead_time_s


def _span(rig: Rig, drive: float, end: Floats, limit_s: float = LONGEST_S) -> float:
    """Time in which the answer all but ends: looked for by doubling, then without what is flat at its end."""
    at, delay = rig.body_index(rig.probe.body), _known_delay_s(rig)
    span = min(max(_FIRST_GUESS_S, 4 * delay), limit_s)
    for _ in range(_MOST_LONGER):
        if span >= limit_s:
            return limit_s
        course = _by_hand(rig, drive, span).bodies_degC[at]
        outside = np.flatnonzero(np.abs(course - end[at]) > _SETTLED * abs(course[0] - end[at]) + 0.01)
        settled = 1 + int(outside[-1]) if outside.size else course.size // 20
        if settled < course.size:
            return min(float(max(span * min(1.15 * settled / course.size, 1.0), 5 * delay, 10.0)), limit_s)
        span *= 2
    return min(span, limit_s)


def _integrating(rig: Rig, drive: float, before: float, start: Start) -> StepResponse:
    """The step of a rig that never comes to rest: recorded until all but the ramp has died away."""
    layout = lay_out(rig)
    kept = [body for body in rig.body_names if body in reached(rig, rig.probe.body)]
    capacity = sum(1 / layout.bodies[layout.entry[name]].per_capacity_K_per_J for name in kept)
    if rig.response is not None:
        capacity = 1 / layout.bodies[0].per_capacity_K_per_J
    entries = {layout.entry[name] for name in kept}

    def watts(demand: float) -> float:
        outputs = outputs_of(layout.drives, sharing_of(rig), demand)
        return sum(
            output * each.power_W
            for each, output in zip(layout.drives, outputs, strict=True)
            if each.acts_on in entries
        )

    own = sum(body.own_heat_W for body in rig.bodies if body.name in kept)
    slope, drift = (watts(drive) - watts(before)) / capacity, (watts(before) + own) / capacity
    scale = _shown(rig, 21.0) - _shown(rig, 20.0)  # kelvins shown for a kelvin
    longest = min(LONGEST_S, _MOST_RISE_K / max(abs(slope + drift), 1e-12))
    span = min(max(_FIRST_GUESS_S, 8 * _known_delay_s(rig)), longest)
    delay = None
    while True:
        run = _by_hand(rig, drive, span, before)
        found = _read_ramp(run, _output_change(rig, before, drive), slope * scale, drift * scale)
        if (
            found is None
            or span >= longest
            or (delay is not None and abs(found.dead_time_s - delay) <= 0.001 * delay + 0.01)
        ):
            return StepResponse(start, before, drive, run, found)
        delay = found.dead_time_s
        span = min(2 * max(span, 4 * delay), longest)


def _read_ramp(run: Run, change: float, slope: float, drift: float) -> Reading | None:
    """A ramp with a dead time: how fast it rises follows from watts and heat capacities, the rest from where it got to.

    Args:
        run: of a step at 0 s.
        change: how much the output of the drives changed, −1…1.
        slope, drift: rise by the step, and by what was before, K/s as shown.
    """
    if slope == 0 or change == 0:
        return None
    t = run.time_s
    rise = run.measured_degC - run.measured_degC[0] - drift * t
    delay = max(float(t[-1] - rise[-1] / slope), 0.0)
    miss = rise - slope * np.maximum(t - delay, 0.0)
    return Reading(None, None, slope / change, delay, float(np.sqrt(np.mean(miss**2))), None)


def read_step(run: Run, change: float, way: float, known_delay_s: float = 0.0) -> Reading | None:
    """Read an answer that ends: the gain is that of rest, lag and dead time are fitted to the measured curve with it.

    Args:
        run: of a step at 0 s.
        change: how much the output of the drives changed, −1…1.
        way: from rest to rest as the probe shows it, K.
        known_delay_s: dead time that there is at least.
    """
    rise = run.measured_degC - run.measured_degC[0]
    if abs(way) < _NOTHING_K or change == 0 or np.abs(rise).max() < _NOTHING_K:
        return None
    t = run.time_s
    lag, delay = _one_lag(t, rise, way, known_delay_s)
    miss = rise - way * _answer(t, lag, delay)
    beyond = np.flatnonzero(rise / way >= 0.95)
    return Reading(
        gain_K=way / change, lag_s=lag, rise_K_per_s=None, dead_time_s=delay, rms_K=float(np.sqrt(np.mean(miss**2))),
        reach_95_s=None if not beyond.size or beyond[0] == 0 else _between(t, rise / way, int(beyond[0]), 0.95),
    )  # fmt: skip


def _between(t: Floats, course: Floats, k: int, level: float) -> float:
    """When a course passes a level between sample k − 1 and k."""
    share = (level - course[k - 1]) / (course[k] - course[k - 1])
    return float(t[k - 1] + share * (t[k] - t[k - 1]))


def _answer(t: Floats, lag: float, delay: float) -> Floats:
    """Answer of one lag with dead time and gain 1 to a step at 0 s."""
    course: Floats = -np.expm1(-np.maximum(t - delay, 0.0) / lag)
    return course


def _one_lag(t: Floats, rise: Floats, way: float, known_delay_s: float) -> tuple[float, float]:
    """Lag and dead time of least squares."""
    from scipy.optimize import least_squares

    end = float(t[-1])

    def miss(x: Floats) -> Floats:
        found: Floats = rise - way * _answer(t, end * math.exp(x[0]), end * float(x[1]))
        return found / way

    reached_at = np.flatnonzero(rise / way >= 0.63)
    guess = max(float(t[reached_at[0]]) if reached_at.size else end, end / SAMPLES)
    begun = float(t[int(np.argmax(np.abs(rise) >= 0.02 * np.abs(rise).max()))])
    best, least = None, min(known_delay_s / end, 0.9)
    for delay in (0.0, begun):  # from two starts: the cost has a valley along lag plus dead time
        start = [math.log(max(guess - delay, end / SAMPLES) / end), min(max(delay / end, least), 0.9)]
        found = least_squares(
            miss, start, bounds=([-12.0, least], [12.0, 0.95]), x_scale=[1.0, 0.1], xtol=1e-12, ftol=1e-12
        )
        if best is None or found.cost < best.cost:
            best = found
    assert best is not None
    return end * math.exp(best.x[0]), end * float(best.x[1])


def heating_up_s(rig: Rig, setpoint_degC: float) -> float | None:
    """Time flat out from cold until the probed body first reaches a setpoint, s; None where it never does."""
    at = rig.body_index(rig.probe.body)
    verdict = can_hold(rig, setpoint_degC)
    if verdict is not None and not verdict.can:
        return None
    rig = averaged(rig)
    end = rest_degC(rig, 1.0)
    run = _by_hand(rig, 1.0, _LONGEST_RAMP_S if end is None else _span(rig, 1.0, end, _LONGEST_HEATING_S))
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
    return _between(run.time_s, course, k, setpoint_degC)


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
