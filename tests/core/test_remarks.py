"""Remarks: each is made where it is true and only there, its remedy takes it away, and it can be set aside."""

import pytest
from pydantic import ValidationError

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.drives import Relay, SlowWindow
from kelvarn.model.edit import put, rename_candidate, with_fields
from kelvarn.model.goal import Goal
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.tune.remarks import remarks, set_aside
from kelvarn.units import Scale
from tests.conftest import one_lag, trial

FAN = find_demo("heatsink-fan").build()


def project_of(law: Controller, rig: Rig | None = None, setpoint: float = 60.0) -> Project:
    asked = trial(2000.0, setpoint)
    rig = rig or one_lag(100, 200, 10)
    return Project(name="x", rig=rig, candidates=(Candidate(name="C", controller=law),), trials=(asked,))


def keys(project: Project) -> list[str]:
    name = project.candidates[0].name
    known = {name: measure(compute(project.rig, project.candidates[0].controller, project.first_trial))}
    return [each.key for each in remarks(project, project.first_trial, known)]


def changed(rig: Rig, part: str, **fields: object) -> Rig:
    return with_fields(rig, **{part: (with_fields(getattr(rig, part)[0], **fields), *getattr(rig, part)[1:])})


CALM = Pid(terms="PI", kp_per_K=0.03, ti_s=150.0)
PLAIN = one_lag(100, 200, 10)


def relay_for(operations: float) -> Rig:
    return with_fields(PLAIN, drives=(Relay(body="Block", power_W=200, rated_operations=operations),))


def ramped(K_per_s: float) -> Project:
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=60, ramp_K_per_s=K_per_s),))
    return with_fields(project_of(CALM), trials=(with_fields(trial(2000.0), plan=plan),))


def marked(*marks: Mark) -> Project:
    rig = changed(PLAIN, "probes", noise_K=0.2)
    return with_fields(project_of(CALM, rig), trials=(trial(2000.0, 60.0, marks=marks),))


