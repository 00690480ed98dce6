"""The page for whoever uses the machine: what it says is what the runs say, and what was not looked at is open."""

import re
from datetime import date

import numpy as np
import pytest

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.run import compute
from kelvarn.handover.open_points import open_points
from kelvarn.handover.user_page import user_page_html, user_parts
from kelvarn.model.edit import put, with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import CutOff, ProbeFaultAction
from kelvarn.model.project import Project
from kelvarn.studies.failures import failure_table
from kelvarn.studies.results import Result, result_of
from kelvarn.units import Quantity, Scale, show

DAY = date(2026, 11, 30)


def results(project: Project) -> dict[str, Result]:
    law = project.candidate(project.chosen or project.candidates[-1].name).controller
    return {trial.name: result_of(project.rig, law, trial) for trial in project.trials}


def parts(project: Project, **given: object) -> dict[str, str]:
    found = given.get("results", results(project))
    failures = given.get("failures", {})
    points = open_points(project, found, failures, Scale.CELSIUS)
    return {part.heading: "\n".join(part.lines) for part in user_parts(project, found, failures, points, Scale.CELSIUS)}


@pytest.mark.parametrize("demo", DEMOS, ids=lambda demo: demo.name)
@pytest.mark.parametrize("scale", [Scale.CELSIUS, Scale.FAHRENHEIT])
def test_every_demo_has_a_page_of_whole_sentences(demo: object, scale: Scale) -> None:
    project = demo.build()  # type: ignore[attr-defined]
    html = user_page_html(project, project.chosen or project.candidates[-1].name, results(project), {}, scale, DAY)
    text = re.sub(r"<[^>]+>", " ", html[html.index("<body>") :])
    assert not re.search(r"\bNone\b|\bnan\b|\binf\b|  ,|\.\.", text), text
    assert project.name.split()[0] in text
    assert "Not to be used" in text  # no demo's failures were tried here
    assert ("°F" in text) == (scale is Scale.FAHRENHEIT)


def test_what_it_says_of_the_cabinet_is_what_the_run_says() -> None:
    project = find_demo("cure-cabinet").build()
    said, run = parts(project), results(project)[project.first_trial.name].run
    part = run.bodies_degC[project.rig.body_index("Part")]
    first = float(run.time_s[np.argmax(part >= 58.0)])
    assert f"inside the goal from {show(first, Quantity.DURATION)} on" in said["How to use it"]
    outside = np.flatnonzero((part < 58.0) & (run.time_s > first))
    assert show(float(run.time_s[outside[0]]), Quantity.DURATION) in said["How to use it"]
    assert "It measures Air, not Part; set to 60.0 °C." in said["What it is for"]
    stop = re.search(r"Probe not over ([\d.]+) °C after (\d+) min \(calculated: ([\d.]+)", said["Stop and unplug"])
    assert stop is not None
    least, minutes, calculated = float(stop[1]), float(stop[2]), float(stop[3])
    read = run.measured_degC[run.sample_at(60 * minutes)]
    assert read == pytest.approx(calculated, abs=0.1)
    assert run.measured_degC[0] < least < read
    mat = re.search(r"Heater mat over (\d+)", said["Stop and unplug"])
    assert mat is not None
    assert run.bodies_degC[project.rig.body_index("Heater mat")].max() < float(mat[1]) < 110


def test_by_hand_the_duty_that_is_named_does_hold_it() -> None:
    project = find_demo("cure-cabinet").build()
    duty = re.search(r"(\d+) % on the average holds", parts(project)["When the controller is dead"])
    assert duty is not None
    calm = with_fields(project.first_trial, events=(), marks=(), duration_s=40 * 3600.0)
    run = compute(project.rig, Fixed(drive=float(duty[1]) / 100), calm)
    assert run.judged_degC[-1] == pytest.approx(60.0, abs=1.2)  # the duty has two figures
    cools = find_demo("heatsink-fan").build()
    assert "full drive keeps it coldest" in parts(cools)["When the controller is dead"]


