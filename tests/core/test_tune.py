"""Tuning rules against their formulas as published, the ultimate point against simulation, starting points on rigs."""

import itertools
import json
import math

import numpy as np
import pytest

from kelvarn.demos import DEMOS, find_demo
from kelvarn.engine.run import compute
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.model.bodies import Body, Link
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Pwm, SlowWindow, Valve
from kelvarn.model.edit import with_fields
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from kelvarn.tune.loop import loop_of
from kelvarn.tune.process import FirstOrder, Integrating, PlantError, plant_of
from kelvarn.tune.remarks import remarks
from kelvarn.tune.reserve import least_reserve, reserve
from kelvarn.tune.rules import Gains, starting_points
from kelvarn.tune.starts import candidate_of, plant_of_project, try_all
from kelvarn.tune.ultimate import ultimate

from ..conftest import one_lag, trial
from .commands import kelvarn

K, T, L = 80.0, 600.0, 120.0
R = L / T
PLANT = FirstOrder(K, T, L)


def expected() -> dict[tuple[str, str], tuple[float, float | None, float | None]]:
    """Written out of the papers once more, in the forms that these give them."""
    a = K * R  # the step's intercept, K·L/T
    wu = _root()
    ku, pu = math.sqrt(1 + (wu * T) ** 2) / K, 2 * math.pi / wu
    tau = L / (L + T)
    return {
        ("Ziegler–Nichols, step", "P"): (1 / a, None, None),
        ("Ziegler–Nichols, step", "PI"): (0.9 / a, 3.3333333333333335 * L, None),
        ("Ziegler–Nichols, step", "PID"): (1.2 / a, 2 * L, L / 2),
        ("Cohen–Coon", "P"): ((1 / a) * (1 + R / 3), None, None),
        ("Cohen–Coon", "PI"): ((1 / a) * (0.9 + R / 12), L * (30 + 3 * R) / (9 + 20 * R), None),
        ("Cohen–Coon", "PID"): ((1 / a) * (16 + 3 * R) / 12, L * (32 + 6 * R) / (13 + 8 * R), 4 * L / (11 + 2 * R)),
        ("Chien–Hrones–Reswick, setpoint, no overshoot", "PI"): (0.35 / a, 1.2 * T, None),
        ("Chien–Hrones–Reswick, setpoint, no overshoot", "PID"): (0.6 / a, T, 0.5 * L),
        ("Chien–Hrones–Reswick, setpoint, 20 % over", "PID"): (0.95 / a, 1.4 * T, 0.47 * L),
        ("Chien–Hrones–Reswick, load, no overshoot", "PI"): (0.6 / a, 4 * L, None),
        ("Chien–Hrones–Reswick, load, 20 % over", "PID"): (1.2 / a, 2 * L, 0.42 * L),
        ("Lambda, as quick as the rig", "PI"): (T / K / (L + T), T, None),
        ("IMC", "PI"): ((T + L / 2) / (K * 1.7 * L), T + L / 2, None),
        ("IMC", "PID"): ((T + L / 2) / (K * (0.2 * T + L / 2)), T + L / 2, T * L / (2 * T + L)),  # 0.2 T > 0.8 L
        ("SIMC", "PI"): (0.5 / a, min(T, 8 * L), None),
        ("AMIGO", "PI"): (
            0.15 / K + (0.35 - tau * (1 - tau)) / a, 0.35 * L + 13 * L * T**2 / (T**2 + 12 * L * T + 7 * L**2), None,
        ),
        ("AMIGO", "PID"): (0.2 / K + 0.45 / a, (0.4 * L + 0.8 * T) / (L + 0.1 * T) * L, 0.5 * L * T / (0.3 * L + T)),
        ("ITAE, setpoint", "PI"): (0.586 / K * R**-0.916, T / (1.03 - 0.165 * R), None),
        ("ITAE, setpoint", "PID"): (0.965 / K * R**-0.85, T / (0.796 - 0.1465 * R), 0.308 * T * R**0.929),
        ("ITAE, load", "P"): (0.49 / K * R**-1.084, None, None),
        ("ITAE, load", "PI"): (0.859 / K * R**-0.977, T / 0.674 * R**0.68, None),
        ("ITAE, load", "PID"): (1.357 / K * R**-0.947, T / 0.842 * R**0.738, 0.381 * T * R**0.995),
        ("Ziegler–Nichols, ultimate", "PI"): (0.45 * ku, pu / 1.2, None),
        ("Ziegler–Nichols, ultimate", "PID"): (0.6 * ku, pu / 2, pu / 8),
        ("Tyreus–Luyben", "PI"): (ku / 3.2, 2.2 * pu, None),
        ("Tyreus–Luyben", "PID"): (ku / 2.2, 2.2 * pu, pu / 6.3),
    }  # fmt: skip


