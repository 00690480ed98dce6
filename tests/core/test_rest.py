"""Rest, verdict and open-loop step of a rig as its drives are; and rigs at the edge of what can be."""

import numpy as np
import pytest

from kelvarn.desktop.stations.rig.words import verdict_text
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import compute
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.engine.step import heating_up_s, open_loop, usual_drive
from kelvarn.model.bodies import Body, Link
from kelvarn.model.drives import AnyDrive, Fan, Pwm, Relay, SlowWindow, Valve
from kelvarn.model.edit import put, with_fields
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.fixed import Hand
from kelvarn.model.guards import Trip
from kelvarn.model.probes import Probe
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from kelvarn.units import Scale
from kelvarn.words.reading import reading_text
from tests.conftest import one_lag, trial


def block(drive: AnyDrive) -> Rig:
    """200 W into 2 W/K from 20 °C surroundings: 100 K at full output."""
    return with_fields(one_lag(), drives=(drive,))


def cooled(**fan: object) -> Rig:
    """A sink that makes 40 W and loses heat by its fan alone."""
    link = Link(a="Sink", b=SURROUNDINGS, conductance_W_per_K=0, driven_by="Fan", full_W_per_K=4.0)
    return Rig(bodies=(Body(name="Sink", capacity_J_per_K=300, own_heat_W=40),), links=(link,),
               drives=(Fan(**fan),), probes=(Probe(body="Sink"),))  # fmt: skip


DRIVES: tuple[AnyDrive, ...] = (
    Pwm(body="Block", power_W=200, top=0.5), Pwm(body="Block", power_W=200, floor=0.3, off_below=0.1),
    Pwm(body="Block", power_W=200, floor=0.2), Valve(body="Block", power_W=200, lowest=0.15, highest=0.6),
    Relay(body="Block", power_W=200), SlowWindow(body="Block", power_W=200),
)  # fmt: skip


@pytest.mark.parametrize("drive", DRIVES, ids=lambda d: d.kind)
@pytest.mark.parametrize("demand", [0.05, 0.2, 0.55, 1.0])
def test_rest_is_where_a_long_run_ends(drive: AnyDrive, demand: float) -> None:
    rig = block(drive)
    rest = rest_degC(rig, demand)
    assert rest is not None
    if drive.kind in ("relay", "slow_window"):  # averaged over their switching
        assert rest[0] == pytest.approx(20 + 100 * demand)
        return
    assert compute(rig, Hand(drive=demand), trial(8000)).bodies_degC[0, -1] == pytest.approx(rest[0], abs=1e-6)


@pytest.mark.parametrize("stall", [0.0, 0.4])
def test_a_stalled_fan_cools_no_more_at_rest(stall: float) -> None:
    rig = put(cooled(stalls_below=stall, steps=1000), ("links", 0, "conductance_W_per_K"), 0.5)
    for demand in (0.3, 0.7):
        rest = rest_degC(rig, demand)
        assert rest is not None
        flow = demand if demand >= stall else 0.0
        assert rest[0] == pytest.approx(20 + 40 / (0.5 + 4 * flow**0.8))


def test_a_verdict_knows_top_floor_and_stall() -> None:
    low = can_hold(block(DRIVES[0]), 100.0)
    assert low is not None
    assert not low.can
    assert low.holding_drive == pytest.approx(0.8)
    assert low.most == pytest.approx(0.5, abs=0.005)
    text = verdict_text(block(DRIVES[0]), 100.0, Scale.CELSIUS, None)
    assert text.startswith("No: 100.0 °C would need 80 % drive at 20.0 °C surroundings, and there is no more than 50 %")
    assert "Block would end at 70" in text
    between = can_hold(block(DRIVES[1]), 30.0)
    assert between is not None
    assert between.can
    assert between.holding_drive == pytest.approx(0.1)
    assert between.between == pytest.approx((0, 0.3), abs=0.005)
    assert "on average, switching between 0" in verdict_text(block(DRIVES[1]), 30.0, Scale.CELSIUS, None)
    held = can_hold(block(DRIVES[1]), 70.0)
    assert held is not None
    assert held.between is None
    warm = can_hold(block(DRIVES[3]), 25.0)  # its valve never closes so far
    assert warm is not None
    assert warm.holding_drive is not None
    assert warm.holding_drive < 0
    assert not warm.can
    assert not can_hold(put(cooled(), ("links", 0, "conductance_W_per_K"), 0.5), 130.0).can  # type: ignore[union-attr]


