"""On/off's limit cycle, relay test, first tries and the edge, against simulation."""

import math

import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Relay
from kelvarn.model.edit import put, with_fields
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.tune.first_tries import first_tries
from kelvarn.tune.process import FirstOrder, Integrating, PlantError
from kelvarn.tune.relay_test import relay_test
from kelvarn.tune.ringing import turned_up
from kelvarn.tune.starts import plant_of_project, ultimate_of_rig
from kelvarn.tune.swing import band_for, swing, swing_of
from tests.conftest import one_lag, trial

CASES = ((100, 200, 10, 60, 1, 1), (100, 200, 4, 90, 2, 0.5), (50, 1000, 60, 40, 0.3, 0.3), (200, 300, 30, 50, 0, 0))


@pytest.mark.parametrize(("gain", "lag", "delay", "setpoint", "below", "above"), CASES)
def test_the_swing_of_one_lag_is_that_of_its_run(
    gain: float, lag: float, delay: float, setpoint: float, below: float, above: float
) -> None:
    rig, law = one_lag(gain, lag, delay, 0.05), OnOff(below_K=below, above_K=above)
    found = swing(FirstOrder(gain, lag, delay), setpoint - 20, below, above)
    run = compute(rig, law, trial(12 * found.period_s + 4 * lag, setpoint))
    values = measure(run).main.values
    assert found.swing_K == pytest.approx(values["swing_K"], rel=0.02)
    assert found.period_s == pytest.approx(values["swing_period_s"], rel=0.02)
    late = run.judged_degC[run.time_s > 3 * lag]
    assert setpoint + found.high_K == pytest.approx(float(late.max()), abs=0.02 * found.swing_K)
    assert swing_of(rig, law, setpoint).swing_K == pytest.approx(found.swing_K, rel=0.05)


def test_a_fan_swings_the_other_way() -> None:
    heater = one_lag(100, 200, 10, 0.1)
    body = with_fields(heater.bodies[0], own_heat_W=200.0)  # 100 K above the surroundings without the cooler
    cooler = with_fields(heater, bodies=(body,), drives=(with_fields(heater.drive, acts="cools", power_W=200.0),))
    law = OnOff(below_K=2.0, above_K=0.5)
    found = swing_of(cooler, law, 70.0)
    values = measure(compute(cooler, law, with_fields(trial(4000, 70.0), start_degC=75.0))).main.values
    assert found.swing_K == pytest.approx(values["swing_K"], rel=0.03)
    assert found.period_s == pytest.approx(values["swing_period_s"], rel=0.03)


def test_a_band_is_found_for_a_swing_and_for_a_period() -> None:
    plant = FirstOrder(100, 200, 10)
    for what, wanted in (("swing_K", 9.0), ("period_s", 150.0)):
        band = band_for(plant, 40.0, wanted, what)
        assert getattr(swing(plant, 40.0, band, band), what) == pytest.approx(wanted)
    with pytest.raises(PlantError, match="even without a band it swings further"):
        band_for(plant, 40.0, 2.0, "swing_K")
    with pytest.raises(PlantError, match="even without a band it is slower"):
        band_for(plant, 40.0, 5.0, "period_s")
    with pytest.raises(PlantError, match="no band"):
        band_for(plant, 40.0, 95.0, "swing_K")
    for args, said in (((-1.0, 0, 0), "never does"), ((99.5, 1, 1), "does not reach")):
        with pytest.raises(PlantError, match=said):
            swing(plant, *args)
    with pytest.raises(PlantError, match="only rises"):
        swing(Integrating(0.1, 10), 40.0, 1, 1)


@pytest.mark.parametrize(
    ("gain", "lag", "delay", "setpoint"), [(100, 200, 10, 60), (50, 900, 60, 40), (200, 300, 90, 50)]
)
def test_a_relay_test_tells_the_ultimate_point(gain: float, lag: float, delay: float, setpoint: float) -> None:
    rig = one_lag(gain, lag, delay, 1.0)
    exact = ultimate_of_rig(rig, trial(1000, setpoint))
    found = relay_test(rig, setpoint, FirstOrder(gain, lag, delay))
    assert exact is not None
    assert found.periods > 5
    assert found.found.gain_per_K == pytest.approx(exact.gain_per_K, rel=0.1)
    assert found.found.period_s == pytest.approx(exact.period_s, rel=0.1)
    noisy = with_fields(rig, probes=(with_fields(rig.probe, noise_K=2.0),))
    assert relay_test(noisy, setpoint, FirstOrder(gain, lag, delay)).found == found.found
    with pytest.raises(PlantError, match="holds the setpoint"):
        relay_test(rig, 20.0 + 0.999 * gain, FirstOrder(gain, lag, delay))


def test_a_relay_test_says_why_it_cannot_be() -> None:
    plant = FirstOrder(100.0, 200.0, 2.0)
    with pytest.raises(PlantError, match="which is the reading's doing"):
        relay_test(one_lag(100.0, 200.0, 2.0, 20.0), 60.0, plant)
    rig = one_lag(100.0, 200.0, 20.0)
    both = with_fields(rig, drives=(rig.drive, with_fields(rig.drive, name="Cooler", acts="cools")))
    with pytest.raises(PlantError, match="Cooling holds the setpoint"):
        relay_test(both, 0.0, plant)
    with pytest.raises(PlantError, match="0 % holds the setpoint"):
        relay_test(both, 20.0, plant)


