"""Plans that wait, repeat, follow the days, with names and limits; the bank of trials; edits that reach further."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.measures import measure
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import compute
from kelvarn.files.project_file import from_json, to_json
from kelvarn.model import trial_edit
from kelvarn.model.bank import BANK, MARK_SETS
from kelvarn.model.control_events import SignalGone
from kelvarn.model.edit import EditError, with_fields
from kelvarn.model.events import DriveFault, ProbeFault
from kelvarn.model.fixed import Fixed
from kelvarn.model.guards import DAY_S, DAYS, GUARD_KINDS, PERMIT_KINDS
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig_edit import remove_probe, rename_body, rename_drive, rename_probe
from kelvarn.model.trial import WEEK_S, DayPart, NamedSetpoint, Plan, SetpointChange, Trial, course_of, week_said
from kelvarn.model.trial_words import plan_text
from kelvarn.units import Scale
from tests.conftest import again, one_lag

LAW = Pid(kp_per_K=0.05, ti_s=100)


def planned(*changes: SetpointChange, duration_s: float = 2000, **more: object) -> Trial:
    return Trial(name="T", duration_s=duration_s, plan=Plan(changes=changes, **more))  # type: ignore[arg-type]


def test_a_plan_that_waits_counts_its_hold_from_reaching_the_band() -> None:
    waits = SetpointChange(at_s=0, to_degC=60, waits=True)
    run = compute(one_lag(), LAW, planned(waits, SetpointChange(at_s=300, to_degC=40)))
    reached = int(np.flatnonzero(np.abs(run.measured_degC - 60) <= 0.5)[0])
    assert reached > 20
    falls = int(np.flatnonzero(run.setpoint_degC == 40)[0])
    assert falls == reached + 300
    found = measure(run)
    setpoints = [window for window in found.windows if window.opens == "setpoint"]
    assert [(w.from_s, w.to_s) for w in setpoints] == [(0, falls), (falls, 2000)]
    ramped = SetpointChange(at_s=0, to_degC=60, ramp_K_per_s=0.05, waits=True)
    run = compute(one_lag(), LAW, planned(ramped, SetpointChange(at_s=1000, to_degC=70)))
    at = int(np.flatnonzero(np.abs(run.setpoint_degC - 60) < 1e-9)[0])  # 40 K by 0.05 K/s
    assert at == 800
    rises = int(np.flatnonzero(run.setpoint_degC == 70)[0])
    ready = next(k for k in range(at, 2001) if abs(run.measured_degC[k] - 60) <= 0.5)
    assert rises == ready + 200


def test_a_hold_that_never_begins_is_never_left_and_what_follows_has_no_window() -> None:
    never = planned(SetpointChange(at_s=0, to_degC=200, waits=True), SetpointChange(at_s=300, to_degC=40))
    run = compute(one_lag(100), LAW, never)
    assert (run.setpoint_degC == 200).all()
    found = measure(run)
    assert [window.opens for window in found.windows] == ["setpoint"]
    assert found.main.values["settling_s"] is None


def test_a_plan_begins_anew_and_keeps_to_its_limits() -> None:
    again = planned(SetpointChange(at_s=0, to_degC=60), SetpointChange(at_s=100, to_degC=90), again_s=300,
                    lowest_degC=65, highest_degC=80)  # fmt: skip
    run = compute(one_lag(), Fixed(drive=0.0), again)
    assert [float(run.setpoint_degC[k]) for k in (0, 99, 100, 299, 300, 400, 1999)] == [65, 65, 80, 80, 65, 80, 80]
    with pytest.raises(ValueError, match="begins anew after"):
        planned(SetpointChange(at_s=0, to_degC=60), SetpointChange(at_s=400, to_degC=90), again_s=300)


parts = st.lists(
    st.builds(
        lambda from_h, lasts_h, to, days: DayPart(
            from_s=from_h * 3600.0, to_s=(from_h + lasts_h) % 24 * 3600.0, to_degC=float(to), days=tuple(days)
        ),
        st.integers(0, 23), st.integers(1, 23), st.integers(1, 50),
        st.lists(st.sampled_from(DAYS), min_size=1, max_size=7, unique=True),
    ),
    max_size=6,
)  # fmt: skip


@settings(max_examples=120, deadline=None)
@given(parts, st.integers(0, 6), st.integers(0, 23), st.integers(1, 20))
def test_day_parts_hold_when_the_table_says(week: list[DayPart], day: int, hour: int, days: int) -> None:
    """Against a plain look-up of the table at every half hour."""
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=7),), week=tuple(week))
    begins = day * DAY_S + hour * 3600
    course = course_of(plan, days * DAY_S, begins)
    for k in range(0, days * 48, 3):
        at = k * 1800.0 + 900
        held = [change for change in course if change.at_s <= at][-1].to_degC
        expected = 7.0
        for part in plan.week:
            for name in part.days:
                since = (begins + at - DAYS.index(name) * DAY_S - part.from_s) % WEEK_S
                if since < part.lasts_s:
                    expected = part.to_degC
        assert held == expected


def test_overlaps_and_gaps_of_the_week_are_said() -> None:
    early = DayPart(from_s=0, to_s=8 * 3600, to_degC=5)
    late = DayPart(from_s=7 * 3600, to_s=20 * 3600, to_degC=8, days=("Mon",))
    said = week_said(Plan(changes=(SetpointChange(at_s=0, to_degC=3),), week=(early, late)))
    assert said[0] == "Mon: two parts overlap from 07:00; the later in the table holds."
    assert said[1] == "Mon: no part from 20:00 to 24:00; the plan's own setpoint holds."
    assert said[2].startswith("Tue: no part from 08:00 to 24:00")
    whole = DayPart(from_s=0, to_s=24 * 3600, to_degC=5)
    assert week_said(Plan(changes=(SetpointChange(at_s=0, to_degC=3),), week=(whole,))) == []


def test_marks_go_to_all_trials_but_those_about_events() -> None:
    project = find_demo("cure-cabinet").build()
    marked = trial_edit.marks_to_all(project, 0)
    assert [m.measure for m in marked.trials[1].marks].count("overshoot_K") == 1
    assert {m.event for m in marked.trials[1].marks} == {None, "Second part"}
    assert marked.trials[0] == project.trials[0]


def test_named_setpoints_are_followed_and_must_agree() -> None:
    project = find_demo("cure-cabinet").build()
    changed = trial_edit.set_named(project, 1, 1, NamedSetpoint(name="Harden", to_degC=62.0))
    plan = changed.trials[1].plan
    assert (plan.changes[1].to_degC, plan.changes[1].named) == (62, "Harden")
    assert "to Harden, 62.0 °C, wait until there" in plan_text(changed.trials[1], Scale.CELSIUS)
    freed = trial_edit.remove_named(changed, 1, 1).trials[1].plan
    assert (freed.changes[1].to_degC, freed.changes[1].named) == (62, None)
    with pytest.raises(ValueError, match="under that name the plan goes to 61 °C"):
        Plan(changes=(SetpointChange(at_s=0, to_degC=61, named="A"),), setpoints=(NamedSetpoint(name="A", to_degC=60),))
    with pytest.raises(ValueError, match="names the setpoint “B”, which does not exist"):
        Plan(changes=(SetpointChange(at_s=0, to_degC=61, named="B"),))


@pytest.mark.parametrize("demo", DEMOS, ids=lambda demo: demo.name)
def test_the_whole_bank_and_all_marks_fit_every_demo(demo: object) -> None:
    project: Project = demo.build()  # type: ignore[attr-defined]
    banked = trial_edit.add_whole_bank(project, project.first_trial.name)
    assert len(banked.trials) == len(project.trials) + len(BANK)
    assert trial_edit.add_whole_bank(banked, project.first_trial.name) == banked
    law = (project.candidate(project.chosen) if project.chosen else project.candidates[0]).controller
    for place in range(len(project.trials), len(banked.trials)):
        for each in MARK_SETS:
            banked = trial_edit.add_mark_set(banked, place, each.name)
        short = with_fields(banked.trials[place], duration_s=banked.trials[place].duration_s)
        assert measure(compute(banked.rig, law, short)).windows
    assert again(banked) == banked


def test_guards_and_permits_come_go_and_follow_names() -> None:
    project = find_demo("lemon-shed").build()
    bare = with_fields(project, rig=with_fields(project.rig, guards=(), permits=()), trials=project.trials[1:])
    for kind in (*GUARD_KINDS, *PERMIT_KINDS):
        bare, _ = trial_edit.add_rule(bare, kind)
    assert len(bare.rig.guards) == len(GUARD_KINDS)
    with pytest.raises(EditError, match="already; change that one"):
        trial_edit.add_rule(bare, "restart")
    gone = SignalGone(name="Gone", permit="Somebody there", at_s=10)
    fails = DriveFault(name="F", drive="Fan heater", at_s=5)
    trial = with_fields(bare.trials[0], events=(gone, fails, ProbeFault(name="P", probe="Probe", at_s=1)), marks=())
    bare = with_fields(bare, trials=(trial,))
    renamed = trial_edit.rename_rule(bare, "Somebody there", "Night watch")
    assert renamed.trials[0].events[0].permit == "Night watch"
    moved = rename_drive(rename_probe(rename_body(renamed, "Air", "Room"), 0, "Stick"), 0, "Blower")
    assert {guard.probe for guard in moved.rig.guards if hasattr(guard, "probe")} == {"Stick"}
    assert moved.trials[0].events[1].drive == "Blower"
    assert [event.name for event in trial_edit.remove_rule(renamed, "Night watch").trials[0].events] == ["F", "P"]
    two = with_fields(moved.rig, probes=(*moved.rig.probes, with_fields(moved.rig.probe, name="Two", role="watch")))
    swapped = with_fields(
        two, probes=(with_fields(two.probes[0], role="watch"), with_fields(two.probes[1], role="control"))
    )
    left = remove_probe(with_fields(moved, rig=swapped), 0)
    assert not [guard for guard in left.rig.guards if getattr(guard, "probe", "Two") != "Two"]
    assert trial_edit.move_trial(project, project.trials[1].name, -1).trials[0] == project.trials[1]
    copied = trial_edit.copy_event(project, 0, 1, project.trials[1].name)
    assert copied.trials[1].events[-1].name == "Door left open"


@pytest.mark.parametrize(("change", "sentence"), [
    ({"guards": [{"kind": "trip", "name": "T", "probe": "None", "at_degC": 5}]}, "names the probe “None”"),
    ({"guards": [{"kind": "cut_off", "name": "T", "body": "None", "at_degC": 5}]}, "names the body “None”"),
    ({"guards": [{"kind": "restart", "name": "A"}, {"kind": "restart", "name": "B"}]}, "only one guard of the kind"),
    ({"permits": [{"kind": "hours", "name": "H", "from_s": 5, "to_s": 5}]}, "must not end when they begin"),
    ({"guards": [{"kind": "trip", "name": "A", "probe": "Probe", "at_degC": 5}] * 2}, "guard or permit"),
])  # fmt: skip
def test_guards_that_cannot_be_are_refused_in_a_sentence(change: dict[str, object], sentence: str) -> None:
    document = json.loads(to_json(find_demo("cure-cabinet").build()))
    document["rig"].update(change)
    with pytest.raises(ValueError, match=sentence):
        from_json(json.dumps(document), "x")


def test_a_year_read_every_second_says_what_to_do() -> None:
    year = planned(SetpointChange(at_s=0, to_degC=5), duration_s=365 * DAY_S)
    with pytest.raises(RunError, match="every 7 s or more"):
        compute(one_lag(), LAW, year)


def test_no_setpoint_change_is_added_where_no_time_is_left_and_the_last_one_stays() -> None:
    project = find_demo("wax-pot").build()
    place = 0
    for _ in range(3):
        project = trial_edit.add_change(project, place)
    changes = project.trials[place].plan.changes
    assert [change.at_s for change in changes] == sorted(change.at_s for change in changes)
    for _ in range(len(changes) - 1):
        project = trial_edit.remove_change(project, place, 0)
    assert project.trials[place].plan.changes[0].at_s == 0
    with pytest.raises(EditError, match="last one cannot be removed"):
        trial_edit.remove_change(project, place, 0)
    week = trial_edit.add_day_part(trial_edit.add_day_part(project, place), place).trials[place].plan.week
    assert week[1].from_s == week[0].to_s
    named = trial_edit.add_named(project, place)
    path = ("trials", place, "plan", "changes", 0)
    assert trial_edit.take_named(named, path, "Operation").trials[place].plan.changes[0].named == "Operation"
