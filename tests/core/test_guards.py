"""Guards, alarms, permits and failures: thresholds, delays, precedence, and what they do to the rig."""

import csv
import itertools
import math
from pathlib import Path

import numpy as np
import pytest

from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.measures import measure
from kelvarn.engine.missing import missing_spans
from kelvarn.engine.on_trial import Stepper
from kelvarn.engine.run import Run, compute
from kelvarn.files.tables import write_trace
from kelvarn.model import events as ev
from kelvarn.model import guards as gd
from kelvarn.model.drives import Relay
from kelvarn.model.edit import with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.words.why import why
from tests.conftest import one_lag, trial

FULL = Fixed(drive=1.0)


def ruled(run: Run) -> list[Ruler]:
    return [Ruler(int(code) % RULERS) for code in run.guard_code]


def guarded(*guards: gd.RuleBase, rig: Rig | None = None, **more: object) -> Rig:
    return with_fields(rig or one_lag(), guards=guards, **more)


def stepper(rig: Rig, happens: Trial | None = None, law: object = FULL) -> Stepper:
    asked = happens or trial(1000)
    return Stepper(law, asked.course, 1.0, rig.way, asked.occurrences, rig, asked)  # type: ignore[arg-type]


@pytest.mark.parametrize(("reading", "delay_s", "samples", "acts"), [
    (79.99, 0, 50, False), (80.0, 0, 1, True), (80.0, 5, 5, False), (80.0, 5, 6, True), (85.0, 5, 5, False),
])  # fmt: skip
def test_a_trip_acts_at_its_level_and_after_its_delay(reading: float, delay_s: float, samples: int, acts: bool) -> None:
    rig = guarded(gd.Trip(name="T", probe="Probe", at_degC=80, delay_s=delay_s, does="off"))
    law = stepper(rig)
    law.step(70.0)
    for _ in range(samples):
        out = law.step(reading)
    assert (out.guard_code % RULERS == Ruler.LATCHED_TRIP) == acts
    assert out.given == (0.0 if acts else 1.0)
    if acts:
        assert law.step(20.0).given == 0.0  # it latches
    else:
        assert law.step(79.9).given == 1.0
        for _ in range(samples - 1):  # an interruption begins the delay anew
            assert law.step(reading).given == 1.0


def test_reset_lets_go_only_of_what_is_gone_and_hysteresis_of_what_does_not_latch() -> None:
    latched = guarded(gd.Trip(name="T", probe="Probe", at_degC=80, does="off"))
    presses = trial(1000, events=(ev.ResetPressed(name="R", at_s=2, lasts_s=1, again_s=3),))
    law = stepper(latched, presses)
    given = [law.step(y).given for y in (81, 81, 81, 70, 70, 70, 70)]  # pressed at 2 and 5
    assert given == [0, 0, 0, 0, 0, 1, 1]
    loose = guarded(gd.Trip(name="T", probe="Probe", at_degC=80, does="off", latches=False, hysteresis_K=2))
    law = stepper(loose)
    assert [law.step(y).given for y in (80, 79, 78.0, 77.9, 79)] == [0, 0, 0, 1, 1]
    below = guarded(gd.Trip(name="T", probe="Probe", at_degC=5, side="below", does="full"))
    law = stepper(below, law=Fixed(drive=0.0))
    assert [law.step(y).given for y in (5.1, 5.0, 20.0)] == [0, 1, 1]


def everything(order: tuple[str, ...]) -> tuple[Rig, Trial]:
    """A rig and a trial in which all that can rule over a law wants something at 10 s."""
    kinds: dict[str, gd.RuleBase] = {
        "cut_off": gd.CutOff(name="C", body="Block", at_degC=60),
        "trip": gd.Trip(name="T", probe="Probe", at_degC=60),
        "guard": gd.LongestOn(name="L", longest_s=3, rest_s=100),
        "probe_fault": gd.ProbeFaultAction(name="P", action="fixed", duty=0.4, still_s=5),
    }
    rig = one_lag()
    permits = (gd.Signal(name="S"),) if "permit" in order else ()
    rig = with_fields(rig, guards=tuple(kinds[each] for each in order if each in kinds), permits=permits,
                      probes=(with_fields(rig.probe, resolution_K=50),))  # fmt: skip
    happens = {
        "power": ev.PowerCut(name="Cut", at_s=6),
        "permit": ev.SignalGone(name="Gone", permit="S", at_s=6) if permits else None,
        "override": ev.Override(name="Hand", at_s=6, drive=0.7),
    }
    found = tuple(happens[each] for each in order if happens.get(each))
    return rig, trial(12, start_degC=80, events=found)


