"""The simplest that does: what it finds is reproduced by a run, and a brute-force search finds nothing simpler."""

import itertools
import json
from pathlib import Path

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.run import Stopped
from kelvarn.files.project_file import save
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import with_fields
from kelvarn.model.mark import Mark
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.studies.batch import Case, run_many
from kelvarn.studies.results import Results
from kelvarn.tune.plant import PlantError
from kelvarn.tune.simplest import _spaces, suggest

from ..conftest import one_lag, trial
from .test_cli import kelvarn


def small(*marks: Mark) -> Project:
    """One lag with a dead time, for which a run takes a moment."""
    asked = trial(3000, 60.0, marks=marks)
    return Project(
        name="P", rig=one_lag(100, 300, 30, 2.0), candidates=(Candidate(name="P", controller=Pid()),), trials=(asked,)
    )


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


def test_it_finds_what_ten_thousand_settings_find() -> None:
    project = small(Mark(measure="overshoot_K", limit=2.0), Mark(measure="settling_s", limit=450))
    asked = project.first_trial
    laws = [Pid(terms="P", kp_per_K=float(k)) for k in np.geomspace(1e-3, 0.5, 200)]
    assert not any(result.met for result in run_many(Case(k, project.rig, law, asked) for k, law in enumerate(laws)))
    grid = itertools.product(np.geomspace(1e-3, 0.3, 50), np.geomspace(30, 3000, 50))
    settings = [Pid(terms="PI", kp_per_K=float(k), ti_s=float(t)) for k, t in grid]
    does = any(result.met for result in run_many(Case(k, project.rig, law, asked) for k, law in enumerate(settings)))
    found = {each.strategy: each for each in suggest(project, [asked]).best}
    assert found["P"].met < found["P"].asked
    assert (found["PI"].met == 2) == does
    assert found["PID"].met == 2


def test_marks_that_nothing_meets_are_said_with_how_far() -> None:
    project = small(Mark(measure="settling_s", limit=5.0), Mark(measure="overshoot_K", limit=50.0))
    found = suggest(project, project.trials)
    assert found.proposed is None
    assert all(each.met == 1 and each.miss > 1 for each in found.best)
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


def test_fan_curves_are_tried_where_a_fan_cools_and_both_ways_where_a_rig_does_both() -> None:
    fan = find_demo("heatsink-fan").build()
    told: list[float] = []

    def a_little(share: float) -> bool:
        told.append(share)
        return share < 0.05

    with pytest.raises(Stopped):
        suggest(fan, fan.trials, a_little)
    spaces = {space.strategy: space for space in _spaces(fan.rig, fan.first_trial)}
    assert list(spaces) == ["On/off", "Fan steps", "Fan ramp", "P", "PI", "PID"]
    for strategy in ("Fan steps", "Fan ramp"):
        for corner in itertools.product(*spaces[strategy].ranges):
            law = spaces[strategy].law(corner)
            law.check(fan.rig.way)
            assert law.strategy == strategy.lower()
    bowl = find_demo("tempering-bowl").build()
    for space in _spaces(bowl.rig, bowl.first_trial):
        law = space.law(tuple(low for low, _ in space.ranges))
        assert getattr(law, "low", -1.0) == -1.0
        assert space.strategy != "On/off" or len(space.ranges) == 3
