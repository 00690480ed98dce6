"""Rigs that radiate, melt, are driven by fans or drawn from, against an independent integration and closed forms."""

import itertools

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from kelvarn.engine import prepare
from kelvarn.engine.measures import measure
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import PreparedRun, Run, compute
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.model.bodies import Body, DrawOff, Link, Melting, Surroundings
from kelvarn.model.drives import Fan, Pwm, Relay, SlowWindow, Valve
from kelvarn.model.edit import put, with_fields
from kelvarn.model.events import DoorOpens, DrawOffRuns, Load, SupplyChange
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.fixed import Hand
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from tests.conftest import one_lag, trial

SIGMA = 5.670374419e-8


def furnace() -> Rig:
    """A chamber that radiates at 1000 °C, a tiny quick element, a charge that melts."""
    return Rig(
        bodies=(
            Body(name="Element", capacity_J_per_K=8),
            Body(name="Brick", capacity_J_per_K=9000),
            Body(
                name="Charge",
                capacity_J_per_K=120,
                melting=Melting(from_degC=640, to_degC=660, latent_J=60_000),
            ),
        ),
        links=(
            Link(a="Element", b="Brick", conductance_W_per_K=0.5, radiating_m2=0.02),
            Link(a="Element", b="Charge", conductance_W_per_K=0.0, radiating_m2=0.006),
            Link(a="Brick", b=SURROUNDINGS, conductance_W_per_K=1.1, radiating_m2=0.004, opened_W_per_K=6.0),
        ),
        drives=(Pwm(body="Element", power_W=2400, steps=65535, dead_time_s=0.7),),
        probes=(Probe(body="Brick", interval_s=4, lag_s=9),),
    )


def independent(run: Run, table: tuple[np.ndarray, ...]) -> np.ndarray:
    """The furnace by scipy's Radau, from the recorded demand and the same events; shares only data with the kernel."""
    c, door, load = table
    dead, full = run.rig.drive.dead_time_s, 2400.0
    level = np.round(np.clip(run.drive, 0, 1) * 65535) / 65535
    extra = 60_000 / 120

    def degC(theta: np.ndarray) -> np.ndarray:
        found = theta.copy()
        molten = (theta[2] - 640) * 20 / (20 + extra) + 640
        found[2] = theta[2] if theta[2] <= 640 else molten if theta[2] < 660 + extra else theta[2] - extra
        return found

    def slope(t: float, theta: np.ndarray, power: float) -> np.ndarray:
        e, b, _m = degC(theta)
        k = degC(theta) + 273.15
        outside = 20.0
        eb = 0.5 * (e - b) + SIGMA * 0.02 * (k[0] ** 4 - k[1] ** 4)
        em = SIGMA * 0.006 * (k[0] ** 4 - k[2] ** 4)
        g = 1.1 + (6.0 if door[0] <= t < door[1] else 0.0)
        out = g * (b - outside) + SIGMA * 0.004 * (k[1] ** 4 - 293.15**4)
        extra_W = load[2] if load[0] <= t < load[1] else 0.0
        return np.array([power - eb - em, eb - out + extra_W, em]) / c

    stops = sorted({*(run.time_s + dead), *run.time_s, *door, *load[:2]})
    stops = [t for t in stops if t < run.time_s[-1]] + [float(run.time_s[-1])]
    theta, found = run.bodies_degC[:, 0].copy(), [run.bodies_degC[:, 0]]
    at = {round(float(t), 6) for t in run.time_s[1:]}
    for start, end in itertools.pairwise(stops):
        k = int(np.floor((start + end) / 2 / 4 - dead / 4))
        power = full * level[k] if k >= 0 else 0.0
        part = solve_ivp(slope, (start, end), theta, method="Radau", rtol=1e-9, atol=1e-9, args=(power,))
        theta = part.y[:, -1]
        if round(end, 6) in at:
            found.append(degC(theta))
    return np.array(found).T


