"""Studies: the same results as single runs, whatever the threads; stopped at once; and results kept within bytes."""

import itertools
import re
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Stopped, compute
from kelvarn.files.tables import json_text, result_json, write_trace
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import put, with_fields
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.trial import Trial
from kelvarn.studies.batch import Case, CaseResult, run_many
from kelvarn.studies.results import Result, ResultKey, Results, bytes_of, result_of
from kelvarn.studies.variant_words import variant_lines
from kelvarn.studies.variants import vary
from kelvarn.units import Scale
from tests.conftest import one_lag, trial


def cases(project: Project, count: int) -> list[Case]:
    """The cabinet with different gains, seeds and heat capacities."""
    found = []
    for k in range(count):
        controller = Pid(kp_per_K=0.05 + 0.01 * k, ti_s=600, td_s=60) if k % 3 else OnOff(below_K=0.2 + 0.1 * k)
        rig = put(project.rig, ("bodies", 1, "capacity_J_per_K"), 400.0 + 50 * (k % 2))
        found.append(Case(k, rig, controller, with_fields(project.first_trial, seed=k % 4)))
    return found


def test_a_study_gives_what_single_runs_give_whatever_the_threads(cabinet: Project) -> None:
    wanted = cases(cabinet, 14)
    with ThreadPoolExecutor(1) as one, ThreadPoolExecutor(3) as three:
        first, second = (list(run_many(wanted, threads=pool)) for pool in (one, three))
    assert [result.key for result in first] == list(range(14))
    assert first == second
    for case, result in zip(wanted, first, strict=True):
        alone = measure(compute(case.rig, case.controller, case.trial))
        assert result.measures == alone
        assert result.met == all(verdict.met for verdict in result.verdicts)


def test_kinds_of_rigs_and_faults_may_stand_side_by_side(cabinet: Project) -> None:
    kiln, fan = find_demo("enamelling-kiln").build(), find_demo("heatsink-fan").build()
    wild = with_fields(put(one_lag(), ("drives", 0, "power_W"), 1e7), links=())
    mixed = [Case(p.name, p.rig, p.candidates[0].controller, p.first_trial) for p in (kiln, cabinet, fan)]
    mixed.insert(1, Case("wild", wild, OnOff(), trial(500, 2500)))
    mixed.insert(2, Case("short", one_lag(interval_s=60), OnOff(), trial(30)))
    found = {result.key: result for result in run_many(mixed)}
    assert "leaves every sensible temperature" in found["wild"].fault
    assert "less than one reading" in found["short"].fault
    assert not found["wild"].met
    for project in (kiln, fan, cabinet):
        alone = measure(compute(project.rig, project.candidates[0].controller, project.first_trial))
        assert found[project.name].measures == alone


def test_a_study_streams_and_takes_no_more_cases_than_it_needs(cabinet: Project) -> None:
    taken = itertools.count()

    def endless() -> Iterator[Case]:
        for case in itertools.cycle(cases(cabinet, 2)):
            next(taken)
            yield case

    study = run_many(endless())
    assert [next(study).key for _ in range(4)] == [0, 1, 0, 1]
    study.close()  # type: ignore[attr-defined]
    assert next(taken) < 100


def test_a_study_is_stopped_between_chunks_and_inside_a_long_run(cabinet: Project) -> None:
    asked = itertools.count()
    one = [Case("x", one_lag(interval_s=0.1), Pid(), trial(86400 * 5))]
    with pytest.raises(Stopped):  # it is one chunk: what stops it is asked inside the run
        list(run_many(one, lambda: next(asked) < 3))
    asked, taken = itertools.count(), itertools.count()
    endless = (Case(next(taken), cabinet.rig, Pid(), cabinet.first_trial) for _ in itertools.count())
    with pytest.raises(Stopped):
        for _ in run_many(endless, lambda: next(asked) < 3):
            pass
    assert next(taken) < 1000


def test_results_are_bounded_in_bytes_and_keyed(cabinet: Project) -> None:
    size = bytes_of(compute(cabinet.rig, OnOff(), cabinet.first_trial))
    assert size > 100 * 7201
    results = Results(most_bytes=int(2.5 * size))
    tests = [with_fields(cabinet.first_trial, seed=k) for k in range(4)]
    runs = [results.of(cabinet.rig, cabinet.candidates[0], test).run for test in tests]
    assert results.of(cabinet.rig, cabinet.candidates[0], tests[3]).run is runs[3]
    assert results.of(cabinet.rig, cabinet.candidates[0], tests[2]).run is runs[2]
    assert results.of(cabinet.rig, cabinet.candidates[0], tests[0]).run is not runs[0]
    found = Results().of_project(cabinet, cabinet.first_trial)
    assert set(found) == {ResultKey(c.name, cabinet.first_trial.name) for c in cabinet.candidates}
    assert all(isinstance(result, Result) for result in found.values())


