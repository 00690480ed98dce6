"""Courses against closed forms and a second engine: dead times, faults, draw-offs, plans off the samples, extremes."""

import math

import numpy as np
import pytest
from benchmarks.readings import setpoint, shown
from benchmarks.reference import Reference
from benchmarks.rigs import random_case, with_switches

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.changes import changes_of
from kelvarn.engine.layout import lay_out
from kelvarn.engine.measures import measure
from kelvarn.engine.plant import ChangeKind
from kelvarn.engine.prepare import prepare
from kelvarn.engine.run import Run, Stopped, compute, interruptible
from kelvarn.model.bodies import DrawOff
from kelvarn.model.drives import Pwm, Relay, SlowWindow
from kelvarn.model.edit import put, with_fields
from kelvarn.model.events import DrawOffRuns, Load, ProbeFault, SurroundingsChange
from kelvarn.model.fixed import Hand
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange
from tests.conftest import one_lag, trial


@pytest.mark.parametrize("seed", range(24))
def test_any_rig_agrees_with_the_second_engine(seed: int) -> None:
    """Bodies, setpoint, probes and true extremes; every part of the model occurs in some of these."""
    rig, controller, test = random_case(1000 + seed, lasts_s=120.0)
    run = compute(rig, controller, test)
    answer = Reference(run).solve()
    assert np.abs(answer.bodies_degC - run.bodies_degC).max() < 2e-3
    assert np.abs(answer.setpoint_degC - run.setpoint_degC).max() < 1e-9
    found = measure(run)
    for i, name in enumerate(rig.body_names):
        assert found.hottest_degC[name] == pytest.approx(answer.hottest_degC[i], abs=5e-3)
        assert found.coldest_degC[name] == pytest.approx(answer.coldest_degC[i], abs=5e-3)
    for p, probe in enumerate(rig.probes):
        if probe.noise_K == 0 and probe.resolution_K == 0 and probe.converter is None:
            expected = shown(run, p, answer.sensed_degC[p])
            known = np.isfinite(expected)
            assert np.abs(expected - run.probes_degC[p])[known].max(initial=0.0) < 2e-3


def agrees(run: Run) -> None:
    answer, found = Reference(run).solve(), measure(run)
    assert np.abs(answer.bodies_degC - run.bodies_degC).max() < 2e-3
    assert np.abs(answer.setpoint_degC - run.setpoint_degC).max() < 1e-9
    for i, name in enumerate(run.rig.body_names):
        assert found.hottest_degC[name] == pytest.approx(answer.hottest_degC[i], abs=5e-3)


@pytest.mark.parametrize("seed", range(2000, 2026))
def test_switches_without_software_and_fans_as_bought_agree_with_the_second_engine(seed: int) -> None:
    rig, controller, test = random_case(seed, lasts_s=100.0)
    calm = compute(rig, controller, test)
    agrees(compute(with_switches(seed, rig, float(np.median(calm.bodies_degC))), controller, test))


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_every_demo_agrees_with_the_second_engine(demo: str) -> None:
    """Its own guards, permits, plan and events, as long as 300 readings."""
    project = find_demo(demo).build()
    lasts_s = min(project.first_trial.duration_s, 300 * project.rig.probe.interval_s)
    shorter = project.first_trial.model_copy(update={"duration_s": lasts_s, "marks": ()})
    for candidate in project.candidates[::2]:
        agrees(compute(project.rig, candidate.controller, shorter))


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_setpoints_of_whole_trials_agree_with_the_second_engine(demo: str) -> None:
    """Ramps, repeats, parts of the day, limits; plans that wait are not known to it."""
    project = find_demo(demo).build()
    for test in project.trials:
        if not any(change.waits for change in test.plan.changes):
            run = compute(project.rig, project.candidates[0].controller, test)
            for k in range(0, run.time_s.size - 1, 7):  # what begins at the very end is no part of its course
                assert run.setpoint_degC[k] == pytest.approx(setpoint(run, float(run.time_s[k])), abs=1e-9)


@pytest.mark.parametrize("dead_time_s", [0.4, 13.0, 10.0, 29.999])
def test_a_reading_is_what_the_probe_had_one_dead_time_ago(dead_time_s: float) -> None:
    """Read every 10 s, under a drive that switches every 2 s in between."""
    drive = SlowWindow(body="Block", power_W=200, window_s=4, resolution_s=0)
    rig = with_fields(one_lag(lag_s=20, interval_s=10), drives=(drive,))
    late = compute(put(rig, ("probes", 0, "dead_time_s"), dead_time_s), Hand(drive=0.5), trial(400))
    fine = compute(put(rig, ("probes", 0, "interval_s"), 0.05), Hand(drive=0.5), trial(400))
    then = np.maximum(late.time_s - dead_time_s, 0)
    expected = np.interp(then, fine.time_s, fine.bodies_degC[0])
    assert np.abs(late.measured_degC - expected).max() < 5e-3  # what straight lines over 0.05 s leave
    assert late.measured_degC[0] == 20


