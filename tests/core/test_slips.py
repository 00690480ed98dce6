"""One place each for slips that nothing noticed once: columns, signs, counts, bounds."""

import csv
import html
import math
import os
import re
from dataclasses import replace
from datetime import date
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.desktop.lanes.drive import _flat_out
from kelvarn.engine.guard_codes import alarms_on
from kelvarn.engine.layout import lay_out
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Stopped, compute, interruptible
from kelvarn.files.journal import Journal, left_behind, stamp
from kelvarn.files.logs.cells import date_time
from kelvarn.files.logs.reader import open_log, read_log, rows_at
from kelvarn.files.project_file import save
from kelvarn.files.tables import write_trace
from kelvarn.fit.least_squares import covariance, following
from kelvarn.fit.observed import observed
from kelvarn.fit.response import apply_to, fit_response
from kelvarn.handover.other_words import other_words
from kelvarn.handover.report import findings, report_html
from kelvarn.handover.settings import settings_rows
from kelvarn.model.control_events import PriceIs, SignalGone
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Relay
from kelvarn.model.edit import put, with_fields
from kelvarn.model.events import Load
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.guards import Alarm, CutOff, PriceBelow, Signal
from kelvarn.model.log_data import LogData
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Correction
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.model.trial_edit import remove_rule
from kelvarn.studies.failures import failure_table
from kelvarn.tune.loop import _slopes
from kelvarn.units import Scale
from tests.conftest import one_lag

from .commands import kelvarn
from .made_logs import step_log

PI = Pid(terms="PI", kp_per_K=0.05, ti_s=100.0)


def trial(duration_s: float = 900.0, to_degC: float = 60.0, **fields: object) -> Trial:
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=to_degC),))
    return Trial.model_validate({"name": "T", "duration_s": duration_s, "plan": plan, **fields})


def test_each_column_of_a_trace_holds_what_its_head_says(cabinet: Project, tmp_path: Path) -> None:
    run = compute(cabinet.rig, cabinet.candidates[1].controller, cabinet.first_trial)
    write_trace(run, tmp_path / "x.csv")
    with (tmp_path / "x.csv").open() as stream:
        rows = list(csv.DictReader(stream))
    known = {
        "time_s": run.time_s, "setpoint_degC": run.setpoint_degC, "measured_degC": run.measured_degC,
        "drive": run.drive, "power_W": run.power_W,
        **{f"{body.name}_degC": row for body, row in zip(run.rig.all_bodies, run.bodies_degC, strict=True)},
    }  # fmt: skip
    for name, values in known.items():
        assert [float(row[name]) for row in rows[::200]] == pytest.approx(values[::200].tolist(), rel=1e-7, abs=1e-9)


def test_the_series_form_is_the_same_law_in_degF_too() -> None:
    law = Pid(terms="PID", kp_per_K=0.04, ti_s=300.0, td_s=40.0)
    project = find_demo("cure-cabinet").build()
    candidate = with_fields(project.candidates[-1], controller=law)
    told = []
    for scale in (Scale.CELSIUS, Scale.FAHRENHEIT):
        rows = other_words(project, candidate, project.first_trial, scale)
        told.append(next(row.value for row in rows if row.what.lower().startswith("series")))
    celsius, fahrenheit = (re.findall(r"[\d.]+", text) for text in told)
    assert float(celsius[0]) == pytest.approx(1.8 * float(fahrenheit[0]), rel=2e-3)
    assert celsius[1:] == fahrenheit[1:]  # times are what they are


def test_the_edges_of_on_off_are_called_by_the_way_of_the_rig() -> None:
    candidate = with_fields(find_demo("cure-cabinet").build().candidates[0], controller=OnOff())
    named = {
        cools: [row.what for row in settings_rows(candidate, Scale.CELSIUS, cools=cools)] for cools in (False, True)
    }
    assert {"Switches on below the setpoint by", "Switches off above the setpoint by"} <= set(named[False])
    assert {"Switches on above the setpoint by", "Switches off below the setpoint by"} <= set(named[True])