@pytest.mark.long
def test_a_furnace_that_radiates_and_melts_agrees_with_an_independent_integration() -> None:
    events = (DoorOpens(name="Door", at_s=1501.3, lasts_s=40.4, body="Brick"),
              Load(name="Coil", at_s=700.9, lasts_s=300.0, body="Brick", power_W=150))  # fmt: skip
    test = trial(2400, 800.0, events=events)
    run = compute(furnace(), Pid(kp_per_K=0.02, ti_s=400, td_s=10), test)
    assert run.bodies_degC[2, -1] > 665  # it went through its melting range
    assert run.bodies_degC[0].max() > 950
    expected = independent(run, (np.array([8.0, 9000.0, 120.0]), (1501.3, 1541.7), (700.9, 1000.9, 150.0)))  # type: ignore[arg-type]
    assert np.abs(expected - run.bodies_degC).max() < 2e-3
    finer = compute(furnace(), Pid(kp_per_K=0.02, ti_s=400, td_s=10), test, tolerance_K=1e-9)
    assert np.abs(finer.bodies_degC - run.bodies_degC).max() < 1e-3


def test_heat_of_a_furnace_is_all_accounted_for() -> None:
    test = trial(2400, 800.0, events=(DoorOpens(name="Door", at_s=1501.3, lasts_s=40.4, body="Brick"),))
    run = compute(furnace(), Pid(kp_per_K=0.02, ti_s=400, td_s=10), test)
    c, rise = np.array([8.0, 9000.0, 120.0]), run.bodies_degC[:, -1] - run.bodies_degC[:, 0]
    stored = float(c @ rise) + 60_000  # all of the charge has melted
    assert stored + run.lost_J == pytest.approx(run.heat_J, rel=1e-6)


def test_extremes_between_readings_a_minute_apart_are_those_of_the_true_course() -> None:
    """The brick turns within a step: the cubic through its ends alone is 1.5e-6 K off there."""
    rig = put(put(furnace(), ("bodies", 0, "capacity_J_per_K"), 60), ("bodies", 1, "capacity_J_per_K"), 60)
    rig = put(rig, ("probes", 0, "interval_s"), 60)
    rig = with_fields(rig, drives=(SlowWindow(body="Element", power_W=300, window_s=60, dead_time_s=9),))
    asked = (rig, Hand(drive=0.45), trial(1200, 800.0))
    found, finer = measure(compute(*asked)), measure(compute(*asked, tolerance_K=1e-11))
    for name in rig.body_names:
        assert found.hottest_degC[name] == pytest.approx(finer.hottest_degC[name], rel=0, abs=2e-7)


@pytest.mark.parametrize("capacity_J_per_K", [0.01, 1.0, 8.0, 500.0])
def test_a_body_takes_few_steps_however_quick_it_is(capacity_J_per_K: float) -> None:
    begun = PreparedRun(put(furnace(), ("bodies", 0, "capacity_J_per_K"), capacity_J_per_K),
                        Hand(drive=0.5), trial(2000, 800.0))  # fmt: skip
    begun.advance()
    assert begun._state.loop[0].steps < 4000  # of 500 samples, each in two spans


def test_melting_holds_the_temperature_for_as_long_as_its_heat_lasts() -> None:
    body = Body(name="Wax", capacity_J_per_K=100, melting=Melting(from_degC=50, to_degC=50.01, latent_J=30_000))
    rig = Rig(bodies=(body,), drives=(Pwm(body="Wax", power_W=50),), probes=(Probe(body="Wax"),))
    run = compute(rig, Hand(drive=1.0), trial(1500))
    at = run.time_s[np.abs(run.bodies_degC[0] - 50.005) < 0.006]
    assert at[0] == pytest.approx(30 * 100 / 50, abs=1.0)
    assert at[-1] - at[0] == pytest.approx(30_000 / 50, abs=2.0)


def test_radiation_alone_rests_where_it_balances() -> None:
    rig = one_lag(100, 200)
    rig = with_fields(rig, links=(Link(a="Block", b=SURROUNDINGS, conductance_W_per_K=0, radiating_m2=0.01),))
    rest = rest_degC(rig, 1.0)
    assert rest is not None
    kelvin = (200 / (SIGMA * 0.01) + 293.15**4) ** 0.25
    assert rest[0] == pytest.approx(kelvin - 273.15, abs=1e-6)
    run = compute(rig, Hand(drive=1.0), trial(20000))
    assert run.bodies_degC[0, -1] == pytest.approx(rest[0], abs=1e-3)
    verdict = can_hold(rig, 300.0)
    assert verdict is not None
    assert verdict.holding_drive == pytest.approx(SIGMA * 0.01 * (573.15**4 - 293.15**4) / 200, rel=1e-6)


