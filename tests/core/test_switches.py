"""Switches without software act at the very instant; what rules, counts and lasts at a sample does so exactly there."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.marks import judge
from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.model import control_events as ce
from kelvarn.model import events as ev
from kelvarn.model import guards as gd
from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Pwm, Relay, SlowWindow, Valve
from kelvarn.model.edit import put, with_fields
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.fixed import Fixed
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig
from kelvarn.model.trial import NamedSetpoint, Plan, SetpointChange, Trial
from kelvarn.words.why import why
from tests.conftest import one_lag, trial

FULL = Fixed(drive=1.0)


def quick_heater(interval_s: float, radiates: bool, **more: object) -> Rig:
    """800 W into 300 J/K and on into a part: 2.7 K/s, read seldom."""
    return Rig(
        bodies=(Body(name="Heater", capacity_J_per_K=300), Body(name="Part", capacity_J_per_K=5000)),
        links=(
            Link(a="Heater", b="Part", conductance_W_per_K=4.0),
            Link(a="Part", b=SURROUNDINGS, conductance_W_per_K=1.0, radiating_m2=0.02 if radiates else 0.0),
        ),
        drives=(Relay(body="Heater", power_W=800, **more),),
        probes=(Probe(body="Part", interval_s=interval_s),),
        surroundings=Surroundings(temperature_degC=20.0),
    )


@pytest.mark.parametrize("radiates", [False, True])
@pytest.mark.parametrize("interval_s", [1.0, 10.0, 60.0])
def test_a_cut_off_opens_when_its_body_is_there_whatever_the_probe_reads(radiates: bool, interval_s: float) -> None:
    rig = with_fields(quick_heater(interval_s, radiates), guards=(gd.CutOff(name="Fuse", body="Heater", at_degC=120),))
    run = compute(rig, FULL, trial(1800))
    found = measure(run)
    assert found.hottest_degC["Heater"] == pytest.approx(120, abs=2e-3)

    def rates(_t: float, y: np.ndarray) -> list[float]:
        out = y[1] - 20 + 0.02 * 5.670374419e-8 * ((y[1] + 273.15) ** 4 - 293.15**4) * radiates
        return [(800 - 4 * (y[0] - y[1])) / 300, (4 * (y[0] - y[1]) - out) / 5000]

    def opens(_t: float, y: np.ndarray) -> float:
        return y[0] - 120

    opens.terminal = True  # type: ignore[attr-defined]
    heated = solve_ivp(rates, (0, 1800), [20.0, 20.0], events=opens, rtol=1e-10, atol=1e-10)
    opened_s = float(heated.t[-1])
    assert run.heat_J == pytest.approx(800 * opened_s, rel=1e-5)
    at = math.floor(opened_s / interval_s)
    assert run.put_out[0, at] == pytest.approx((opened_s - at * interval_s) / interval_s, abs=1e-4)
    assert found.values["trips"] == 1


@pytest.mark.parametrize("radiates", [False, True])
@pytest.mark.parametrize("kind", ["relay", "window", "pwm", "late"])
def test_an_own_thermostat_swings_between_its_edges(radiates: bool, kind: str) -> None:
    dial: dict[str, object] = {"dial_degC": 90.0, "dial_band_K": 8.0}
    rig = quick_heater(20.0, radiates, **dial)
    if kind == "window":
        rig = with_fields(rig, drives=(SlowWindow(body="Heater", power_W=800, window_s=7.0, **dial),))
    elif kind == "pwm":
        rig = with_fields(rig, drives=(Pwm(body="Heater", power_W=800, **dial),))
    elif kind == "late":
        rig = with_fields(rig, drives=(with_fields(rig.drive, dead_time_s=3.0),))
    run = compute(rig, Fixed(drive=1.0), trial(1800))
    late = run.time_s > 300
    found = measure(run)
    if kind != "late":
        assert found.hottest_degC["Heater"] == pytest.approx(90, abs=5e-3)
        mean = run.put_out[0, late].mean()
        assert 0.05 < mean < 0.6
    else:
        assert found.hottest_degC["Heater"] == pytest.approx(90 + 3 * 800 / 300, abs=1.5)
    # What is said to be put out is what heats: over the whole run, one transport delay apart.
    put_out_J = float(run.put_out[0, :-1].sum()) * 20.0 * 800
    assert put_out_J == pytest.approx(run.heat_J, abs=800 * 3.1)


def test_the_lower_edge_of_an_own_thermostat_is_exact_too() -> None:
    heater = Relay(body="Block", power_W=800, dial_degC=100, dial_band_K=10)
    rig = with_fields(one_lag(400, 100, interval_s=15.0), drives=(heater,))
    run = compute(rig, FULL, trial(3000))
    late = run.time_s > 200
    assert float(run.lowest_degC[late].min()) == pytest.approx(90, abs=1e-3)
    assert float(run.highest_degC[late].max()) == pytest.approx(100, abs=1e-3)
    # One lag between 90 and 100 °C, to 420 and to 20 °C in turn: closed form.
    on, off = 100 * math.log(330 / 320), 100 * math.log(80 / 70)
    assert run.switching[0].ons == pytest.approx(2978 / (on + off), rel=0.03)
    welded = trial(3000, events=(ev.DriveFault(name="Welded", at_s=1000, drive="Heater", fault="welded"),))
    assert measure(compute(rig, FULL, welded)).hottest_degC["Block"] == pytest.approx(420, abs=0.5)
    with pytest.raises(ValueError, match="has none of its own"):
        ev.DriveFault(name="W", at_s=1, drive="Heater", fault="welded").check(one_lag())


def guarded(rig: Rig, *guards: gd.RuleBase) -> Rig:
    return with_fields(rig, guards=guards)


def rulers(run: object) -> list[Ruler]:
    return [Ruler(int(code) % RULERS) for code in run.guard_code]  # type: ignore[attr-defined]


def test_a_trip_of_the_load_decides_no_drive() -> None:
    """A probe that is shorted asks for nothing by its action; the load's trip undoes nothing of that."""
    rig = one_lag()
    rig = with_fields(rig, bodies=(with_fields(rig.bodies[0], own_heat_W=20.0),), probes=(
        with_fields(rig.probe, lowest_degC=-50.0, highest_degC=150.0),))  # fmt: skip
    low = gd.Trip(name="Mute", probe="Probe", at_degC=0.0, side="below", does="load")
    action = gd.ProbeFaultAction(name="PF", action="off")
    shorted = trial(600, 60, events=(ev.ProbeFault(name="Short", at_s=300, probe="Probe", fault="short"),))
    law = Pid(kp_per_K=0.2, ti_s=100)
    run = compute(guarded(rig, low, action), law, shorted)
    assert set(run.drive[301:].tolist()) == {0.0}
    assert rulers(run)[400] == Ruler.PROBE_FAULT
    assert measure(run).values["trips"] == 1
    assert "“Mute”" in why(run, 400)
    alone, both = (compute(guarded(rig, *each), law, shorted) for each in ((), (low,)))
    assert both.drive[310] == alone.drive[310]  # its memory goes on as if the load's trip were not there


