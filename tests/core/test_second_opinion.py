"""Laws and measures against plain ones written from their definitions, on whatever hypothesis thinks of."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from kelvarn.engine.measures import Span, measure
from kelvarn.engine.on_trial import Stepper
from kelvarn.engine.run import Run, compute
from kelvarn.model.events import DoorOpens
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.trial import Plan, SetpointChange, Trial
from tests.conftest import one_lag, trial, with_course

# Laws


class PlainOnOff:
    """On/off as the model page says it, with instants in place of counters."""

    def __init__(self, c: OnOff, h: float) -> None:
        self.c, self.h = c, h
        self.k = 0
        self.on = self.done = False
        self.changed_at = 0  # power-up counts as switching off
        self.passed_since: int | None = None
        self.decided_at: int | None = None

    def step(self, r: float, y: float) -> float:
        now, c = self.k, self.c
        self.k += 1
        if self.done or (self.decided_at is not None and not self._long(self.decided_at, now, c.decide_every_s)):
            return float(self.on)
        self.decided_at = now
        if self.on:
            wants_change = y >= (r if c.once else r + c.above_K) and not y <= r - c.below_K
        else:
            wants_change = y <= r - c.below_K
        if not wants_change:
            self.passed_since = None
            return float(self.on)
        if self.passed_since is None:
            self.passed_since = now
        shortest = c.shortest_on_s if self.on else c.shortest_off_s
        if self._long(self.passed_since, now, c.confirm_s) and self._long(self.changed_at, now, shortest):
            self.done = self.on and c.once
            self.on = not self.on
            self.changed_at, self.passed_since = now, None
        return float(self.on)

    def _long(self, since: int, now: int, least_s: float) -> bool:
        return (now - since) * self.h >= least_s - 1e-6


readings = st.lists(st.floats(50, 70), min_size=5, max_size=120)
times = st.sampled_from([0.0, 1.0, 2.0, 3.0, 5.0, 8.0, 20.0])


@settings(max_examples=150, deadline=None)
@given(
    readings, st.floats(0, 4), st.floats(0, 4), times, times, times, times, st.booleans(), st.sampled_from([1.0, 2.0])
)
def test_on_off_is_what_the_model_says(
    measured: list[float],
    below: float,
    above: float,
    on_s: float,
    off_s: float,
    confirm_s: float,
    every_s: float,
    once: bool,
    h: float,
) -> None:
    c = OnOff(
        below_K=below, above_K=above, shortest_on_s=on_s, shortest_off_s=off_s, confirm_s=confirm_s,
        decide_every_s=every_s, once=once,
    )  # fmt: skip
    assume(below + (0 if once else above) > 0)  # with no band at all both edges are passed at once
    law, plain = Stepper(c, trial(10).plan, h), PlainOnOff(c, h)
    assert [law.step(y).given for y in measured] == [plain.step(60.0, y) for y in measured]


def plain_pid(c: Pid, h: float, setpoints: list[float], measured: list[float]) -> list[float]:
    """PID as the model page says it: forward I, backward D with its filter, clamp, rate limit, anti-windup."""
    td = c.td_s if c.terms == "PID" else 0.0
    b = c.setpoint_weight if c.terms != "P" else 1.0
    tt = c.tracking_s or (math.sqrt(c.ti_s * td) if td else c.ti_s)
    memory = c.kp_per_K * (1 - b) * measured[0] if c.terms != "P" else 0.0
    speed = 0.0
    before = c.derivative_weight * setpoints[0] - measured[0]
    last = min(max(c.bias, c.low), c.high)
    found = []
    for r, y in zip(setpoints, measured, strict=True):
        seen = c.derivative_weight * r - y
        # (s Kp Td) / (1 + s Td/N) with s ← (1 − z⁻¹)/h, solved for the newest value.
        tau = td / c.filter_n
        speed = (tau / h * speed + c.kp_per_K * td / h * (seen - before)) / (1 + tau / h)
        before = seen
        v = c.bias + c.kp_per_K * (b * r - y) + memory + speed
        u = min(max(v, c.low), c.high)
        if c.rate_per_s is not None:
            u = min(max(u, last - c.rate_per_s * h), last + c.rate_per_s * h)
        last = u
        found.append(u)
        if c.terms != "P":
            e = r - y
            pushing_out = (v > u and e > 0) or (v < u and e < 0)
            if c.anti_windup != "hold" or not pushing_out:
                memory += c.kp_per_K / c.ti_s * h * e
            if c.anti_windup == "back_calculation":
                memory += min(h / tt, 1.0) * (u - v)
    return found


pids = st.builds(
    Pid,
    terms=st.sampled_from(["P", "PI", "PID"]),
    kp_per_K=st.floats(0.01, 3),
    ti_s=st.floats(5, 2000),
    td_s=st.floats(0, 100),
    setpoint_weight=st.floats(0, 1),
    derivative_weight=st.floats(0, 1),
    filter_n=st.floats(1, 30),
    bias=st.floats(-0.3, 0.6),
    low=st.floats(-0.5, 0.2),
    high=st.floats(0.5, 1),
    rate_per_s=st.none() | st.floats(0.001, 0.5),
    anti_windup=st.sampled_from(["none", "hold", "back_calculation"]),
    tracking_s=st.none() | st.floats(0.5, 500),
)


@settings(max_examples=200, deadline=None)
@given(
    pids,
    st.lists(st.tuples(st.floats(20, 90), st.floats(20, 90)), min_size=3, max_size=60),
    st.integers(100, 20000).map(lambda ms: ms / 1000),
)
def test_pid_is_what_the_model_says(c: Pid, samples: list[tuple[float, float]], h: float) -> None:
    plan = Plan(changes=tuple(SetpointChange(at_s=k * h, to_degC=r) for k, (r, _) in enumerate(samples)))
    law = Stepper(c, plan, h)
    found = [law.step(y).given for _, y in samples]
    assert found == pytest.approx(plain_pid(c, h, *map(list, zip(*samples, strict=True))), abs=1e-9, rel=1e-9)
    first = min(max(c.bias, c.low), c.high)
    if c.rate_per_s is None:
        assert all(c.low <= u <= c.high for u in found)
    else:
        steps = np.abs(np.diff([first, *found]))
        assert steps.max() <= c.rate_per_s * h + 1e-12


@settings(max_examples=80, deadline=None)
@given(pids, st.lists(st.floats(20, 90), min_size=3, max_size=40), st.floats(-200, 200))
def test_pid_does_not_care_where_the_scale_has_its_zero(c: Pid, measured: list[float], shift: float) -> None:
    here, there = Stepper(c, trial(10).plan, 1.0), Stepper(c, trial(10, 60 + shift).plan, 1.0)
    for y in measured:
        assert there.step(y + shift).given == pytest.approx(here.step(y).given, abs=1e-7)


# Measures


def made_run(y: np.ndarray, h: float, **more: object) -> Run:
    """A run of so many samples whose temperature is what is given."""
    more.setdefault("plan", Plan(changes=(SetpointChange(at_s=0, to_degC=60),)))
    run = compute(one_lag(interval_s=h), OnOff(), Trial(name="Made", duration_s=(y.size - 1) * h, **more))  # type: ignore[arg-type]
    assert run.time_s.size == y.size
    return with_course(run, y)


def crossing(t: np.ndarray, y: np.ndarray, way: float, level: float) -> float | None:
    """First instant at which y, going `way`, reaches a level; straight between samples."""
    reached = np.flatnonzero(way * (y - level) >= 0)
    if not reached.size:
        return None
    k = int(reached[0])
    return float(t[k]) if k == 0 else float(np.interp(level, *sorted_pair(y[k - 1 : k + 1], t[k - 1 : k + 1])))


def sorted_pair(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    order = np.argsort(x)
    return x[order], y[order]


def check_window(window: Span, t: np.ndarray, y: np.ndarray, r: np.ndarray, band: float, h: float) -> None:
    """All measures of a window against their definitions."""
    e = y - r
    values = window.values
    trapezium = lambda x: float(np.trapezoid(x, t))  # noqa: E731
    assert values["iae_Ks"] == pytest.approx(trapezium(abs(e)), rel=1e-9, abs=1e-9)
    assert values["ise_K2s"] == pytest.approx(trapezium(e * e), rel=1e-9, abs=1e-9)
    assert values["itae_Ks2"] == pytest.approx(trapezium((t - window.from_s) * abs(e)), rel=1e-9, abs=1e-6)
    span = t[-1] - t[0]
    assert values["steady_error_K"] == pytest.approx(e[t >= t[-1] - span / 10].mean(), abs=1e-9)
    late = t >= t[-1] - span / 4
    assert values["swing_K"] == pytest.approx(np.ptp(y[late]), abs=1e-12)
    sampled = late & (abs(t / h - np.round(t / h)) < 1e-6)
    mean, ty = y[late].mean(), list(zip(t[sampled], y[sampled], strict=True))
    ups = [t0 + (t1 - t0) * (mean - y0) / (y1 - y0) for (t0, y0), (t1, y1) in itertools.pairwise(ty) if y0 < mean <= y1]
    period = values["swing_period_s"]
    assert (period is None) == (len(ups) < 2)
    if period is not None:
        assert period == pytest.approx(np.diff(ups).mean(), rel=1e-7)
    # Settling and recovery.
    away = e if window.opens == "event" else y - window.setpoint_degC
    outside = np.flatnonzero(abs(away) > band)
    key = "recovery_s" if window.opens == "event" else "settling_s"
    back = t[0]
    if outside.size and outside[-1] + 1 < t.size:
        k = int(outside[-1])
        edge = math.copysign(band, away[k])
        back = t[k] + (t[k + 1] - t[k]) * (edge - away[k]) / (away[k + 1] - away[k])
    if abs(t[-1] - back - max(10 * h, 0.05 * span)) < 1e-6:
        pass  # on the edge of too short a while
    elif (outside.size and outside[-1] == t.size - 1) or t[-1] - back < max(10 * h, 0.05 * span):
        assert values[key] is None
        assert window.reasons[key]
    else:
        assert values[key] == pytest.approx(back - window.from_s, rel=1e-9, abs=1e-9)
    if window.opens == "event":
        assert values["sag_K"] == pytest.approx(abs(y - y[0]).max(), abs=1e-12)
        return
    gap = window.setpoint_degC - y[0]
    if abs(gap) < 1e-9:
        assert values["rise_s"] is None
        return
    way = math.copysign(1, gap)
    over = max(0.0, float((way * (y - window.setpoint_degC)).max()))
    assert values["overshoot_K"] == pytest.approx(over, abs=1e-12)
    assert values["overshoot_pct"] == pytest.approx(100 * over / abs(gap), rel=1e-9, abs=1e-9)
    ends = [crossing(t, y, way, y[0] + share * gap) for share in (0.1, 0.9)]
    if ends[1] is None:
        assert values["rise_s"] is None
    else:
        assert values["rise_s"] == pytest.approx(ends[1] - ends[0], rel=1e-7, abs=1e-7)


@settings(max_examples=120, deadline=None)
@given(
    st.integers(0, 2**32 - 1),
    st.integers(30, 400),
    st.sampled_from([0.5, 1.0, 3.0]),
    st.floats(0.05, 5),
    st.sampled_from(["walk", "settles", "swings", "flat"]),
)
def test_measures_are_what_they_are_defined_to_be(seed: int, count: int, h: float, band: float, kind: str) -> None:
    rng = np.random.default_rng(seed)
    t = np.arange(count) * h
    y = {
        "walk": 40 + np.cumsum(rng.normal(0, 1.0, count)),
        "settles": 60 - 35 * np.exp(-t / (0.1 * t[-1])) + rng.normal(0, 0.2, count),
        "swings": 60 + 3 * np.sin(t / t[-1] * rng.uniform(20, 90)) + rng.normal(0, 0.05, count),
        "flat": np.full(count, 60.0 + rng.choice([0.0, 0.3])),
    }[kind]
    middle = float(t[int(rng.integers(5, count - 20))]) + rng.choice([0.0, 0.3 * h])
    late = float(t[int(rng.integers(count - 12, count - 3))])
    plan = Plan(
        changes=(SetpointChange(at_s=0, to_degC=60), SetpointChange(at_s=middle, to_degC=float(rng.uniform(50, 70))))
    )
    door = DoorOpens(name="Door", body="Block", at_s=late, lasts_s=5.0, conductance_W_per_K=1.0)
    run = made_run(y, h, plan=plan, events=(door,), band_K=band) if late > middle else made_run(y, h, band_K=band)
    found = measure(run)
    starts = [window.from_s for window in found.windows]
    assert starts == sorted(starts)
    ends = [*starts[1:], float(t[-1])]
    for window, end in zip(found.windows, ends, strict=True):
        inside = (t >= window.from_s - 1e-9) & (t <= end + 1e-9)
        if inside.sum() < 2:
            assert all(value is None for value in window.values.values())
            continue
        # From its start to the next one's inclusive, straight between samples; its own setpoint all the way.
        at = np.unique(np.round(np.concatenate([[window.from_s], t[inside], [end]]), 9))
        own = window.setpoint_degC
        check_window(window, at, np.interp(at, t, y), np.full(at.size, own), band, h)
    assert found.values["travel"] == pytest.approx(np.abs(np.diff(run.drive)).sum(), abs=1e-9)
    assert found.values["mean_drive"] == pytest.approx(run.drive[:-1].mean(), abs=1e-12)
    assert found.hottest_degC == {"Block": y.max()}