ORDER = {
    "power": Ruler.POWER_CUT, "cut_off": Ruler.THERMAL_CUT_OFF, "trip": Ruler.LATCHED_TRIP, "guard": Ruler.GUARD,
    "probe_fault": Ruler.PROBE_FAULT, "permit": Ruler.PERMIT, "override": Ruler.OVERRIDE,
}  # fmt: skip


@pytest.mark.parametrize("pair", list(itertools.permutations(ORDER, 2)), ids="-".join)
def test_of_every_two_that_want_something_the_stronger_rules_in_either_order(pair: tuple[str, str]) -> None:
    rig, asked = everything(pair)
    run = compute(rig, FULL, asked)
    strongest = min(pair, key=lambda each: ORDER[each])
    if set(pair) == {"guard", "probe_fault"} or "guard" in pair:
        # The break comes once something was given for long enough, which the stronger ones prevent.
        assert ORDER[strongest] in ruled(run)
    at = ruled(run)[10]
    assert at == ORDER[strongest] or (at == Ruler.LAW and "guard" in pair)
    for each in pair:  # alone, each of them rules
        rig, asked = everything((each,))
        assert ORDER[each] in ruled(compute(rig, FULL, asked))


def test_a_contactor_stops_a_welded_relay_and_an_order_to_be_off_does_not() -> None:
    rig = one_lag(100, 200)
    rig = with_fields(rig, drives=(Relay(name="Relay", body="Block", power_W=200),))
    welded = trial(2000, 60, events=(ev.DriveFault(name="Welded", at_s=500, drive="Relay"),))
    law = OnOff(below_K=1, above_K=1)
    free = compute(rig, law, welded)
    assert free.judged_degC[-1] == pytest.approx(120, abs=0.1)  # 20 °C and the whole gain
    assert measure(free).values["trips"] == 0
    told_off = compute(guarded(gd.Trip(name="T", probe="Probe", at_degC=80, does="off"), rig=rig), law, welded)
    assert told_off.judged_degC[-1] == pytest.approx(120, abs=0.1)
    cut = compute(guarded(gd.Trip(name="T", probe="Probe", at_degC=80), rig=rig), law, welded)
    found = measure(cut)
    assert 80 <= found.hottest_degC["Block"] < 81
    assert cut.judged_degC[-1] < 25
    # From where it stood: 20 + 100 (1 − e^(−t/200)), an analytic course with the relay stuck on.
    y0 = float(cut.judged_degC[500])
    assert found.event("Welded").values["trip_s"] == pytest.approx(200 * math.log((120 - y0) / (120 - 80)), abs=1.0)
    assert found.values["trips"] == 1
    assert "trip “T”: tripped at 80.0 °C" in why(cut, 1500)


def test_a_cut_off_opens_and_closes_by_its_body_and_knows_no_software() -> None:
    rig = guarded(gd.CutOff(name="Fuse", body="Block", at_degC=70, resets_K=10))
    probe_stuck = trial(2000, 60, events=(ev.ProbeFault(name="Stuck", at_s=0, probe="Probe", fault="stuck"),))
    run = compute(rig, Pid(kp_per_K=0.1, ti_s=100), probe_stuck)
    found = measure(run)
    assert found.hottest_degC["Block"] == pytest.approx(70, abs=1e-3)
    assert measure(run).coldest_degC["Block"] == 20
    late = run.lowest_degC[run.time_s > 200]
    assert late.min() == pytest.approx(60, abs=1e-3)
    assert found.values["trips"] is not None
    assert found.values["trips"] > 2
    for_good = compute(guarded(gd.CutOff(name="Fuse", body="Block", at_degC=70)), FULL, trial(2000))
    assert measure(for_good).values["trips"] == 1
    assert for_good.judged_degC[-1] < 22


