"""Kinds of rigs to begin with: at their guesses, at any answers, kept, judged, and guessed until changed."""

import math
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvarn.engine.prepare import RunError
from kelvarn.engine.steady import can_hold
from kelvarn.files.project_file import load, save
from kelvarn.kinds import KINDS, Kind, kind_of
from kelvarn.model.edit import put
from kelvarn.model.guards import ProbeFaultAction, Trip
from kelvarn.model.rig_edit import rename_body
from kelvarn.model.tolerances import guesses
from kelvarn.studies.results import result_of
from kelvarn.units import Quantity

_OF = pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.key)


@_OF
def test_at_its_guesses_it_can_be_held_is_judged_and_something_does_well(kind: Kind, tmp_path: Path) -> None:
    project = kind.made()
    trial = project.first_trial
    verdict = can_hold(project.rig, trial.plan.last_degC)
    assert verdict is not None
    assert verdict.can
    assert len(project.candidates) == 2
    assert len({each.name for each in project.candidates}) == 2
    results = [result_of(project.rig, each.controller, trial) for each in project.candidates]
    assert results[0].met >= results[1].met
    assert results[0].met >= len(trial.marks) - 1
    assert 3 <= len(kind.questions) <= 6
    save(project, tmp_path / "a.kelvarn")
    assert load(tmp_path / "a.kelvarn") == project


@_OF
def test_what_was_guessed_is_marked_until_it_is_changed(kind: Kind) -> None:
    rig = kind.made().rig
    found = guesses(rig)
    assert len(found) >= 4
    assert all(guess.measure and guess.parameter.size > 0 for guess in found)
    drawn = {guess.parameter.path for guess in found}
    if rig.response is None:
        assert {("bodies", k, "capacity_J_per_K") for k in range(len(rig.bodies))} <= drawn
        assert {("links", k, "conductance_W_per_K") for k in range(len(rig.links))} <= drawn
    first = found[0].parameter
    project = put(kind.drafted(), ("rig", *first.path), first.value * 1.25)
    assert first.path not in {guess.parameter.path for guess in guesses(project.rig)}
    if rig.response is None:
        named = rename_body(kind.drafted(), rig.bodies[0].name, "Another name")
        assert len(guesses(named.rig)) == len(found)


@_OF
def test_it_has_a_guard_and_says_what_happens_to_a_failed_probe(kind: Kind) -> None:
    project = kind.made()
    assert any(isinstance(each, ProbeFaultAction) for each in project.rig.guards)
    for guard in project.rig.guards:
        if isinstance(guard, Trip):
            assert guard.at_degC > project.first_trial.plan.last_degC
    if project.rig.heats and project.rig.unit is None:
        assert any(isinstance(each, Trip) for each in project.rig.guards)


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(KINDS), st.data())
def test_any_answers_make_a_rig_or_a_sentence(kind: Kind, data: st.DataObject) -> None:
    answers = {}
    for each in kind.questions:
        if each.lowest > 0 and each.highest / each.lowest > 100:
            answers[each.key] = math.exp(data.draw(st.floats(math.log(each.lowest), math.log(each.highest))))
        else:
            answers[each.key] = data.draw(st.floats(each.lowest, each.highest))
        answers[each.key] = min(max(answers[each.key], each.lowest), each.highest)
    try:
        project = kind.drafted(answers)
    except ValueError as error:
        assert str(error)
        return
    assert project.first_trial.plan.last_degC == pytest.approx(answers["setpoint"], abs=0.006)
    assert project.first_trial.duration_s >= 900
    try:
        run = result_of(project.rig, project.candidates[0].controller, project.first_trial).run
    except RunError as error:
        assert str(error)
    else:
        assert math.isfinite(float(run.bodies_degC.max()))


def test_an_answer_outside_its_range_is_refused_in_a_sentence() -> None:
    with pytest.raises(ValueError, match=r"How warm\? It must be from −20.0 °C to 110.0 °C"):
        kind_of("box").drafted({"setpoint": 400.0})
    question = kind_of("box").questions[0]
    assert question.quantity is Quantity.VOLUME
    assert question.fault(1e6).startswith("It must be from 500 mL") or question.fault(1e6)


def test_a_larger_box_needs_more_and_a_thicker_wall_less() -> None:
    box, kiln = kind_of("box"), kind_of("kiln")
    small, large = (can_hold(box.drafted({"size": size}).rig, 60.0) for size in (0.03, 0.3))
    assert small is not None
    assert large is not None
    assert small.holding_drive is not None
    assert large.holding_drive is not None
    assert large.holding_drive > 3 * small.holding_drive
    thin, thick = (can_hold(kiln.drafted({"wall": wall}).rig, 850.0) for wall in (0.05, 0.2))
    assert thin is not None
    assert thick is not None
    assert thin.holding_drive is not None
    assert thick.holding_drive is not None
    assert thin.holding_drive > 2 * thick.holding_drive


def test_marks_goal_and_trial_are_what_was_asked() -> None:
    project = kind_of("block").drafted({"setpoint": 150.0, "close": 2.5, "fast": 1200.0, "power": 200.0})
    trial, goal = project.first_trial, project.rig.goal
    assert {mark.measure: mark.limit for mark in trial.marks} == {
        "overshoot_K": 5.0, "settling_s": 1200.0, "swing_K": 5.0, "hottest_degC": 380.0,
    }  # fmt: skip
    assert trial.band_K == 2.5
    assert trial.duration_s >= 2400.0
    assert goal is not None
    assert (goal.low_degC, goal.high_degC, goal.body) == (145.0, 155.0, "Block")
    assert getattr(project.rig.drive, "power_W", 0.0) == 200.0