def test_a_trip_that_lets_go_counts_and_an_earlier_one_does_not() -> None:
    lets_go = gd.Trip(name="T", probe="Probe", at_degC=60, latches=False, hysteresis_K=5, does="off")
    rig = guarded(one_lag(), lets_go)
    asked = trial(2000, 60, events=(ev.Load(name="More", at_s=1000, body="Block", power_W=1.0),))
    found = measure(compute(rig, FULL, asked))
    assert found.values["trips"] is not None
    assert found.values["trips"] > 5
    later = found.event("More").values["trip_s"]
    assert later is not None
    assert 0 < later < 100
    latched = guarded(one_lag(), with_fields(lets_go, latches=True))
    found = measure(compute(latched, FULL, asked))
    assert found.values["trips"] == 1
    assert found.event("More").values["trip_s"] is None


def test_of_overlapping_faults_the_later_one_leaves_the_earlier_under_way() -> None:
    def of(fault: str, at_s: float, lasts_s: float) -> ev.DriveFault:
        return ev.DriveFault(name=f"{fault} {at_s}", at_s=at_s, lasts_s=lasts_s, drive="Heater", fault=fault)

    rig = one_lag()
    run = compute(rig, Fixed(drive=0.5), trial(1000, events=(of("stuck_on", 100, 600), of("stuck_off", 200, 100))))
    assert [float(run.put_out[0, k]) for k in (99, 100, 199, 200, 299, 300, 699)] == [
        pytest.approx(x, abs=1e-4) for x in (0.5, 1, 1, 0, 0, 1, 1)
    ]
    assert run.put_out[0, 700] == pytest.approx(0.5, abs=1e-4)
    weak = (
        with_fields(of("weak", 100, 600), left=0.5),
        with_fields(of("weak", 200, 100), left=0.2),
    )
    run = compute(rig, Fixed(drive=1.0), trial(1000, events=weak))
    assert [float(run.drives_W[0, k]) for k in (50, 150, 250, 350, 750)] == pytest.approx([200, 100, 40, 100, 200])
    loose = tuple(
        ev.ProbeFault(name=f"L{at}", at_s=at, lasts_s=lasts, probe="Probe", fault="loose")
        for at, lasts in ((100, 600), (200, 100))
    )
    run = compute(rig, Fixed(drive=1.0), trial(1000, events=loose))
    assert run.measured_degC[400] == 20.0
    assert run.measured_degC[800] > 100


