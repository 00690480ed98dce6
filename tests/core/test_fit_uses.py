"""What comes of fits: the rig itself, what has changed, what to record, calibration, reuse."""

import math
from dataclasses import replace

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.engine.run import compute
from kelvarn.engine.steady import rest_degC
from kelvarn.files.logs.reader import read_log
from kelvarn.fit.calibration import Pair, calibrate, pairs_of, thermistor
from kelvarn.fit.observed import FitError, observed
from kelvarn.fit.planning import Rough, plan_step_test, predicted, step_for
from kelvarn.fit.response import fit_response
from kelvarn.fit.reuse import trial_of, use_response, use_rig
from kelvarn.fit.rig_fit import choosable, fit_rig
from kelvarn.fit.same_settings import SameSettings, same_settings, settings_in
from kelvarn.fit.setpoints import setpoint_changes
from kelvarn.fit.trust import report
from kelvarn.fit.ways import WAYS
from kelvarn.fit.what_changed import compare, drift_over
from kelvarn.model.edit import with_fields
from kelvarn.model.log_data import Floats, LogData
from kelvarn.model.response import ResponseModel
from kelvarn.model.tolerances import parameters
from kelvarn.model.trial import SetpointChange
from kelvarn.units import round_up_s

from .made_logs import NOISE, STEP, of, played, step_log, up_and_down

# The rig itself


@pytest.mark.long
@pytest.mark.parametrize("demo", ["cure-cabinet", "heatsink-fan", "wax-pot", "enamelling-kiln"])
def test_the_rig_itself_comes_back_from_what_it_shows(demo: str) -> None:
    rig = find_demo(demo).build().rig
    rest = rest_degC(rig, 0.0)
    assert rest is not None
    begins = float(rest[rig.body_index(rig.probe.body)])  # what makes heat of its own stands above its surroundings
    fit = fit_rig(rig, [of(played(up_and_down(), rig, start=begins))])
    assert fit.rms_K < 0.13
    assert fit.beyond == ()
    for parameter, value in zip(fit.free, fit.values, strict=True):
        assert value.low - 1e-9 <= parameter.value <= value.high + 1e-9, parameter.text


def test_what_moved_is_found_and_what_the_log_does_not_tell_stays() -> None:
    rig = find_demo("cure-cabinet").build().rig
    walls = next(k for k, body in enumerate(rig.bodies) if body.name == "Walls")
    bodies = list(rig.bodies)
    bodies[walls] = bodies[walls].model_copy(update={"capacity_J_per_K": 1.1 * bodies[walls].capacity_J_per_K})
    real = rig.model_copy(update={"bodies": tuple(bodies)})
    free = [p for p in choosable(rig) if p.text in ("Walls: heat capacity", "Part: heat capacity")]
    fit = fit_rig(rig, [of(played(up_and_down(), real))], free)
    found = dict(zip([p.text for p in free], fit.values, strict=True))
    assert found["Walls: heat capacity"].value == pytest.approx(9900, rel=0.02)
    assert found["Part: heat capacity"].value == pytest.approx(2600, rel=0.03)
    fan = find_demo("heatsink-fan").build().rig
    silent = [p for p in parameters(fan) if p.text in ("Guard: lag", "Sink: heat capacity")]
    told = dict(zip([p.text for p in silent], fit_rig(fan, [of(played(up_and_down(), fan))], silent).told, strict=True))
    assert told["Guard: lag"] == pytest.approx(1, abs=0.01)
    assert told["Sink: heat capacity"] < 0.3


def test_replay_is_the_answer_of_a_response_model_and_of_the_engine() -> None:
    project = find_demo("cure-cabinet").build()
    data = step_log(1)
    made = report([of(data)])
    rig = use_response(project, made).rig
    again = played(LogData(data.time_s, data.measured_degC, data.drive), rig)
    assert float(np.abs(again.measured_degC - data.measured_degC).max()) < 8 * NOISE
    assert float(np.mean(again.measured_degC - data.measured_degC)) == pytest.approx(0, abs=0.05)


# Settings or equipment


@pytest.mark.parametrize("what", ["loss", "power", "capacity"])
@pytest.mark.parametrize("factor", [0.8, 1.2])
def test_a_change_of_a_fifth_is_named(what: str, factor: float) -> None:
    rig = find_demo("cure-cabinet").build().rig
    changed = WAYS[what].apply(rig, math.log(factor))
    found = compare(rig, of(played(up_and_down(), changed)))
    assert [change.what for change in found.changes] == [what]
    assert found.changes[0].size.value == pytest.approx(factor, rel=0.02)
    assert found.explained.rms_K < 0.13
    assert "20 % " + ("higher" if factor > 1 else "lower") in found.verdict()