def _root() -> float:
    """Where the phase is −180°, by halving."""
    low, high = 1e-6, math.pi / L
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if middle * L + math.atan(middle * T) < math.pi else (low, middle)
    return low


def test_every_rule_gives_what_was_published() -> None:
    found = {(each.rule, each.terms): each for each in starting_points(PLANT)}
    for key, numbers in expected().items():
        gains = found[key].gains
        assert gains is not None, key
        for value, wanted in zip(gains, numbers, strict=True):
            assert value == (None if wanted is None else pytest.approx(wanted, rel=1e-9)), key
    assert all(each.source for each in found.values())


def test_rules_say_where_they_do_not_apply() -> None:
    for plant, words in (
        (FirstOrder(K, T, 0.01 * T), "published for L/T from 0.1 to 1; here 0.01"),
        (FirstOrder(K, T, 0.0), "dead time"),
        (Integrating(0.1, 20.0), "come to rest"),
    ):
        none = [each for each in starting_points(plant) if each.gains is None]
        assert any(words in each.reason for each in none), words
        assert all(each.reason for each in none)
        assert any(each.gains is not None for each in starting_points(plant))
    ramp = {(e.rule, e.terms): e.gains for e in starting_points(Integrating(0.1, 20.0))}
    assert ramp["SIMC", "PI"] == Gains(0.25, 160.0)
    for bad in (FirstOrder(0, T, L), FirstOrder(K, -1, L), FirstOrder(K, T, float("nan")), Integrating(0, 1)):
        with pytest.raises(PlantError, match="must be"):
            starting_points(bad)
    with pytest.raises(PlantError, match="could not be read"):
        plant_of(None)


def growth(rig: Rig, law: Pid, setpoint_degC: float) -> float:
    """How much the swing grows from one half of a run to the next, begun a little beside the setpoint."""
    lasts = 1600 * rig.probe.interval_s
    run = compute(rig, law, trial(lasts, setpoint_degC, start_degC=setpoint_degC + 0.01))
    gap = run.judged_degC - setpoint_degC
    first, last = gap[400:1000], gap[1000:1600]  # before a swing that grows is held by the drive's limits
    return float(np.ptp(last - last.mean()) / np.ptp(first - first.mean()))


@pytest.mark.parametrize(
    "law",
    [
        Pid(terms="P", kp_per_K=0.05, low=-1.0),
        Pid(terms="PI", kp_per_K=0.05, ti_s=150, low=-1.0),
        Pid(terms="PID", kp_per_K=0.05, ti_s=120, td_s=8, filter_n=8, low=-1.0),
    ],
    ids=lambda law: law.terms,
)
@pytest.mark.parametrize(("dead_time_s", "interval_s"), [(20.0, 1.0), (7.3, 2.0)])
def test_a_loop_stands_its_reserve_and_no_more(law: Pid, dead_time_s: float, interval_s: float) -> None:
    """Stable at 0.97 of the stated gain and delay, ringing more and more at 1.03."""
    # It heats and cools alike, so that nothing but the loop itself holds a swing back.
    rig = one_lag(100.0, 200.0, dead_time_s, interval_s)
    rig = with_fields(rig, drives=(*rig.drives, with_fields(rig.drives[0], name="Cooler", acts="cools")))
    found = reserve(loop_of(rig, law, 20.0))
    assert found.gain_factor is not None
    assert found.delay_s is not None
    for share, rings in ((0.97, False), (1.03, True)):
        more = with_fields(law, kp_per_K=law.kp_per_K * found.gain_factor * share)
        assert (growth(rig, more, 20.0) > 1) == rings, share
        drives = tuple(with_fields(d, dead_time_s=dead_time_s + share * found.delay_s) for d in rig.drives)
        assert (growth(with_fields(rig, drives=drives), law, 20.0) > 1) == rings, share
    assert found.ms > 1
    assert 0 < found.phase_deg < 180  # type: ignore[operator]