def test_the_cycle_is_told_only_where_it_holds() -> None:
    """Counting that it is read seldom and switched late; not of a rig that one lag does not describe."""
    law = OnOff(below_K=1.0, above_K=1.0)
    relay = Relay(body="Block", power_W=200.0, dead_time_s=10.0, operate_s=4.0)
    late = with_fields(one_lag(100.0, 200.0, 10.0, 8.0), drives=(relay,))
    values = measure(compute(late, law, trial(6000, 60.0))).main.values
    assert swing_of(late, law, 60.0).swing_K == pytest.approx(values["swing_K"], rel=0.15)
    assert swing_of(late, law, 60.0).period_s == pytest.approx(values["swing_period_s"], rel=0.1)
    pot = find_demo("wax-pot").build()
    with pytest.raises(PlantError, match="One lag does not describe"):
        swing_of(pot.rig, law, 75.0)
    with pytest.raises(PlantError, match="one way only"):
        swing_of(late, with_fields(law, shortest_off_s=60.0), 60.0)


@pytest.mark.parametrize("demo", ["cure-cabinet", "tempering-bowl"])
def test_a_relay_test_of_the_demos(demo: str) -> None:
    project = find_demo(demo).build()
    asked = project.first_trial
    exact = ultimate_of_rig(project.rig, asked)
    found = relay_test(project.rig, asked.plan.last_degC, plant_of_project(project, asked)).found
    assert exact is not None
    assert found.gain_per_K == pytest.approx(exact.gain_per_K, rel=0.1)
    assert found.period_s == pytest.approx(exact.period_s, rel=0.1)


def test_first_tries_come_from_probe_marks_fan_and_limit(cabinet: Project) -> None:
    fan = find_demo("heatsink-fan").build()
    tries = first_tries(fan, fan.first_trial, plant_of_project(fan, fan.first_trial))
    curves = {each.strategy: each.controller for each in tries if isinstance(each.controller, Curve)}
    assert set(curves) == {"Fan steps", "Fan ramp"}
    steps, ramp = curves["Fan steps"], curves["Fan ramp"]
    sink = next(body for body in fan.rig.bodies if body.name == "Sink")
    assert sink.limit_degC is not None
    least = fan.rig.drive.starts_from  # type: ignore[union-attr]
    assert all(step.drive >= least for step in steps.steps)
    assert ramp.floor >= least
    assert fan.first_trial.plan.last_degC < ramp.full_degC < sink.limit_degC
    assert steps.steps[-1].drive == 1
    quiet = first_tries(cabinet, cabinet.first_trial, plant_of_project(cabinet, cabinet.first_trial))
    [clear, swing_try] = quiet
    assert isinstance(clear.controller, OnOff)
    assert clear.controller.below_K == pytest.approx(3 * 0.03 + 0.0625, rel=0.02)
    assert isinstance(swing_try.controller, OnOff)
    plant = FirstOrder(100.0, 200.0, 10.0)
    project = Project(
        name="x", rig=one_lag(100, 200, 10), candidates=cabinet.candidates,
        trials=(trial(5000, marks=(Mark(measure="swing_K", limit=9.0), Mark(measure="switch_ons_per_h", limit=1000),
                                   Mark(measure="relay_life_years", limit=5, direction="at_least"))),),
    )  # fmt: skip
    found = {each.rule: each for each in first_tries(project, project.first_trial, plant)}
    law = found["Band for the swing allowed"].controller
    assert isinstance(law, OnOff)
    assert measure(compute(project.rig, law, project.first_trial)).main.values["swing_K"] == pytest.approx(9.0, rel=0.1)
    assert found["Band for the switching allowed"].reason == "even without a band it is slower"
    assert "no relay" in found["Band for the relay's life"].reason
    hot = put(fan, ("rig", "bodies", 1, "limit_degC"), 50.0)
    tries = first_tries(hot, hot.first_trial, plant_of_project(fan, fan.first_trial))
    assert all("no room" in each.reason for each in tries if "Fan" in each.strategy)


def test_the_gain_turned_up_settles_before_the_edge_and_rings_beyond() -> None:
    rig, law = one_lag(100, 200, 10), Pid(terms="PI", kp_per_K=0.05, ti_s=100.0)
    laws = turned_up(rig, law, 60.0)
    swings = []
    for words, each in laws:
        assert words == f"gain ×{each.kp_per_K / law.kp_per_K:.3g}"
        values = measure(compute(rig, each, trial(6000.0))).main.values
        swings.append(values["swing_K"] or 0.0)
    assert swings[-1] > 1.0
    assert swings[0] < 1e-3
    assert all(math.isfinite(each) for each in swings)
    assert swings[-1] > swings[-2] > swings[0]
    with pytest.raises(PlantError, match="oscillates as it is"):
        turned_up(rig, with_fields(law, kp_per_K=2.0), 60.0)