@pytest.mark.parametrize(("what", "by"), [("dead_time", 25.0), ("offset", 1.5)])
def test_a_longer_dead_time_and_a_probe_that_is_off_are_named(what: str, by: float) -> None:
    rig = find_demo("cure-cabinet").build().rig
    changed = WAYS[what].apply(rig, by)
    start = rig.surroundings.temperature_degC + (by if what == "offset" else 0)
    found = compare(rig, of(played(up_and_down(), changed, start=start)))
    assert [change.what for change in found.changes] == [what]
    assert found.changes[0].size.value == pytest.approx(by, rel=0.1)


def test_nothing_is_named_where_nothing_changed_and_drift_is_followed() -> None:
    rig = find_demo("cure-cabinet").build().rig
    same = of(played(up_and_down(), rig, 3), "first")
    nothing = compare(rig, same)
    assert nothing.changes == ()
    assert nothing.verdict().startswith("nothing has changed")
    assert nothing.verdict(SameSettings("PI", 0.4)).startswith("the settings changed, not the equipment")
    later = of(played(up_and_down(), WAYS["loss"].apply(rig, math.log(1.15)), 4), "later")
    drift = drift_over(rig, [same, later])
    assert [size.value for size in drift.sizes] == pytest.approx([1.0, 1.15], abs=0.01)


def test_a_fitted_response_tells_what_changed_too() -> None:
    project = find_demo("cure-cabinet").build()
    rig = use_response(project, report([of(step_log(1))])).rig
    found = compare(rig, of(step_log(2, gain=100 / 1.31, lag=900 / 1.31)))
    assert [change.what for change in found.changes] == ["loss"]
    assert found.changes[0].size.value == pytest.approx(1.31, rel=0.03)


# Plan the recording


@pytest.mark.parametrize(("gain", "lag", "dead"), [(100.0, 900.0, 30.0), (60.0, 300.0, 20.0)])
def test_what_was_planned_is_what_comes_out(gain: float, lag: float, dead: float) -> None:
    rough = Rough("one_lag", gain, lag, 0.0, dead, NOISE, STEP)
    plan = plan_step_test(rough)
    made = plan.test
    assert plan.enough
    missed = []
    for seed in range(12):
        data = step_log(seed, gain, lag, dead=dead, seen=1 - math.exp(-(made.lasts_s - dead) / lag), drive=made.drive,
                        every=made.every_s, before=made.before_s)  # fmt: skip
        fit = fit_response([of(data)])
        missed.append([fit.value("gain_K") / gain - 1, fit.value("lag_s") / lag - 1, fit.value("dead_time_s") - dead])
    achieved = 1.96 * np.sqrt(np.mean(np.array(missed) ** 2, axis=0))
    for name, value in zip(("gain_K", "lag_s", "dead_time_s"), achieved, strict=True):
        assert 0.45 < value / plan.precision[name] < 1.9, (name, value, plan.precision)


def test_a_longer_recording_tells_more_and_a_known_copy_needs_less() -> None:
    rough = Rough("one_lag", 100.0, 900.0, 0.0, 30.0, NOISE, STEP)
    plan = plan_step_test(rough, 0.02, 0.03)
    lengths = [replace(plan.test, lasts_s=share * plan.test.lasts_s) for share in (0.5, 1.0, 1.5, 2.0)]
    gains = [predicted(rough, test)["gain_K"] for test in lengths]
    assert gains == sorted(gains, reverse=True)
    assert plan.gain_if_twice == pytest.approx(gains[-1])
    copy = plan_step_test(rough, 0.02, 0.03, known={"gain_K": 0.01, "lag_s": 0.02, "dead_time_s": 0.05})
    assert copy.test.whole_s < plan.test.whole_s
    assert predicted(rough, plan.test)["gain_K"] == pytest.approx(plan.precision["gain_K"])