def fan_rig(**fan: object) -> Rig:
    """A heatsink under a steady load, cooled by a fan."""
    made = Fan(**{"power_W": 3, "steps": 1000, "speed_lag_s": 5, **fan})  # type: ignore[arg-type]
    link = Link(a="Sink", b=SURROUNDINGS, conductance_W_per_K=0.5, driven_by="Fan", full_W_per_K=4.0)
    return Rig(bodies=(Body(name="Sink", capacity_J_per_K=300, start_degC=90),), links=(link,), drives=(made,),
               probes=(Probe(body="Sink"),))  # fmt: skip


def test_a_fan_follows_its_duty_with_a_lag_and_carries_heat_by_its_flow() -> None:
    run = compute(fan_rig(), Hand(drive=0.6), trial(600))
    np.testing.assert_allclose(run.flow[0], 0.6 * (1 - np.exp(-run.time_s / 5)), atol=1e-6)

    def slope(t: float, x: np.ndarray) -> np.ndarray:
        return -(0.5 + 4.0 * (0.6 * -np.expm1(-t / 5)) ** 0.8) * (x - 20) / 300

    found = solve_ivp(slope, (0, 600), [90.0], t_eval=run.time_s, rtol=1e-11, atol=1e-11, method="Radau")
    assert np.abs(found.y[0] - run.bodies_degC[0]).max() < 2e-3
    assert run.heat_J == 0
    assert run.energy_J == pytest.approx(3 * 0.6 * 600)


def test_a_fan_below_its_stall_stands_still_and_a_kick_start_sets_it_off() -> None:
    stalled = compute(fan_rig(stalls_below=0.3), Hand(drive=0.25), trial(100))
    assert np.abs(stalled.flow).max() < 1e-12
    kicked = compute(fan_rig(floor=0.3, stalls_below=0.3, kick_start_s=2.5, off_below=0.1), Hand(drive=0.2), trial(100))
    assert kicked.flow[0, 2] == pytest.approx(1 - np.exp(-2 / 5))
    assert kicked.flow[0, -1] == pytest.approx(0.3, abs=1e-6)
    off = compute(fan_rig(floor=0.3, off_below=0.1), Hand(drive=0.05), trial(50))
    assert np.abs(off.flow).max() < 1e-12


def test_a_fan_as_bought_starts_later_than_it_stalls_and_turns_with_its_voltage() -> None:
    needs = fan_rig(stalls_below=0.2, starts_from=0.5)
    assert np.abs(compute(needs, Hand(drive=0.4), trial(60)).flow).max() < 1e-12
    assert compute(needs, Hand(drive=0.4, before=0.6), trial(60)).flow[0, -1] == pytest.approx(0.4, abs=1e-4)
    kicked = compute(fan_rig(stalls_below=0.2, starts_from=0.5, kick_start_s=2), Hand(drive=0.4), trial(60))
    assert kicked.flow[0, -1] == pytest.approx(0.4, abs=1e-4)
    weak = fan_rig(stalls_below=0.2, rated_V=24, supply_V=18)
    assert compute(weak, Hand(drive=0.8), trial(60)).flow[0, -1] == pytest.approx(0.6, abs=1e-4)
    assert np.abs(compute(weak, Hand(drive=0.25), trial(60)).flow).max() < 1e-12  # 0.19 of full speed: it stalls
    sag = trial(90, events=(SupplyChange(name="Sag", at_s=30.5, lasts_s=30, to=0.5),))
    run = compute(fan_rig(speed_lag_s=0), Hand(drive=0.8), sag)
    assert run.flow[0, [30, 31, 60, 61]] == pytest.approx([0.8, 0.4, 0.4, 0.8])
    lost = compute(fan_rig(speed_lag_s=0, stalls_below=0.5), Hand(drive=0.8), sag)
    assert lost.flow[0, [30, 31]] == pytest.approx([0.8, 0.0])


