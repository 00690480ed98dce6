"""A cold part put in: against the closed form of two bodies that touch, by both integrations."""

import json
import math
from pathlib import Path

import numpy as np
import pytest

from kelvarn.engine.measures import measure
from kelvarn.engine.run import Run, compute
from kelvarn.files.project_file import from_json, to_json
from kelvarn.model.bodies import Body, Link, Melting
from kelvarn.model.drives import Pwm
from kelvarn.model.edit import EditError, add_event, put
from kelvarn.model.events import EVENT_KINDS, ColdPart
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.fixed import Hand
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from kelvarn.model.rig_edit import remove_body, rename_body, to_response
from kelvarn.model.trial import Plan, SetpointChange, Trial
from tests.conftest import again

C, CP, G = 800.0, 300.0, 6.0


def run_with(*parts: ColdPart, melts: bool = False) -> Run:
    """A body of 60 °C that loses nothing, with its drive off, while parts come and go."""
    melting = Melting(from_degC=150, to_degC=160, latent_J=1000) if melts else None
    rig = Rig(
        bodies=(Body(name="Block", capacity_J_per_K=C, start_degC=60, melting=melting),),
        links=(Link(a="Block", b=SURROUNDINGS, conductance_W_per_K=0.0),),
        drives=(Pwm(body="Block", power_W=10),),
        probes=(Probe(body="Block"),),
    )
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=60),))
    return compute(rig, Hand(drive=0.0), Trial(name="T", duration_s=600, plan=plan, events=parts))


@pytest.mark.parametrize("melts", [False, True], ids=["exact", "adaptive"])
def test_two_bodies_that_touch_share_their_heat(melts: bool) -> None:
    part = ColdPart(name="P", at_s=100.5, body="Block", capacity_J_per_K=CP, part_degC=10, contact_W_per_K=G)
    run = run_with(part, melts=melts)
    rate = G * (1 / C + 1 / CP)
    end = (C * 60 + CP * 10) / (C + CP)
    t = np.maximum(run.time_s - 100.5, 0.0)
    expected = end + (60 - end) * np.exp(-rate * t)
    assert run.judged_degC == pytest.approx(expected, abs=1e-4 if melts else 1e-9)
    window = measure(run).event("P")
    began = (60 + expected[101]) / 2  # between two readings
    assert window.values["sag_K"] == pytest.approx(began - expected[-1], abs=1e-3)


def test_a_part_taken_out_takes_its_heat_along_and_comes_back_with_it() -> None:
    first = ColdPart(name="A", at_s=50, lasts_s=100, body="Block", capacity_J_per_K=CP, part_degC=10, contact_W_per_K=G)
    run = run_with(first)
    rate, end = G * (1 / C + 1 / CP), (C * 60 + CP * 10) / (C + CP)
    left = end + (60 - end) * math.exp(-rate * 100)
    assert run.judged_degC[150:] == pytest.approx(np.full(451, left), abs=1e-9)
    both = run_with(first, first.model_copy(update={"name": "B", "at_s": 300.0, "part_degC": 100.0}))
    assert both.judged_degC[:300] == pytest.approx(run.judged_degC[:300], abs=1e-12)
    assert both.judged_degC[-1] > left + 5


def test_it_is_added_saved_renamed_and_goes_with_its_body(cabinet: Project, tmp_path: Path) -> None:
    project = add_event(cabinet, 0, "cold_part")
    part = project.trials[0].events[-1]
    assert isinstance(part, ColdPart)
    assert (part.body, part.part_degC) == ("Air", 19.0)
    assert again(project) == project
    assert rename_body(project, "Air", "Inside").trials[0].events[-1].body == "Inside"  # type: ignore[union-attr]
    on_part = put(project, ("trials", 0, "events", len(project.trials[0].events) - 1, "body"), "Part")
    assert [e.name for e in remove_body(on_part, "Part").trials[0].events] == ["Door", "Cold night"]
    lagged = to_response(project, ResponseModel(name="Out", kind="two_lags"))
    run = compute(lagged.rig, lagged.candidates[1].controller, lagged.trials[0])
    assert np.isfinite(run.bodies_degC).all()
    assert run.bodies_degC.shape[0] == 1
    document = json.loads(to_json(project))
    document["trials"][0]["events"] = [{**document["trials"][0]["events"][-1], "name": f"P{k}"} for k in range(13)]
    document["trials"][0]["marks"] = []
    with pytest.raises(ValueError, match="at most 12 parts"):
        from_json(json.dumps(document), "x")


def test_every_kind_of_event_can_be_added_or_says_what_it_lacks(cabinet: Project) -> None:
    for kind, of_kind in EVENT_KINDS.items():
        assert of_kind.what
        if of_kind.missing(cabinet.rig):
            with pytest.raises(EditError, match=r"no (draw-off|permit)"):
                add_event(cabinet, 0, kind)
            continue
        event = add_event(cabinet, 0, kind).trials[0].events[-1]
        assert event.kind == kind
        assert set(event.shown()) <= set(type(event).model_fields)


def test_a_door_opens_to_somewhere_else(cabinet: Project) -> None:
    with pytest.raises(ValueError, match="event “Door” of trial “Cold start, door, cold night” opens “Air” to itself"):
        put(cabinet, ("trials", 0, "events", 0, "to"), "Air")
    with pytest.raises(ValueError, match="opens a door that the rig does not have"):
        put(
            put(cabinet, ("trials", 0, "events", 0, "conductance_W_per_K"), 1.0),
            ("trials", 0, "events", 0),
            cabinet.trials[0].events[0].model_copy(update={"body": "Part", "conductance_W_per_K": None}),
        )
