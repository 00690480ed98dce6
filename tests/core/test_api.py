"""The face for Python: its examples are true, and what it cannot do it says."""

import doctest
from pathlib import Path

import numpy as np
import pytest

import kelvarn as kv
from kelvarn import api
from kelvarn.fit.observed import FitError

from .made_logs import step_log


@pytest.mark.long
def test_every_function_has_an_example_and_all_are_true(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    kv.save(kv.demo("cure-cabinet"), "cabinet.kelvarn")
    finder = doctest.DocTestFinder(recurse=True)
    found = {test.name.rpartition(".")[2]: test for test in finder.find(api, globs={"kv": kv, "np": np})}
    assert [name for name in api.__all__ if name.islower() and not found[name].examples] == []
    runner = doctest.DocTestRunner()
    for test in found.values():
        runner.run(test)
    assert runner.summarize(verbose=False).failed == 0


def test_a_rig_of_ones_own_runs_with_a_law_and_a_trial() -> None:
    rig = kv.Rig(
        bodies=(kv.Body(name="Block", capacity_J_per_K=400.0),),
        links=(kv.Link(a="Block", b=kv.SURROUNDINGS, conductance_W_per_K=2.0),),
        drives=(kv.Pwm(body="Block", power_W=200.0),),
        probes=(kv.Probe(body="Block", interval_s=1.0),),
    )
    plan = kv.Plan(changes=(kv.SetpointChange(at_s=0, to_degC=60),))
    trial = kv.Trial(name="Up", duration_s=3600, plan=plan)
    found = kv.run(rig, kv.Pid(kp_per_K=0.05, ti_s=200.0), trial)
    assert found.run.measured_degC[-1] == pytest.approx(60, abs=0.05)
    assert repr(found.run).startswith("Run(trial='Up', law='Pid', readings=3601")
    assert "\n" not in repr(found.run)
    with pytest.raises(ValueError, match="give a law and a trial"):
        kv.run(rig)


def test_what_it_cannot_do_it_says() -> None:
    bowl = kv.demo("tempering-bowl")
    with pytest.raises(ValueError, match="There is no candidate “Nobody”; there are: "):
        kv.run(bowl, "Nobody")
    with pytest.raises(ValueError, match="There is no trial “Never”"):
        kv.failures(bowl, trial="Never")
    with pytest.raises(AttributeError, match="has no attribute 'runn'"):
        _ = kv.runn
    assert set(api.__all__) <= set(dir(kv))
    data = step_log(1)
    assert kv.fit_log(data.time_s, data.measured_degC, data.drive).fit.values["gain_K"].value > 0
    with pytest.raises(FitError, match="of one length"):
        kv.fit_log(data.time_s, data.measured_degC, [0.0])
    with pytest.raises(FitError, match="have to rise"):
        kv.fit_log(data.time_s[::-1], data.measured_degC, data.drive)
    with pytest.raises(FitError, match="Give a file, or three arrays"):
        kv.fit_log(data.time_s)
