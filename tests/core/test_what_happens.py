"""What fails and what happens in a trial: drives, probes, thermostats, surroundings; heat balances with all of it."""

import math

import numpy as np
import pytest

from kelvarn.engine.changes import surroundings_at
from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.model import events as ev
from kelvarn.model import guards as gd
from kelvarn.model.bodies import Body, Link
from kelvarn.model.drives import DRIVE_KINDS, Fan, SlowWindow
from kelvarn.model.edit import with_fields
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.fixed import Fixed
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig
from kelvarn.words.why import why
from tests.conftest import one_lag, trial

FULL = Fixed(drive=1.0)


@pytest.mark.parametrize("kind", sorted(DRIVE_KINDS))
def test_every_kind_of_drive_sticks_and_lets_go(kind: str) -> None:
    rig = one_lag(100, 200, 3.0)
    fields = {**DRIVE_KINDS[kind].begins_as("Block"), "name": "D", "dead_time_s": 3.0}
    rig = with_fields(rig, drives=(DRIVE_KINDS[kind](**fields),))
    for fault in ("stuck_on", "stuck_off"):
        stuck = ev.DriveFault(name="F", at_s=100.5, lasts_s=200, drive="D", fault=fault)  # type: ignore[arg-type]
        run = compute(rig, Fixed(drive=0.5), trial(600, events=(stuck,)))
        during = run.put_out[0, 101:300]
        if kind == "valve":
            assert np.ptp(during) < 1e-9 or fault  # it stays where it is
        else:
            np.testing.assert_allclose(during, 1.0 if fault == "stuck_on" else 0.0)
            np.testing.assert_allclose(run.put_out[0, 350:600].mean(), run.put_out[0, :100].mean(), atol=0.05)


def test_a_window_that_is_cut_in_the_middle_of_a_pulse_gives_no_more() -> None:
    rig = with_fields(one_lag(), drives=(SlowWindow(name="W", body="Block", power_W=200, window_s=40),))
    cut = trial(400, events=(ev.PowerCut(name="C", at_s=85, lasts_s=7),))
    run = compute(rig, Fixed(drive=0.5), cut)
    assert run.put_out[0, 80:85].tolist() == [1] * 5
    assert run.put_out[0, 85:120].tolist() == [0] * 35  # the next window begins at 120 s
    assert run.put_out[0, 120:140].tolist() == [1] * 20
    assert run.energy_J == pytest.approx(200 * (20 * 10 - 15))


def test_a_pulse_cut_short_is_the_shortest_on_time() -> None:
    rig = with_fields(one_lag(), drives=(SlowWindow(name="W", body="Block", power_W=200, window_s=40),))
    cut = trial(400, events=(ev.PowerCut(name="C", at_s=85, lasts_s=7),))
    found = measure(compute(rig, Fixed(drive=0.5), cut))
    assert found.values["shortest_on_s"] == 5
    assert found.values["shortest_off_s"] == 20


def test_a_loose_probe_reads_the_air_and_a_fan_that_sticks_off_moves_none() -> None:
    for lag in (0.0, 15.0):
        rig = one_lag()
        rig = with_fields(rig, probes=(with_fields(rig.probe, lag_s=lag),))
        loose = ev.ProbeFault(name="L", at_s=200, lasts_s=300, probe="Probe", fault="loose")
        run = compute(rig, Fixed(drive=0.5), trial(1000, events=(loose,)))
        gap = float(run.measured_degC[200]) - 20
        np.testing.assert_allclose(run.measured_degC[230], 20 + (gap * math.exp(-2) if lag else 0), atol=1e-6)
        assert run.measured_degC[-1] == pytest.approx(float(run.judged_degC[-1]), abs=0.1)
        assert run.judged_degC[499] == pytest.approx(20 + 50 * (1 - math.exp(-499 / 200)), abs=1e-3)
    cooled = Rig(
        bodies=(Body(name="Sink", capacity_J_per_K=100, own_heat_W=20),),
        links=(Link(a="Sink", b=SURROUNDINGS, conductance_W_per_K=0.2, driven_by="Fan", full_W_per_K=1.0),),
        drives=(Fan(name="Fan", acts="cools"),),
        probes=(Probe(body="Sink"),),
    )
    for left, W_per_K in ((0.0, 0.2), (0.5, 0.2 + 0.5**0.8)):
        fault = ev.DriveFault(name="F", at_s=0, drive="Fan", fault="weak", left=left)
        run = compute(cooled, FULL, trial(6000, 40, events=(fault,)))
        assert run.judged_degC[-1] == pytest.approx(20 + 20 / W_per_K, abs=0.01)


def test_an_own_thermostat_blocks_heat_above_its_dial() -> None:
    rig = one_lag()
    rig = with_fields(rig, drives=(with_fields(rig.drive, dial_degC=70, dial_band_K=6),))
    run = compute(rig, FULL, trial(3000, 100))
    late = run.judged_degC[500:]
    assert late.max() == pytest.approx(70, abs=0.5)
    assert late.min() == pytest.approx(64, abs=0.5)
    blocked = int(np.flatnonzero(run.put_out[0] == 0)[0])
    assert "asked on, blocked" in why(run, blocked)


