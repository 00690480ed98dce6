"""What probes show: age, errors, converters, corrections, faults; and rigs known only by their answer."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from kelvarn.engine.run import Run, compute
from kelvarn.engine.step import heating_up_s, holding_round, open_loop
from kelvarn.model.drives import Pwm
from kelvarn.model.edit import with_fields
from kelvarn.model.events import DoorOpens, Load, ProbeFault, SurroundingsChange
from kelvarn.model.fixed import Hand
from kelvarn.model.on_off import OnOff
from kelvarn.model.probe_types import PROBE_TYPES, fields_of
from kelvarn.model.probes import Converter, Correction, Probe
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from tests.conftest import one_lag, trial


def read(events: tuple[object, ...] = (), duration_s: float = 100, **probe: object) -> Run:
    """The block warming at half drive, read by a probe with some features."""
    rig = one_lag(100, 200)
    rig = with_fields(rig, probes=(with_fields(rig.probe, **probe),))
    return compute(rig, Hand(drive=0.5), trial(duration_s, events=events))


@pytest.mark.parametrize("age_s", [0.3, 1.0, 7.0, 12.6])
def test_dead_time_of_a_probe_need_not_be_whole_samples(age_s: float) -> None:
    run, fresh = read(lag_s=10, dead_time_s=age_s), read(lag_s=10)
    t = np.maximum(run.time_s - age_s, 0)
    expected = 20 + 50 * 65536 / 65535 * (1 - (200 * np.exp(-t / 200) - 10 * np.exp(-t / 10)) / 190)
    assert np.abs(run.measured_degC - expected).max() < 1e-3
    assert fresh.measured_degC[50] > run.measured_degC[50]


def test_offset_and_slope_err_and_a_two_point_correction_mends_them() -> None:
    wrong = read(offset_K=1.5, slope=1.02)
    np.testing.assert_allclose(wrong.measured_degC, wrong.bodies_degC[0] * 1.02 + 1.5)
    points = Correction(shown_low_degC=1.5, true_low_degC=0, shown_high_degC=103.5, true_high_degC=100)
    mended = read(offset_K=1.5, slope=1.02, correction=points)
    np.testing.assert_allclose(mended.measured_degC, mended.bodies_degC[0], atol=1e-9)


def test_an_ntc_in_a_divider_reads_in_steps_that_widen_away_from_its_middle() -> None:
    run = read(converter=Converter(bits=10), lowest_degC=-40, highest_degC=150, duration_s=900)
    error = run.measured_degC - run.bodies_degC[0]
    levels = 10_000 * np.exp(3950 * (1 / (run.bodies_degC[0] + 273.15) - 1 / 298.15))
    step = 1 / 1023 / np.abs(np.gradient(levels / (levels + 10_000), run.bodies_degC[0]))
    assert np.abs(error[5:-5]).max() <= 0.55 * step[5:-5].max()
    assert 0.05 < np.abs(error).max() < 0.2
    even = read(converter=Converter(bits=8, sensor="even"), lowest_degC=0, highest_degC=255)
    np.testing.assert_array_equal(even.measured_degC, np.round(even.bodies_degC[0]))


def test_an_open_or_shorted_ntc_reads_the_end_of_its_range() -> None:
    for fault, shown in (("open", -40.0), ("short", 150.0)):
        event = ProbeFault(name="F", at_s=40, lasts_s=20, probe="Probe", fault=fault)  # type: ignore[arg-type]
        run = read((event,), converter=Converter(bits=10), lowest_degC=-40, highest_degC=150)
        assert set(run.measured_degC[40:60]) == {shown}
        assert abs(run.measured_degC[61] - run.bodies_degC[0, 61]) < 0.2
    plain = read((ProbeFault(name="F", at_s=40, probe="Probe", fault="open"),), highest_degC=400)
    assert plain.measured_degC[-1] == 400


def test_faults_of_probes_do_what_they_are_called() -> None:
    def with_fault(fault: str, size_K: float = 5.0, every_s: float = 10.0) -> np.ndarray:
        event = ProbeFault(name="F", at_s=40, lasts_s=40, probe="Probe", fault=fault, size_K=size_K, every_s=every_s)  # type: ignore[arg-type]
        run = read((event,))
        return run.measured_degC - run.bodies_degC[0]

    assert not with_fault("offset")[:40].any()
    np.testing.assert_allclose(with_fault("offset")[40:80], 5.0)
    assert np.abs(with_fault("offset")[80:]).max() < 1e-9
    np.testing.assert_allclose(with_fault("drift", 36.0)[40:80], np.arange(40) / 100, atol=1e-9)
    spikes = np.flatnonzero(np.abs(with_fault("spikes")) > 1)
    assert spikes.tolist() == [40, 50, 60, 70]
    stuck = read((ProbeFault(name="F", at_s=40, lasts_s=40, probe="Probe", fault="stuck"),)).measured_degC
    assert set(stuck[40:80]) == {stuck[39]}
    stale = read((ProbeFault(name="F", at_s=40, lasts_s=40, probe="Probe", fault="stale", every_s=10),)).measured_degC
    assert len(set(stale[40:80])) == 4


def test_a_second_probe_is_read_with_its_own_noise_and_changes_nothing_else() -> None:
    rig = one_lag(100, 200)
    other = Probe(name="Guard", body="Block", role="guard", lag_s=30, noise_K=0.1, dead_time_s=2.5)
    noisy = with_fields(rig, probes=(with_fields(rig.probe, noise_K=0.05),))
    alone = compute(noisy, OnOff(), trial(500))
    both = compute(with_fields(noisy, probes=(other, *noisy.probes)), OnOff(), trial(500))
    assert both.probes_degC.shape == (2, 501)
    assert both.probes_degC[0, 400] != both.probes_degC[1, 400]
    assert np.array_equal(both.measured_degC, both.probes_degC[1])
    first = compute(with_fields(noisy, probes=(*noisy.probes, other)), OnOff(), trial(500))
    np.testing.assert_allclose(first.bodies_degC, alone.bodies_degC, atol=1e-9)


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ({"probes": (Probe(body="Block", role="watch"),)}, "exactly one probe must have the role control"),
        ({"response": ResponseModel()}, "a response model takes no bodies"),
        ({"bodies": ()}, "a rig needs at least one body"),
        ({"drives": (Pwm(body="Block", power_W=1), Pwm(body="Block", power_W=1))}, "two called “Heater”"),
    ],
)
def test_rigs_that_cannot_be_are_refused(change: dict[str, object], sentence: str) -> None:
    with pytest.raises(ValidationError, match=sentence):
        with_fields(one_lag(), **change)


def response(**fields: object) -> Rig:
    return Rig(response=ResponseModel(**fields), drives=(Pwm(body="Output", power_W=100, steps=65535),),  # type: ignore[arg-type]
               probes=(Probe(body="Output"),))  # fmt: skip


def test_a_response_model_answers_by_gain_lags_and_dead_time() -> None:
    one = compute(response(gain_K=80, lag_s=120, dead_time_s=7.3), Hand(drive=1.0), trial(600))
    t = np.maximum(one.time_s - 7.3, 0)
    np.testing.assert_allclose(one.measured_degC, 20 + 80 * (1 - np.exp(-t / 120)), atol=1e-8)
    two = compute(response(kind="two_lags", gain_K=80, lag_s=120, lag2_s=30), Hand(drive=1.0), trial(600))
    t = two.time_s
    expected = 20 + 80 * (1 - (120 * np.exp(-t / 120) - 30 * np.exp(-t / 30)) / 90)
    np.testing.assert_allclose(two.measured_degC, expected, atol=1e-8)
    ramp = compute(response(kind="integrating", rise_K_per_s=0.25), Hand(drive=1.0), trial(100))
    np.testing.assert_allclose(ramp.measured_degC, 20 + 0.25 * ramp.time_s, atol=1e-8)


def test_events_act_on_a_response_model_as_on_a_body() -> None:
    events = (
        Load(name="L", at_s=0, body="Output", power_W=50),
        SurroundingsChange(name="S", at_s=0, change_K=-10),
        DoorOpens(name="D", at_s=3000, body="Output", conductance_W_per_K=1.25),
    )
    for kind in ("one_lag", "two_lags"):
        run = compute(response(kind=kind, gain_K=80, lag_s=120), Hand(drive=0.0), trial(8000, events=events))
        assert run.measured_degC[2999] == pytest.approx(10 + 40, abs=1e-4)
        assert run.measured_degC[-1] == pytest.approx(10 + 20, abs=1e-4)


def test_the_reading_of_an_open_loop_step_finds_gain_lag_and_dead_time() -> None:
    for start in ("cold", "warm"):
        step = open_loop(response(gain_K=80, lag_s=900, dead_time_s=95), 0.5, start)  # type: ignore[arg-type]
        found = step.reading
        assert found is not None
        assert found.gain_K == pytest.approx(80, rel=1e-4)
        assert found.lag_s == pytest.approx(900, rel=1e-3)
        assert found.dead_time_s == pytest.approx(95, abs=0.5)
        assert found.ratio == pytest.approx(95 / 900, rel=0.01)
        assert found.difficulty == "easy to control"
    assert step.run.measured_degC[0] == pytest.approx(40, abs=1e-3)  # warm: at rest at half the drive
    ramp = open_loop(response(kind="integrating", rise_K_per_s=0.02, dead_time_s=50), 0.5).reading
    assert ramp is not None
    assert ramp.rise_K_per_s == pytest.approx(0.02, rel=1e-3)
    assert ramp.dead_time_s == pytest.approx(50, abs=1)


def test_heating_up_and_holding_follow_from_the_rig(cabinet: Project) -> None:
    time_s = heating_up_s(response(gain_K=80, lag_s=900), 60)
    assert time_s == pytest.approx(900 * np.log(2), rel=1e-3)
    assert heating_up_s(response(gain_K=80, lag_s=900), 120) is None
    curve = holding_round(cabinet.rig, 60.0)
    assert [setpoint for setpoint, _ in curve] == [40, 50, 60, 70, 80]
    assert [setpoint for setpoint, _ in holding_round(cabinet.rig, 300.0)] == [160, 230]  # it ends at 230.8
    assert curve[2][1] == pytest.approx(41 / (250 / 1.6 + 250 / 4.5), rel=1e-6)


@given(st.floats(10, 40), st.floats(1, 20), st.floats(1.5, 30))
def test_a_correction_is_exact_at_both_its_points(low: float, off: float, apart: float) -> None:
    points = Correction(shown_low_degC=low + off, true_low_degC=low, shown_high_degC=low + off + apart,
                        true_high_degC=low + apart * 1.1)  # fmt: skip
    assert points.true_low_degC + apart * points.slope == pytest.approx(points.true_high_degC)


def test_ready_made_probes_have_the_tolerance_of_their_standard() -> None:
    """IEC 60584-1 class 1 and IEC 60751, at temperatures worked out by hand."""
    for name, degC, error in (
        ("type K thermocouple", 100, 1.5), ("type K thermocouple", 800, 3.2), ("type T thermocouple", 200, 0.8),
        ("platinum, class A", 100, 0.35), ("platinum, class B", -100, 0.8), ("digital, steps of 1/16 K", 60, 0.5),
    ):  # fmt: skip
        assert PROBE_TYPES[name].error_K(degC) == pytest.approx(error)
    for found in PROBE_TYPES.values():
        probe = with_fields(one_lag().probe, **fields_of(found))
        assert probe.like == found.name
        run = compute(with_fields(one_lag(), probes=(probe,)), Hand(drive=0.3), trial(400))
        assert np.abs(run.measured_degC - run.bodies_degC[0]).max() < 0.6
