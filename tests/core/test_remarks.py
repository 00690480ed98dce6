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
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.tune.remarks import remarks, set_aside
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


def test_a_reason_is_needed_to_set_aside() -> None:
    [found] = [each for each in remarks(FAN, FAN.first_trial) if each.key == "PWM is heard"]
    with pytest.raises(ValidationError):
        set_aside(FAN, found, "")


def test_odd_rigs_are_remarked_on_without_a_fault() -> None:
    for rig in (with_fields(PLAIN, links=()), with_fields(PLAIN, probes=(with_fields(PLAIN.probe, interval_s=900.0),))):
        for law in (OnOff(), CALM):
            remarks(project_of(law, rig), trial(2000.0))
