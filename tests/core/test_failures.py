"""The failure table, what would stop failures, variants: against runs of their own, and by the command line."""

import json
import math
from pathlib import Path

import numpy as np
import pytest

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Stopped, compute
from kelvarn.files.project_file import save
from kelvarn.model.bodies import Body, Link
from kelvarn.model.edit import with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import MOST_GUARDS, Alarm, CutOff, ProbeFaultAction, Restart
from kelvarn.model.mark import Mark
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import Tolerance, parameters, varied
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.studies.cold_again import cold_again_s
from kelvarn.studies.failure_words import cells, stopped_text
from kelvarn.studies.failures import FailureRow, FailureTable, acting, failure_table
from kelvarn.studies.stopping import safer_action, stopping_guard
from kelvarn.studies.variants import vary
from tests.conftest import one_lag, trial

from .commands import kelvarn, kelvarn_apart


def chosen(project: Project) -> Pid:
    return (project.candidate(project.chosen) if project.chosen else project.candidates[0]).controller  # type: ignore[return-value]


def test_every_row_is_what_its_own_run_says() -> None:
    project = find_demo("tempering-bowl").build()
    table = failure_table(project.rig, chosen(project), project.first_trial)
    assert {row.failure.text for row in table.rows} >= {
        "Probe comes loose",
        "Heater foil is stuck on",
        "Cooler gives half",
        "the controller hangs at full output",
        "Thermal cut-off does not act",
    }
    for row in table.rows[:6]:
        for outcome in (row.worst, *row.outcomes[::4]):
            if outcome.trial.duration_s > outcome.at_s + outcome.followed_s:  # its plan has changes yet to come
                continue
            run = compute(outcome.rig, chosen(project), outcome.trial)
            found = measure(run)
            body = outcome.rig.all_bodies[outcome.rig.body_index(outcome.suffers)]
            reached = max(found.after_degC[body.name], outcome.end_degC)
            assert outcome.extreme_degC == pytest.approx(reached, abs=2e-3)
            assert abs(outcome.end_degC - found.end_degC[body.name]) < 6  # what dies away is told to its end
            assert body.limit_degC is not None
            assert outcome.margin_K == pytest.approx(body.limit_degC - reached, abs=2e-3)
            assert (outcome.passed is not None) == (outcome.margin_K < 0)
    harms = [row.worst.harm for row in table.rows]
    assert harms == sorted(harms, reverse=True)


def test_a_stuck_relay_ends_where_the_gain_says_and_a_guard_stops_it() -> None:
    rig = one_lag(100, 200)
    rig = with_fields(rig, bodies=(with_fields(rig.bodies[0], limit_degC=90.0),))
    law, asked = Pid(kp_per_K=0.05, ti_s=100), trial(2000, 60)
    table = failure_table(rig, law, asked)
    settled = measure(compute(rig, law, asked)).first.values["settling_s"]
    assert table.moments["at the setpoint"] == pytest.approx(settled, abs=1)
    assert table.moments["at the end"] == 2000
    stuck = next(row for row in table.rows if "stuck on" in row.failure.text)
    assert stuck.worst.extreme_degC == pytest.approx(120, abs=0.1)
    at_end = next(each for each in stuck.outcomes if each.moment == "at the end")
    assert at_end.passed is not None
    assert at_end.passed[1] == pytest.approx(200 * math.log(60 / 30), abs=2)
    assert stopped_text(at_end) == "no guard acts"
    assert table.verdict().startswith("No: ")
    offer = stopping_guard(rig, law, [asked], table)
    assert offer is not None
    assert offer.left == 0
    safe = failure_table(with_fields(rig, guards=(offer.guard,)), law, asked)
    assert safe.passed == 0
    assert safe.verdict().startswith(f"None of the {len(safe.rows)} failures tried passes a known limit (Block)")
    stuck = next(row for row in safe.rows if "stuck on" in row.failure.text)
    assert offer.guard.name in stopped_text(stuck.worst)
    unlimited = failure_table(one_lag(), law, asked).verdict()
    assert unlimited.startswith("Cannot be judged: no body has a limit. Enter one")
    assert "Block has no limit and gets to 1" in unlimited
    with pytest.raises(Stopped):
        failure_table(rig, law, asked, lambda share: share < 0.3)


def heated(capacity: float = 400.0, limit_degC: float | None = 90.0, **probe: object) -> Rig:
    """One lag of so much gain that full drive ends at 120 °C, and holding 60 °C takes 40 %."""
    rig = one_lag(100, capacity / 2.0)
    body = with_fields(rig.bodies[0], limit_degC=limit_degC)
    return with_fields(rig, bodies=(body,), probes=(with_fields(rig.probe, **probe),))


