"""Why: each part is reproduced by its run, parts and the rest sum to the whole, and remedies speak of the same body."""

import pytest

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.marks import judge, value_of
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Stopped, compute
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Pwm, Relay, SlowWindow, Valve
from kelvarn.model.edit import put, with_fields
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig_edit import remove_body, rename_body
from kelvarn.studies.alternatives import remedies, taken_away
from kelvarn.studies.reasons import ReasonError, can_be_asked, reasons
from tests.conftest import one_lag, trial


def of(project: Project, name: str, measure_name: str | None = None) -> object:
    """The reasons of a candidate's run on the first trial."""
    ref = None if measure_name is None else Mark(measure=measure_name, limit=0)
    return reasons(project, project.candidate(name), project.first_trial, ref)


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_each_part_is_reproduced_by_its_run_and_all_sum_to_the_whole(demo: str) -> None:
    project = find_demo(demo).build()
    trial = project.first_trial
    for candidate in project.candidates:
        ended = measure(compute(project.rig, candidate.controller, trial)).ended
        if ended is not None:
            with pytest.raises(ReasonError, match=f"“{ended[0]}” switched off after .* has no other reason"):
                reasons(project, candidate, trial)
            continue
        found = reasons(project, candidate, trial)
        whole, _ = value_of(found.ref, measure(compute(project.rig, candidate.controller, trial)))
        assert found.whole == whole
        if whole is None:  # it never settles: told is what would make it, and how soon
            assert found.ref.measure in ("settling_s", "recovery_s")
            assert found.parts
            assert all(part.part is None and part.value is not None for part in found.parts)
            assert all(remedy.value is not None for remedy in found.remedies)
            continue
        total = found.together
        for part in found.parts:
            value, _ = value_of(found.ref, measure(compute(part.alternative.rig, part.alternative.law, trial)))
            assert part.value == (None if value is None else pytest.approx(value, rel=1e-12))
            assert part.part is None or part.part == pytest.approx(abs(whole) - abs(part.value or 0.0))
            total += part.part or 0.0
        assert total == pytest.approx(abs(whole))
        assert [r.missed for r in found.remedies] == sorted(r.missed for r in found.remedies)
        for remedy in found.remedies:
            measures = measure(compute(remedy.alternative.rig, remedy.alternative.law, trial))
            assert remedy.value == (value_of(found.ref, measures)[0])
            assert remedy.met == sum(verdict.met for verdict in judge(trial, measures))
            assert remedy.alternative.of_rig == (remedy.alternative.rig != project.rig)
            assert (remedy.alternative.law != candidate.controller) != remedy.alternative.of_rig


def test_wind_up_is_named_where_nothing_else_can_be_the_reason() -> None:
    # One lag, no dead time, no lag of the probe, no weight on the setpoint: without wind-up it hardly overshoots.
    rig, law = one_lag(interval_s=1.0), Pid(terms="PI", kp_per_K=0.05, ti_s=40.0, td_s=0.0, anti_windup="none")
    asked = trial(2000.0, 90.0)
    project = Project(name="x", rig=rig, candidates=(Candidate(name="PI", controller=law),), trials=(asked,))
    found = reasons(project, project.candidates[0], asked)
    assert found.ref.measure == "overshoot_K"
    parts = {part.alternative.words: part for part in found.parts}
    wound = parts["its integral wound up while at the limit"]
    assert wound.part is not None
    assert wound.part > 0.7 * found.whole
    held, _ = value_of(found.ref, measure(compute(rig, with_fields(law, anti_windup="hold"), asked)))
    assert wound.value == held


def test_having_no_memory_is_all_of_what_p_stays_off() -> None:
    rig, law = one_lag(), Pid(terms="P", kp_per_K=0.05)
    asked = trial(3000.0)
    project = Project(name="x", rig=rig, candidates=(Candidate(name="P", controller=law),), trials=(asked,))
    found = reasons(project, project.candidates[0], asked, Mark(measure="steady_error_K", limit=0))
    # At rest the drive is Kp times the distance, and the gain times the drive the rise: e = 40 / (1 + 100 · 0.05).
    assert found.whole == pytest.approx(-40 / 6, rel=1e-3) or found.whole == pytest.approx(40 / 6, rel=1e-3)
    part = next(each for each in found.parts if each.alternative.words == "having no integral")
    assert part.part == pytest.approx(abs(found.whole), rel=2e-2)


def test_a_probe_that_is_moved_leaves_what_is_judged_where_it_was(cabinet: Project) -> None:
    moved = [each for each in remedies(cabinet.rig, OnOff(), None) if each.words.startswith("probe from Air")]
    assert moved
    for each in moved:
        run = compute(each.rig, each.law, cabinet.first_trial)
        assert each.rig.probe.body != "Air"
        assert each.rig.judged_body == "Air"
        assert run.judged_degC is not None
        assert (run.judged_degC == run.bodies_degC[cabinet.rig.body_index("Air")]).all()
        assert run.found.in_run is not None