def read(*faults: ProbeFault, duration_s: float = 100) -> Run:
    """The block warming at half drive while its probe fails."""
    return compute(one_lag(), Hand(drive=0.5), trial(duration_s, events=faults))


def fault(name: str, kind: str, at_s: float, lasts_s: float | None = None, **more: float) -> ProbeFault:
    return ProbeFault(name=name, at_s=at_s, lasts_s=lasts_s, probe="Probe", fault=kind, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize("kind", ["stuck", "stale"])
def test_what_is_stuck_from_the_start_reads_what_it_would_have_read_first(kind: str) -> None:
    assert read(fault("F", kind, 0.0, every_s=1000)).measured_degC == pytest.approx(20)
    off = put(one_lag(), ("probes", 0, "offset_K"), 3.0)
    assert (
        compute(off, Hand(drive=0.5), trial(50, events=(fault("F", kind, 0.0, every_s=1000),))).measured_degC[9] == 23
    )


def test_the_fault_begun_last_rules_until_it_ends_and_the_earlier_one_goes_on() -> None:
    sound = read().measured_degC
    both = read(fault("Drift", "drift", 10, 80, size_K=360.0), fault("Off", "offset", 30, 20, size_K=-5)).measured_degC
    extra = both - sound
    assert [extra[k] for k in (5, 20, 40, 60, 89)] == pytest.approx([0, 1, -5, 5, 7.9])
    assert extra[90:] == pytest.approx(0)
    stuck = read(fault("Stuck", "stuck", 20.5), fault("Open", "open", 40, 10)).measured_degC
    assert stuck[45] == 2500
    assert stuck[60] == stuck[30] == sound[20]
    # An earlier one that ends while a later one rules ends nothing of it.
    later = read(fault("A", "offset", 10, 20, size_K=5), fault("B", "stuck", 20, 60)).measured_degC
    assert later[70] == later[25]
    assert later[85] == pytest.approx(sound[85])


def test_a_fault_at_the_instant_of_a_sample_is_in_its_reading() -> None:
    rig, events = one_lag(), (Load(name="L", at_s=10, body="Block", power_W=1), fault("Open", "open", 10, 5))
    run = compute(rig, Hand(drive=0.5), trial(30, events=events))
    assert [run.measured_degC[k] for k in (10, 14)] == [2500, 2500]
    assert run.measured_degC[15] < 100
    changes, _ = changes_of(rig, run.trial, lay_out(rig))
    assert [c.kind for c in changes if c.at_s == 10] == [ChangeKind.FAULT, ChangeKind.LOAD]


def tapped(**draw_off: object) -> Rig:
    tap = DrawOff(name="Tap", body="Block", flow_W_per_K=6, **draw_off)  # type: ignore[arg-type]
    return with_fields(one_lag(), draw_offs=(tap,))


def test_what_comes_in_from_the_surroundings_follows_them() -> None:
    events = (
        DrawOffRuns(name="Runs", at_s=0, draw_off="Tap"), SurroundingsChange(name="Night", at_s=1000, change_K=-15),
    )  # fmt: skip
    run = compute(tapped(), Hand(drive=0.0), trial(3000, events=events))
    assert run.bodies_degC[0, 999] == pytest.approx(20)
    assert run.bodies_degC[0, -1] == pytest.approx(5)
    assert 400 * (run.bodies_degC[0, -1] - 20) + run.lost_J == pytest.approx(run.heat_J, abs=1e-6)


def test_a_draw_off_that_always_runs_does_not_run_twice() -> None:
    event = DrawOffRuns(name="Runs", at_s=500, draw_off="Tap")
    for inlet in (None, 8.0):
        rig = tapped(always=True, inlet_degC=inlet)
        alone, both = (compute(rig, Hand(drive=0.5), trial(2000, events=e)) for e in ((), (event,)))
        np.testing.assert_allclose(both.bodies_degC, alone.bodies_degC, atol=1e-9)


def planned(*changes: SetpointChange, h: float = 1.0, start_degC: float | None = None) -> Run:
    test = with_fields(trial(60), plan=Plan(changes=changes), start_degC=start_degC)
    return compute(one_lag(interval_s=h), OnOff(), test)


def test_a_ramp_from_the_start_begins_at_the_first_reading() -> None:
    run = planned(SetpointChange(at_s=0, to_degC=60, ramp_K_per_s=2.0), start_degC=30)
    assert run.setpoint_degC[:18] == pytest.approx([*np.arange(30, 61, 2.0), 60, 60])
    assert measure(run).first.values["tracking_max_K"] is not None


@pytest.mark.parametrize("h", [0.3, 0.7, 0.1])
def test_a_change_at_a_sample_acts_at_that_sample_whatever_the_interval(h: float) -> None:
    for k in (3, 7, 11, 29):
        at_s = float(f"{k * h:.10g}")
        run = planned(SetpointChange(at_s=0, to_degC=40), SetpointChange(at_s=at_s, to_degC=60), h=h)
        assert [run.setpoint_degC[k - 1], run.setpoint_degC[k]] == [40, 60]


def test_hottest_is_that_of_the_true_course() -> None:
    """A wire of 5 J/K, read every 10 s, that is on for the first second of each."""
    drive = SlowWindow(body="Block", power_W=50, window_s=10, resolution_s=0)
    rig = with_fields(put(one_lag(), ("bodies", 0, "capacity_J_per_K"), 5.0), drives=(drive,))
    rig = put(put(rig, ("links", 0, "conductance_W_per_K"), 1.0), ("probes", 0, "interval_s"), 10.0)
    for radiating in (0.0, 1e-13):
        run = compute(put(rig, ("links", 0, "radiating_m2"), radiating), Hand(drive=0.1), trial(600))
        rise = 50 * (1 - math.exp(-1 / 5)) / (1 - math.exp(-10 / 5))  # at the end of each pulse, periodic
        found = measure(run)
        assert found.hottest_degC["Block"] == pytest.approx(20 + rise, abs=2e-3)
        assert run.bodies_degC.max() < 20 + rise - 5
        assert found.main.values["swing_K"] == pytest.approx(rise * (1 - math.exp(-9 / 5)), abs=5e-3)
        assert run.highest_degC[30] == pytest.approx(20 + rise, abs=2e-3)


def test_the_quick_way_is_taken_for_bodies_that_follow_at_once() -> None:
    quick = put(one_lag(), ("bodies", 0, "capacity_J_per_K"), 0.01)
    assert prepare(quick, trial(1000)).nonlinear
    assert not prepare(one_lag(), trial(1000)).nonlinear
    run = compute(with_fields(quick, drives=(Relay(body="Block", power_W=200),)), OnOff(), trial(100))
    assert set(np.round(run.bodies_degC[0], 6)) == {20.0, 120.0}


def test_a_quick_probe_shortens_the_step_of_the_exact_integration() -> None:
    slow = one_lag(lag_s=1e4, interval_s=10)
    assert len(prepare(slow, trial(1000)).plant.segments) == 1
    assert len(prepare(put(slow, ("probes", 0, "lag_s"), 1.0), trial(1000)).plant.segments) == 40


def test_a_month_of_a_radiating_rig_with_a_short_window_has_steps_enough() -> None:
    rig = with_fields(one_lag(lag_s=2000, interval_s=60), drives=(SlowWindow(body="Block", power_W=200, window_s=1),))
    rig = put(rig, ("links", 0, "radiating_m2"), 0.01)
    plant = prepare(rig, trial(30 * 86400)).plant
    assert plant.rig[0].most_steps > 2 * 30 * 86400 * 1.5


def test_a_run_is_stopped_at_once_and_says_how_far_it_is() -> None:
    shares: list[float] = []

    def go_on(share: float) -> bool:
        shares.append(share)
        return share < 0.02

    with pytest.raises(Stopped), interruptible(go_on):
        compute(one_lag(interval_s=0.1), Pid(), trial(86400 * 5))
    assert shares == sorted(shares)
    assert 0.02 <= shares[-1] < 0.2  # and not when all of it is done
    parts = compute(one_lag(), Pid(), trial(20000))
    with interruptible(lambda _share: True):
        sliced = compute(one_lag(), Pid(), trial(20000))
    np.testing.assert_array_equal(parts.bodies_degC, sliced.bodies_degC)
    np.testing.assert_array_equal(parts.drives_W, sliced.drives_W)


def test_pwm_of_a_dead_time_that_is_no_whole_sample_has_its_corner_where_it_is() -> None:
    rig = with_fields(one_lag(interval_s=10), drives=(Pwm(body="Block", power_W=200, dead_time_s=3, steps=65535),))
    run = compute(rig, Hand(drive=1.0), trial(20))
    assert run.bodies_degC[0, 1] == pytest.approx(120 - 100 * math.exp(-7 / 200))
