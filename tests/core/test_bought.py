"""A controller that was bought: its numbers, rounded as it can hold them, and what that costs."""

import random
from datetime import date

import pytest

from kelvarn.demos import find_demo
from kelvarn.handover.bought import bought_html, costs, held, run_held, verdict_text
from kelvarn.handover.faults import HandoverError
from kelvarn.model.bought import Bought
from kelvarn.model.candidate import Candidate
from kelvarn.model.curve import Curve
from kelvarn.model.edit import with_fields
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.studies.all_trials import results_of_all
from kelvarn.units import Scale


def cabinet(law: object) -> tuple[Project, Candidate]:
    demo = find_demo("cure-cabinet").build()
    candidate = Candidate(name="Try", controller=law)
    return with_fields(demo, candidates=(candidate,), chosen=None), candidate


PID = Pid(terms="PID", kp_per_K=0.123456, ti_s=701.6, td_s=60.4, setpoint_weight=0.6, filter_n=8)


@pytest.mark.parametrize(
    ("bought", "typed"),
    [
        (Bought(weighs=True), [2.0, 702.0, 60.0]),
        (Bought(weighs=True, gain_as="band_K", time_step_s=60.0), [8.1, 720.0, 60.0]),
        (Bought(weighs=True, gain_as="gain", gain_step=1.0, time_longest_s=600.0), [12.0, 600.0, 60.0]),
        (Bought(weighs=True, time_step_s=150.0), [2.0, 750.0, 0.0]),
        (Bought(weighs=True, gain_as="gain", form="parallel"), [12.3, 0.018, 745.674]),
    ],
)
def test_numbers_are_rounded_in_the_controllers_words(bought: Bought, typed: list[float]) -> None:
    found = held(*cabinet(PID), bought)
    assert [each.typed for each in found.numbers[:3]] == typed
    assert all(each.note or abs(each.typed - each.exact) <= 75.0 for each in found.numbers)
    assert isinstance(found.controller, Pid)
    narrow = held(*cabinet(PID), Bought(gain_as="gain", gain_lowest=2.0, gain_highest=10.0)).numbers[0]
    assert (narrow.typed, narrow.note) == (10.0, "beyond what it takes: its nearest")
    if typed[2] == 0.0:
        assert (found.controller.terms, found.numbers[2].note) == ("PI", "less than half a step: left out")


@pytest.mark.parametrize("form", ["standard", "series", "parallel"])
def test_fine_steps_change_nothing(form: str) -> None:
    """Every form and every way to write a gain is the law itself where its steps are fine."""
    draw = random.Random(1)
    for gain_as in ("band_pct", "band_K", "gain"):
        law = Pid(terms="PID", kp_per_K=draw.uniform(0.02, 0.5), ti_s=draw.uniform(300, 2000),
                  td_s=draw.uniform(5, 50), setpoint_weight=0.5)  # fmt: skip
        fine = Bought(form=form, gain_as=gain_as, gain_step=1e-6, gain_lowest=0.0, gain_highest=1e6, time_step_s=1e-3,
                      rate_step=1e-9, weighs=True)  # type: ignore[arg-type]  # fmt: skip
        found = held(*cabinet(law), fine).controller
        assert isinstance(found, Pid)
        for name in ("kp_per_K", "ti_s", "td_s"):
            assert getattr(found, name) == pytest.approx(getattr(law, name), rel=2e-4), (form, gain_as, name)
        assert found.setpoint_weight == 0.5


def test_what_it_lacks_and_what_rounding_costs_is_run_on_all_trials() -> None:
    project, candidate = cabinet(find_demo("cure-cabinet").build().candidate("Careful PID").controller)
    tried = results_of_all(project.rig, candidate.controller, project.trials)
    fine = held(project, candidate, Bought(weighs=True, gain_step=0.0001, gain_lowest=0.001))
    same = costs(tried, run_held(fine), Scale.CELSIUS)
    assert verdict_text(same).startswith("It costs no mark")
    coarse = held(project, candidate, Bought(time_step_s=600.0, gain_step=2.0, unwinds=False))
    assert [each.split(":")[0] for each in coarse.lacks] == ["no setpoint weight", "no anti-windup"]
    assert isinstance(coarse.controller, Pid)
    assert (coarse.controller.setpoint_weight, coarse.controller.anti_windup) == (1.0, "none")
    found = costs(tried, run_held(coarse), Scale.CELSIUS)
    assert {cost.trial for cost in found} == {trial.name for trial in project.trials}
    assert len(found) == sum(len(trial.marks) for trial in project.trials)
    lost = [cost for cost in found if cost.was_met and not cost.is_met]
    assert lost
    assert f"It costs {len(lost)}: {lost[0].what}" in verdict_text(found)
    page = bought_html(project, candidate, tried, run_held(coarse), Scale.CELSIUS, date(2026, 11, 30))
    assert "It has no setpoint weight" in page
    assert "computing what it costs" in bought_html(project, candidate, {}, {}, Scale.CELSIUS, date(2026, 11, 30))


def test_an_on_off_keeps_its_edges_within_half_a_step_whatever_it_is_written_as() -> None:
    for law in (OnOff(below_K=1.23, above_K=0.57), OnOff(notation="band", band_K=0.77, shortest_off_s=33.4),
                OnOff(notation="cuts", cut_in_degC=58.37, cut_out_degC=61.08)):  # fmt: skip
        project, candidate = cabinet(law)
        found = held(project, candidate, Bought(degree_step_K=0.5))
        assert isinstance(found.controller, OnOff)
        setpoint = project.first_trial.plan.last_degC
        for one, other in zip(law.on_off_degC(setpoint, project.rig.way),
                              found.controller.on_off_degC(setpoint, project.rig.way), strict=True):  # fmt: skip
            assert abs(one - other) <= 0.25 + 1e-9
        for each in found.numbers[:2]:
            assert each.typed % 0.5 == 0.0


def test_a_curve_and_a_form_that_is_not_there_are_one_sentence() -> None:
    fan = find_demo("heatsink-fan").build()
    curve = next(each for each in fan.candidates if isinstance(each.controller, Curve))
    with pytest.raises(HandoverError, match="choose on/off, P, PI or PID"):
        held(fan, curve, Bought())
    project, candidate = cabinet(Pid(terms="PID", kp_per_K=0.1, ti_s=100, td_s=90, filter_n=50))
    with pytest.raises(HandoverError, match="no series form"):
        held(project, candidate, Bought(form="series"))
    with pytest.raises(ValueError, match="lowest gain must be below"):
        Bought(gain_lowest=5.0, gain_highest=2.0)