def test_times_of_guards_count_from_when_it_really_began() -> None:
    rig = one_lag(interval_s=30.0)
    on = compute(guarded(rig, gd.LongestOn(name="L", longest_s=60, rest_s=90)), FULL, trial(900))
    assert on.drive[:9].tolist() == [1, 1, 0, 0, 0, 1, 1, 0, 0]
    dead = trial(900, 60, events=(ev.DriveFault(name="Dead", at_s=0, drive="Heater", fault="stuck_off"),))
    slow = compute(guarded(rig, gd.NoRise(name="N", at_least=0.5, for_s=60, rise_K=2)), Pid(kp_per_K=0.5), dead)
    assert rulers(slow).index(Ruler.LATCHED_TRIP) == 2


def test_full_drive_is_what_the_law_can_give() -> None:
    alarm = gd.Alarm(name="A", probe="Probe", watches="saturated", away_K=5, delay_s=60)
    run = compute(guarded(one_lag(), alarm), Pid(kp_per_K=0.2, ti_s=100, high=0.3), trial(1000, 90))
    assert run.alarm_code[-1] == 1
    assert int(np.flatnonzero(run.alarm_code)[0]) == 61


def test_reset_lets_what_was_done_once_be_done_again() -> None:
    pressed = trial(3000, 60, events=(ce.ResetPressed(name="R", at_s=1500, lasts_s=1),))
    run = compute(one_lag(), OnOff(below_K=5, above_K=0, once=True), pressed)
    assert run.drive[1400] == 0
    assert run.drive[1500:1520].max() == 1
    assert run.drive[2900] == 0


def test_a_controller_that_samples_seldom_does_not_slow_its_timers() -> None:
    seldom = trial(600, 60, events=(ce.ControlStalls(name="Busy", at_s=0, every_s=10),))
    law = OnOff(below_K=1, above_K=1, shortest_off_s=60)
    run = compute(one_lag(), law, seldom)
    assert int(np.flatnonzero(run.drive)[0]) == 60
    # And a hung one gives what it hangs at.
    hung = trial(600, 60, events=(ce.ControlStalls(name="Hung", at_s=100, output=1.0),))
    assert set(compute(one_lag(), OnOff(), hung).drive[100:].tolist()) == {1.0}


def test_levels_of_a_curve_round_halves_up() -> None:
    law = Curve(shape="ramp", start_degC=60, full_degC=20, floor=0.0, levels=2)
    run = compute(one_lag(gain_K=1e-3), law, trial(10, start_degC=50))  # a quarter of the way: 0.5 of a level
    assert run.drive[0] == 0.5


def test_a_nudge_turns_the_dial_of_a_cut_in_and_cut_out() -> None:
    law = OnOff(notation="cuts", cut_in_degC=58, cut_out_degC=62)
    usual, nudged = (
        compute(one_lag(), law, trial(4000, 60, events=events))
        for events in ((), (ce.SetpointNudge(name="N", at_s=0, change_K=-10),))
    )
    late = usual.time_s > 2000
    assert float(usual.judged_degC[late].mean() - nudged.judged_degC[late].mean()) == pytest.approx(10, abs=1)


def test_an_event_that_happens_thousands_of_times_is_told_by_its_name() -> None:
    by_hand = ce.Override(name="Hand", at_s=0, lasts_s=1, again_s=2, drive=0.4)
    run = compute(one_lag(), Fixed(drive=0.0), trial(9000, events=(by_hand,)))
    assert run.drive[8000] == pytest.approx(0.4)
    assert rulers(run)[8000] == Ruler.OVERRIDE
    assert "by hand" in why(run, 8000)
    with pytest.raises(ValueError, match=r"“Hand” would happen more than 20,000 times"):
        trial(90_000, events=(by_hand,))


def test_a_weak_valve_moves_as_much_energy_as_it_lets_through() -> None:
    rig = with_fields(one_lag(), drives=(Valve(body="Block", power_W=200, travel_s=40),))
    weak = trial(1500, events=(ev.DriveFault(name="W", at_s=0, drive=rig.drives[0].name, fault="weak", left=0.4),))
    run = compute(rig, Fixed(drive=0.7), weak)
    stored = 400 * float(run.judged_degC[-1] - 20)
    assert run.heat_J == pytest.approx(stored + run.lost_J, rel=1e-4)


