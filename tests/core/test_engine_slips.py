"""One place each for slips of the engine that nothing noticed once."""

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.marks import judge
from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.model.bodies import DrawOff
from kelvarn.model.edit import with_fields
from kelvarn.model.events import DrawOffRuns, Load, SurroundingsChange
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import CutOff
from kelvarn.model.mark import Mark
from kelvarn.model.pid import Pid
from tests.conftest import one_lag, trial


def test_a_cut_off_of_what_heats_by_itself_leaves_the_drives_alone() -> None:
    rig = one_lag()
    cut = CutOff(name="C", body="Block", at_degC=50, does="load")
    rig = with_fields(rig, guards=(cut,), bodies=(with_fields(rig.bodies[0], own_heat_W=40.0),))
    run = compute(rig, Fixed(drive=0.8), trial(2000))
    assert run.put_out[0].min() == pytest.approx(0.8, abs=1e-4)
    assert run.bodies_degC[0, -1] == pytest.approx(20 + 80, abs=0.1)  # without its own 40 W, which are 20 K


@pytest.mark.parametrize("switched", [False, True])
@pytest.mark.parametrize("melts", [False, True])
def test_heat_that_is_drawn_off_is_lost_also_where_a_sample_is_split(switched: bool, melts: bool) -> None:
    rig = one_lag(interval_s=20.0)
    block = rig.bodies[0]
    if melts:
        melting = {"from_degC": 30.0, "to_degC": 35.0, "latent_J": 4000.0}
        rig = with_fields(rig, bodies=(with_fields(block, melting=melting),))
    if switched:  # never opens; the sample is walked through in another way
        rig = with_fields(rig, guards=(CutOff(name="C", body="Block", at_degC=300),))
    rig = with_fields(rig, draw_offs=(DrawOff(name="Tap", body="Block", flow_W_per_K=0.7, inlet_degC=9.0),))
    happens = (
        DrawOffRuns(name="Shower", at_s=203.7, lasts_s=300.9, draw_off="Tap"),
        Load(name="Load", at_s=331.3, lasts_s=77.7, body="Block", power_W=30),
        SurroundingsChange(name="Cold", at_s=417.1, lasts_s=50, change_K=-5),
    )
    run = compute(rig, Pid(kp_per_K=0.05, ti_s=100), trial(1200, 60, events=happens))
    stored = block.capacity_J_per_K * float(run.bodies_degC[0, -1] - run.bodies_degC[0, 0]) + (4000 if melts else 0)
    assert stored + run.lost_J == pytest.approx(run.energy_J + run.loaded_J, rel=1e-6)
    dry = compute(rig, Pid(kp_per_K=0.05, ti_s=100), trial(1200, 60, events=happens[1:]))
    assert run.lost_J > dry.lost_J + 0.7 * 25 * 300.9  # it comes in 51 K colder than it leaves


@pytest.mark.parametrize(
    ("measure_name", "direction"),
    [("hottest_degC", "at_most"), ("coldest_degC", "at_least"), ("limit_margin_K", "at_least")],
)
def test_a_mark_on_a_body_is_judged_on_that_body(measure_name: str, direction: str) -> None:
    project = find_demo("cure-cabinet").build()
    quiet = with_fields(project.first_trial, marks=())
    run = compute(project.rig, project.candidates[-1].controller, quiet)
    measures = measure(run)
    for k, body in enumerate(project.rig.bodies):
        mark = Mark.model_validate({"measure": measure_name, "limit": 0.0, "direction": direction, "body": body.name})
        [verdict] = judge(with_fields(quiet, marks=(mark,)), measures)
        if measure_name == "limit_margin_K":
            rest = None if body.limit_degC is None else body.limit_degC - run.bodies_degC[k].max()
            assert (verdict.value is None) == (rest is None)
            assert rest is None or verdict.value == pytest.approx(rest, abs=0.3)
        else:
            end = (np.max if measure_name == "hottest_degC" else np.min)(run.bodies_degC[k])
            assert verdict.value == pytest.approx(end, abs=0.3)