@pytest.mark.parametrize("linear", [True, False])
def test_measures_are_of_the_body_that_is_judged(cabinet: Project, linear: bool) -> None:
    rig = cabinet.rig if linear else put(cabinet.rig, ("links", 0, "radiating_m2"), 1e-6)
    law, asked = cabinet.candidates[1].controller, cabinet.first_trial
    of_part = with_fields(rig, judged="Part")
    run = compute(of_part, law, asked)
    assert (run.bodies_degC == compute(rig, law, asked).bodies_degC).all()  # only what is measured differs
    part = run.bodies_degC[rig.body_index("Part")]
    main = measure(run).main
    window = (run.time_s >= main.from_s) & (run.time_s <= main.to_s)
    over = max(float(part[window].max()) - 60.0, 0.0)
    assert main.values["overshoot_K"] == pytest.approx(over, abs=0.02)
    assert main.values["settling_s"] != measure(compute(rig, law, asked)).main.values["settling_s"]


def test_the_body_that_is_judged_follows_its_name_and_goes_with_it(cabinet: Project) -> None:
    judged = put(cabinet, ("rig", "judged"), "Part")
    assert rename_body(judged, "Part", "Resin").rig.judged == "Resin"
    assert remove_body(judged, "Part").rig.judged is None
    with pytest.raises(ValueError, match="the body judged"):
        put(cabinet, ("rig", "judged"), "Nothing")


def test_the_drives_limit_is_taken_away_by_scaling_all_of_the_drive_or_not_at_all() -> None:
    """What never comes to the limit is the same without it; what has pulses or travel is not asked."""
    rig = one_lag(100.0, 200.0, 10.0)
    coarse = with_fields(rig, drives=(with_fields(rig.drive, steps=255, floor=0.1, off_below=0.05),))
    law = Pid(terms="PI", kp_per_K=0.005, ti_s=200, bias=0.1, memory_low=-0.5, memory_high=0.9)
    at_60 = trial(4000, 60.0)
    (without,) = (each for each in taken_away(coarse, law) if each.words == "the drive's limit")
    assert (compute(without.rig, without.law, at_60).judged_degC == pytest.approx(
        compute(coarse, law, at_60).judged_degC, abs=1e-6))  # fmt: skip
    power = {"name": "H", "body": "Block", "power_W": 200.0}
    for drive in (SlowWindow(**power), Relay(**power), Pwm(**power, kick_start_s=1.0), Valve(**power)):
        words = [each.words for each in taken_away(with_fields(rig, drives=(drive,)), law)]
        assert "the drive's limit" not in words


def test_a_memory_that_is_held_is_not_said_to_wind_up() -> None:
    rig = one_lag(100.0, 200.0, 10.0)
    for windup, told in (("none", True), ("back_calculation", True), ("hold", False)):
        words = [each.words for each in taken_away(rig, Pid(terms="PI", anti_windup=windup))]
        assert ("its integral wound up while at the limit" in words) == told, windup


def test_no_remedy_makes_what_is_asked_about_worse() -> None:
    """Of a mark that is missed and another measure that is asked about: what helps the one at the cost of the other."""
    marks = (Mark(measure="settling_s", limit=300), Mark(measure="overshoot_K", limit=0.5))
    asked = trial(3000, 60.0, marks=marks)
    slow = Project(
        name="P", rig=one_lag(100.0, 300.0, 30.0, 2.0), trials=(asked,),
        candidates=(Candidate(name="Slow", controller=Pid(terms="PI", kp_per_K=0.02, ti_s=400)),),
    )  # fmt: skip
    for measure_name in ("overshoot_K", "settling_s", "worst_over_K"):
        found = reasons(slow, slow.candidates[0], asked, Mark(measure=measure_name, limit=0))
        assert all(r.value is not None for r in found.remedies)
        assert found.whole is None or all(abs(r.value) <= abs(found.whole) * 1.000001 for r in found.remedies)  # type: ignore[arg-type]


def test_what_never_settles_can_be_asked_why() -> None:
    rig = one_lag(100.0, 200.0, 25.0)
    wild = Candidate(name="Wild", controller=Pid(terms="PI", kp_per_K=0.14, ti_s=100))
    asked = trial(4000, 60.0)
    project = Project(name="P", rig=rig, candidates=(wild,), trials=(asked,))
    found = reasons(project, wild, asked, Mark(measure="settling_s", limit=0))
    assert found.whole is None
    assert any(part.alternative.words.startswith("dead time") for part in found.parts)
    for part in found.parts:
        settled = measure(compute(part.alternative.rig, part.alternative.law, asked)).main.values["settling_s"]
        assert part.value == settled
    assert any(remedy.alternative.words.startswith("half the") for remedy in found.remedies)


def test_where_nothing_is_to_be_explained_it_is_said() -> None:
    rig, asked = one_lag(), trial(3000.0)
    calm = Candidate(name="PI", controller=Pid(terms="PI", kp_per_K=0.02, ti_s=200.0, setpoint_weight=0.0))
    project = Project(name="x", rig=rig, candidates=(calm,), trials=(asked,))
    with pytest.raises(ReasonError, match="has no value here"):
        reasons(project, calm, asked, Mark(measure="recovery_s", limit=0, event="Door"))
    with pytest.raises(Stopped):
        reasons(project, calm, asked, Mark(measure="settling_s", limit=0), lambda _: False)
    assert [ref.measure for ref in can_be_asked(asked)].count("sag_K") == 0
