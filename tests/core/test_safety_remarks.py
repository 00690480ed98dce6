"""Remarks on guards, plans and switches: each provoked, with its number, and gone once its remedy is taken."""

from collections.abc import Callable

import pytest

from kelvarn.demos import find_demo
from kelvarn.model import guards as gd
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Switch
from kelvarn.model.edit import with_fields
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.tune.remark import Remark, still_stands
from kelvarn.tune.remarks import remarks
from tests.conftest import one_lag, trial

Change = Callable[[Project], Project]


def guarded(*guards: gd.RuleBase) -> Change:
    return lambda project: with_fields(project, rig=with_fields(project.rig, guards=guards))


def hot_switch(project: Project) -> Project:
    hot = with_fields(project.rig.drive, switch=Switch(supply_V=24, drop_V=1.2, limit_W=2))
    return with_fields(project, rig=with_fields(project.rig, drives=(hot,)))


def dialled(project: Project) -> Project:
    """A heater whose own thermostat blocks too soon."""
    return with_fields(project, rig=with_fields(project.rig, drives=(with_fields(project.rig.drive, dial_degC=50),)))


def late_alarm(project: Project) -> Project:
    """An alarm above the limit of the body that it watches."""
    bodies = tuple(with_fields(b, limit_degC=90.0) if b.name == "Air" else b for b in project.rig.bodies)
    alarm = gd.Alarm(name="A", probe="Probe", at_degC=95)
    return with_fields(project, rig=with_fields(project.rig, bodies=bodies, guards=(alarm,)))


def limited_plan(project: Project) -> Project:
    trial = project.first_trial
    plan = with_fields(trial.plan, highest_degC=55)
    return with_fields(project, trials=(with_fields(trial, plan=plan),))


def two_jobs(_project: Project) -> Project:
    alarm = gd.Alarm(name="A", probe="NTC", at_degC=66)
    return guarded(alarm)(find_demo("heatsink-fan").build())


FUSE = gd.CutOff(name="Fuse", body="Heater mat", at_degC=105)
CASES: list[tuple[str, Change, str]] = [
    ("nothing stops it", lambda project: project, "Stuck on, it would bring Heater mat to 280.8 °C"),
    ("no action at a probe fault", lambda project: project, "one that reads −250.0 °C then goes on heating"),
    ("Fuse above the limit", guarded(with_fields(FUSE, at_degC=115)), "acts at 115.0 °C, not below Heater mat's limit"),
    (
        "T below the setpoint",
        guarded(gd.Trip(name="T", probe="Probe", at_degC=60.2)),
        "the setpoint goes to 60.0",
    ),
    ("Fuse below the setpoint", guarded(with_fields(FUSE, at_degC=62)), "acts at 62.0 °C, while Heater mat rests at"),
    ("Mat's dial below the setpoint", dialled, "own thermostat blocks at 50.0 °C, while Heater mat rests at"),
    ("nothing stops it", guarded(gd.Trip(name="L", probe="Probe", at_degC=5, side="below")), "nothing cuts the drives"),
    (
        "T too late",
        guarded(gd.Trip(name="T", probe="Probe", at_degC=70, delay_s=3600)),
        "waits 60 min; at full drive Air",
    ),
    ("A above the limit", late_alarm, "tells at 95.0 °C, not below Air's limit of 90.0 °C"),
    ("a probe fault leaves it on", guarded(gd.ProbeFaultAction(name="P", action="on")), "Air ends at 230.8 °C"),
    ("A without delay", guarded(gd.Alarm(name="A", probe="Probe", delay_s=0)), "noise 0.03 K"),
    ("A is full drive", two_jobs, "66.0 °C is both where “Quiet ramp” is at full drive and alarm “A”"),
    ("N too impatient", guarded(gd.NoRise(name="N", for_s=20, rise_K=5)), "waits 20 s for 5.0 K"),
    ("setpoint 1 outside its range", limited_plan, "Setpoint 60.0 °C lies outside the plan's own range; 55.0 °C holds"),
    ("Mat's switch too hot", hot_switch, "makes 12.5 W of heat at full drive, and can dissipate 2 W"),
]


def found(project: Project) -> dict[str, Remark]:
    return {each.key: each for each in remarks(project, project.first_trial) if each.candidate is None}


@pytest.mark.parametrize(("key", "change", "said"), CASES, ids=[case[0] for case in CASES])
def test_each_is_provoked_said_and_mended(key: str, change: Change, said: str, cabinet: Project) -> None:
    project = change(cabinet)
    remark = found(project)[key]
    assert said in remark.text
    if remark.mend is not None:
        assert key not in found(remark.mend(project))


def test_what_integrates_has_no_end_and_what_is_cooled_may_freeze() -> None:
    plain = one_lag(60.0, 600.0, 10.0)
    slides = ResponseModel(kind="integrating", rise_K_per_s=0.05, dead_time_s=10.0)
    endless = with_fields(
        plain, response=slides, bodies=(), links=(), drives=(with_fields(plain.drive, body="Output"),),
        probes=(with_fields(plain.probe, body="Output"),),
    )  # fmt: skip
    fridge = with_fields(plain, drives=(with_fields(plain.drive, acts="cools"),))
    low = gd.Trip(name="L", probe="Probe", at_degC=1, side="below")
    for rig, setpoint, key in (
        (endless, 60.0, "nothing stops it"),
        (fridge, 4.0, "it may freeze"),
        (with_fields(fridge, guards=(low,)), 4.0, None),
    ):
        project = Project(
            name="P", rig=rig, candidates=(Candidate(name="C", controller=Pid()),), trials=(trial(9000, setpoint),)
        )  # fmt: skip
        told = {"nothing stops it", "it may freeze"} & set(found(project))
        assert told == ({key} if key else set())


def test_a_remark_knows_when_its_setting_is_another_ones(cabinet: Project) -> None:
    project = guarded(with_fields(FUSE, at_degC=115))(cabinet)
    remark = found(project)["Fuse above the limit"]
    assert still_stands(project, remark)
    assert not still_stands(cabinet, remark)
    demo = find_demo("cure-cabinet").build()
    eager = next(each for each in remarks(demo, demo.first_trial) if each.candidate == "Eager PI")
    assert still_stands(demo, eager)
    assert not still_stands(with_fields(demo, candidates=demo.candidates[1:], chosen=None), eager)
    on_off = with_fields(demo.candidates[2], controller=demo.candidates[0].controller)
    assert not still_stands(with_fields(demo, candidates=(*demo.candidates[:2], on_off), chosen=None), eager)


def test_a_guarded_rig_gives_no_reason_for_remarks() -> None:
    for demo in ("wax-pot", "lemon-shed", "tempering-bowl"):
        project = find_demo(demo).build()
        assert found(project) == {}
