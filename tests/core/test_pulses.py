"""Pulses and counts behind a run: they agree with the heat that was moved and with what was read."""

import math

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.pulses import counts_of, pulses_of
from kelvarn.engine.run import compute
from kelvarn.model.drives import Relay, SlowWindow
from kelvarn.model.edit import put, with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Converter, Correction
from tests.conftest import one_lag, trial


@pytest.mark.parametrize("window", [0.4, 1.0, 2.0, 7.0, 13.0])
@pytest.mark.parametrize("shortest", [0.0, 0.15])
def test_pulses_of_a_slow_window_carry_all_of_its_heat(window: float, shortest: float) -> None:
    drive = SlowWindow(body="Block", power_W=100.0, window_s=window, shortest_pulse_s=shortest, resolution_s=0.05)
    rig = with_fields(one_lag(), drives=(drive,))
    run = compute(rig, Pid(terms="PI", kp_per_K=0.03, ti_s=100.0), trial(1300.0))
    pulses = pulses_of(run, 0)
    assert pulses is not None
    assert (pulses.off_s > pulses.on_s).all()
    assert (pulses.on_s[1:] > pulses.off_s[:-1]).all()
    assert 100.0 * float((pulses.off_s - pulses.on_s).sum()) == pytest.approx(run.heat_J, rel=1e-9)
    assert run.rig.drives[0] == drive
    # in every sample just what was put out
    for k in range(0, run.time_s.size - 1, 37):
        begin, end = run.time_s[k], run.time_s[k + 1]
        on = np.clip(np.minimum(pulses.off_s, end) - np.maximum(pulses.on_s, begin), 0, None).sum()
        assert on / (end - begin) == pytest.approx(run.put_out[0, k], abs=1e-9)


def test_pulses_of_two_windows_and_of_a_relay() -> None:
    drives = (
        SlowWindow(name="A", body="Block", power_W=100.0, window_s=2.0),
        SlowWindow(name="B", body="Block", power_W=60.0, window_s=5.0),
    )
    for sharing in ("equal", "priority"):
        rig = with_fields(one_lag(), drives=drives, sharing=sharing)
        run = compute(rig, Fixed(drive=0.37), trial(900.0))
        heat = 0.0
        for k, drive in enumerate(drives):
            pulses = pulses_of(run, k)
            assert pulses is not None
            heat += drive.power_W * float((pulses.off_s - pulses.on_s).sum())
        assert heat == pytest.approx(run.heat_J, rel=1e-9)
    rig = with_fields(one_lag(), drives=(Relay(body="Block", power_W=200.0),))
    run = compute(rig, OnOff(), trial(1300.0))
    pulses = pulses_of(run, 0)
    assert pulses is not None
    assert 200.0 * float((pulses.off_s - pulses.on_s).sum()) == pytest.approx(run.heat_J, rel=1e-6)
    assert len(pulses.on_s) == run.switching[0].ons
    assert pulses_of(compute(one_lag(), OnOff(), trial(100.0)), 0) is None  # a PWM


@pytest.mark.parametrize("bits", [8, 12])
def test_counts_are_those_that_were_read(bits: int) -> None:
    fan = find_demo("heatsink-fan").build()
    rig = put(fan.rig, ("probes", 0, "converter"), Converter(bits=bits))
    run = compute(rig, fan.candidates[-1].controller, fan.first_trial)
    counts = counts_of(run, 0)
    assert counts is not None
    top = 2**bits - 1
    assert ((counts > 0) & (counts < top)).all()
    assert (counts == np.round(counts)).all()
    # forward again, as a device computes it from its counts
    ohm = 10_000 * counts / (top - counts)
    degC = 1 / (1 / 298.15 + np.log(ohm / 10_000) / 3950) - 273.15
    assert np.abs(degC - run.probes_degC[0]).max() < 1e-9
    assert counts_of(run, 1) is None


def test_counts_of_even_steps_behind_a_correction() -> None:
    correction = Correction(shown_low_degC=0, true_low_degC=1, shown_high_degC=100, true_high_degC=103)
    probe = with_fields(
        one_lag().probe, converter=Converter(bits=10, sensor="even"), correction=correction, lowest_degC=-50,
        highest_degC=150, noise_K=1.0,
    )  # fmt: skip
    run = compute(with_fields(one_lag(), probes=(probe,)), OnOff(), trial(600.0))
    counts = counts_of(run, 0)
    assert counts is not None
    shown = -50 + counts / 1023 * 200
    assert np.abs(1 + shown * 1.02 - run.measured_degC).max() < 1e-9
    assert math.isclose(float(np.abs(counts - np.round(counts)).max()), 0.0)
