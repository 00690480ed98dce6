"""What a change of a rig or trial must do to its run, whatever the run: nature's own regression tests."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.run import Run, compute
from kelvarn.engine.steady import rest_degC
from kelvarn.model.bodies import Body, DrawOff, Link, Melting, Surroundings
from kelvarn.model.drives import Fan, Pwm, SlowWindow
from kelvarn.model.edit import put, with_fields
from kelvarn.model.events import DoorOpens, DrawOffRuns, Event, Load, SurroundingsChange
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.fixed import Hand
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from tests.conftest import trial

seeds = st.integers(0, 2**31)
few = settings(max_examples=40, deadline=None)


def random_rig(seed: int, *, curved: bool = False) -> Rig:
    """A connected rig of 2–7 bodies, heated at B0 and probed at the last one."""
    rng = np.random.default_rng(seed)
    count = int(rng.integers(2, 8))
    bodies = [Body(name=f"B{i}", capacity_J_per_K=float(10 ** rng.uniform(1.5, 3.5))) for i in range(count)]
    links = [
        Link(a=f"B{rng.integers(0, i)}", b=f"B{i}", conductance_W_per_K=float(10 ** rng.uniform(-1, 1)))
        for i in range(1, count)
    ]
    links += [
        Link(a=f"B{i}", b=SURROUNDINGS, conductance_W_per_K=float(10 ** rng.uniform(-1.5, 0.5)))
        for i in sorted({0, int(rng.integers(0, count))})
    ]
    if curved:
        links[0] = with_fields(links[0], radiating_m2=0.004)
        bodies[-1] = with_fields(
            bodies[-1], melting=Melting(from_degC=35, to_degC=38, latent_J=float(rng.uniform(1e3, 2e4)))
        )
    return Rig(
        bodies=tuple(bodies),
        links=tuple(links),
        drives=(SlowWindow(body="B0", power_W=120, window_s=4, dead_time_s=float(rng.uniform(0, 9))),),
        probes=(Probe(body=f"B{count - 1}", interval_s=2, lag_s=float(rng.choice([0.0, 7.0]))),),
        surroundings=Surroundings(temperature_degC=18.0),
    )


def random_trial(seed: int, rig: Rig, duration_s: float = 1200.0) -> Trial:
    """A setpoint, a door, a load and colder surroundings at odd instants."""
    rng = np.random.default_rng(seed + 1)
    name = rig.bodies[int(rng.integers(0, len(rig.bodies)))].name
    events: tuple[Event, ...] = (
        DoorOpens(name="Door", body=name, at_s=float(rng.uniform(100, 900)), lasts_s=61.7, conductance_W_per_K=3.0),
        Load(name="Load", body=name, at_s=float(rng.uniform(100, 900)), lasts_s=123.4, power_W=25.0),
        SurroundingsChange(name="Night", at_s=float(rng.uniform(100, 900)), change_K=-6.0),
    )
    return trial(duration_s, 45.0, events=events)


def everything(run: Run) -> np.ndarray:
    return np.vstack([run.bodies_degC, run.drive, run.measured_degC])


CONTROLLERS = (Pid(kp_per_K=0.06, ti_s=240, td_s=12), OnOff(below_K=0.7, above_K=0.4), Hand(drive=0.37))
controllers = st.sampled_from(CONTROLLERS)


@few
@given(seeds, controllers, st.booleans())
def test_the_order_of_bodies_links_and_events_does_not_matter(seed: int, controller: Pid, curved: bool) -> None:
    rig = random_rig(seed, curved=curved)
    test = random_trial(seed, rig)
    turned = with_fields(rig, bodies=rig.bodies[::-1], links=rig.links[::-1])
    here = compute(rig, controller, test)
    there = compute(turned, controller, with_fields(test, events=test.events[::-1]))
    close = 2e-4 if curved else 1e-7
    assert np.abs(here.bodies_degC - there.bodies_degC[::-1]).max() < close
    assert here.energy_J == pytest.approx(there.energy_J, rel=1e-6)


@few
@given(seeds, controllers, st.booleans())
def test_names_seeds_and_marks_change_nothing_of_a_quiet_run(seed: int, controller: Pid, curved: bool) -> None:
    rig = random_rig(seed, curved=curved)
    test = random_trial(seed, rig)
    here = compute(rig, controller, test)
    there = compute(rig, controller, with_fields(test, name="Other", seed=test.seed + 5))
    assert np.array_equal(everything(here), everything(there))


@few
@given(seeds, controllers, st.booleans())
def test_half_a_link_and_a_door_as_large_beside_it_are_the_link(seed: int, controller: Pid, curved: bool) -> None:
    rig = random_rig(seed, curved=curved)
    test = random_trial(seed, rig)
    link = rig.links[-1]
    half = put(rig, ("links", len(rig.links) - 1, "conductance_W_per_K"), link.conductance_W_per_K / 2)
    open_ = DoorOpens(name="Half", body=link.a, at_s=0.0, conductance_W_per_K=link.conductance_W_per_K / 2)
    here = compute(rig, controller, test)
    there = compute(half, controller, with_fields(test, events=(*test.events, open_)))
    assert np.abs(here.bodies_degC - there.bodies_degC).max() < (2e-4 if curved else 1e-7)


@few
@given(seeds, controllers, st.floats(0.2, 8))
def test_a_rig_and_all_its_watts_made_larger_runs_the_same(seed: int, controller: Pid, factor: float) -> None:
    rig = random_rig(seed)
    test = random_trial(seed, rig)
    larger = with_fields(
        rig,
        bodies=tuple(with_fields(b, capacity_J_per_K=b.capacity_J_per_K * factor) for b in rig.bodies),
        links=tuple(with_fields(k, conductance_W_per_K=k.conductance_W_per_K * factor) for k in rig.links),
        drives=(with_fields(rig.drive, power_W=rig.drive.power_W * factor),),
    )
    door, load, night = test.events
    assert isinstance(door, DoorOpens)
    assert isinstance(load, Load)
    events = (
        with_fields(door, conductance_W_per_K=3.0 * factor), with_fields(load, power_W=load.power_W * factor), night,
    )  # fmt: skip
    here, there = compute(rig, controller, test), compute(larger, controller, with_fields(test, events=events))
    assert np.abs(here.bodies_degC - there.bodies_degC).max() < 1e-6
    for total in ("energy_J", "loaded_J", "lost_J"):
        assert getattr(there, total) == pytest.approx(factor * getattr(here, total), rel=1e-6, abs=1e-3)


@few
@given(seeds, st.sampled_from(CONTROLLERS[:2]), st.floats(-60, 90))
def test_a_plain_rig_does_not_care_where_the_scale_has_its_zero(seed: int, controller: Pid, shift: float) -> None:
    rig = random_rig(seed)
    test = random_trial(seed, rig)
    moved = put(rig, ("surroundings", "temperature_degC"), 18.0 + shift)
    there = compute(moved, controller, put(test, ("plan", "changes", 0, "to_degC"), 45.0 + shift))
    here = compute(rig, controller, test)
    assert np.abs(here.bodies_degC + shift - there.bodies_degC).max() < 1e-5


@few
@given(seeds, st.floats(0.05, 0.95), st.floats(-80, 80))
def test_heats_of_a_plain_rig_add_up(seed: int, level: float, load_W: float) -> None:
    rig = random_rig(seed)
    rig = with_fields(rig, drives=(Pwm(body="B0", power_W=120, steps=65535),))
    level = round(level * 65535) / 65535
    load = Load(name="Load", body=rig.bodies[-1].name, at_s=33.3, lasts_s=200.0, power_W=load_W)
    nothing, drive, loaded, both = (
        compute(rig, Hand(drive=u), trial(900, 45.0, events=events)).bodies_degC - 18.0
        for u, events in ((0.0, ()), (level, ()), (0.0, (load,)), (level, (load,)))
    )
    assert np.abs(nothing).max() < 1e-9
    assert np.abs(drive + loaded - both).max() < 1e-7
    # Warmth flows from the heater outwards: no body gets colder than it was, the heated one is the warmest.
    assert drive.min() >= -1e-9
    assert (drive[0] >= drive.max(axis=0) - 1e-9).all()


@few
@given(seeds, st.integers(1, 40))
def test_what_happens_later_does_not_act_before(seed: int, samples: int) -> None:
    rig = random_rig(seed)
    test = random_trial(seed, rig)
    later = tuple(with_fields(e, at_s=e.at_s + 2.0 * samples) for e in test.events)
    here = compute(rig, CONTROLLERS[0], test)
    there = compute(rig, CONTROLLERS[0], with_fields(test, events=later))
    first = math.floor(min(e.at_s for e in test.events) / 2)
    assert np.array_equal(everything(here)[:, :first], everything(there)[:, :first])
    longer = compute(rig, CONTROLLERS[0], with_fields(test, duration_s=1500.0))
    assert np.array_equal(everything(longer)[:, : here.time_s.size], everything(here))


@few
@given(seeds, st.floats(0.1, 0.9))
def test_how_often_the_probe_reads_changes_nothing_without_a_law(seed: int, level: float) -> None:
    rig = random_rig(seed)
    rig = with_fields(rig, drives=(Pwm(body="B0", power_W=120, steps=65535, dead_time_s=3.3),))
    test = random_trial(seed, rig)
    rare = compute(rig, Hand(drive=level), test)
    often = compute(put(rig, ("probes", 0, "interval_s"), 0.5), Hand(drive=level), test)
    assert np.abs(rare.bodies_degC - often.bodies_degC[:, ::4]).max() < 1e-6


@few
@given(seeds, controllers)
def test_both_integrations_agree_where_both_can(seed: int, controller: Pid) -> None:
    """A body that could melt but never gets there makes the rig one for the adaptive integration."""
    rig = random_rig(seed)
    test = random_trial(seed, rig)
    far = Melting(from_degC=900, to_degC=910, latent_J=1000)
    other = put(rig, ("bodies", 0, "melting"), far)
    assert is_nonlinear(other)
    assert not is_nonlinear(rig)
    here, there = compute(rig, controller, test), compute(other, controller, test)
    assert np.abs(here.bodies_degC - there.bodies_degC).max() < 5e-4
    assert here.lost_J == pytest.approx(there.lost_J, rel=1e-4, abs=1.0)


@few
@given(seeds, st.booleans(), st.floats(0.0, 0.8))
def test_every_rig_comes_to_rest_where_the_balance_says(seed: int, curved: bool, level: float) -> None:
    rig = random_rig(seed, curved=curved)
    rig = with_fields(rig, drives=(Pwm(body="B0", power_W=20, steps=65535),))
    level = round(level * 65535) / 65535
    slowest = sum(b.capacity_J_per_K for b in rig.bodies) / min(k.conductance_W_per_K for k in rig.links)
    latent = sum(b.melting.latent_J for b in rig.bodies if b.melting is not None)
    duration = 40 * slowest + 40 * latent
    slow = put(rig, ("probes", 0, "interval_s"), min(max(2.0, duration / 2000), 3600.0))
    run = compute(slow, Hand(drive=level), trial(duration, 45.0))
    rest = rest_degC(rig, level)
    assert rest is not None
    assert run.bodies_degC[:, -1] == pytest.approx(
        [rest[b.name] for b in rig.bodies] if isinstance(rest, dict) else rest, abs=0.02
    )


@few
@given(seeds, st.floats(5, 200))
def test_a_draw_off_is_a_link_to_where_its_water_comes_from(seed: int, flow: float) -> None:
    rig = random_rig(seed)
    name, extra = rig.bodies[-1].name, flow / 50
    drawn = with_fields(rig, draw_offs=(DrawOff(name="Tap", body=name, flow_W_per_K=extra, always=True),))
    others = tuple(link for link in rig.links if not link.joins(name, SURROUNDINGS))
    there_already = sum(link.conductance_W_per_K for link in rig.links if link not in others)
    outlet = Link(a=name, b=SURROUNDINGS, conductance_W_per_K=there_already + extra)
    linked = with_fields(rig, links=(*others, outlet))
    here = compute(drawn, CONTROLLERS[0], trial(800, 45.0))
    there = compute(linked, CONTROLLERS[0], trial(800, 45.0))
    assert np.abs(here.bodies_degC - there.bodies_degC).max() < 1e-6
    later = with_fields(drawn, draw_offs=(with_fields(drawn.draw_offs[0], always=False),))
    event = DrawOffRuns(name="Shower", draw_off="Tap", at_s=0.0)
    assert (
        np.abs(compute(later, CONTROLLERS[0], trial(800, 45.0, events=(event,))).bodies_degC - here.bodies_degC).max()
        < 1e-6
    )


@few
@given(seeds, st.floats(0.35, 1.0))
def test_a_fan_at_a_standing_duty_is_a_link_of_its_flow(seed: int, duty: float) -> None:
    rig = random_rig(seed)
    fan = Fan(speed_lag_s=0.0, power_W=1.0, steps=65535)
    blown = Link(a="B0", b=SURROUNDINGS, conductance_W_per_K=0.3, driven_by="Fan", full_W_per_K=4.0)
    first = [link for link in rig.links if link.joins("B0", SURROUNDINGS)]
    rest = [link for link in rig.links if link not in first]
    bodies = (with_fields(rig.bodies[0], own_heat_W=60.0), *rig.bodies[1:])
    blowing = with_fields(rig, bodies=bodies, links=(blown, *rest), drives=(fan,))
    run = compute(blowing, Hand(drive=duty, before=duty), trial(1500, 45.0))
    assert run.flow[0] == pytest.approx(duty, abs=1e-4)
    still = Link(a="B0", b=SURROUNDINGS, conductance_W_per_K=0.3 + 4.0 * float(run.flow[0][-1]) ** 0.8)
    there = compute(with_fields(rig, bodies=bodies, links=(still, *rest)), Hand(drive=0.0), trial(1500, 45.0))
    assert np.abs(run.bodies_degC - there.bodies_degC).max() < 2e-3
