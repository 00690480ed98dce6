"""Worked cases: what the sheet says must come is what a run gives where the temperature really stands there."""

import pytest

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.run import compute
from kelvarn.handover.worked_cases import worked_cases
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.edit import put, with_each, with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import ProbeFaultAction, Trip
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from tests.conftest import one_lag, trial


def project_of(law: Controller, **rig: object) -> tuple[Project, Candidate]:
    candidate = Candidate(name="Law", controller=law)
    run = with_fields(trial(3600.0, 60.0))
    return Project(name="Desk", rig=with_fields(one_lag(), **rig), candidates=(candidate,), trials=(run,)), candidate


@pytest.mark.parametrize("cools", [False, True])
def test_on_off_is_told_at_each_edge_below_and_above(cools: bool) -> None:
    law = OnOff(below_K=2.0, above_K=1.0, shortest_on_s=30.0, shortest_off_s=20.0)
    acts = {"drives": (put(one_lag().drives[0], ("acts",), "cools"),)} if cools else {}
    project, candidate = project_of(law, **acts)
    found = worked_cases(project, candidate)
    on, off = (62.0, 59.0) if cools else (58.0, 61.0)
    step = project.rig.probe.resolution_K or 0.1
    expected = []
    for edge, on_beyond in ((on, True), (off, False)):
        for reading in (edge - step, edge, edge + step):
            if on_beyond:
                expected.append(float(reading >= on if cools else reading <= on))
            else:
                expected.append(float(reading > off if cools else reading < off))
    assert [case.given for case in found] == expected
    assert all(case.stays_s == 50.0 for case in found)  # its delays are over


@pytest.mark.parametrize("law", [Pid(terms="PI", kp_per_K=0.03, ti_s=300.0), Pid(terms="P", kp_per_K=0.05, bias=0.1)])
def test_pid_is_told_as_a_run_gives_it_on_a_body_that_nothing_moves(law: Pid) -> None:
    project, candidate = project_of(law)
    for case in worked_cases(project, candidate):
        still = with_each(
            project.rig, "bodies", lambda _, at=case.readings_degC[0]: {"capacity_J_per_K": 1e9, "start_degC": at}
        )
        run = compute(still, law, project.first_trial)
        assert case.given == pytest.approx(run.drive[run.sample_at(case.stays_s)], abs=1e-6), case.what


def test_a_trip_acts_from_its_level_on_and_a_failed_probe_has_its_action() -> None:
    guards = (Trip(name="Hot", probe="Probe", at_degC=80.0, delay_s=3.0), ProbeFaultAction(name="Fault", action="off"))
    probe = with_fields(one_lag().probe, name="Probe", lowest_degC=-10.0, highest_degC=150.0)
    project, candidate = project_of(Fixed(drive=0.4), probes=(probe,), guards=guards)
    found = [case for case in worked_cases(project, candidate) if "Hot" in case.what or "Fault" in case.what]
    below, at, above, low, high = found
    assert (below.given, below.trips) == (0.4, ())
    assert (at.given, at.trips) == (0.0, ("Hot",))
    assert (above.given, above.trips) == (0.0, ("Hot",))
    assert "“Hot” trips" in at.must
    assert low.given == high.given == 0.0
    hold = put(project, ("rig", "guards", 1, "action"), "fixed")
    assert next(c for c in worked_cases(hold, candidate) if "lower end" in c.what).given == 0.2


@pytest.mark.parametrize("demo", DEMOS, ids=lambda demo: demo.name)
def test_every_candidate_of_every_demo_has_cases_that_differ(demo: object) -> None:
    project = demo.build()  # type: ignore[attr-defined]
    for candidate in project.candidates:
        found = worked_cases(project, candidate)
        assert len(found) >= 6
        assert len({case.given for case in found}) > 1, candidate.name
        assert len({(case.what, case.stays_s) for case in found}) == len(found)


def test_they_are_on_the_sheet() -> None:
    from datetime import date

    from kelvarn.handover.sheet import sheet_html
    from kelvarn.units import Scale

    project = find_demo("heatsink-fan").build()
    html = sheet_html(project, "Three steps", {}, {}, Scale.CELSIUS, date(2026, 11, 30))
    assert "Worked cases" in html
    assert "“Mute” trips" in html