def test_a_load_that_is_cut_heats_no_more() -> None:
    rig = one_lag()
    hot = with_fields(rig, bodies=(with_fields(rig.bodies[0], own_heat_W=160.0, limit_degC=95.0),))
    free, cut = (
        measure(compute(each, Fixed(drive=0.0), trial(3000, start_degC=20)))
        for each in (hot, guarded(gd.CutOff(name="C", body="Block", at_degC=80, does="load"), rig=hot))
    )
    assert free.hottest_degC["Block"] == pytest.approx(100, abs=0.01)
    assert free.beyond_limit_s["Block"] == pytest.approx(3000 - 200 * math.log(80 / 5), abs=2)
    assert cut.hottest_degC["Block"] == pytest.approx(80, abs=1e-3)
    assert cut.beyond_limit_s["Block"] == 0


@pytest.mark.parametrize(("action", "given"), [("off", 0.0), ("on", 1.0), ("fixed", 0.3), ("hold", None)])
def test_a_broken_probe_gets_the_action_that_was_chosen(action: str, given: float | None) -> None:
    guard = gd.ProbeFaultAction(name="P", action=action, duty=0.3, delay_s=4)  # type: ignore[arg-type]
    for fault, first in (("open", 104), ("short", 104), ("stuck", None)):
        happens = trial(300, 60, events=(ev.ProbeFault(name="F", at_s=100, probe="Probe", fault=fault),))  # type: ignore[arg-type]
        run = compute(guarded(guard), Pid(kp_per_K=0.02, ti_s=100), happens)
        on = [k for k, each in enumerate(ruled(run)) if each == Ruler.PROBE_FAULT]
        if first is None:
            assert not on  # a stuck probe looks right; only being still gives it away
            continue
        assert on == list(range(first, 301))
        expected = run.drive[first - 1] if given is None else given
        np.testing.assert_allclose(run.drive[on], expected)


def test_a_probe_that_is_still_for_too_long_is_faulty_and_back_it_goes_on_without_a_jump() -> None:
    guard = gd.ProbeFaultAction(name="P", action="hold", still_s=20)
    rig = one_lag()
    noisy = with_fields(rig, probes=(with_fields(rig.probe, noise_K=0.05),))
    happens = trial(
        400, 60, start_degC=59, events=(ev.ProbeFault(name="F", at_s=100, lasts_s=100, probe="Probe", fault="stuck"),)
    )
    run = compute(guarded(guard, rig=noisy), Pid(kp_per_K=0.02, ti_s=100), happens)
    on = [k for k, each in enumerate(ruled(run)) if each == Ruler.PROBE_FAULT]
    assert on == list(range(119, 200))  # the reading that stays was taken at 99 s
    assert abs(float(run.drive[200] - run.drive[199])) < 0.1


def test_no_rise_trips_on_a_broken_heater_and_not_at_the_setpoint() -> None:
    guard = gd.NoRise(name="N", at_least=0.8, for_s=100, rise_K=2, away_K=5)
    healthy = compute(guarded(guard), Pid(kp_per_K=0.2, ti_s=100), trial(2000, 60))
    assert set(ruled(healthy)) == {Ruler.LAW}
    dead = trial(2000, 60, events=(ev.DriveFault(name="Dead", at_s=0, drive="Heater", fault="stuck_off"),))
    run = compute(guarded(guard), Pid(kp_per_K=0.2, ti_s=100), dead)
    assert ruled(run).index(Ruler.LATCHED_TRIP) == 100
    assert run.drive[-1] == 0
    weak = trial(2000, 110, events=(ev.DriveFault(name="Weak", at_s=0, drive="Heater", fault="weak", left=0.02),))
    assert Ruler.LATCHED_TRIP in ruled(compute(guarded(guard), FULL, weak))