def row_of(table: FailureTable, text: str) -> FailureRow:
    return next(row for row in table.rows if text in row.failure.text)


def test_the_worst_moment_is_found_whichever_it_is() -> None:
    """What holds full drive as it was does so only on the way up, long before the trial's end."""
    changes = (SetpointChange(at_s=0, to_degC=30), SetpointChange(at_s=1500, to_degC=60))
    asked = Trial(name="Two", duration_s=4000, plan=Plan(changes=changes))
    table = failure_table(heated(), Pid(kp_per_K=0.2, ti_s=200), asked)
    for text in ("the link to the drives is lost", "hangs, its output as it was"):
        worst = row_of(table, text).worst
        assert worst.passed is not None
        assert worst.extreme_degC == pytest.approx(120, abs=0.2)
    hold = next(each for each in table.actions if each.action == "hold")
    assert hold.worst.harmful
    low = row_of(table, "reads 10 K too low").worst
    assert low.extreme_degC == pytest.approx(70, abs=2)


def test_a_slow_rig_is_followed_until_it_rests() -> None:
    """Forty thousand seconds of lag in a trial of four thousand: it passes its limit long after the trial's end."""
    slow = heated(80_000.0, limit_degC=85.0, interval_s=10.0)
    table = failure_table(slow, Pid(kp_per_K=0.5, ti_s=20_000), trial(4000, 30))
    stuck = row_of(table, "is stuck on").worst
    assert stuck.passed is not None
    assert stuck.rests
    assert stuck.extreme_degC == pytest.approx(120, abs=0.5)
    assert stuck.end_degC == pytest.approx(120, abs=0.5)
    drift = row_of(table, "drifts down").worst
    assert drift.passed is not None


def test_what_comes_back_is_followed_until_after_it_has_come_back() -> None:
    """A lag of 20 s under a power cut of 600 s: the loop begins anew long after the lag is over, and shoots over."""
    rig = one_lag(100, 20)
    rig = with_fields(rig, bodies=(with_fields(rig.bodies[0], limit_degC=75.0),))
    law = Pid(kp_per_K=0.2, ti_s=4, anti_windup="none", setpoint_weight=0.0)
    asked = Trial(
        name="Late", duration_s=1500, start_degC=60.0, plan=Plan(changes=(SetpointChange(at_s=0, to_degC=60),))
    )
    cut = row_of(failure_table(rig, law, asked), "cut for 10 min")
    again = compute(rig, law, with_fields(asked, duration_s=4000, events=(cut.failure.at(700.0),)))
    hottest = measure(again).after_degC["Block"]
    assert hottest > 62
    assert cut.worst.extreme_degC >= hottest - 0.5


def test_what_creeps_is_not_at_rest() -> None:
    """A probe that sticks a hair below the setpoint: the memory adds up for hours, and ends at full drive."""
    rig = heated(resolution_K=0.05)
    stuck = row_of(failure_table(rig, Pid(kp_per_K=0.02, ti_s=1500), trial(3000, 60)), "is stuck")
    assert any(each.harmful for each in stuck.outcomes)
    assert stuck.worst.passed is not None or stuck.worst.heads_past


def test_a_body_without_a_limit_is_named_and_who_goes_on_heating_stops_nothing() -> None:
    rig = heated()
    bodies = (*rig.bodies, Body(name="Foil", capacity_J_per_K=5.0))
    links = (*rig.links, Link(a="Foil", b="Block", conductance_W_per_K=0.5))
    rig = with_fields(rig, bodies=bodies, links=links, drives=(with_fields(rig.drive, body="Foil", power_W=200.0),))
    holds = ProbeFaultAction(name="PF", action="hold")
    table = failure_table(with_fields(rig, guards=(holds,)), Pid(kp_per_K=0.05, ti_s=100), trial(2000, 60))
    assert "Foil has no limit and gets to 5" in table.verdict()
    broken = row_of(table, "broken (open)").worst
    assert broken.passed is not None
    assert "no guard acts" in stopped_text(broken)
    assert "PF (holds), which stops nothing" in stopped_text(broken)