CASES: dict[str, tuple[Project, Project]] = {
    "cannot hold": (project_of(CALM, setpoint=125.0), project_of(CALM, setpoint=100.0)),
    "only just holds": (project_of(CALM, setpoint=115.0), project_of(CALM, setpoint=105.0)),
    "outside the probe's range": (
        project_of(CALM, changed(PLAIN, "probes", highest_degC=55.0)), project_of(CALM),
    ),
    "reads too seldom": (
        project_of(CALM, changed(PLAIN, "probes", interval_s=40.0)),
        project_of(CALM, changed(PLAIN, "probes", interval_s=18.0)),
    ),
    "window too long": (
        project_of(CALM, with_fields(PLAIN, drives=(SlowWindow(body="Block", power_W=200, window_s=60),))),
        project_of(CALM, with_fields(PLAIN, drives=(SlowWindow(body="Block", power_W=200, window_s=5),))),
    ),
    "band in the noise": (
        project_of(OnOff(below_K=0.35, above_K=0.35), changed(PLAIN, "probes", noise_K=0.2)),
        project_of(OnOff(below_K=0.5, above_K=0.5), changed(PLAIN, "probes", noise_K=0.2)),
    ),
    "swings beyond its band": (
        project_of(OnOff(below_K=0.3, above_K=0.3)),
        project_of(OnOff(below_K=8, above_K=8)),
    ),
    "shortest on too long": (
        project_of(OnOff(shortest_on_s=60.0)), project_of(OnOff(shortest_on_s=5.0)),
    ),
    "shortest off too long": (
        project_of(OnOff(shortest_off_s=60.0)), project_of(OnOff(shortest_off_s=5.0)),
    ),
    "integral time below dead time": (
        project_of(with_fields(CALM, ti_s=5.0)), project_of(with_fields(CALM, ti_s=15.0)),
    ),
    "nothing holds the memory": (project_of(with_fields(CALM, anti_windup="none")), project_of(CALM)),
    "relay wears out": (
        project_of(OnOff(), relay_for(100_000)), project_of(OnOff(), relay_for(10_000_000)),
    ),
    "PWM is heard": (FAN, put(FAN, ("rig", "drives", 0, "pwm_Hz"), 25_000.0)),
    "turns at 0 %": (put(FAN, ("rig", "drives", 0, "idle_flow"), 0.3), FAN),
    "step 1 below the stall": (
        put(FAN, ("candidates", 0, "controller"), Curve(steps=(CurveStep(from_degC=45, drive=0.1),))),
        put(FAN, ("candidates", 0, "controller"), Curve(steps=(CurveStep(from_degC=45, drive=0.3),))),
    ),
    "step 1 has no hysteresis": (
        put(FAN, ("candidates", 0, "controller"), Curve(steps=(CurveStep(from_degC=45, drive=0.3, back_off_K=0),))),
        put(FAN, ("candidates", 0, "controller"), Curve(steps=(CurveStep(from_degC=45, drive=0.3, back_off_K=2),))),
    ),
    "no hysteresis": (
        put(FAN, ("candidates", 0, "controller"), Curve(shape="ramp", floor=0.3, back_off_K=0)),
        put(FAN, ("candidates", 0, "controller"), Curve(shape="ramp", floor=0.3, back_off_K=2)),
    ),
    "below the stall": (
        put(with_fields(FAN, rig=changed(FAN.rig, "drives", floor=0.0)), ("candidates", 0, "controller"),
            Curve(shape="ramp", floor=0.1)),
        put(FAN, ("candidates", 0, "controller"), Curve(shape="ramp", floor=0.3)),
    ),
    "highest drive cannot hold": (project_of(with_fields(CALM, high=0.3)), project_of(with_fields(CALM, high=0.5))),
    "lowest drive is too much": (project_of(with_fields(CALM, low=0.5)), project_of(with_fields(CALM, low=0.3))),
    "memory high cannot hold": (
        project_of(with_fields(CALM, memory_high=0.3)), project_of(with_fields(CALM, memory_high=0.5)),
    ),
    "zone is never reached": (project_of(with_fields(CALM, zone_K=2.0)), project_of(with_fields(CALM, zone_K=20.0))),
    "feed-forward is off": (
        project_of(with_fields(CALM, feed_per_K=0.03)), project_of(with_fields(CALM, feed_per_K=0.01)),
    ),
    "rate limit too slow": (
        project_of(with_fields(CALM, rate_per_s=0.01 / 60)), project_of(with_fields(CALM, rate_per_s=0.05)),
    ),
    "setpoint ramp too long": (
        project_of(with_fields(CALM, setpoint_rate_K_per_s=0.01)),
        project_of(with_fields(CALM, setpoint_rate_K_per_s=0.1)),
    ),
    "derivative time above integral time": (
        project_of(with_fields(CALM, terms="PID", td_s=160.0)), project_of(with_fields(CALM, terms="PID", td_s=5.0)),
    ),
    "integral time far too long": (
        project_of(with_fields(CALM, ti_s=180_000.0)), project_of(with_fields(CALM, ti_s=1500.0)),
    ),
    "gain beyond what it stands": (project_of(with_fields(CALM, kp_per_K=0.5)), project_of(CALM)),
    "close to oscillating": (
        project_of(with_fields(CALM, kp_per_K=0.24)), project_of(with_fields(CALM, kp_per_K=0.1)),
    ),
    "decide too long": (project_of(OnOff(decide_every_s=600.0)), project_of(OnOff(decide_every_s=5.0))),
    "least pulse above what holds": (
        project_of(CALM, with_fields(
            PLAIN, drives=(SlowWindow(body="Block", power_W=200, window_s=10, shortest_pulse_s=5),))),
        project_of(CALM, with_fields(
            PLAIN, drives=(SlowWindow(body="Block", power_W=200, window_s=10, shortest_pulse_s=1),))),
    ),
    "reads too seldom for the dead time": (
        project_of(CALM, one_lag(100, 900, 5, 60.0)), project_of(CALM, one_lag(100, 900, 5, 5.0)),
    ),
    "fan stands while asked": (
        put(with_fields(FAN, rig=changed(FAN.rig, "drives", floor=0.0)), ("candidates", 0, "controller"), CALM),
        put(FAN, ("candidates", 0, "controller"), CALM),
    ),
    "full beyond the limit": (
        put(FAN, ("candidates", 0, "controller"), Curve(shape="ramp", full_degC=96)),
        put(FAN, ("candidates", 0, "controller"), Curve(shape="ramp", full_degC=80)),
    ),
    "trial shorter than the lag": (
        with_fields(project_of(CALM), trials=(trial(150.0, 60.0),)), project_of(CALM),
    ),
    "ramp 1 too long": (ramped(0.01), ramped(0.1)),
    "setpoint 1 beyond a limit": (
        project_of(CALM, changed(PLAIN, "bodies", limit_degC=55.0)),
        project_of(CALM, changed(PLAIN, "bodies", limit_degC=65.0)),
    ),
    "mark 1 below the noise": (
        marked(Mark(measure="swing_K", limit=0.1)), marked(Mark(measure="swing_K", limit=0.5)),
    ),
    "mark 1 sooner than full drive": (
        marked(Mark(measure="settling_s", limit=60)), marked(Mark(measure="settling_s", limit=600)),
    ),
    "mark 1 against the setpoint": (
        marked(Mark(measure="hottest_degC", limit=58, body="Block")),
        marked(Mark(measure="hottest_degC", limit=62, body="Block")),
    ),
    "mark 2 contradicts another": (
        marked(Mark(measure="energy_J", limit=1e5), Mark(measure="energy_J", limit=2e5, direction="at_least")),
        marked(Mark(measure="energy_J", limit=2e5), Mark(measure="energy_J", limit=1e5, direction="at_least")),
    ),
    "far from the probe": (
        put(find_demo("cure-cabinet").build(), ("rig", "goal"), Goal(body="Heater mat", high_degC=90)),
        find_demo("cure-cabinet").build(),
    ),
}  # fmt: skip