def closed(project: Project) -> Project:
    """All that the builder can close is."""
    guards = (
        *project.rig.guards, CutOff(name="Stat", body="Heater mat", at_degC=105), ProbeFaultAction(name="Probe fault")
    )  # fmt: skip
    return put(put(project, ("rig", "guards"), guards), ("checked",), ("cut_off", "outputs_alone"))


def test_it_is_forbidden_until_everything_that_harms_was_looked_at_and_closed() -> None:
    project = closed(find_demo("cure-cabinet").build())
    found = results(project)
    law = project.candidate(project.chosen).controller
    tables = {project.first_trial.name: failure_table(project.rig, law, project.first_trial)}
    name = project.chosen
    assert name is not None

    def forbids(candidate: Project, failures: dict[str, object]) -> list[str]:
        points = open_points(candidate, found, failures, Scale.CELSIUS)  # type: ignore[arg-type]
        html = user_page_html(candidate, name, found, failures, Scale.CELSIUS, DAY)  # type: ignore[arg-type]
        asked = [point.text for point in points if point.forbids]
        assert ("Not to be used" in html) == bool(asked)
        return asked

    one = forbids(project, tables)  # the second trial's failures were not tried
    assert "failures on “Two-stage cure” not tried" in one
    assert "None of the single failures" not in parts(project, results=found, failures=tables)["If something fails"]
    both = tables | {"Two-stage cure": "it leaves every sensible range"}
    assert any("could not be tried" in each for each in forbids(project, both))
    assert any("not seen to act" in each for each in forbids(put(project, ("checked",), ()), tables))
    bare = put(project, ("rig", "guards"), ())
    assert {"no action set for a failed probe"} <= set(forbids(bare, tables))
    table = tables[project.first_trial.name]
    said = parts(project, results=found, failures=tables)["If something fails"]
    harmful = [row for row in table.rows if row.worst.harmful]
    assert all(row.failure.text[:1].upper() + row.failure.text[1:] in said for row in harmful[:4])
    assert said.count("passes its limit") == min(len(harmful), 4)


def test_the_cut_off_of_a_rig_and_its_alarms_are_told_with_what_to_do_first() -> None:
    said = parts(find_demo("lemon-shed").build())
    for name in ("Thermal cut-off", "Air stat", "Probe fault", "Frost", "Flat out", "Restart"):
        assert re.search(rf"^{name} \(.*First: ", said["What messages mean"], re.MULTILINE)
    assert said["What the setpoint does"].startswith("It may be set from 2.0 °C to 12.0 °C.")


def test_without_any_limit_nothing_is_called_safe() -> None:
    project = closed(find_demo("cure-cabinet").build())
    bodies = tuple(with_fields(body, limit_degC=None) for body in project.rig.bodies)
    project = with_fields(project, rig=with_fields(project.rig, bodies=bodies), trials=project.trials[:1])
    law = project.candidate(project.chosen or "").controller
    found = results(project)
    tables = {project.first_trial.name: failure_table(project.rig, law, project.first_trial)}
    points = open_points(project, found, tables, Scale.CELSIUS)
    assert any(point.forbids and "no body has a limit" in point.text for point in points)
    said = parts(project, results=found, failures=tables)["If something fails"]
    assert "Cannot be judged" in said
    assert "None of the" not in said


def test_what_is_all_closed_and_safe_may_be_used_and_says_which_limits_were_looked_at() -> None:
    project = find_demo("wax-pot").build()
    bodies = tuple(with_fields(body, limit_degC=body.limit_degC or 400.0) for body in project.rig.bodies)
    project = with_fields(project, rig=with_fields(project.rig, bodies=bodies), checked=("cut_off", "outputs_alone"))
    name = project.chosen or project.candidates[-1].name
    law, found = project.candidate(name).controller, results(project)
    tables = {trial.name: failure_table(project.rig, law, trial) for trial in project.trials}
    assert all(not table.passed for table in tables.values())
    html = user_page_html(project, name, found, tables, Scale.CELSIUS, DAY)
    assert "Not to be used" not in html
    assert "passes a known limit (" in parts(project, results=found, failures=tables)["If something fails"]
