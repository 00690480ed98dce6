"""The simplest that does: what it finds is reproduced by a run, and a brute-force search finds nothing simpler."""

import itertools
import json
from pathlib import Path

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.run import Stopped, compute
from kelvarn.files.project_file import save
from kelvarn.model.bodies import Body, Link
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Relay
from kelvarn.model.edit import with_fields
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.studies.batch import Case, run_many
from kelvarn.studies.results import Results
from kelvarn.studies.variants import vary
from kelvarn.tune.process import PlantError
from kelvarn.tune.search import Search
from kelvarn.tune.simplest import conclusion, suggest
from kelvarn.tune.spaces import spaces
from kelvarn.units import Scale

from ..conftest import one_lag, trial
from .commands import kelvarn


def small(*marks: Mark) -> Project:
    """One lag with a dead time, for which a run takes a moment."""
    asked = trial(3000, 60.0, marks=marks)
    return Project(
        name="P", rig=one_lag(100, 300, 30, 2.0), candidates=(Candidate(name="P", controller=Pid()),), trials=(asked,)
    )


@pytest.mark.long
def test_the_cabinet_needs_a_memory_and_no_more(cabinet: Project) -> None:
    found = suggest(cabinet, cabinet.trials)
    assert [each.strategy for each in found.best] == ["On/off", "P", "PI", "PID"]
    assert found.proposed is not None
    assert found.proposed.strategy == "PI"
    assert found.proposed.gain_factor is not None
    assert found.proposed.gain_factor > 1.7
    for each in found.best:  # each is what a run of it says
        result = Results().of(cabinet.rig, Candidate(name="x", controller=each.controller), cabinet.first_trial)
        assert result.met == each.met
        assert (each.miss == 0) == (each.met == each.asked)
        assert each.binds is not None


@pytest.mark.long
def test_it_finds_what_ten_thousand_settings_find() -> None:
    project = small(Mark(measure="overshoot_K", limit=2.0), Mark(measure="settling_s", limit=450))
    asked = project.first_trial
    with_bias = itertools.product(np.geomspace(1e-3, 0.5, 60), np.linspace(0, 0.6, 31))
    laws = [Pid(terms="P", kp_per_K=float(k), bias=float(b)) for k, b in with_bias]
    p_does = any(result.met for result in run_many(Case(k, project.rig, law, asked) for k, law in enumerate(laws)))
    grid = itertools.product(np.geomspace(1e-3, 0.3, 50), np.geomspace(30, 3000, 50))
    settings = [Pid(terms="PI", kp_per_K=float(k), ti_s=float(t)) for k, t in grid]
    does = any(result.met for result in run_many(Case(k, project.rig, law, asked) for k, law in enumerate(settings)))
    found = {each.strategy: each for each in suggest(project, [asked]).best}
    assert (found["P"].met == 2) == p_does
    assert (found["PI"].met == 2) == does
    assert found["PID"].met == 2


@pytest.mark.long
def test_marks_that_nothing_meets_are_said_with_how_far() -> None:
    project = small(Mark(measure="settling_s", limit=5.0), Mark(measure="overshoot_K", limit=50.0))
    found = suggest(project, project.trials)
    assert found.proposed is None
    assert all(each.met == 1 and each.miss > 1 for each in found.best)
    assert found.never == (project.first_trial.marks[0],)
    assert found.contradict == ()
    assert "No run met “Settled" in conclusion(found, Scale.CELSIUS)
    assert {each.binds.mark.measure for each in found.best if each.binds} == {"settling_s"}