def test_heat_balances_with_everything_that_can_happen() -> None:
    happens = (
        ev.DoorOpens(name="Door", at_s=50, lasts_s=20, again_s=300, body="Block", conductance_W_per_K=3),
        ev.SurroundingsChange(name="Ramp", at_s=100, lasts_s=400, change_K=-8, course="ramp"),
        ev.SurroundingsChange(name="Wave", at_s=0, change_K=5, course="wave", period_s=700),
        ev.Load(name="Load", at_s=300, lasts_s=500, body="Block", power_W=30),
        ev.ColdPart(name="Part", at_s=350, body="Block", capacity_J_per_K=150, contact_W_per_K=4),
        ev.SupplyChange(name="Sag", at_s=500, lasts_s=100, to=0.7),
        ev.PowerCut(name="Cut", at_s=700.5, lasts_s=60),
        ev.DriveFault(name="Weak", at_s=800, lasts_s=100, drive="Heater", fault="weak", left=0.3),
        ev.DriveFault(name="Stuck", at_s=950, lasts_s=100, drive="Heater", fault="stuck_on"),
        ev.OrdersLost(name="Lost", at_s=1100, lasts_s=50),
        ev.ControlStalls(name="Busy", at_s=1200, lasts_s=50),
        ev.Override(name="Hand", at_s=1300, lasts_s=50, drive=0.9),
        ev.Pause(name="Pause", at_s=1400, lasts_s=50),
        ev.SetpointNudge(name="Nudge", at_s=1500, lasts_s=100, change_K=5),
        ev.ProbeFault(name="Loose", at_s=1700, lasts_s=50, probe="Probe", fault="loose"),
    )
    for melts in (False, True):
        rig = with_fields(one_lag(), guards=(gd.CutOff(name="C", body="Block", at_degC=75, resets_K=2, does="load"),))
        if melts:
            melting = {"from_degC": 30.0, "to_degC": 35.0, "latent_J": 4000.0}
            rig = with_fields(rig, bodies=(with_fields(rig.bodies[0], melting=melting),))
        run = compute(rig, Pid(kp_per_K=0.05, ti_s=100), trial(2000, 60, events=happens))
        block = rig.bodies[0]
        stored = block.capacity_J_per_K * float(run.bodies_degC[0, -1] - run.bodies_degC[0, 0]) + (4000 if melts else 0)
        # The part is a body without a name: what it took is what the block gave it, seen from its end temperature.
        free = compute(
            rig, Pid(kp_per_K=0.05, ti_s=100), trial(2000, 60, events=tuple(e for e in happens if e.name != "Part"))
        )
        own = block.capacity_J_per_K * float(free.bodies_degC[0, -1] - free.bodies_degC[0, 0]) + (4000 if melts else 0)
        assert own + free.lost_J == pytest.approx(free.energy_J + free.loaded_J, rel=1e-6)
        assert stored + run.lost_J < run.energy_J + run.loaded_J


def test_surroundings_ramp_and_wave_are_followed_within_two_thousandths_of_a_kelvin() -> None:
    rig = one_lag(100, 50)
    wave = trial(2000, events=(ev.SurroundingsChange(name="W", at_s=0, change_K=6, course="wave", period_s=1000),))
    run = compute(rig, Fixed(drive=0.0), wave)
    w, lag = 2 * math.pi / 1000, 50.0
    t = run.time_s
    size = 6 / math.hypot(1, w * lag)
    steady = size * np.sin(w * t - math.atan(w * lag))
    exact = 20 + steady + size * math.sin(math.atan(w * lag)) * np.exp(-t / lag)
    assert np.abs(run.judged_degC - exact).max() < 0.002
    ramp = trial(2000, events=(ev.SurroundingsChange(name="R", at_s=500, lasts_s=500, change_K=-10, course="ramp"),))
    run = compute(rig, Fixed(drive=0.0), ramp)
    assert run.judged_degC[-1] == pytest.approx(10, abs=0.01)
    assert run.judged_degC[750] == pytest.approx(20 - 10 / 500 * (250 - 50 * (1 - math.exp(-5))), abs=0.02)
    assert surroundings_at(run.rig, run.trial, 750) == pytest.approx(15)


def test_of_an_event_that_repeats_the_worst_one_counts() -> None:
    door = ev.DoorOpens(name="Door", at_s=400, lasts_s=20, again_s=400, body="Block", conductance_W_per_K=3)
    sag = ev.SupplyChange(name="Sag", at_s=1150, lasts_s=120, to=0.75)  # while the third time is recovered from
    run = compute(one_lag(), Pid(kp_per_K=0.1, ti_s=60), trial(2000, 60, start_degC=60, events=(door, sag)))
    found = measure(run)
    doors = [window for window in found.windows if window.name == "Door"]
    assert [window.from_s for window in doors] == [400, 800, 1200, 1600]
    worst = max(doors, key=lambda window: window.values["sag_K"] or 0.0)
    assert worst.from_s == 1200
    assert found.event("Door") == worst