def test_what_a_guard_has_ended_is_not_measured() -> None:
    rig = guarded(one_lag(), gd.CutOff(name="Fuse", body="Block", at_degC=70))
    marks = tuple(
        Mark(measure=name, limit=1e6) for name in ("settling_s", "overshoot_K", "swing_K", "switch_ons_per_h")
    )
    asked = trial(4000, 60, marks=(*marks, Mark(measure="hottest_degC", body="Block", limit=100)))
    found = measure(compute(rig, FULL, asked))
    assert found.ended == ("Fuse", pytest.approx(200 * math.log(100 / 50), abs=1.1))
    for name in ("settling_s", "overshoot_K", "swing_K", "steady_error_K"):
        assert found.main.values[name] is None
        assert found.main.reasons[name].startswith("“Fuse” switched off after 2.3")
    assert found.values["switch_ons_per_h"] is None
    assert found.hottest_degC["Block"] == pytest.approx(70, abs=1e-3)
    # One that closes again, and a trip that somebody reset, end nothing.
    again = guarded(one_lag(), gd.CutOff(name="Fuse", body="Block", at_degC=70, resets_K=5))
    assert measure(compute(again, FULL, asked)).ended is None


def two_stages(**more: object) -> Trial:
    changes = (
        SetpointChange(at_s=0, to_degC=45, named="Gel"),
        SetpointChange(at_s=1500, to_degC=60, named="Cure"),
        SetpointChange(at_s=3000, to_degC=30),
    )
    named = (NamedSetpoint(name="Gel", to_degC=45), NamedSetpoint(name="Cure", to_degC=60))
    plan = Plan(changes=changes, setpoints=named)
    return Trial(name="Two", duration_s=9000, plan=plan, **more)  # type: ignore[arg-type]


def test_marks_are_judged_on_the_stage_in_which_it_is_worst() -> None:
    marks = (
        Mark(measure="overshoot_K", limit=1),
        Mark(measure="overshoot_K", limit=1, stage="Cure"),
        Mark(measure="settling_s", limit=1e5),
    )
    asked = two_stages(marks=marks)
    run = compute(one_lag(dead_time_s=20), Pid(kp_per_K=0.06, ti_s=60, anti_windup="none"), asked)
    found = measure(run)
    gel, cure, cool = (w for w in found.windows if w.opens == "setpoint")
    overs = [each.values["overshoot_K"] for each in (gel, cure, cool)]
    assert cool.to_s - cool.from_s > gel.to_s - gel.from_s  # which was judged before, for being the longest
    assert found.main.values["overshoot_K"] == max(overs[:2])  # type: ignore[type-var]
    assert found.main.stages["overshoot_K"].name == "Gel"
    # Nothing cools: that stage counts only where it is named.
    assert found.main.values["settling_s"] == max(gel.values["settling_s"], cure.values["settling_s"])  # type: ignore[type-var]
    judged = judge(asked, found)
    assert [each.value for each in judged[:2]] == [overs[0], overs[1]]
    with pytest.raises(ValueError, match="no named setpoint"):
        two_stages(marks=(Mark(measure="overshoot_K", limit=1, stage="None"),))
    with pytest.raises(ValueError, match="takes no stage"):
        Mark(measure="energy_J", limit=1, stage="Gel")


def test_a_drive_that_fails_at_a_sample_does_so_for_that_sample() -> None:
    stuck = trial(100, events=(ev.DriveFault(name="S", at_s=50, drive="Heater", fault="stuck_on"),))
    run = compute(one_lag(), Fixed(drive=0.0), stuck)
    assert run.put_out[0, 48:52].tolist() == [0, 0, 1, 1]
    assert run.judged_degC[51] > 20.4


def test_a_missing_permit_is_told_while_a_delay_counts() -> None:
    rig = with_fields(one_lag(), permits=(gd.Signal(name="Somebody there"),))
    gone = trial(300, 60, events=(ce.SignalGone(name="Gone", at_s=0, permit="Somebody there"),))
    run = compute(rig, OnOff(shortest_off_s=100), gone)
    assert "Somebody there" in why(run, 50)


@pytest.mark.parametrize("operate_s", [0.0, 0.5, 3.0])
def test_an_own_thermostat_does_not_wait_for_the_contacts_of_the_relay_before_it(operate_s: float) -> None:
    """A body of 10 J/K under 200 W rises by 20 K/s: any wait would show."""
    relay = Relay(body="Block", power_W=200, operate_s=operate_s, dial_degC=60.0, dial_band_K=10.0)
    rig = put(with_fields(one_lag(), drives=(relay,)), ("bodies", 0, "capacity_J_per_K"), 10.0)
    run = compute(rig, FULL, trial(60))
    assert measure(run).hottest_degC["Block"] == pytest.approx(60, abs=1e-6)
    begun = run.time_s[np.flatnonzero(run.bodies_degC[0] > 20.001)[0]]
    assert begun == pytest.approx(math.floor(operate_s) + 1)  # the contacts themselves do take their time