def test_a_fan_moves_what_its_table_says() -> None:
    bent = fan_rig(speed_lag_s=0, flow_at_25=0.1, flow_at_50=0.45, flow_at_75=0.8, stalls_below=0.05)
    for drive, flow in ((0.125, 0.05), (0.25, 0.1), (0.4, 0.31), (0.5, 0.45), (0.75, 0.8), (0.9, 0.92), (1.0, 1.0)):
        assert compute(bent, Hand(drive=drive), trial(60)).flow[0, -1] == pytest.approx(flow), drive
    quick = put(put(bent, ("drives", 0, "rated_V"), 12.0), ("drives", 0, "supply_V"), 13.2)
    assert compute(quick, Hand(drive=1.0), trial(60)).flow[0, -1] == pytest.approx(1.08)
    with pytest.raises(ValueError, match="must not fall"):
        fan_rig(flow_at_25=0.6, flow_at_50=0.5)


def test_a_fan_that_turns_at_nothing_stands_still_by_its_supply_switch() -> None:
    idles = fan_rig(idle_flow=0.2, stalls_below=0.1)
    assert compute(idles, Hand(drive=0.0), trial(60)).flow[0, -1] == pytest.approx(0.2, abs=1e-5)
    assert compute(idles, Hand(drive=0.15), trial(60)).flow[0, -1] == pytest.approx(0.2, abs=1e-5)
    rest = rest_degC(idles, 0.0)
    switched = put(idles, ("drives", 0, "supply_switch"), True)
    assert np.abs(compute(switched, Hand(drive=0.0), trial(60)).flow).max() < 1e-12
    assert rest is not None
    assert rest[0] == pytest.approx(20)
    verdict = can_hold(put(idles, ("bodies", 0, "own_heat_W"), 30.0), 30.0)
    assert verdict is not None
    flow = (((30 / 10) - 0.5) / 4.0) ** (1 / 0.8)
    assert verdict.holding_drive == pytest.approx(flow, abs=2e-3)


def test_a_valve_takes_its_time_and_its_play() -> None:
    valve = Valve(body="Block", power_W=200, travel_s=20, backlash=0.1)
    rig = with_fields(one_lag(100, 200), drives=(valve,))
    run = compute(rig, Hand(drive=0.5), trial(60))
    # Half the play is taken up first, and the motor stops at its target: the valve stays half the play behind.
    np.testing.assert_allclose(run.flow[0], np.clip((run.time_s - 1.0) / 20, 0, 0.45), atol=1e-9)
    assert run.energy_J == pytest.approx(200 * (0.45 * 60 - 0.45 * (1 + 4.5)), rel=1e-6)


def test_draw_off_carries_heat_away_and_brings_in_its_own() -> None:
    rig = with_fields(one_lag(100, 200), draw_offs=(DrawOff(name="Tap", body="Block", flow_W_per_K=6, inlet_degC=8),))
    test = trial(2000, events=(DrawOffRuns(name="Tap runs", at_s=500.5, draw_off="Tap"),))
    run = compute(rig, Hand(drive=0.5), test)
    assert run.bodies_degC[0, 500] == pytest.approx(20 + 50 * (1 - np.exp(-500 / 200)), abs=1e-3)
    assert run.bodies_degC[0, -1] == pytest.approx((100 + 2 * 20 + 6 * 8) / 8, abs=1e-3)
    assert 400 * (run.bodies_degC[0, -1] - 20) + run.lost_J == pytest.approx(run.heat_J, rel=1e-9)
    curved = with_fields(rig, links=(with_fields(rig.links[0], radiating_m2=1e-13),))
    np.testing.assert_allclose(compute(curved, Hand(drive=0.5), test).bodies_degC, run.bodies_degC, atol=1e-5)
    always = put(rig, ("draw_offs", 0, "always"), True)
    assert rest_degC(always, 0.5) == pytest.approx([23.5], abs=1e-3)


def test_power_goes_with_the_square_of_the_supply_where_the_load_is_resistive() -> None:
    sag = SupplyChange(name="Sag", at_s=100.25, lasts_s=50.5, to=0.9)
    run = compute(one_lag(100, 200), Hand(drive=1.0), trial(300, events=(sag,)))
    assert run.heat_J == pytest.approx(200 * (300 - 50.5) + 200 * 0.81 * 50.5)
    steady = put(one_lag(100, 200), ("drives", 0, "resistive"), False)
    assert compute(steady, Hand(drive=1.0), trial(300, events=(sag,))).heat_J == pytest.approx(200 * 300)