def ringing(rig: Rig, law: Pid, setpoint_degC: float) -> float:
    """How much faster changes grow from one third of a run to the last; begun at rest, a little beside the setpoint."""
    verdict = can_hold(rig, setpoint_degC)
    assert verdict is not None
    assert verdict.holding_drive is not None
    rest = rest_degC(rig, verdict.holding_drive)
    assert rest is not None
    bodies = tuple(with_fields(b, start_degC=float(t)) for b, t in zip(rig.bodies, rest, strict=True))
    there = with_fields(rig, bodies=bodies)
    run = compute(
        there, with_fields(law, bias=verdict.holding_drive), trial(1500 * rig.probe.interval_s, setpoint_degC + 0.05)
    )
    change = np.diff(run.judged_degC, 2)  # what drifts slowly is no ringing
    return float(np.ptp(change[1000:]) / np.ptp(change[500:1000]))


@pytest.mark.parametrize(("demo", "candidate"), [("cure-cabinet", "Careful PID"), ("enamelling-kiln", "Steady PI")])
def test_demo_rigs_stand_their_reserve_and_no_more(demo: str, candidate: str) -> None:
    project = find_demo(demo).build()
    setpoint = project.first_trial.plan.last_degC
    probes = tuple(with_fields(p, noise_K=0, resolution_K=0) for p in project.rig.probes)
    drive = project.rig.drive
    smooth = Pwm(body=drive.body, power_W=drive.power_W, dead_time_s=drive.dead_time_s, steps=65535)  # type: ignore[union-attr]
    rig, law = with_fields(project.rig, probes=probes, drives=(smooth,)), project.candidate(candidate).controller
    assert isinstance(law, Pid)
    found = reserve(loop_of(rig, law, setpoint))
    assert found.gain_factor is not None
    assert found.delay_s is not None
    # Beyond its reserve it rings as far as the drive lets it, and goes on; below it dies away.
    for share, rings in ((0.97, False), (1.03, True)):
        more = with_fields(law, kp_per_K=law.kp_per_K * found.gain_factor * share)
        assert (ringing(rig, more, setpoint) > 0.98) == rings, share
        late = with_fields(rig, drives=(with_fields(smooth, dead_time_s=smooth.dead_time_s + share * found.delay_s),))
        assert (ringing(late, law, setpoint) > 0.98) == rings, share