def test_the_shortest_off_time_is_that_of_the_drive_put_out() -> None:
    rig = one_lag(gain_K=100, lag_s=200)
    rig = with_fields(rig, drives=(Relay(body=rig.drive.body, power_W=rig.drive.power_W),))
    run = compute(rig, OnOff(below_K=2, above_K=2), trial(3600.0))
    on = run.put_out[0] > 0
    edges = np.flatnonzero(np.diff(on.astype(int)))
    offs = [b - a for a, b in pairwise(edges) if not on[a + 1]]
    ons = [b - a for a, b in pairwise(edges) if on[a + 1]]
    found = measure(run).values
    assert found["shortest_off_s"] == pytest.approx(min(offs) * rig.probe.interval_s, abs=1.1)
    assert found["shortest_on_s"] == pytest.approx(min(ons) * rig.probe.interval_s, abs=1.1)
    rises = int(np.sum(np.diff(on.astype(int)) > 0)) + int(on[0])
    per_year = rises / run.duration_s * 365.25 * 86400
    assert found["relay_life_years"] == pytest.approx(rig.drive.rated_operations / per_year, rel=0.01)


@pytest.mark.parametrize(("price", "heats"), [(0.29, True), (0.30, False), (0.31, False)])
def test_a_price_at_its_limit_is_not_below_it(price: float, *, heats: bool) -> None:
    rig = with_fields(one_lag(), permits=(PriceBelow(name="Cheap", limit=0.3),))
    run = compute(rig, PI, trial(events=(PriceIs(name="P", at_s=0, lasts_s=900, price=price),)))
    assert (float(run.drive[:800].max()) > 0) == heats


def test_a_two_point_correction_is_a_line_through_both_points() -> None:
    correction = Correction(shown_low_degC=1.0, true_low_degC=0.0, shown_high_degC=99.0, true_high_degC=100.0)
    assert correction.slope == pytest.approx(100 / 98)
    rig = one_lag(gain_K=100, lag_s=50)
    skewed = with_fields(rig, probes=(with_fields(rig.probe, offset_K=1.0, slope=0.98, correction=correction),))
    exact, corrected = (compute(each, PI, trial()) for each in (rig, skewed))
    assert corrected.measured_degC == pytest.approx(exact.measured_degC, abs=1e-6)


def test_residuals_that_follow_one_another_widen_the_intervals_by_so_much() -> None:
    r = np.random.default_rng(0)
    white = r.standard_normal(4000)
    slow = np.zeros(4000)
    for k in range(1, 4000):
        slow[k] = 0.8 * slow[k - 1] + white[k]
    # For such residuals 1 + 2 Σ ρ is (1 + 0.8) / (1 − 0.8) = 9.
    assert following(slow, [4000])[0] == pytest.approx(9.0, rel=0.3)
    design = np.ones((4000, 1))
    wide, plain = (covariance(design, left, [4000])[0][0, 0] / np.var(left) for left in (slow, white))
    assert wide / plain == pytest.approx(9.0, rel=0.3)


def test_akaikes_criterion_counts_each_value_once() -> None:
    log = observed("x", step_log(3))
    fit = fit_response([log], "one_lag")
    n, k = log.t.size, 5  # gain, lag, dead time, rest, and the scatter
    rss = float(np.sum(fit.logs[0].residual_K ** 2))
    assert fit.aic == pytest.approx(n * math.log(rss / n) + 2 * k + 2 * k * (k + 1) / (n - k - 1))


def test_outliers_have_the_weight_of_huber() -> None:
    data = step_log(5)
    y = data.measured_degC.copy()
    y[40::9] += 25.0  # one in nine, all to one side
    spoilt = observed("x", LogData(data.time_s, y, data.drive))
    plain, robust = (fit_response([spoilt], "one_lag", robust=each).value("gain_K") for each in (False, True))
    assert abs(robust - 100) < 0.2 * abs(plain - 100)
    assert abs(robust - 100) < 2.0


def test_a_residual_is_measured_less_model() -> None:
    log = observed("x", step_log(1))
    fit = fit_response([log], "one_lag")
    for each in (fit.logs[0], apply_to(fit, log)):
        assert each.residual_K == pytest.approx(log.y - each.model_degC)


@pytest.mark.parametrize(("text", "utc"), [("12:00:00+02:00", 10), ("12:00:00-05:00", 17), ("12:00:00Z", 12)])
def test_a_zone_ahead_is_taken_off_and_one_behind_is_added(text: str, utc: int) -> None:
    for stem in ("2026-03-04T", "2026-03-04 ", "04.03.2026 ", "4/3/2026 "):
        found = date_time(f"{stem}{text}", day_first=True)
        assert found is not None
        assert found.hour == utc