@pytest.mark.long
def test_a_remedy_that_harms_is_not_offered() -> None:
    """On a rig cooled by a fan, "then off" leaves the load to itself: only full on is better in every row."""
    project = find_demo("heatsink-fan").build()
    bare = with_fields(project.rig, guards=())
    table = failure_table(bare, chosen(project), project.first_trial)
    assert table.passed > 0
    action = safer_action(bare, chosen(project), project.trials, table)
    assert action != "off"
    if action is not None:
        after = failure_table(acting(bare, action, project.first_trial), chosen(project), project.first_trial)
        for row in after.rows:
            before = next((each for each in table.rows if each.failure.text == row.failure.text), None)
            assert before is None or row.worst.harm[0] <= before.worst.harm[0]


def test_guards_that_do_not_act_and_welded_thermostats_have_rows() -> None:
    rig = heated()
    rig = with_fields(rig, drives=(with_fields(rig.drive, dial_degC=70.0, dial_band_K=4.0),),
                      guards=(CutOff(name="Fuse", body="Block", at_degC=80),))  # fmt: skip
    table = failure_table(rig, Fixed(drive=1.0), trial(3000, 60))  # only its own thermostat keeps it
    welded = row_of(table, "own thermostat welded").worst
    assert welded.extreme_degC == pytest.approx(80, abs=0.01)
    assert stopped_text(welded).startswith("Fuse after")
    silent = row_of(table, "Fuse does not act")
    assert silent.worst.extreme_degC == pytest.approx(70, abs=0.01)
    assert silent.worst.rig.guards == ()
    assert row_of(table, "hangs at full").worst.extreme_degC == pytest.approx(70, abs=0.01)


def test_a_cut_off_is_said_to_stop_it_whichever_guard_stands_first() -> None:
    rig = one_lag(100, 200)
    cut_off = CutOff(name="Thermal cut-off", body="Block", at_degC=80)
    rig = with_fields(rig, guards=(Restart(name="Restart"), cut_off),
                      bodies=(with_fields(rig.bodies[0], limit_degC=90.0),))  # fmt: skip
    table = failure_table(rig, Pid(kp_per_K=0.05, ti_s=100), trial(2000, 60))
    stuck = next(row for row in table.rows if "stuck on" in row.failure.text)
    assert all(cut_off.name in stopped_text(each) for each in stuck.outcomes)
    assert table.passed == 0


@pytest.mark.long
def test_the_action_at_a_probe_fault_is_the_one_of_least_harm_for_the_rig() -> None:
    proposed = {}
    for name in ("cure-cabinet", "heatsink-fan", "tempering-bowl", "wax-pot"):
        project = find_demo(name).build()
        table = failure_table(project.rig, chosen(project), project.first_trial)
        proposed[name] = table.actions[0].action
        assert {each.action for each in table.actions} == {"off", "on", "fixed", "hold"}
    # A pot is best off; a heatsink needs its fan; a part is lost without heat, and the duty that holds is enough.
    assert proposed == {"cure-cabinet": "fixed", "heatsink-fan": "on", "tempering-bowl": "off", "wax-pot": "off"}
    shed = find_demo("lemon-shed").build()
    made = acting(shed.rig, "off", shed.first_trial)
    assert [guard.action for guard in made.guards if isinstance(guard, ProbeFaultAction)] == ["off"]


def test_a_rig_with_all_its_guards_and_one_that_cannot_hold_have_a_table_too() -> None:
    many = tuple(Alarm(name=f"A{k}", probe="Probe", at_degC=300) for k in range(MOST_GUARDS))
    rig = with_fields(one_lag(10, 200), guards=many)  # full drive brings it to 30 degC
    rig = with_fields(rig, bodies=(with_fields(rig.bodies[0], limit_degC=29.0),))
    law, asked = Pid(kp_per_K=0.05, ti_s=100), trial(1000, 60)
    table = failure_table(rig, law, asked)
    assert {each.action for each in table.actions} == {"off", "on", "fixed", "hold"}
    assert stopping_guard(rig, law, [asked], table) is None  # it passes its limit without a failure


def test_variants_are_the_same_for_a_seed_and_judge_like_runs() -> None:
    project = find_demo("cure-cabinet").build()
    law, asked = chosen(project), with_fields(project.first_trial, duration_s=7000, events=(), marks=(
        Mark(measure="overshoot_K", limit=0.5), Mark(measure="settling_s", limit=2000)))  # fmt: skip
    *_, one = vary(project.rig, law, asked, 40, seed=3)
    *_, two = vary(project.rig, law, asked, 40, seed=3)
    assert (one.places == two.places).all()
    assert (one.met == two.met).all()
    assert np.abs(one.places).max() <= 1
    assert len({tuple(row) for row in one.places.tolist()}) == 40
    for k in (0, 17, 39):
        found = measure(compute(one.rig_of(project.rig, k), law, asked))
        assert one.values[k, 0] == pytest.approx(found.main.values["overshoot_K"])
    assert one.shares[1] == pytest.approx(np.mean(one.met[:, 1]))
    assert one.share_of_all <= min(one.shares)
    assert (one.low_degC <= one.middle_degC + 1e-9).all()
    assert (one.middle_degC <= one.high_degC + 1e-9).all()
    assert one.worst is not None
    assert not one.met[one.worst].all()