def two_drives(sharing: str, second: str = "heats") -> Rig:
    base = one_lag(100, 200)
    main, other = Pwm(body="Block", power_W=100, steps=65535), Pwm(name="Other", body="Block", power_W=50, steps=65535)
    return with_fields(base, drives=(main, with_fields(other, acts=second)), sharing=sharing)


@pytest.mark.parametrize(
    ("sharing", "demand", "watts"), [("equal", 0.4, (40, 20)), ("priority", 0.4, (60, 0)), ("priority", 0.8, (100, 20))]
)
def test_two_heaters_share_a_demand(sharing: str, demand: float, watts: tuple[float, float]) -> None:
    run = compute(two_drives(sharing), Hand(drive=demand), trial(10))
    assert run.drives_W[:, 5] == pytest.approx(watts, abs=2e-3)
    assert run.power_W[5] == pytest.approx(sum(watts), abs=2e-3)


def test_one_heats_and_one_cools() -> None:
    rig = two_drives("equal", "cools")
    assert compute(rig, Hand(drive=-0.5), trial(10)).drives_W[:, 5] == pytest.approx((0, -25), abs=1e-3)
    run = compute(rig, Pid(kp_per_K=0.1, ti_s=60, td_s=0, low=-1.0), trial(3000, 10.0))
    assert run.bodies_degC[0, -1] == pytest.approx(10, abs=0.05)
    assert run.power_W[-1] == pytest.approx(-20, abs=0.5)
    verdict = can_hold(rig, 10.0)
    assert verdict is not None
    assert verdict.holding_drive == pytest.approx(-0.4, abs=1e-6)
    assert verdict.can


def test_drives_of_every_kind_run_together() -> None:
    rig = one_lag(100, 200)
    drives = (Relay(name="R", body="Block", power_W=50, operate_s=0.02), SlowWindow(name="S", body="Block", power_W=50),
              Pwm(name="P", body="Block", power_W=50))  # fmt: skip
    run = compute(with_fields(rig, drives=drives), OnOff(), trial(2000, 60.0))
    assert run.measured_degC[1000:].min() > 57
    assert 400 * (run.bodies_degC[0, -1] - 20) + run.lost_J == pytest.approx(run.heat_J, rel=1e-9)
    assert len(run.switching) == 3


def test_a_door_between_two_bodies_moves_heat_only_between_them() -> None:
    rig = Rig(bodies=(Body(name="A", capacity_J_per_K=100, start_degC=80), Body(name="B", capacity_J_per_K=300)),
              links=(Link(a="A", b="B", conductance_W_per_K=0, opened_W_per_K=5),), drives=(Pwm(body="A", power_W=1),),
              probes=(Probe(body="A"),), surroundings=Surroundings(temperature_degC=20))  # fmt: skip
    shut = Trial(name="T", duration_s=2000, plan=trial(10).plan)
    door = DoorOpens(name="Flap", at_s=100, body="A", to="B")
    assert compute(rig, Hand(drive=0.0), shut).bodies_degC[:, -1] == pytest.approx((80, 20))
    run = compute(rig, Hand(drive=0.0), with_fields(shut, events=(door,)))
    assert run.bodies_degC[:, -1] == pytest.approx((35, 35))
    assert run.lost_J == 0


def test_a_rig_too_quick_to_follow_is_given_up_with_a_sentence(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(prepare, "MOST_STEPS", 300 - 4 * 501 * 3)
    prepare._prepared.cache_clear()
    begun = PreparedRun(furnace(), Hand(drive=0.5), trial(2000, 800.0))
    prepare._prepared.cache_clear()
    begun.advance()
    with pytest.raises(RunError, match=r"too quick to follow: .* “Element” \(8 J/K\)"):
        begun.run()


@pytest.mark.parametrize("power_W", [1e5, 1e7])
def test_a_rig_that_runs_away_is_said_and_never_shown(power_W: float) -> None:
    hot = put(furnace(), ("drives", 0, "power_W"), power_W)
    try:
        run = compute(hot, Hand(drive=1.0), trial(2000, 800.0))
        assert np.isfinite(run.bodies_degC).all()
    except RunError as error:
        assert "leaves every sensible temperature" in str(error) or "too quick" in str(error)