def test_the_verdict_names_what_gets_too_hot_and_what_must_stop_it() -> None:
    """200 W into 2 W/K: stuck on, the block ends at 120 °C."""
    rig = block(Relay(body="Block", power_W=200))
    assert verdict_text(rig, 70.0, Scale.CELSIUS, None).endswith("; stuck on, Block would end at 120.0 °C.")
    limited = put(put(rig, ("bodies", 0, "limit_degC"), 119.0), ("bodies", 0, "limit_why"), "the glue")
    unguarded = verdict_text(limited, 70.0, Scale.CELSIUS, None)
    assert unguarded.endswith("and Block beyond 119.0 °C (the glue): an over-temperature trip is needed.")
    guarded = with_fields(limited, guards=(Trip(name="Too hot", probe="Probe", at_degC=95.0),))
    assert verdict_text(guarded, 70.0, Scale.CELSIUS, None).endswith(": “Too hot” at 95.0 °C must stop it.")
    cool = with_fields(limited, guards=(Trip(name="Too cold", probe="Probe", at_degC=5.0, side="below"),))
    assert "Too cold" not in verdict_text(cool, 70.0, Scale.CELSIUS, None)
    enough = put(limited, ("bodies", 0, "limit_degC"), 121.0)
    assert "beyond" not in verdict_text(enough, 70.0, Scale.CELSIUS, None)
    sink = put(put(cooled(), ("links", 0, "conductance_W_per_K"), 0.5), ("bodies", 0, "limit_degC"), 90.0)
    stopped = verdict_text(sink, 60.0, Scale.CELSIUS, None)
    assert "; with it stopped, Sink would end at 100.0 °C and Sink beyond 90.0 °C: an over" in stopped
    assert verdict_text(rig, 10.0, Scale.CELSIUS, None).startswith(
        "No: 10.0 °C would have to be cooled at 20.0 °C surroundings, which this rig cannot do"
    )


@pytest.mark.parametrize(
    "fan", [{"rated_V": 24, "supply_V": 18}, {"flow_at_25": 0.5, "flow_at_50": 0.75, "flow_at_75": 0.9}, {}]
)
def test_what_holds_is_the_duty_whatever_flow_it_makes(fan: dict[str, float]) -> None:
    """A fan on other volts, or with a table of flows: the duty that is told holds the setpoint in a run."""
    rig = cooled(stalls_below=0.1, steps=10_000, **fan)
    found = can_hold(rig, 48.0)
    assert found is not None
    assert found.holding_drive is not None
    asked = trial(20_000, 48.0, start_degC=48.0)
    run = compute(rig, Hand(drive=found.holding_drive, before=found.holding_drive), asked)
    assert run.judged_degC[-1] == pytest.approx(48.0, abs=0.05)


def test_a_rig_that_only_its_fan_cools_is_judged_and_stepped() -> None:
    rig = cooled(stalls_below=0.2, steps=1000)
    assert rest_degC(rig, 0.0) is None
    found = can_hold(rig, 45.0)
    assert found is not None
    assert found.can
    assert found.holding_drive == pytest.approx((40 / 25 / 4) ** (1 / 0.8), abs=1e-3)
    assert found.end_degC["Sink"] == np.inf
    assert "only get warmer" in verdict_text(rig, 45.0, Scale.CELSIUS, heating_up_s(rig, 45.0))
    step = open_loop(rig, usual_drive(rig, 45.0))
    rest = rest_degC(rig, step.after)
    assert rest is not None
    assert step.run.bodies_degC[0, -1] == pytest.approx(rest[0], abs=1.0)


def test_a_step_to_full_ends_where_the_top_lets_it() -> None:
    step = open_loop(block(DRIVES[0]), 1.0)
    assert step.run.time_s[-1] < 3600
    assert step.run.bodies_degC[0, -1] == pytest.approx(70, abs=1.2)
    assert step.reading is not None
    assert step.reading.gain_K == pytest.approx(100)  # kelvins at full output
    assert step.reading.reach_95_s == pytest.approx(200 * np.log(20), rel=1e-3)