def test_what_matters_is_found_where_it_is_known() -> None:
    """A lag decides how long it takes; nothing else here varies the time to settle as much."""
    rig = one_lag(100, 200)
    still = (Tolerance(of="conductance_W_per_K", size=0.0),)
    rig = with_fields(rig, links=(with_fields(rig.links[0], tolerances=still),),
                      bodies=(with_fields(rig.bodies[0], tolerances=(Tolerance(of="capacity_J_per_K", size=0.5),)),),
                      drives=(with_fields(rig.drive, tolerances=(Tolerance(of="power_W", size=0.01),)),))  # fmt: skip
    asked = trial(3000, 60, marks=(Mark(measure="rise_s", limit=120),))
    *_, found = vary(rig, Pid(terms="P", kp_per_K=0.2, low=0.0), asked, 64)
    assert found.hurts_most()[0].parameter.text == "Block: heat capacity"
    assert found.hurts_most()[0].correlation > 0.9


def test_what_matters_to_a_mark_within_counts_alike_below_and_above() -> None:
    """P alone stays below the setpoint: more power makes the error, whatever its sign, smaller."""
    rig = one_lag(100, 200)
    still = {key: (Tolerance(of=key, size=0.0),) for key in ("conductance_W_per_K", "offset_K", "temperature_degC")}
    rig = with_fields(rig, links=(with_fields(rig.links[0], tolerances=still["conductance_W_per_K"]),),
                      probes=(with_fields(rig.probe, tolerances=still["offset_K"]),),
                      surroundings=with_fields(rig.surroundings, tolerances=still["temperature_degC"]),
                      drives=(with_fields(rig.drive, tolerances=(Tolerance(of="power_W", size=0.2),)),))  # fmt: skip
    asked = trial(3000, 60, marks=(Mark(measure="steady_error_K", limit=0.1, direction="within"),))
    *_, found = vary(rig, Pid(terms="P", kp_per_K=0.02), asked, 64)
    assert found.values.max() < 0
    first = found.hurts_most()[0]
    assert first.parameter.text.endswith("power")
    assert first.correlation == pytest.approx(-1)
    assert first.worse == "less is worse"


def test_tolerances_have_usual_sizes_and_move_within_them() -> None:
    for demo in DEMOS:
        rig = demo.build().rig
        moved = parameters(rig)
        assert moved
        for place in (-1.0, 1.0):
            changed = varied(rig, moved, [place] * len(moved))
            for each in parameters(changed, all_of_them=True):
                before = next((p for p in moved if p.path == each.path), None)
                if before is not None and not before.in_kelvins:
                    assert each.value == pytest.approx(before.value * (1 + place * before.size)) or each.value in (0, 1)
    with pytest.raises(ValueError, match="at most 90 % of the value, not 150 %"):
        Tolerance(of="capacity_J_per_K", size=1.5)
    with pytest.raises(ValueError, match="nothing that has a tolerance"):
        Tolerance(of="name", size=0.1)
    bare = one_lag()
    none = [Tolerance(of=key, size=0.0) for key in ("capacity_J_per_K", "conductance_W_per_K", "power_W", "offset_K",
                                                    "temperature_degC")]  # fmt: skip
    parts = {
        "bodies": (with_fields(bare.bodies[0], tolerances=none[:1]),),
        "links": (with_fields(bare.links[0], tolerances=none[1:2]),),
        "drives": (with_fields(bare.drive, tolerances=none[2:3]),),
        "probes": (with_fields(bare.probe, tolerances=none[3:4]),),
        "surroundings": with_fields(bare.surroundings, tolerances=none[4:]),
    }
    exact = with_fields(bare, **parts)
    with pytest.raises(ValueError, match="every variant would be the same"):
        list(vary(exact, Pid(), trial(100)))


@pytest.fixture
def shed(tmp_path: Path) -> Path:
    project = find_demo("wax-pot").build()
    path = tmp_path / "pot.kelvarn"
    save(project, path)
    return path