@pytest.mark.parametrize("key", CASES)
def test_a_remark_is_made_where_it_is_true_and_its_remedy_takes_it_away(key: str) -> None:
    wrong, right = CASES[key]
    assert key in keys(wrong)
    assert key not in keys(right)
    [found] = [each for each in remarks(wrong, wrong.first_trial, _measured(wrong)) if each.key == key][:1]
    assert found.text.endswith(".")
    assert any(c.isdigit() for c in found.text) or key in ("nothing holds the memory",)
    if found.mend is not None:
        assert found.remedy
        mended = found.mend(wrong)
        again = [(e.key, e.candidate) for e in remarks(mended, mended.first_trial, _measured(mended))]
        assert (key, found.candidate) not in again
    aside = set_aside(wrong, found, "known and wanted")
    told = [(e.key, e.candidate) for e in remarks(aside, aside.first_trial, _measured(aside))]
    assert (key, found.candidate) not in told
    if found.candidate is not None:
        renamed = rename_candidate(aside, found.candidate, "Another name")
        told = [(e.key, e.candidate) for e in remarks(renamed, renamed.first_trial, _measured(renamed))]
        assert (key, "Another name") not in told


def _measured(project: Project) -> dict[str, object]:
    return {c.name: measure(compute(project.rig, c.controller, project.first_trial)) for c in project.candidates[:1]}


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_demos_have_few_remarks_and_every_setting_named_exists(demo: str) -> None:
    project = find_demo(demo).build()
    found = remarks(project, project.first_trial)
    assert len(found) <= 4
    for each in found:
        at: object = project
        for step in each.path:
            at = at[step] if isinstance(step, int) else getattr(at, step)  # type: ignore[index]


def test_remarks_speak_in_the_scale_and_quantity_shown() -> None:
    hot = project_of(CALM, changed(PLAIN, "probes", highest_degC=55.0))
    (said,) = (r.text for r in remarks(hot, hot.first_trial, None, Scale.FAHRENHEIT) if r.key.startswith("outside"))
    assert "140.0 °F" in said
    assert "131.0 °F" in said
    damp = ResponseModel(gain_K=40.0, lag_s=600.0, dead_time_s=20.0, unit="% RH")
    rig = with_fields(
        PLAIN, response=damp, bodies=(), links=(), drives=(with_fields(PLAIN.drive, body="Output"),),
        probes=(with_fields(PLAIN.probe, body="Output"),),
    )  # fmt: skip
    humid = project_of(CALM, rig, 80.0)
    texts = [each.text for each in remarks(humid, humid.first_trial)]
    assert any("80.0 % RH" in text for text in texts)
    assert not any("°C" in text or " K" in text for text in texts)


def test_a_fan_job_need_not_hold_what_it_rests_below_and_far_needs_are_no_figures() -> None:
    cool = with_fields(PLAIN, drives=(with_fields(PLAIN.drive, acts="cools"),))
    assert "cannot hold" not in keys(project_of(CALM, cool, 45.0))
    assert "cannot hold" in keys(project_of(CALM, cool, -90.0))
    weak = project_of(CALM, one_lag(0.1, 200, 10), 60.0)
    (said,) = (each.text for each in remarks(weak, weak.first_trial) if each.key == "cannot hold")
    assert "%" not in said.split("hold")[1]


def test_a_reason_is_needed_to_set_aside() -> None:
    [found] = [each for each in remarks(FAN, FAN.first_trial) if each.key == "PWM is heard"]
    with pytest.raises(ValidationError):
        set_aside(FAN, found, "")


def test_odd_rigs_are_remarked_on_without_a_fault() -> None:
    for rig in (with_fields(PLAIN, links=()), with_fields(PLAIN, probes=(with_fields(PLAIN.probe, interval_s=900.0),))):
        for law in (OnOff(), CALM):
            remarks(project_of(law, rig), trial(2000.0))
