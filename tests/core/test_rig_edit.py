"""Edits of the rig keep every reference whole, whatever comes and goes."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.run import compute
from kelvarn.engine.steady import can_hold, oddities
from kelvarn.files.project_file import load, save
from kelvarn.model import rig_edit
from kelvarn.model.bodies import Link
from kelvarn.model.drives import Fan, Pwm, Relay, Switch
from kelvarn.model.edit import EditError, add_event, put, with_fields
from kelvarn.model.events import ColdPart
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.words.limitations import limitations
from tests.conftest import again, two_candidates


@pytest.fixture(params=[demo.name for demo in DEMOS])
def project(request: pytest.FixtureRequest) -> Project:
    return find_demo(request.param).build()


def test_every_name_can_be_changed_and_all_that_refers_to_it_follows(project: Project) -> None:
    for old in project.rig.body_names:
        project = rig_edit.rename_body(project, old, f"{old} *")
    for k in range(len(project.rig.drives)):
        project = rig_edit.rename_drive(project, k, f"drive {k}")
    for k in range(len(project.rig.probes)):
        project = rig_edit.rename_probe(project, k, f"probe {k}")
    for k in range(len(project.rig.draw_offs)):
        project = rig_edit.rename_draw_off(project, k, f"tap {k}")
    assert all(name.endswith(" *") for name in project.rig.body_names)
    assert all(e.draw_off == "tap 0" for e in project.trials[0].events if e.kind == "draw_off")
    assert all(link.driven_by in (None, "drive 0") for link in project.rig.links)


def test_demos_are_saved_whole_and_have_no_oddities(project: Project, tmp_path: object) -> None:
    path = tmp_path / "x.kelvarn"  # type: ignore[operator]
    save(project, path)
    assert load(path) == project
    assert not oddities(project.rig)
    assert len(limitations(project.rig)) >= 3
    verdict = can_hold(project.rig, project.trials[0].plan.changes[-1].to_degC)
    assert verdict is not None
    assert verdict.can


def test_heat_of_every_demo_is_accounted_for(project: Project) -> None:
    nothing_put_in = tuple(e for e in project.trials[0].events if not isinstance(e, ColdPart))
    trial = with_fields(project.trials[0], events=nothing_put_in, marks=())
    for candidate in project.candidates:
        run = compute(project.rig, candidate.controller, trial)
        stored = 0.0
        for body, row in zip(project.rig.bodies, run.bodies_degC, strict=True):
            stored += body.capacity_J_per_K * (row[-1] - row[0])
            if body.melting is not None:
                m = body.melting
                share = [min(max((t - m.from_degC) / (m.to_degC - m.from_degC), 0), 1) for t in (row[0], row[-1])]
                stored += m.latent_J * (share[1] - share[0])
        brought = run.heat_J + run.loaded_J
        assert stored + run.lost_J == pytest.approx(brought, rel=1e-6)


def test_a_drive_that_becomes_another_kind_is_called_as_one_but_keeps_a_name_of_its_own() -> None:
    project, _ = rig_edit.add_drive(two_candidates(), "pwm", "Air")
    index = len(project.rig.drives) - 1
    assert project.rig.drives[index].name == "Heater"
    fan = rig_edit.change_kind(project, index, "fan")
    assert fan.rig.drives[index].name == "Fan"
    assert rig_edit.change_kind(fan, index, "relay").rig.drives[index].name == "Heater"
    own = rig_edit.rename_drive(project, index, "Kettle")
    assert rig_edit.change_kind(own, index, "fan").rig.drives[index].name == "Kettle"


DEEDS = (
    "body", "loss", "drive", "fan", "probe", "draw", "role", "kind", "event", "drop body", "drop drive", "drop probe",
    "drop draw", "drop link",
)  # fmt: skip


def deed(project: Project, what: str, k: int) -> Project:
    rig = project.rig
    body = rig.body_names[k % len(rig.body_names)]
    match what:
        case "body":
            return rig_edit.add_body(project, body)[0]
        case "loss" if SURROUNDINGS in rig_edit.unlinked(rig, body):
            return rig_edit.add_link(project, body, SURROUNDINGS)
        case "drive":
            return rig_edit.add_drive(project, ("relay", "slow_window", "pwm", "fan", "valve")[k % 5], body)[0]
        case "fan" if rig.links:
            return rig_edit.drive_link(project, k % len(rig.links))[0]
        case "probe":
            return rig_edit.add_probe(project, body)[0]
        case "draw":
            return rig_edit.add_draw_off(project, body)[0]
        case "role":
            return rig_edit.set_role(project, k % len(rig.probes), ("control", "guard", "watch")[k % 3])
        case "kind":
            return rig_edit.change_kind(project, k % len(rig.drives), ("relay", "pwm", "fan", "valve")[k % 4])
        case "event":
            return add_event(project, 0, ("door", "surroundings", "load", "draw_off", "supply", "probe_fault")[k % 6])
        case "drop body":
            return rig_edit.remove_body(project, body)
        case "drop drive":
            return rig_edit.remove_drive(project, k % len(rig.drives))
        case "drop probe":
            return rig_edit.remove_probe(project, k % len(rig.probes))
        case "drop draw" if rig.draw_offs:
            return rig_edit.remove_draw_off(project, k % len(rig.draw_offs))
        case "drop link" if rig.links:
            return rig_edit.remove_link(project, k % len(rig.links))
        case _:
            return project


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.sampled_from(DEEDS), st.integers(0, 60)), max_size=14), st.sampled_from(DEMOS))
def test_any_row_of_edits_leaves_a_valid_project_that_runs_or_says_why(
    deeds: list[tuple[str, int]], demo: object
) -> None:
    project = demo.build()
    for what, k in deeds:
        try:
            project = deed(project, what, k)
        except EditError as error:
            assert str(error).endswith(".")
        except ValidationError as error:
            assert len(error.errors()) == 1
    assert again(project) == project
    plan = with_fields(project.trials[0].plan, changes=project.trials[0].plan.changes[:1])
    lasts = project.rig.probe.interval_s * 40
    short = with_fields(project.trials[0], duration_s=lasts, events=(), marks=(), plan=plan)
    run = compute(project.rig, project.candidates[0].controller, short)
    assert run.bodies_degC.shape == (len(project.rig.bodies), 41)
    oddities(project.rig)


def test_oddities_say_what_moves_nothing_and_what_reaches_nothing(cabinet: Project) -> None:
    fan = with_fields(cabinet.rig, drives=(*cabinet.rig.drives, Fan()))
    assert any("Fan moves nothing" in text for text in oddities(fan))
    cut = with_fields(cabinet.rig, links=cabinet.rig.links[1:])
    assert any("No heat of Mat reaches Air" in text for text in oddities(cut))
    shut = put(cabinet.rig, ("links", 3, "conductance_W_per_K"), 0.0)
    assert any("no way for heat to the surroundings" in text for text in oddities(shut))
    assert not oddities(put(shut, ("links", 3, "radiating_m2"), 0.1))


def test_a_link_that_names_no_fan_and_a_door_that_is_none_are_refused(cabinet: Project) -> None:
    with pytest.raises(ValidationError, match="is driven by “Wind”, which is no fan or valve"):
        put(cabinet, ("rig", "links", 0, "driven_by"), "Wind")
    with pytest.raises(ValidationError, match="opens a door that the rig does not have"):
        put(cabinet, ("trials", 0, "events", 0, "conductance_W_per_K"), None)
    with pytest.raises(ValidationError, match="two links join"):
        put(cabinet, ("rig", "links"), (*cabinet.rig.links, Link(a="Part", b="Air", conductance_W_per_K=1)))


def test_a_response_model_takes_the_place_of_bodies_with_its_events_and_marks(cabinet: Project) -> None:
    made = rig_edit.to_response(cabinet, ResponseModel(name="Air", gain_K=200, lag_s=4000, dead_time_s=30))
    assert made.rig.body_names == ("Air",)
    assert [event.name for event in made.trials[0].events] == ["Door", "Cold night"]
    assert all(mark.body in (None, "Air") for mark in made.trials[0].marks)
    run = compute(made.rig, made.candidates[1].controller, made.trials[0])
    assert run.bodies_degC.shape[0] == 1


def test_what_a_switch_sheds_is_worked_out_by_its_drop_and_resistance() -> None:
    assert Switch(supply_V=230, drop_V=1.2).dissipation_W(1150) == pytest.approx(6.0)
    assert Switch(supply_V=24, on_ohm=0.02).dissipation_W(240, 0.5) == pytest.approx(1.0)
    assert Relay(body="x", power_W=1).operate_s == 0
    assert Pwm(body="x", power_W=1, floor=0.2).acting_off_below == 0.2