def swings(rig: Rig, law: Pid, setpoint_degC: float, period_s: float) -> tuple[float, float]:
    """How far it swings in the middle and at the end of sixty periods, begun 10 K away."""
    course = compute(rig, law, trial(60 * period_s, setpoint_degC, start_degC=setpoint_degC - 10)).judged_degC
    size = course.size
    return float(np.ptp(course[size // 2 : size * 7 // 10])), float(np.ptp(course[size * 8 // 10 :]))


HEATER = {"name": "H", "body": "Block", "power_W": 200.0}


@pytest.mark.parametrize(
    ("lag_s", "dead_time_s", "law", "setpoint", "drive"),
    [
        (400, 20, Pid(terms="P", kp_per_K=0.01), 60, SlowWindow(**HEATER, window_s=40, resolution_s=0)),
        (100, 40, Pid(terms="PI", kp_per_K=0.01, ti_s=150), 60, SlowWindow(**HEATER, window_s=20, resolution_s=0)),
        (200, 2, Pid(terms="PI", kp_per_K=0.01, ti_s=60), 60, SlowWindow(**HEATER, window_s=10)),
        (100, 20, Pid(terms="P", kp_per_K=0.01), 60, Valve(**HEATER, travel_s=90)),
        (100, 40, Pid(terms="P", kp_per_K=0.01), 60, Valve(**HEATER, travel_s=40)),
        (200, 40, Pid(terms="PID", kp_per_K=0.01, ti_s=150, td_s=8, cooling_ratio=5, low=-1), -10, None),
        (100, 40, Pid(terms="PI", kp_per_K=0.01, ti_s=150, cooling_ratio=0.3, low=-1), 50, None),
    ],
)  # fmt: skip
def test_the_reserve_counts_slow_windows_travel_and_the_cooling_ratio(
    lag_s: float, dead_time_s: float, law: Pid, setpoint: float, drive: SlowWindow | Valve | None
) -> None:
    """It settles, but for the ripple of its pulses, at 0.97 of what is stated, and rings on at 1.03."""
    rig = one_lag(100.0, lag_s, dead_time_s, 1.0)
    if drive is None:
        rig = with_fields(rig, drives=(rig.drive, with_fields(rig.drive, name="Cooler", acts="cools")))
    else:
        rig = with_fields(rig, drives=(with_fields(drive, dead_time_s=dead_time_s),))
    found = least_reserve(rig, law, (trial(1000, setpoint),)).reserve
    assert found.gain_factor is not None
    assert found.period_s is not None
    stands = (with_fields(law, kp_per_K=law.kp_per_K * found.gain_factor * share) for share in (0.97, 1.03))
    (_, calm), (before, rings) = (swings(rig, each, setpoint, found.period_s) for each in stands)
    assert rings > 0.9 * before
    assert rings > 1.25 * calm + 0.05


def test_a_valve_that_is_slow_rings_at_less_than_a_quick_one_would() -> None:
    """Small swings say ×27; a large one goes on from about half of that, and what is told is on the safe side of it."""
    law = Pid(terms="PI", kp_per_K=0.01, ti_s=40)
    quick = one_lag(100.0, 200.0, 10.0, 1.0)
    slow = with_fields(quick, drives=(Valve(**HEATER, dead_time_s=10.0, travel_s=60),))
    at_60 = (trial(1000, 60),)
    stands, told = (least_reserve(rig, law, at_60).reserve for rig in (quick, slow))
    assert told.period_s is not None
    assert told.size < 0.6 * stands.size
    for share, rings in ((0.97, False), (1.6, True)):
        more = with_fields(law, kp_per_K=law.kp_per_K * told.size * share)
        assert (swings(slow, more, 60.0, told.period_s)[1] > 1.0) == rings
    assert 1.6 * told.size < stands.size


def test_the_reserve_is_the_smallest_of_all_stages_in_any_order() -> None:
    fan = find_demo("heatsink-fan").build()
    law = Pid(terms="PI", kp_per_K=0.05, ti_s=60)
    stages = [with_fields(fan.first_trial, name=f"{r}", plan=trial(1, r).plan) for r in (45.0, 50.0, 55.0)]
    each = [least_reserve(fan.rig, law, (stage,)).reserve.size for stage in stages]
    assert len(set(each)) == 3
    for order in itertools.permutations(stages):
        found = least_reserve(fan.rig, law, order)
        assert found.reserve.size == min(each)
        assert found.setpoint_degC == float(stages[each.index(min(each))].name)


def test_a_loop_that_rings_has_no_margins() -> None:
    """Also where it rings because its memory is too quick for an integrating rig, whatever the gain."""
    rig = one_lag(100.0, 200.0, 20.0)
    wild = reserve(loop_of(rig, Pid(terms="PI", kp_per_K=0.5, ti_s=100), 60.0))
    assert wild.gain_factor is not None
    assert 0 < wild.gain_factor < 1
    assert (wild.ms, wild.phase_deg, wild.delay_s) == (None, None, None)
    slides = ResponseModel(kind="integrating", rise_K_per_s=0.1, dead_time_s=20.0)
    integrates = with_fields(
        rig, response=slides, bodies=(), links=(), drives=(with_fields(rig.drive, body="Output"),),
        probes=(with_fields(rig.probe, body="Output"),),
    )  # fmt: skip
    assert reserve(loop_of(integrates, Pid(terms="PI", kp_per_K=0.001, ti_s=10), 60.0)).gain_factor == 0
    slow = reserve(loop_of(integrates, Pid(terms="PI", kp_per_K=0.01, ti_s=3000), 60.0))
    assert slow.gain_factor is not None
    assert slow.gain_factor > 1


def test_rules_that_would_oscillate_on_the_rig_are_not_offered() -> None:
    """The step says one lag and little dead time; read every 20 s the rig stands less than the rules give."""
    project = Project(
        name="P", rig=one_lag(100.0, 200.0, 20.0, 20.0), candidates=(Candidate(name="P", controller=Pid()),),
        trials=(trial(3000, 60.0),),
    )  # fmt: skip
    tried = try_all(project, project.first_trial, FirstOrder(100.0, 200.0, 20.0))
    refused = [each for each in tried if "it would oscillate" in each.reason]
    assert refused
    for each in tried:
        law = None if each.candidate is None else each.candidate.controller
        if isinstance(law, Pid):
            assert least_reserve(project.rig, law, project.trials).reserve.size > 1


def test_where_there_is_no_reserve_it_is_said_why() -> None:
    fan = find_demo("heatsink-fan").build()
    with pytest.raises(PlantError, match="changes nothing"):
        loop_of(fan.rig, Pid(terms="PI"), 150)
    pot = find_demo("wax-pot").build()
    with pytest.raises(PlantError, match="either on or off"):
        loop_of(pot.rig, Pid(), 75.0)


@pytest.mark.long
def test_the_reserve_of_p_on_one_lag_tends_to_the_ultimate_point() -> None:
    plant = FirstOrder(100.0, 200.0, 20.0)
    at = ultimate(plant)
    assert at is not None
    law = Pid(terms="P", kp_per_K=0.01)
    found = reserve(loop_of(one_lag(100.0, 200.0, 20.0, interval_s=0.02), law, 60.0))
    assert found.gain_factor == pytest.approx(at.gain_per_K / 0.01, rel=2e-3)


@pytest.mark.long
@pytest.mark.parametrize("demo", DEMOS, ids=lambda demo: demo.name)
def test_rules_are_tried_on_every_demo(demo: object) -> None:
    project = demo.build()  # type: ignore[attr-defined]
    plant = plant_of_project(project, project.first_trial)
    told: list[float] = []
    tried = try_all(project, project.first_trial, plant, told.append)
    assert told[-1] == 1.0
    done = [each for each in tried if each.result is not None]
    assert done
    assert [each.result is None for each in tried] == sorted(each.result is None for each in tried)
    met = [each.result.met for each in done if each.result is not None]
    assert met == sorted(met, reverse=True)
    for each in tried:
        assert each.reason or each.result is not None
        made = candidate_of(each.start)
        assert (made is None) == (each.candidate is None)


def test_the_command_prints_every_rule() -> None:
    done = kelvarn("tune", "--gain", "80", "--lag", "600", "--delay", "120", "--json")
    assert done.returncode == 0, done.stderr
    made = json.loads(done.stdout)
    assert made["model"] == {"kind": "one_lag", "gain_K": 80, "lag_s": 600, "dead_time_s": 120}
    assert made["ultimate"]["period_s"] == pytest.approx(2 * math.pi / _root(), rel=1e-9)
    rule = next(each for each in made["rules"] if (each["rule"], each["kind"]) == ("SIMC", "PI"))
    assert rule["kp_per_K"] == pytest.approx(T / (K * 2 * L))
    figures = ("--lag", "1", "--delay", "1")
    for arguments in (
        ("--gain", "80"),
        ("--gain", "-1", *figures),
        ("--gain", "inf", *figures),
        ("--gain", "nan", *figures),
        ("--gain", "1e300", *figures),
        ("p.kelvarn", "--gain", "1"),
        (),
    ):
        bad = kelvarn("tune", *arguments)
        assert bad.returncode == 2
        assert len(bad.stderr.splitlines()) == 1


def test_two_lags_in_a_row_have_the_reserve_of_a_lag_and_a_probe_as_slow() -> None:
    two = Rig(
        response=ResponseModel(kind="two_lags", gain_K=100, lag_s=200, lag2_s=15),
        drives=(Pwm(body="Output", power_W=100, steps=65535),), probes=(Probe(body="Output"),),
    )  # fmt: skip
    one = one_lag(100.0, 200.0)
    lagging = with_fields(one, probes=(with_fields(one.probe, lag_s=15.0),))
    law = Pid(terms="PI", kp_per_K=0.05, ti_s=150)
    assert reserve(loop_of(two, law, 60.0)).gain_factor == pytest.approx(
        reserve(loop_of(lagging, law, 60.0)).gain_factor, rel=1e-6
    )


def test_a_drive_that_the_probe_does_not_feel_makes_no_loop() -> None:
    """Two bodies that each lose heat by themselves: the probe sits in the one that is not heated."""
    links = tuple(Link(a=name, b=SURROUNDINGS, conductance_W_per_K=2.0) for name in ("Block", "Other"))
    bodies = tuple(Body(name=name, capacity_J_per_K=500.0) for name in ("Block", "Other"))
    rig = Rig(bodies=bodies, links=links, drives=(Pwm(body="Other", power_W=200.0),), probes=(Probe(body="Block"),))
    with pytest.raises(PlantError, match="reaches Probe, so that there is no loop"):
        loop_of(rig, Pid(kp_per_K=0.1), 60.0)
    linked = with_fields(rig, links=(*links, Link(a="Block", b="Other", conductance_W_per_K=0.5)))
    assert reserve(loop_of(linked, Pid(kp_per_K=0.1), 40.0)).gain_factor is not None
    project = Project(name="x", rig=rig, trials=(trial(600.0, 60.0),),
                      candidates=(Candidate(name="PI", controller=Pid(kp_per_K=0.1)),))  # fmt: skip
    assert any("cannot hold" in each.text for each in remarks(project, project.first_trial))