def response(**fields: object) -> Rig:
    model = ResponseModel(name="Out", **fields)  # type: ignore[arg-type]
    return Rig(response=model, drives=(Pwm(body="Out", power_W=100),), probes=(Probe(body="Out"),))


def test_the_gain_of_a_step_is_that_of_rest_and_95_percent_is_of_the_way() -> None:
    found = open_loop(response(kind="two_lags", gain_K=80, lag_s=300, lag2_s=300), 0.5).reading
    assert found is not None
    assert found.gain_K == pytest.approx(80)
    # 1 − (1 + t/T) e^(−t/T) = 0.95 at t = 4.7439 T
    assert found.reach_95_s == pytest.approx(4.74386 * 300, rel=1e-3)


@pytest.mark.parametrize("lag_s", [0.0, 1800.0])
def test_an_integrating_step_is_recorded_until_only_the_ramp_is_left(lag_s: float) -> None:
    rig = put(response(kind="integrating", rise_K_per_s=0.005, dead_time_s=30), ("probes", 0, "lag_s"), lag_s)
    step = open_loop(rig, 0.5)
    assert step.reading is not None
    assert step.reading.rise_K_per_s == pytest.approx(0.005, rel=1e-6)
    assert step.reading.dead_time_s == pytest.approx(30 + lag_s, rel=1e-3, abs=0.1)
    pair = Rig(
        bodies=(Body(name="A", capacity_J_per_K=1000), Body(name="B", capacity_J_per_K=1000)),
        links=(Link(a="A", b="B", conductance_W_per_K=0.2),), drives=(Pwm(body="A", power_W=10),),
        probes=(Probe(body="B", lag_s=lag_s),),
    )  # fmt: skip
    slow = open_loop(pair, 1.0).reading  # τ = 1000/(2·0.2) = 2500 s
    assert slow is not None
    assert slow.rise_K_per_s == pytest.approx(10 / 2000)
    assert slow.dead_time_s == pytest.approx(2500 + lag_s, rel=2e-3)


def test_a_step_in_words_says_no_more_figures_than_there_are() -> None:
    said = reading_text(open_loop(one_lag(lag_s=326), 0.5), Scale.CELSIUS)
    assert said == "Gain 1 K per %, time constant 5.43 min, no dead time; 95 % after 16.3 min: easy to control"
    late = reading_text(open_loop(one_lag(lag_s=326, dead_time_s=60), 0.5), Scale.CELSIUS)
    assert "dead time 60 s" in late
    assert "delay is 18 % of the lag" in late


@pytest.mark.parametrize(
    ("path", "value", "start", "sentence"),
    [
        (("bodies", 0, "own_heat_W"), -5000.0, "cold", "Block would rest colder than can be computed with"),
        (("links", 0, "conductance_W_per_K"), 0.001, "warm", "Block would rest hotter than can be computed at"),
        (("links", 0, "conductance_W_per_K"), 5e-324, "warm", "never comes to rest"),
    ],
)
def test_rigs_that_cannot_be_stepped_are_refused_with_a_sentence(
    path: tuple[str | int, ...], value: float, start: str, sentence: str
) -> None:
    with pytest.raises(RunError, match=sentence):
        open_loop(put(one_lag(), path, value), 0.1, start)  # type: ignore[arg-type]


def test_numbers_at_the_edge_of_what_a_field_takes_are_no_trouble() -> None:
    quick = put(one_lag(), ("probes", 0, "lag_s"), 1e-308)
    assert compute(quick, Hand(drive=0.5), trial(100)).measured_degC[50] == pytest.approx(31.1, abs=0.1)
    heavy = put(put(one_lag(), ("bodies", 0, "capacity_J_per_K"), 1e8), ("drives", 0, "dead_time_s"), 86400.0)
    step = open_loop(heavy, 0.8)
    assert step.reading is not None
    assert step.reading.lag_s == pytest.approx(5e7, rel=1e-3)
    alone = put(one_lag(), ("links", 0, "conductance_W_per_K"), 5e-324)
    assert np.isfinite(compute(alone, Hand(drive=0.5), trial(100)).bodies_degC).all()
    assert can_hold(alone, 60.0) is None