def test_bad_rows_have_the_number_of_their_line_in_the_file() -> None:
    lines = ["# made by hand", "time_s,temp_C,duty_%", *(f"{5 * k},{20 + k},{50 * (k > 3)}" for k in range(40))]
    lines[20], lines[30] = "90,,50", "140,broken,50"
    opened = open_log("\n".join(lines).encode(), "x.csv")
    bad = read_log(opened.log).faults.first
    assert [each.row for each in bad] == [21, 31]
    assert [row for row, _ in rows_at(opened.log, [21, 31])] == [21, 31]
    assert rows_at(opened.log, [21])[0][1] == ["90", "", "50"]


def test_a_plan_that_begins_anew_does_so_to_the_end_and_an_event_too() -> None:
    changes = (SetpointChange(at_s=0, to_degC=40), SetpointChange(at_s=100, to_degC=50))
    plan = Plan(changes=changes, again_s=200.0)
    load = Load(name="Load", at_s=150.0, lasts_s=20.0, body="Block", power_W=5.0, again_s=100.0)
    made = Trial(name="T", duration_s=1000.0, plan=plan, events=(load,))
    assert [change.at_s for change in made.course] == [100.0 * k for k in range(10)]
    assert [event.at_s for event in made.occurrences] == [150.0 + 100 * k for k in range(9)]


def test_a_permit_takes_its_events_and_the_marks_on_them_along(cabinet: Project) -> None:
    rig = with_fields(cabinet.rig, permits=(Signal(name="Somebody"),))
    gone = SignalGone(name="Off", at_s=60, lasts_s=60, permit="Somebody")
    door = cabinet.first_trial.events[0]
    marks = tuple(Mark(measure="recovery_s", limit=600, event=name) for name in ("Off", door.name))
    made = with_fields(cabinet.first_trial, events=(door, gone), marks=marks)
    left = remove_rule(with_fields(cabinet, rig=rig, trials=(made,)), "Somebody").first_trial
    assert [event.name for event in left.events] == [door.name]
    assert [mark.event for mark in left.marks] == [door.name]


def test_the_oldest_work_is_not_brought_back_before_the_newest(cabinet: Project, tmp_path: Path) -> None:
    for age in (300, 0, 600):
        journal = Journal(tmp_path)
        journal.keep(put(cabinet, ("notes",), f"{age} s old"), None, None)
        journal.let_go()
        os.utime(journal.entry, (1e9 - age, 1e9 - age))
    found = left_behind(tmp_path)
    assert found is not None
    assert found.project.notes == "0 s old"
    found.journal.let_go()


def test_a_stamp_tells_every_change_of_a_file(tmp_path: Path) -> None:
    path = tmp_path / "x"
    path.write_text("one")
    first = stamp(path)
    os.utime(path, ns=(1, 2))
    second = stamp(path)
    path.write_text("four")
    os.utime(path, ns=(1, 2))
    assert len({first, second, stamp(path)}) == 3
    other = tmp_path / "y"
    other.write_text("four")
    os.utime(other, ns=(1, 2))
    assert stamp(other) != stamp(path)


def with_alarms(rig: Rig, *levels: float) -> Rig:
    alarms = (Alarm(name=f"A{k}", probe=rig.probe.name, at_degC=level, delay_s=0.0) for k, level in enumerate(levels))
    cut_off = CutOff(name="Fuse", body=rig.probe.body, at_degC=95.0)
    return with_fields(rig, guards=(cut_off, *alarms))


def test_alarms_are_called_by_their_own_names() -> None:
    run = compute(with_alarms(one_lag(gain_K=100, lag_s=50), 30.0, 200.0, 50.0), PI, trial(to_degC=60.0))
    for degC, names in ((25.0, []), (40.0, ["A0"]), (55.0, ["A0", "A2"])):
        sample = int(np.argmax(run.measured_degC > degC)) + 1
        assert [alarm.name for alarm in alarms_on(run, sample)] == names


def test_a_limit_passed_before_the_failure_is_not_its_doing() -> None:
    rig = one_lag(gain_K=100, lag_s=100)
    hot = with_fields(rig, bodies=(with_fields(rig.bodies[0], limit_degC=70.0),))
    falls = Plan(changes=(SetpointChange(at_s=0, to_degC=80), SetpointChange(at_s=600, to_degC=40)))
    table = failure_table(hot, PI, Trial(name="T", duration_s=1500.0, plan=falls))
    cut = next(row for row in table.rows if "power is cut for good" in row.failure.text)
    late = [each for each in cut.outcomes if each.at_s > 700]
    assert late
    assert all(each.beforehand for each in late)
    assert all(each.passed is None or each.passed[1] == 0 for each in late)


