"""What a law would do at a reading: held against runs in which the temperature really stands there."""

import numpy as np
import pytest

from kelvarn.engine.run import compute
from kelvarn.model.bodies import Body
from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.edit import put, with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, show
from kelvarn.words.what_if import at_reading
from tests.conftest import one_lag, trial

PIDS = (
    Pid(terms="P", kp_per_K=0.04, bias=0.1), Pid(terms="PI", kp_per_K=0.03, ti_s=300.0, setpoint_weight=0.5),
    Pid(terms="PID", kp_per_K=0.05, ti_s=200.0, td_s=20.0), Pid(terms="P", kp_per_K=0.02, feed_per_K=0.01),
)  # fmt: skip


def held(degC: float) -> Rig:
    """A body that nothing moves: it stands where it begins."""
    return put(one_lag(), ("bodies", 0), Body(name="Block", capacity_J_per_K=1e9, start_degC=degC))


@pytest.mark.parametrize("law", PIDS)
@pytest.mark.parametrize("degC", [31.0, 41.3, 58.0, 63.0])
def test_pid_at_a_reading_is_what_the_law_asks_for_there(law: Pid, degC: float) -> None:
    """The same law, begun at rest at the reading, with the integral that it had."""
    run = compute(one_lag(), law, trial(900))
    index = 600
    there = compute(held(degC), law, trial(30))
    # At rest only the integral differs between the two: taken from the one, it gives what the other asks for.
    asked = float(there.asked[0]) - float(there.i[0]) + float(run.i[index])
    text = at_reading(run, index, degC)
    assert f"it would ask for {show(asked, Quantity.DRIVE)}" in text
    assert ("its limit" in text) == (not 0 <= asked <= 1)


@pytest.mark.parametrize("cools", [False, True])
def test_on_off_and_curves_do_at_a_reading_what_they_do_in_a_run(cools: bool) -> None:
    sign = -1 if cools else 1
    rig = one_lag()
    steps = tuple(CurveStep(from_degC=60 - sign * at, drive=drive, back_off_K=2) for at, drive in ((5, 0.3), (15, 0.8)))
    laws: tuple[Controller, ...] = (OnOff(above_K=1, below_K=2), Curve(shape="steps", steps=steps))
    if cools:
        rig = with_fields(rig, drives=(put(rig.drives[0], ("acts",), "cools"),))
    for law in laws:
        run = compute(rig, law, trial(600))
        for degC in (20.0, 44.0, 52.0, 57.9, 61.2, 66.0, 77.0):
            there = put(put(rig, ("bodies", 0, "capacity_J_per_K"), 1e9), ("bodies", 0, "start_degC"), degC)
            drive = float(compute(there, law, trial(30)).drive[-1])
            text = at_reading(run, 0, degC)
            if isinstance(law, OnOff):
                assert ("switch on" in text) == (drive > 0), (degC, text)
            else:
                assert f"give {show(drive, Quantity.DRIVE)}" in text


def test_in_between_on_off_stays_as_it_is() -> None:
    run = compute(one_lag(), OnOff(above_K=2, below_K=2), trial(3000))
    for index in (np.flatnonzero(run.drive[500:] > 0)[0] + 500, np.flatnonzero(run.drive[500:] == 0)[0] + 500):
        word = "on" if run.drive[index] else "off"
        assert f"stay {word}, as it is here" in at_reading(run, int(index), float(run.setpoint_degC[index]))
    assert "as at any other" in at_reading(compute(one_lag(), Fixed(drive=0.4), trial(60)), 5, 30.0)