def test_one_candidate_that_cannot_be_computed_leaves_the_others(cabinet: Project) -> None:
    short = Trial(name="Short", duration_s=1.0, plan=cabinet.first_trial.plan)
    found = Results().of_project(with_fields(cabinet, trials=(short,)), short)
    assert all("less than one reading" in str(error) for error in found.values())
    again = Results().of_project(
        with_fields(cabinet, candidates=(*cabinet.candidates, Candidate(name="P", controller=Pid(terms="P")))),
        cabinet.first_trial,
    )
    assert len(again) == 3


def test_a_result_that_is_no_run_says_so() -> None:
    assert not CaseResult("k", None, (), "no").met


def test_what_is_bad_on_both_sides_is_seen_and_shares_say_how_sure_they_are() -> None:
    """A probe that shows too much or too little is bad either way for an error within ±; a weak heater one way."""
    rig = one_lag(100.0, 200.0, 5.0)
    marks = (
        Mark(measure="steady_error_K", limit=0.4, direction="within"),
        Mark(measure="hottest_degC", limit=59.9, direction="at_least", body="Block"),
    )
    asked = trial(3000, 60.0, marks=marks)
    *_, found = vary(rig, Pid(terms="PI", kp_per_K=0.05, ti_s=150), asked, 256)
    (offset,) = (each for each in found.influences if "reads high" in each.parameter.text and each.mark == marks[0])
    assert offset.both_sides
    assert offset.index > 0.8
    assert abs(offset.correlation) < 0.3
    assert found.hurts_most()[0].parameter == offset.parameter
    (less,) = (each for each in found.influences if "reads high" in each.parameter.text and each.mark == marks[1])
    assert not less.both_sides
    assert less.worse == ("more is worse" if less.correlation < 0 else "less is worse")
    told = "\n".join(variant_lines(found))
    assert "Steady error depends on" in told
    assert "either way is worse" in told
    low, high = found.sure(found.shares[0])
    assert low < found.shares[0] < high
    n, p = 256, found.shares[0]  # Wilson's interval, written out
    middle, half = (p + 1.92 / n) / (1 + 3.84 / n), 1.96 / (1 + 3.84 / n) * (p * (1 - p) / n + 0.96 / n**2) ** 0.5
    assert (low, high) == pytest.approx((middle - half, middle + half), abs=1e-3)


def test_json_and_traces_of_another_quantity_do_not_speak_of_degrees(tmp_path: Path) -> None:
    damp = ResponseModel(gain_K=40.0, lag_s=600.0, dead_time_s=20.0, unit="% RH")
    plain = one_lag()
    rig = with_fields(
        plain, response=damp, bodies=(), links=(), drives=(with_fields(plain.drive, body="Output"),),
        probes=(with_fields(plain.probe, body="Output"),),
    )  # fmt: skip
    asked = trial(600, 45.0)
    result = result_of(rig, Pid(terms="PI", kp_per_K=0.05, ti_s=150), asked)
    write_trace(result.run, tmp_path / "x.csv")
    head = (tmp_path / "x.csv").read_text().splitlines()[0]
    acts = "time_s,setpoint_pct_RH,measured_pct_RH,drive,power_W,Output_pct_RH,guard"
    assert head == f"{acts},asked,Heater_put_out,Heater_W,Probe_reads_pct_RH"
    text = json_text(result_json("C", "T", result.measures, result.verdicts), Scale("% RH", own=True))
    keys = set(re.findall(r'"(\w+)":', text))
    assert {"overshoot_pct_RH", "hottest_pct_RH", "iae_pct_RH_s"} <= keys
    assert not any("degC" in key or "K" in key.split("_") for key in keys)
    assert "overshoot_K" in json_text(result_json("C", "T", result.measures, ()), None)


def test_a_thinned_run_keeps_its_measures_and_its_ends(cabinet: Project) -> None:
    run = compute(cabinet.rig, OnOff(), cabinet.first_trial)
    assert run.thinned() is run
    thin = run.thinned(1000)
    assert thin.time_s.size <= 1000
    assert (thin.bodies_degC.shape[0], thin.bodies_degC[1, 3]) == (4, run.bodies_degC[1, 24])
    assert measure(thin) == measure(run)