@pytest.mark.long
def test_the_commands_print_the_table_the_variants_and_the_report(shed: Path, tmp_path: Path) -> None:
    name = "On/off −1 +0"
    done = kelvarn("failures", str(shed), "--candidate", name, "--json")
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert told["verdict"].startswith("None of the 20 failures tried passes a known limit (Hot plate, Wax)")
    assert (
        {each["moment"] for each in told["failures"][0]["outcomes"]} >= set(told["moments"]) >= {"cold", "at the end"}
    )
    assert told["probe_fault"]["proposed"] == "off"
    plain = kelvarn("failures", str(shed), "--candidate", name).stdout
    assert "thermal cut-off" in plain.lower()
    assert plain.splitlines()[1].startswith("failure")
    vary_of = json.loads(kelvarn("vary", str(shed), "--candidate", name, "--count", "16", "--json").stdout)
    assert vary_of["count"] == 16
    assert len(vary_of["envelope"]["p5_degC"]) == len(vary_of["envelope"]["p95_degC"]) > 100
    assert "% of 16 rigs" in kelvarn("vary", str(shed), "--candidate", name, "--count", "16").stdout
    html, pdf = tmp_path / "r.html", tmp_path / "r.pdf"
    done = kelvarn_apart("report", str(shed), "--out", str(html))
    assert done.returncode == 0, done.stderr
    text = html.read_text(encoding="utf-8")
    assert "If one thing fails:" in text
    assert text.count("data:image/png;base64,") == len(find_demo("wax-pot").build().trials)
    assert kelvarn_apart("report", str(shed), "--out", str(pdf)).returncode == 0
    assert pdf.read_bytes().startswith(b"%PDF")
    wrong = kelvarn("report", str(shed), "--out", str(tmp_path / "r.txt"))
    assert (wrong.returncode, wrong.stdout) == (2, "")
    assert "end in .html or .pdf" in wrong.stderr
    assert kelvarn("failures", str(shed), "--candidate", "Nobody").returncode == 2


def test_the_nearer_of_two_limits_counts() -> None:
    body = with_fields(one_lag().bodies[0], limit_degC=90.0, low_limit_degC=10.0)
    assert body.margin_K(15.0, 60.0) == 5
    assert body.margin_K(30.0, 88.0) == 2
    assert with_fields(body, limit_degC=None).margin_K(8.0, 500.0) == -2


def test_cells_say_what_passes_and_what_is_left() -> None:
    rig = one_lag(100, 200)
    rig = with_fields(rig, bodies=(with_fields(rig.bodies[0], limit_degC=90.0),),
                      guards=(CutOff(name="Fuse", body="Block", at_degC=75),))  # fmt: skip
    table = failure_table(rig, Pid(kp_per_K=0.05, ti_s=100), trial(2000, 60))
    stuck = next(row for row in table.rows if "stuck on" in row.failure.text).worst
    _, hottest, end, passed, stopped, margin = cells(stuck)
    assert hottest.startswith("Block 75.0")
    assert end.endswith("(at rest)")
    assert passed == "no"
    assert stopped.startswith("Fuse after ")
    assert margin.startswith("15.0")


def test_a_rig_is_cold_again_after_as_many_lags_as_it_takes() -> None:
    assert cold_again_s(one_lag(100, 200), {"Block": 70.0}) == pytest.approx(200 * math.log(50), abs=4)
    assert cold_again_s(one_lag(), {"Block": 20.5}) == 0
    adiabatic = with_fields(one_lag(), links=())
    assert cold_again_s(adiabatic, {"Block": 70.0}) is None


def test_a_table_is_safe_to_tick_only_where_every_body_has_a_limit_and_all_is_at_rest() -> None:
    asked, law = trial(1500, 60.0), Pid(terms="PI", kp_per_K=0.03, ti_s=150.0)
    plain = one_lag(100.0, 200.0, 10.0)
    for limit, safe in ((None, False), (110.0, False), (500.0, True)):
        rig = with_fields(plain, bodies=(with_fields(plain.bodies[0], limit_degC=limit),))
        assert failure_table(rig, law, asked).safe == safe, limit
    lidded = Body(name="Lid", capacity_J_per_K=50.0)  # beside it a body whose limit nobody knows
    bodies = (with_fields(plain.bodies[0], limit_degC=500.0), lidded)
    links = (*plain.links, Link(a="Block", b="Lid", conductance_W_per_K=1.0))
    unknown = failure_table(with_fields(plain, bodies=bodies, links=links), law, asked)
    assert unknown.passed == 0
    assert not unknown.safe