def test_the_step_stays_inside_the_limits_and_times_are_round() -> None:
    rough = Rough("one_lag", 100.0, 900.0, 0.0, 30.0, NOISE, STEP, most_drive=0.3)
    assert step_for(rough) == 0.3
    assert plan_step_test(rough).end_degC < 20 + 30
    warm = plan_step_test(rough, drive=0.3, start=0.15)
    reached = 1 - math.exp(-(warm.test.lasts_s - 30) / 900)
    assert warm.end_degC == pytest.approx(20 + 15 + 15 * reached)  # from where it stands warm, not from cold
    with pytest.raises(FitError, match="limit"):
        step_for(Rough("one_lag", 100.0, 900.0, 0.0, 30.0, NOISE, STEP, most_drive=0.0))
    assert [round_up_s(s) for s in (0.4, 7, 61, 700, 5000)] == [0.4, 8, 90, 900, 5400]


# Calibration


def test_pairs_give_an_offset_two_points_or_a_line() -> None:
    pairs = [Pair(0.6, 0.0), Pair(21.9, 21.2), Pair(81.0, 79.4)]
    offset = calibrate(pairs, "offset")
    assert offset.slope == 1
    assert sum(offset.left_K) == pytest.approx(0)
    two = calibrate(pairs, "two_point")
    assert two.corrected_degC(0.6) == pytest.approx(0)
    assert two.corrected_degC(81.0) == pytest.approx(79.4)
    line = calibrate(pairs, "slope")
    assert sum(left**2 for left in line.left_K) <= sum(left**2 for left in two.left_K)
    correction = two.correction(0.6, 81.0)
    assert correction.slope == pytest.approx(two.slope)
    for few, how in (([], "offset"), (pairs[:1], "two_point"), ([Pair(20, 20), Pair(20.5, 21)], "slope")):
        with pytest.raises(FitError):
            calibrate(few, how)  # type: ignore[arg-type]


def test_three_points_give_a_thermistor_and_its_left_over() -> None:
    def ohm(degC: float) -> float:
        return 10_000 * math.exp(3950 * (1 / (degC + 273.15) - 1 / 298.15))

    made = thermistor([(degC, ohm(degC)) for degC in (0, 25, 80)])
    assert made.beta_K == pytest.approx(3950)
    assert made.ohm_at_25_degC == pytest.approx(10_000)
    assert max(map(abs, made.left_K)) < 1e-6
    bent = thermistor([(0, ohm(0)), (25, 1.03 * ohm(25)), (80, ohm(80))])
    assert max(map(abs, bent.left_K)) > 0.2
    with pytest.raises(FitError, match="falls as it warms"):
        thermistor([(0, 1000), (50, 2000)])


def test_a_log_with_a_reference_gives_pairs() -> None:
    data = step_log(1, seen=0.99)
    pairs = pairs_of(data.measured_degC, data.measured_degC * 0.98 + 1)
    found = calibrate(pairs, "slope")
    assert found.slope == pytest.approx(0.98, abs=0.002)


# What comes of it


def test_use_in_rig_writes_values_and_ranges_and_keeps_the_fit() -> None:
    project = find_demo("cure-cabinet").build()
    found = report([of(step_log(1), "step")])
    fit, used = found.fit, use_response(project, found)
    response, probe = used.rig.response, used.rig.probe
    assert (probe.lag_s, probe.dead_time_s, used.rig.drive.dead_time_s) == (0, 0, 0)  # the answer has them in it
    assert isinstance(response, ResponseModel)
    assert response.gain_K == pytest.approx(fit.value("gain_K"))
    sizes = {tolerance.of: tolerance.size for tolerance in response.tolerances}
    assert sizes["gain_K"] == pytest.approx(max(fit.values["gain_K"].half / 100, 0.002), rel=0.02)
    assert used.fits[-1].logs == ("step",)
    assert used.rig.surroundings.temperature_degC == pytest.approx(19, abs=0.1)
    rig_fit = fit_rig(project.rig, [of(played(up_and_down(), project.rig))])
    made = use_rig(project, rig_fit)
    moved = {p.text: p for p in parameters(made.rig)}
    before = {p.text: p for p in parameters(project.rig)}
    assert moved["Walls: heat capacity"].size < before["Walls: heat capacity"].size
    again = use_rig(made, rig_fit)
    assert len({kept.name for kept in again.fits}) == 2