def test_orders_that_do_not_arrive_leave_the_last_one_until_the_watchdog_acts() -> None:
    lost = trial(600, 60, events=(ev.OrdersLost(name="Lost", at_s=100, lasts_s=200),))
    law = Pid(kp_per_K=0.02, ti_s=100)
    run = compute(one_lag(), law, lost)
    assert np.ptp(run.drive[99:300]) == 0
    watched = compute(guarded(gd.LinkLost(name="W", after_s=10)), law, lost)
    assert watched.drive[109] == watched.drive[99] > 0
    assert (watched.drive[110:300] == 0).all()
    assert watched.drive[310] > 0
    stalled = trial(600, 60, events=(ev.ControlStalls(name="Busy", at_s=100, lasts_s=200, every_s=20),))
    slow = compute(one_lag(), OnOff(below_K=0.1, above_K=0.1), stalled)
    changes = np.flatnonzero(np.diff(slow.drive[101:299])) + 102
    assert len(changes) > 1
    assert {int(change - changes[0]) % 20 for change in changes} == {0}


def test_the_trace_names_what_ruled(tmp_path: Path) -> None:
    rig = guarded(gd.Trip(name="=Trip", probe="Probe", at_degC=60))
    run = compute(rig, FULL, trial(300))
    write_trace(run, tmp_path / "t.csv")
    with (tmp_path / "t.csv").open() as stream:
        ruled_by = [row["guard"] for row in csv.DictReader(stream)]
    assert set(ruled_by) == {"", "'=Trip"}  # no spreadsheet takes it for a formula
    assert ruled_by.index("'=Trip") == ruled(run).index(Ruler.LATCHED_TRIP)


def test_longest_on_time_gives_breaks() -> None:
    run = compute(guarded(gd.LongestOn(name="L", longest_s=50, rest_s=20)), FULL, trial(300))
    off = np.flatnonzero(run.drive == 0)
    assert off[0] in (50, 51)
    assert off[:20].tolist() == list(range(off[0], off[0] + 20))
    assert run.drive[off[0] + 20] == 1


def test_alarms_only_report_with_delay_and_hysteresis() -> None:
    alarm = gd.Alarm(name="A", probe="Probe", watches="high", at_degC=50, delay_s=3, hysteresis_K=2)
    law = stepper(guarded(alarm))
    outs = [law.step(y) for y in (51, 51, 51, 51, 49, 48.1, 47.9, 51)]
    assert [out.alarm_code for out in outs] == [0, 0, 0, 1, 1, 1, 0, 0]
    assert all(out.given == 1 for out in outs)
    held = guarded(with_fields(alarm, until="acknowledged", delay_s=0))
    law = stepper(held, trial(100, events=(ev.ResetPressed(name="R", at_s=3, lasts_s=1),)))
    assert [law.step(y).alarm_code for y in (51, 30, 30, 30, 30)] == [1, 1, 1, 0, 0]
    away = guarded(gd.Alarm(name="A", probe="Probe", watches="deviation", away_K=5, delay_s=0, hysteresis_K=1))
    law = stepper(away)
    assert [law.step(y).alarm_code for y in (20, 50, 56, 54, 55.5, 56.5)] == [0, 0, 0, 1, 1, 0]
    flat = guarded(gd.Alarm(name="A", probe="Probe", watches="saturated", away_K=5, delay_s=2))
    law = stepper(flat)
    assert [law.step(20).alarm_code for _ in range(5)] == [0, 0, 0, 1, 1]
    both = compute(guarded(alarm, with_fields(alarm, name="B", at_degC=55)), FULL, trial(300))
    found = measure(both)
    assert found.values["alarms"] == 2
    begins = 200 * math.log(100 / 70) + 3
    assert found.values["alarm_s"] == pytest.approx(300 - begins, abs=2)


