"""The engine against closed forms, an independent integration and the heat balance."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from kelvarn.engine.changes import opened_W_per_K, surroundings_at
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Run, compute
from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Relay, SlowWindow
from kelvarn.model.edit import put, with_fields
from kelvarn.model.events import DoorOpens, Load, SurroundingsChange
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.studies.results import Results
from tests.conftest import one_lag, trial

FULL = Pid(terms="P", kp_per_K=1000.0)  # always flat out below its setpoint


def independent(run: Run) -> np.ndarray:
    """The same run by scipy, from the recorded power and the same events, at rtol 1e-10; bodies × samples.

    The delivered pulses are rebuilt from the recorded drive demand, with nothing shared with the kernel but the data.
    """
    rig, test = run.rig, run.trial
    n = len(rig.bodies)
    drive = rig.drive
    assert isinstance(drive, SlowWindow)
    assert drive.window_s == rig.probe.interval_s
    switches = []
    for t, u in zip(run.time_s[:-1], run.drive[:-1], strict=True):
        pulse = min(np.floor(u * drive.window_s / drive.resolution_s + 0.5) * drive.resolution_s, drive.window_s)
        if pulse > 1e-9:
            switches += [(t + drive.dead_time_s, 1.0), (t + drive.dead_time_s + pulse, 0.0)]
    heated = rig.body_index(drive.body)
    c = np.array([b.capacity_J_per_K for b in rig.bodies])
    edges = {0.0, *(t for t, _ in switches)}
    for event in test.events:
        edges |= {event.at_s, event.at_s + (event.lasts_s or 1e12)}
    edges = {t for t in edges if t < run.time_s[-1]} | set(run.time_s.tolist())
    times = sorted(edges)

    def heat(t: float, x: np.ndarray, level: float, middle: float) -> np.ndarray:
        outside = surroundings_at(run.rig, run.trial, middle)
        q = np.zeros(n + 1)
        full = np.append(x, outside)
        for link in rig.links:
            a, b = rig.body_index(link.a), rig.body_index(link.b)
            flow = link.conductance_W_per_K * (full[b] - full[a])
            q[a] += flow
            q[b] -= flow
        for i, body in enumerate(rig.bodies):
            q[i] += opened_W_per_K(run.rig, run.trial, body.name, SURROUNDINGS, middle) * (outside - x[i])
        for event in test.events:
            if event.kind == "load" and event.at_s <= middle < event.at_s + (event.lasts_s or 1e12):
                q[rig.body_index(event.body)] += event.power_W
        q[heated] += level * drive.power_W
        return q[:n] / c

    x = run.bodies_degC[:, 0].copy()
    found, level, k = [x], 0.0, 0
    for start, end in itertools.pairwise(times):
        while k < len(switches) and switches[k][0] <= start + 1e-9:
            level, k = switches[k][1], k + 1
        if end - start > 1e-9:
            part = solve_ivp(heat, (start, end), x, rtol=1e-10, atol=1e-10, args=(level, (start + end) / 2))
            x = part.y[:, -1]
        if np.isclose(end % rig.probe.interval_s, 0) and end in set(run.time_s[len(found) : len(found) + 1].tolist()):
            found.append(x)
    return np.array(found).T


def test_cabinet_agrees_with_an_independent_integration(cabinet: Project) -> None:
    events = (
        DoorOpens(name="Door", at_s=301.3, lasts_s=44.4, body="Air", conductance_W_per_K=30),
        Load(name="Hand", at_s=500.0, lasts_s=33.0, body="Part", power_W=-40),
        SurroundingsChange(name="Draught", at_s=617.7, change_K=-7),
    )
    short = with_fields(cabinet.trials[0], duration_s=900, events=events, marks=())
    for candidate in cabinet.candidates:
        run = compute(cabinet.rig, candidate.controller, short)
        expected = independent(run)
        assert expected.shape == run.bodies_degC.shape
        assert np.abs(expected - run.bodies_degC).max() < 2e-3  # the bar; benchmarks/accuracy.py says what it gives


def test_one_lag_step_is_exponential() -> None:
    run = compute(one_lag(gain_K=100, lag_s=200), FULL, trial(1000, 500))
    expected = 20 + 100 * (1 - np.exp(-run.time_s / 200))
    np.testing.assert_allclose(run.bodies_degC[0], expected, atol=1e-8)


def test_dead_time_need_not_be_whole_samples() -> None:
    run = compute(one_lag(gain_K=100, lag_s=50, dead_time_s=7.3), FULL, trial(300, 500))
    expected = 20 + 100 * (1 - np.exp(-np.maximum(run.time_s - 7.3, 0) / 50))
    np.testing.assert_allclose(run.bodies_degC[0], expected, atol=1e-8)


def test_integrating_body_rises_straight() -> None:
    rig = with_fields(one_lag(gain_K=100, lag_s=200), links=())
    run = compute(rig, FULL, trial(100, 500))
    np.testing.assert_allclose(run.bodies_degC[0], 20 + run.time_s * 200 / 400, atol=1e-8)


def test_probe_lag_makes_two_lags() -> None:
    rig = put(one_lag(gain_K=100, lag_s=200), ("probes", 0, "lag_s"), 30.0)
    run = compute(rig, FULL, trial(1000, 500))
    t = run.time_s
    expected = 20 + 100 * (1 - (200 * np.exp(-t / 200) - 30 * np.exp(-t / 30)) / 170)
    np.testing.assert_allclose(run.measured_degC, expected, atol=1e-8)


def test_on_off_swing_and_period_of_one_lag_with_dead_time() -> None:
    """Closed form: an edge is passed, and for the dead time (and up to one sample) the old course goes on."""
    gain, lag, dead, band, interval = 100.0, 300.0, 12.0, 1.0, 0.1
    run = compute(
        one_lag(gain, lag, dead, interval), OnOff(below_K=band, above_K=band), trial(6000, 60.0, start_degC=59.0)
    )
    fall, rise = np.exp(-dead / lag), np.exp(-dead / lag)
    highest = 120 - (120 - 61) * rise
    lowest = 20 + (59 - 20) * fall
    late = run.bodies_degC[0][30000:]
    per_sample = 0.5 * interval  # the edge is seen at the sample after it; the course is at most 0.5 K/s... 0.2 K/s
    assert late.max() == pytest.approx(highest, abs=per_sample)
    assert late.min() == pytest.approx(lowest, abs=per_sample)
    period = lag * np.log((highest - 20) / (59 - 20)) + dead + lag * np.log((120 - lowest) / (120 - 61)) + dead
    ups = np.flatnonzero((late[:-1] < 60) & (late[1:] >= 60))
    assert np.diff(ups).mean() * interval == pytest.approx(period, abs=2 * interval)


def test_second_order_overshoot_of_pi_on_an_integrator() -> None:
    """PI on an integrator is second order: v = Kp(b r − y) + I with b = 0 has no zero and a textbook overshoot."""
    k = 0.5  # K/s at full drive
    zeta, omega = 0.5, 0.02
    kp, ti = 2 * zeta * omega / k, 2 * zeta / omega
    rig = with_fields(one_lag(lag_s=200, interval_s=0.05), links=())
    pi = Pid(terms="PI", kp_per_K=kp, ti_s=ti, setpoint_weight=0.0)
    run = compute(rig, pi, trial(900, 30.0))
    assert run.drive.max() < 1
    assert run.asked.min() < 0  # only the low limit is met, after the overshoot; judge the first peak by the rise
    peak = run.bodies_degC[0].max()
    overshoot = np.exp(-np.pi * zeta / np.sqrt(1 - zeta**2))
    at = run.time_s[run.bodies_degC[0].argmax()]
    assert at == pytest.approx(np.pi / (omega * np.sqrt(1 - zeta**2)), rel=0.02)
    assert (peak - 30) / 10 == pytest.approx(overshoot, abs=0.01)


def test_heat_balance_closes(cabinet: Project) -> None:
    for candidate in cabinet.candidates:
        events = (*cabinet.trials[0].events, Load(name="Lamp", at_s=99.9, lasts_s=777.7, body="Part", power_W=60))
        run = compute(cabinet.rig, candidate.controller, with_fields(cabinet.trials[0], events=events))
        capacity = np.array([b.capacity_J_per_K for b in cabinet.rig.bodies])
        stored = float(capacity @ (run.bodies_degC[:, -1] - run.bodies_degC[:, 0]))
        assert stored + run.lost_J == pytest.approx(run.energy_J + run.loaded_J, rel=1e-9)


def test_same_project_same_bits_and_other_seed_other_noise(cabinet: Project) -> None:
    pid = cabinet.candidates[1].controller
    first, again = (compute(cabinet.rig, pid, cabinet.trials[0]) for _ in range(2))
    assert np.array_equal(first.measured_degC, again.measured_degC)
    assert np.array_equal(first.bodies_degC, again.bodies_degC)
    other = compute(cabinet.rig, pid, with_fields(cabinet.trials[0], seed=2))
    assert not np.array_equal(first.measured_degC, other.measured_degC)


def test_noise_and_steps_of_the_probe() -> None:
    rig = put(one_lag(), ("probes", 0, "noise_K"), 0.2)
    run = compute(rig, OnOff(), trial(20000, -100))
    noise = run.measured_degC - run.bodies_degC[0]
    assert noise.std() == pytest.approx(0.2, rel=0.03)
    assert noise.mean() == pytest.approx(0, abs=0.01)
    stepped = compute(put(rig, ("probes", 0, "resolution_K"), 0.25), OnOff(), trial(200, -100))
    np.testing.assert_allclose(stepped.measured_degC % 0.25, 0, atol=1e-12)


def test_a_cooling_drive_mirrors_a_heating_one() -> None:
    heats = one_lag(dead_time_s=5.0)
    cools = put(heats, ("drives", 0, "acts"), "cools")
    for controller in (OnOff(shortest_off_s=20), Pid(terms="PI", kp_per_K=0.1, ti_s=100, setpoint_weight=0.4)):
        warm = compute(heats, controller, trial(2000, 60.0))
        cold = compute(cools, controller, trial(2000, -20.0))
        np.testing.assert_allclose(cold.bodies_degC - 20, -(warm.bodies_degC - 20), atol=1e-9)
        assert cold.energy_J == pytest.approx(warm.energy_J)
        assert (cold.power_W <= 0).all()


def test_relay_keeps_its_shortest_times() -> None:
    relay = Relay(body="Block", power_W=200, shortest_on_s=37, shortest_off_s=53)
    run = compute(with_fields(one_lag(), drives=(relay,)), OnOff(below_K=0.01, above_K=0.01), trial(5000))
    assert run.switching[0].ons > 20
    assert run.switching[0].shortest_on_s is not None
    assert run.switching[0].shortest_off_s is not None
    assert (run.switching[0].shortest_on_s, run.switching[0].shortest_off_s) == (pytest.approx(37), pytest.approx(53))


def test_slow_window_gives_the_demanded_share_across_samples() -> None:
    drive = SlowWindow(body="Block", power_W=200, window_s=10, resolution_s=0)
    half = Pid(terms="P", kp_per_K=1e-6, bias=0.37)
    run = compute(with_fields(one_lag(), drives=(drive,)), half, trial(1000))
    assert run.energy_J == pytest.approx(0.37 * 200 * 1000, rel=1e-4)
    assert run.switching[0].ons == 100
    assert run.switching[0].shortest_on_s == pytest.approx(3.7, abs=1e-3)
    longest = with_fields(drive, shortest_pulse_s=4.0)
    assert compute(with_fields(one_lag(), drives=(longest,)), half, trial(1000)).energy_J == 0


def test_switching_halves_nothing_when_the_step_is_halved(cabinet: Project) -> None:
    """The internal step must not matter: halving it moves no temperature by 1 mK."""
    rig = put(cabinet.rig, ("bodies", 0, "capacity_J_per_K"), 2.0)  # a wire-like heater of 0.4 s
    for candidate in cabinet.candidates:
        whole = compute(rig, candidate.controller, cabinet.trials[0])
        half = compute(rig, candidate.controller, cabinet.trials[0], step_share=0.25)
        assert np.abs(whole.bodies_degC - half.bodies_degC).max() < 1e-3


def test_an_impossible_rig_stops_and_names_the_body() -> None:
    rig = with_fields(put(one_lag(), ("drives", 0, "power_W"), 1e7), links=())
    with pytest.raises(RunError, match=r"Body “Block” leaves every sensible temperature \d+ s into trial “Trial”"):
        compute(rig, FULL, trial(1000, 2500))


def test_trials_that_cannot_be_run_are_refused_with_a_sentence() -> None:
    with pytest.raises(RunError, match="less than one reading"):
        compute(one_lag(interval_s=60), FULL, trial(30))
    with pytest.raises(RunError, match="readings, 5,000,000 are the most; make it shorter"):
        compute(one_lag(interval_s=0.01), FULL, trial(86400 * 300))


def test_a_body_that_follows_at_once_is_advanced_in_the_cheaper_way() -> None:
    """A time constant of 10 ns: it is always where its balance is."""
    fast = put(put(one_lag(), ("bodies", 0, "capacity_J_per_K"), 0.01), ("links", 0, "conductance_W_per_K"), 1e6)
    run = compute(put(fast, ("drives", 0, "power_W"), 1e7), FULL, trial(3600))
    np.testing.assert_allclose(run.bodies_degC[0, 1:], 30, atol=1e-6)


@settings(max_examples=25, deadline=None)
@given(st.integers(1, 16), st.integers(0, 2**31), st.booleans())
def test_any_rig_stays_finite_and_keeps_its_heat(count: int, seed: int, probed: bool) -> None:
    rng = np.random.default_rng(seed)
    bodies = tuple(Body(name=f"B{i}", capacity_J_per_K=float(10 ** rng.uniform(0, 4))) for i in range(count))
    links = [
        Link(a=f"B{i}", b=f"B{i + 1}", conductance_W_per_K=float(10 ** rng.uniform(-2, 1.5))) for i in range(count - 1)
    ]
    links.append(Link(a="B0", b=SURROUNDINGS, conductance_W_per_K=float(10 ** rng.uniform(-2, 1))))
    rig = Rig(
        bodies=bodies,
        links=tuple(links),
        drives=(SlowWindow(body="B0", power_W=50, window_s=7, dead_time_s=float(rng.uniform(0, 20))),),
        probes=(Probe(body=f"B{count - 1}", lag_s=15.0 if probed else 0.0, interval_s=3),),
        surroundings=Surroundings(temperature_degC=5),
    )
    run = compute(rig, Pid(kp_per_K=0.05, ti_s=200, td_s=10), trial(1500, 40))
    assert np.isfinite(run.bodies_degC).all()
    stored = sum(b.capacity_J_per_K * (run.bodies_degC[i, -1] - 5) for i, b in enumerate(bodies))
    assert stored + run.lost_J == pytest.approx(run.energy_J, rel=1e-6, abs=1e-6)


def test_results_forget_the_oldest_before_memory_runs_short(cabinet: Project) -> None:
    results = Results(most_bytes=3_100_000)
    runs = [
        results.of(cabinet.rig, cabinet.candidates[0], with_fields(cabinet.trials[0], seed=k)).run for k in range(3)
    ]
    again = [results.of(cabinet.rig, cabinet.candidates[0], with_fields(cabinet.trials[0], seed=k)).run for k in (2, 1)]
    assert again == [runs[2], runs[1]]
    assert results.of(cabinet.rig, cabinet.candidates[0], with_fields(cabinet.trials[0], seed=0)).run is not runs[0]


def test_results_are_kept_by_content(cabinet: Project) -> None:
    results = Results()
    first = results.of(cabinet.rig, cabinet.candidates[0], cabinet.trials[0])
    renamed = Candidate(name="Else", controller=cabinet.candidates[0].controller)
    assert results.of(cabinet.rig, renamed, cabinet.trials[0]).run is first.run
    assert results.of(cabinet.rig, renamed, with_fields(cabinet.trials[0], seed=9)).run is not first.run
    assert replace(first, verdicts=()).met == 0