def test_shut_off_is_said_where_nothing_is_given_and_flat_out_where_all_is() -> None:
    falls = Plan(changes=(SetpointChange(at_s=0, to_degC=90), SetpointChange(at_s=1500, to_degC=30)))
    run = compute(one_lag(gain_K=100, lag_s=400), PI, Trial(name="T", duration_s=3000.0, plan=falls))
    spans = _flat_out(run)
    for span in spans:
        middle = float(run.drive[run.sample_at((span.from_s + span.to_s) / 2)])
        if span.text:
            assert span.text.startswith("full drive" if middle > 0.5 else "shut off")
    assert {span.text.split(" ")[0] for span in spans if span.text} == {"full", "shut"}


def test_the_loops_slope_with_a_draw_off_is_that_of_a_link() -> None:
    demo = find_demo("wax-pot").build()
    tap = demo.rig.draw_offs[0]
    always = with_fields(demo.rig, draw_offs=(with_fields(tap, always=True),))
    links = tuple(
        with_fields(link, conductance_W_per_K=link.conductance_W_per_K + tap.flow_W_per_K)
        if {link.a, link.b} == {tap.body, SURROUNDINGS}
        else link
        for link in demo.rig.links
    )
    assert links != demo.rig.links
    linked = with_fields(demo.rig, draw_offs=(), links=links)

    both = []
    for rig in (always, linked):
        layout = lay_out(rig)
        degC = np.full(len(layout.bodies), 60.0)
        both.append(_slopes(rig, layout, degC, 0.5))
    assert both[0] == pytest.approx(both[1])


def test_fan_steps_of_the_sheet_are_left_below_where_they_are_entered() -> None:
    project = find_demo("heatsink-fan").build()
    curve = project.candidates[0].controller
    assert isinstance(curve, Curve)
    rows = other_words(project, project.candidates[0], project.first_trial, Scale.CELSIUS)
    texts = [row.value for row in rows if row.what.startswith("Step ")]
    assert len(texts) == len(curve.steps)
    for step, text in zip(curve.steps, texts, strict=True):
        entered, left = (float(found) for found in re.findall(r"([\d.]+) °C", text))
        assert (entered, entered - left) == pytest.approx((step.from_degC, step.back_off_K))


@pytest.mark.long
def test_strict_asks_for_all_marks_of_all_and_the_report_holds_every_remark(tmp_path: Path) -> None:
    demo = find_demo("cure-cabinet").build()
    easy = Mark(measure="overshoot_K", limit=100)
    hard = Mark(measure="overshoot_K", limit=1e-3)
    for marks, first, code in (((easy,), -1, 0), ((easy, hard), -1, 1), ((easy,), 0, 1)):  # of all, one does not arrive
        made = with_fields(demo.first_trial, marks=marks)
        path = tmp_path / "x.kelvarn"
        save(with_fields(demo, logs=(), trials=(made,), candidates=demo.candidates[first:]), path)
        assert kelvarn("run", path, "--strict").returncode == code
    project = with_fields(demo, logs=(), trials=(with_fields(demo.first_trial, marks=()),))
    candidate = project.candidates[0].name
    found = findings(project, candidate, count=8)
    of_project = [remark.text for remark in found.remarks]
    assert of_project
    page = report_html(project, found, {}, Scale.CELSIUS, date(2026, 1, 2))
    assert all(text in html.unescape(page) for text in of_project)


def test_a_report_can_be_stopped_and_says_why_it_has_no_variants(cabinet: Project) -> None:
    bare = with_fields(cabinet, rig=one_lag(), trials=(trial(),), candidates=cabinet.candidates[-1:])
    found = findings(bare, bare.candidates[0].name, count=4)
    said = replace(found, variants="Nothing of it varies.")
    assert "Nothing of it varies." in html.unescape(report_html(bare, said, {}, Scale.CELSIUS, date(2026, 1, 2)))
    asked = 0

    def go_on(_share: float) -> bool:
        nonlocal asked
        asked += 1
        return asked < 3

    with pytest.raises(Stopped), interruptible(go_on):
        findings(cabinet, cabinet.candidates[0].name)
