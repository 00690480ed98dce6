"""Humidity and light are spoken of in their own words and units: remarks, verdicts, failures, pages."""

import html
import re
from datetime import date
from typing import Any

import pytest

from kelvarn.desktop.stations.rig.words import verdict_text
from kelvarn.handover.report import findings, report_html
from kelvarn.handover.user_page import user_parts
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Pwm, Relay
from kelvarn.model.goal import Goal
from kelvarn.model.guards import Alarm, LongestOn, NoRise, ProbeFaultAction, Trip
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.studies.results import result_of
from kelvarn.tune.remarks import remarks
from kelvarn.words.limitations import limitations

_OF_HEAT = re.compile(
    r"\b(heat\w*|cool\w*|warm\w*|cold\w*|hot\w*|°C|temperature|burn|melt\w*|freez\w*|thermal)\b|\d K\b", re.IGNORECASE
)

_TITLES = re.compile("Hottest: |Dead band to cooling")
"""Titles of measures and settings, which are the same for all quantities."""


def _project(unit: str, acts: Any, **law: Any) -> Project:
    relay = Relay(name="Fogger", body="Box", power_W=30, acts=acts)
    lamp = Pwm(name="Lamp", body="Box", power_W=30, acts=acts)
    rig = Rig(
        response=ResponseModel(kind="one_lag", name="Box", gain_K=70, lag_s=600, dead_time_s=40, start_degC=40,
                               limit_degC=95, unit=unit),
        drives=(relay if unit == "% RH" else lamp,),
        goal=Goal(body="Box", low_degC=70, high_degC=92, why="they dry out"),
        probes=(Probe(name="Probe", body="Box", interval_s=5, noise_K=0.8, resolution_K=0.5, lowest_degC=0,
                      highest_degC=100),),
        guards=(Trip(name="Too much", probe="Probe", at_degC=97), Alarm(name="Low", probe="Probe", watches="low"),
                NoRise(name="No answer"), LongestOn(name="Longest"), ProbeFaultAction(name="Fault", **law)),
    )  # fmt: skip
    marks = (Mark(measure="overshoot_K", limit=3), Mark(measure="hottest_degC", body="Box", limit=94))
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=85 if acts == "heats" else 20),))
    trial = Trial(name="Day", duration_s=7200, plan=plan, marks=marks)
    candidates = (
        Candidate(name="A", controller=OnOff(below_K=0.2, above_K=0.2)),
        Candidate(name="B", controller=Pid(terms="PI", kp_per_K=0.05, ti_s=20)),
    )
    return Project(name="Other", rig=rig, trials=(trial,), candidates=candidates)


def _plain(page: str) -> list[str]:
    bare = re.sub(r"<style.*?</style>|<svg.*?</svg>", "", page, flags=re.DOTALL)
    return [line.strip() for line in html.unescape(re.sub(r"<[^>]+>", "\n", bare)).splitlines() if line.strip()]


@pytest.mark.parametrize(("unit", "acts", "law"), [
    ("% RH", "heats", {"action": "on"}), ("lx", "heats", {"action": "off"}), ("% RH", "cools", {"action": "off"}),
])  # fmt: skip
def test_nothing_is_said_of_heat(unit: str, acts: str, law: dict[str, Any]) -> None:
    project = _project(unit, acts, **law)
    scale = project.scale
    assert scale is not None
    results = {each.name: result_of(project.rig, each.controller, project.first_trial) for each in project.candidates}
    said = [f"{each.text} {each.remedy}" for each in remarks(
        project, project.first_trial, {name: each.measures for name, each in results.items()})]  # fmt: skip
    said += [verdict_text(project.rig, 85, scale, 900), *limitations(project.rig)]
    found = findings(project, "B", count=20, scale=scale)
    said += _plain(report_html(project, found, {}, scale, date(2026, 1, 2)))
    parts = user_parts(project, {"Day": results["B"]}, {"Day": "not tried"}, [], scale)
    said += [line for part in parts for line in (part.heading, *part.lines)]
    assert [line for line in said if _OF_HEAT.search(_TITLES.sub("", line))] == []
    assert any(f" {unit}" in line for line in said)
    assert any("highest" in line for line in said)