def test_a_log_becomes_a_trial() -> None:
    project = find_demo("tempering-bowl").build()
    log = project.logs[0]
    trial = trial_of(project, log, read_log(log))
    assert [change.to_degC for change in trial.plan.changes] == [45.0, 27.5]
    assert trial.plan.changes[1].at_s == pytest.approx(2400, abs=5)
    cabinet = find_demo("cure-cabinet").build()
    cold = cabinet.logs[0]
    with_door = trial_of(cabinet, cold, read_log(cold))
    assert [event.kind for event in with_door.events] == ["door"]
    assert with_fields(cabinet, trials=(*cabinet.trials, with_door)).trials[-1].name == "As in step from cold"


def test_the_story_of_the_cabinet_holds() -> None:
    """Fit to the cold log, checked on the warm one; three weeks later the loss is a third higher, and only that."""
    project = find_demo("cure-cabinet").build()
    logs = {log.name: observed(log.name, read_log(log), log.used, log.left_out) for log in project.logs}
    fit = fit_rig(project.rig, [logs["step from cold"]])
    assert fit.rms_K < 0.1
    assert compare(fit.rig, logs["step from warm"]).changes == ()
    later = compare(fit.rig, logs["three weeks later"])
    assert [change.what for change in later.changes] == ["loss"]
    assert later.changes[0].size.value == pytest.approx(1.31, abs=0.03)


def test_a_log_tells_whose_settings_it_was_made_with() -> None:
    project = find_demo("tempering-bowl").build()
    data = read_log(project.logs[0])
    found = settings_in(project, data)
    assert found is not None
    assert found.same
    assert found.candidate == "PI, one gain"
    others = with_fields(project, candidates=tuple(c for c in project.candidates if c.name != "PI, one gain"))
    told = settings_in(others, data)
    assert told is not None
    assert not told.same
    assert told.candidate == project.chosen
    pid = project.candidate("PI, one gain").controller
    louder = with_fields(project.candidates[1], name="louder", controller=with_fields(pid, kp_per_K=1.5 * pid.kp_per_K))
    nearly = same_settings(project.rig, louder, data)
    assert nearly is not None
    assert nearly.apart > 5 * found.apart
    assert settings_in(project, step_log(1)) is None  # nothing says its setpoint


@pytest.mark.long
def test_a_log_of_ramps_has_the_setpoints_it_had_and_the_settings_it_had() -> None:
    project = cure_cabinet()
    trial = with_fields(project.trial("Two-stage cure"), events=(), marks=())
    for candidate in project.candidates:
        run = compute(project.rig, candidate.controller, trial)
        data = LogData(run.time_s, run.measured_degC, run.drive, setpoint_degC=run.setpoint_degC)
        found = setpoint_changes(data)
        assert len(found) <= 12
        again = run_of_plan(found, run.time_s)
        assert np.max(np.abs(again - run.setpoint_degC)) < 0.5
        said = settings_in(project, data)
        assert said is not None
        assert (said.candidate, said.same) == (candidate.name, True)
    untold = LogData(run.time_s, run.measured_degC, run.drive)
    assert settings_in(project, untold) is None
    changed = compare(WAYS["loss"].apply(project.rig, math.log(1.4)), observed("x", untold))
    assert "the log does not tell the settings" in changed.verdict(None)
    assert "not the settings" not in changed.verdict(None)


def run_of_plan(changes: tuple[SetpointChange, ...], t: Floats) -> Floats:
    """The course of a plan of steps and ramps, written another way than the engine's."""
    found, now, to, rate, k = [], changes[0].to_degC, changes[0].to_degC, math.inf, 1
    for before, at in zip(np.append(t[0], t[:-1]), t, strict=True):
        if k < len(changes) and at >= changes[k].at_s - 1e-6:
            to, rate, k = changes[k].to_degC, changes[k].ramp_K_per_s or math.inf, k + 1
        step = rate * (at - before) if math.isfinite(rate) else math.inf
        now = to if abs(to - now) <= step else now + math.copysign(step, to - now)
        found.append(now)
    return np.array(found)


def test_a_step_that_a_ramp_follows_at_once_and_a_ramp_from_the_start_are_kept() -> None:
    t = np.arange(0, 600, 2.0)
    for wanted in (
        np.where(t < 100, 40.0, np.where(t < 300, 60 + (t - 100) * 0.1, 80.0)),  # a step, and on along a ramp
        np.minimum(20 + 0.2 * t, 60.0),  # from the very beginning
        np.where(t < 200, 50.0, 30.0),
    ):
        data = LogData(t, wanted, None, setpoint_degC=wanted)
        assert np.max(np.abs(run_of_plan(setpoint_changes(data), t) - wanted)) < 0.5