def test_power_comes_back_as_the_restart_says() -> None:
    cut = ev.PowerCut(name="Cut", at_s=300, lasts_s=100)
    law = Pid(kp_per_K=0.02, ti_s=100)
    happens = trial(1000, 60, events=(cut,))
    for fields, at_return in (({}, None), ({"keeps_memory": True}, "kept"), ({"delay_s": 50}, "waits")):
        run = compute(guarded(gd.Restart(name="R", **fields)), law, happens)
        assert (run.drive[300:400] == 0).all()
        assert {Ruler.POWER_CUT} == set(ruled(run)[300:400])
        if at_return == "waits":
            assert (run.drive[400:450] == 0).all()
            assert run.drive[450] > 0
        elif at_return == "kept":
            assert run.i[400] == pytest.approx(run.i[299], abs=0.02)
        else:
            assert run.i[400] == pytest.approx(run.i[0], abs=1e-9)
    plan = trial(1000, 60)
    steps = with_fields(plan, events=(cut,), plan=with_fields(plan.plan, changes=(
        *plan.plan.changes, with_fields(plan.plan.changes[0], at_s=350, to_degC=40))))  # fmt: skip
    found = {}
    for setpoint in ("clock", "stored", "start", "lost"):
        restart = gd.Restart(name="R", setpoint=setpoint, own_degC=25)  # type: ignore[arg-type]
        run = compute(guarded(restart), law, steps)
        found[setpoint] = [float(run.setpoint_degC[k]) for k in (401, 449, 451, 749, 751)]
    assert found == {
        "clock": [40.0] * 5, "stored": [60.0, 60.0, 40.0, 40.0, 40.0], "start": [60.0] * 4 + [40.0], "lost": [25.0] * 5,
    }  # fmt: skip
    tripped = guarded(gd.Trip(name="T", probe="Probe", at_degC=50, does="off"))
    latched = compute(tripped, law, happens)
    assert (latched.drive[500:] == 0).all()  # a latched trip stays latched


def test_permits_are_levels_looked_at_in_every_sample() -> None:
    door = gd.DoorShut(name="Door", after_s=10)
    happens = trial(600, 60, events=(
        ev.DoorOpens(name="D", at_s=100, lasts_s=5, again_s=50, body="Block", conductance_W_per_K=1),
        ev.DoorOpens(name="E", at_s=400, lasts_s=60, body="Block", conductance_W_per_K=1)))  # fmt: skip
    run = compute(with_fields(one_lag(), permits=(door,)), FULL, happens)
    assert np.flatnonzero(run.drive == 0).tolist() == list(range(410, 460))
    price = gd.PriceBelow(name="P", limit=0.4)
    dear = trial(100, events=(ev.PriceIs(name="A", at_s=10, lasts_s=50, price=0.5),
                              ev.PriceIs(name="B", at_s=30, lasts_s=10, price=0.1)))  # fmt: skip
    assert missing_spans(price, dear) == [(10, 30), (40, 60)]
    hours = gd.Hours(name="H", from_s=22 * 3600, to_s=6 * 3600, days=("Mon", "Sun"))
    week = trial(86400, begins_day="Mon", begins_at_s=5 * 3600)
    assert missing_spans(hours, week)[:2] == [(3600.0, 17 * 3600.0), (25 * 3600.0, 161 * 3600.0)]
    both = with_fields(one_lag(), drives=(*one_lag().drives, with_fields(one_lag().drive, name="Cooler", acts="cools")),
                       permits=(gd.Signal(name="S", allows="cooling"),))  # fmt: skip
    nobody = trial(300, 20, start_degC=60, events=(ev.SignalGone(name="G", permit="S", at_s=0, lasts_s=100),))
    run = compute(both, Pid(kp_per_K=0.1, ti_s=100, low=-1), nobody)
    assert (run.drive[:100] == 0).all()
    assert run.drive[100] < 0
    assert "not allowed: permit “S”" in why(run, 50)


def test_an_override_ends_with_its_time_the_plan_or_the_setpoint() -> None:
    base = trial(1000, 60)
    plan = with_fields(base.plan, changes=(*base.plan.changes, with_fields(base.plan.changes[0], at_s=500, to_degC=70)))
    for until, last in (("time", 799), ("plan", 499), ("reached", None)):
        hand = ev.Override(name="H", at_s=100, lasts_s=700, drive=0.8, until=until)  # type: ignore[arg-type]
        run = compute(one_lag(), Fixed(drive=0.1), with_fields(base, plan=plan, events=(hand,)))
        held = [k for k, each in enumerate(ruled(run)) if each == Ruler.OVERRIDE]
        if last is None:
            assert held[-1] < 499
            assert abs(run.measured_degC[held[-1] + 1] - 60) < 1
        else:
            assert held == list(range(100, last + 1))