def test_it_is_stopped_told_and_refused(cabinet: Project, tmp_path: Path) -> None:
    told: list[float] = []

    def go_on(share: float) -> bool:
        told.append(share)
        return len(told) < 20

    with pytest.raises(Stopped):
        suggest(cabinet, cabinet.trials, go_on)
    assert len(told) == 20
    bare = with_fields(cabinet.first_trial, marks=())
    with pytest.raises(PlantError, match="has no marks"):
        suggest(cabinet, [bare])
    project = small(Mark(measure="overshoot_K", limit=5.0))
    save(project, tmp_path / "x.kelvarn")
    done = kelvarn("suggest", str(tmp_path / "x.kelvarn"), "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["proposed"] is not None
    save(with_fields(project, trials=(with_fields(project.first_trial, marks=()),)), tmp_path / "y.kelvarn")
    assert kelvarn("suggest", str(tmp_path / "y.kelvarn")).returncode == 2


@pytest.mark.long
def test_marks_of_all_trials_are_met_at_once() -> None:
    near = small(Mark(measure="overshoot_K", limit=2.0), Mark(measure="settling_s", limit=450))
    far = with_fields(
        near.first_trial, name="Far", marks=(Mark(measure="steady_error_K", limit=0.2, direction="within"),),
        plan=Plan(changes=(SetpointChange(at_s=0, to_degC=95.0),)),
    )  # fmt: skip
    project = with_fields(near, trials=(near.first_trial, far, with_fields(far, name="Bare", marks=())))
    found = suggest(project, project.trials)
    assert {each.asked for each in found.best} == {3}
    for each in found.best:
        results = [
            Results().of(project.rig, Candidate(name="x", controller=each.controller), t) for t in project.trials
        ]
        assert sum(result.met for result in results) == each.met
        assert (each.miss == 0) == (each.met == 3)
    assert found.proposed is not None


@pytest.mark.long
def test_fan_curves_are_tried_where_a_fan_cools_and_both_ways_where_a_rig_does_both() -> None:
    fan = find_demo("heatsink-fan").build()
    told: list[float] = []

    def a_little(share: float) -> bool:
        told.append(share)
        return share < 0.05

    with pytest.raises(Stopped):
        suggest(fan, fan.trials, a_little)
    of_fan = {space.strategy: space for space in spaces(fan.rig, fan.trials, None)}
    assert list(of_fan) == ["On/off", "Fan steps", "Fan ramp", "P", "PI", "PID"]
    for strategy in ("Fan steps", "Fan ramp"):
        for corner in itertools.product(*((axis.low, axis.high) for axis in of_fan[strategy].axes)):
            law = of_fan[strategy].law(corner)
            law.check(fan.rig.way)
            assert law.strategy == strategy.lower()
    bowl = find_demo("tempering-bowl").build()
    for space in spaces(bowl.rig, bowl.trials, None):
        law = space.law(space.settings(tuple(axis.low for axis in space.axes)))
        assert getattr(law, "low", -1.0) == -1.0
        assert space.strategy != "On/off" or len(space.axes) == 3


def arrives(project: Project, law: object) -> bool:
    """Whether a run comes within half a kelvin of its setpoint, or past it."""
    run = compute(project.rig, law, project.first_trial)  # type: ignore[arg-type]
    return bool((run.judged_degC >= run.setpoint_degC - 0.5).any())


@pytest.mark.long
def test_what_never_heats_is_not_proposed() -> None:
    """A relay that is never switched on overshoots and swings by nothing."""
    cold = small(Mark(measure="overshoot_K", limit=3.0), Mark(measure="swing_K", limit=1.0))
    heater = Relay(body="Block", power_W=200.0, dead_time_s=30.0)
    found = suggest(with_fields(cold, rig=with_fields(cold.rig, drives=(heater,))), cold.trials)
    for each in found.best:
        there = arrives(with_fields(cold, rig=with_fields(cold.rig, drives=(heater,))), each.controller)
        assert there or not each.does, each.strategy
    assert found.proposed is None  # a relay with such a delay swings further
    never = small(Mark(measure="energy_J", limit=1.0))
    assert suggest(never, never.trials).proposed is None


@pytest.mark.long
def test_both_edges_below_the_setpoint_and_a_bias_are_found() -> None:
    """Stored heat goes on heating: only a band below the setpoint stays under it; only a bias lets P come to it."""
    stored = one_lag(200.0, 300.0, 0.0, 2.0)
    heater = Body(name="Heater", capacity_J_per_K=150.0)
    rig = with_fields(
        stored, bodies=(*stored.bodies, heater), drives=(with_fields(stored.drive, body="Heater"),),
        links=(*stored.links, Link(a="Heater", b="Block", conductance_W_per_K=3.0)),
    )  # fmt: skip
    marks = (Mark(measure="overshoot_K", limit=3.5), Mark(measure="steady_error_K", limit=6.5, direction="within"))
    project = with_fields(small(), rig=rig, trials=(trial(6000, 60.0, marks=marks),))
    found = suggest(project, project.trials)
    assert found.proposed is not None
    assert isinstance(found.proposed.controller, OnOff)
    assert found.proposed.controller.cut_out_degC < 60.0
    exact = small(Mark(measure="steady_error_K", limit=1.0, direction="within"), Mark(measure="overshoot_K", limit=0.5))
    best = {each.strategy: each for each in suggest(exact, exact.trials).best}
    assert best["P"].does
    assert best["P"].controller.bias > 0  # type: ignore[union-attr]


@pytest.mark.long
def test_the_choice_stands_a_tenth_off_and_counts_variants_in_the_search() -> None:
    project = small(Mark(measure="overshoot_K", limit=2.0), Mark(measure="settling_s", limit=700))
    found = suggest(project, project.trials, variants=64)
    best = {each.strategy: each for each in found.best}["PI"]
    assert best.stands >= 0.9
    assert best.share is not None
    assert best.share >= 0.95
    *_, check = vary(project.rig, best.controller, project.first_trial, 64)
    assert check.share_of_all == best.share
    law, rng = best.controller, np.random.default_rng(5)
    assert isinstance(law, Pid)
    off = [
        with_fields(law, kp_per_K=law.kp_per_K * a, ti_s=law.ti_s * b, setpoint_weight=min(law.setpoint_weight * c, 2))
        for a, b, c in rng.uniform(0.9, 1.1, (40, 3))
    ]
    met = [each.met for each in run_many(Case(k, project.rig, each, project.first_trial) for k, each in enumerate(off))]
    assert sum(met) >= 32


def test_marks_that_contradict_each_other_are_named() -> None:
    hot = Mark(measure="hottest_degC", limit=70.0, direction="at_least", body="Block")
    calm = Mark(measure="overshoot_K", limit=2.0)
    project = small(hot, calm)
    found = suggest(project, project.trials)
    assert found.proposed is None
    assert found.contradict == ((hot, calm),)
    assert "No run met both" in conclusion(found, Scale.CELSIUS)


def test_what_comes_to_one_stage_only_meets_no_mark_of_the_plan() -> None:
    """P with just the bias for 40 °C stays there when 80 °C are asked for, and overshoots neither."""
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=40.0), SetpointChange(at_s=3000, to_degC=80.0)))
    asked = with_fields(trial(6000, 40.0, marks=(Mark(measure="overshoot_K", limit=3.0),)), plan=plan)
    rig = one_lag(100.0, 300.0, 10.0, 2.0)
    search = Search(rig, [asked], lambda _: True)
    stays = Pid(terms="P", kp_per_K=1e-3, bias=0.2)
    assert next(
        run_many([Case(0, rig, stays, asked)])
    ).met  # it comes to the first one, and judged alone that is enough
    assert search.share_of(stays, [rig]) == 0.0
    assert search.share_of(Pid(terms="PI", kp_per_K=0.05, ti_s=300.0), [rig]) == 1.0
