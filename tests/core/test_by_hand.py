"""By hand and back, and other settings while it runs: without a jump of the drive."""

import numpy as np
import pytest

from kelvarn.engine.measures import measure
from kelvarn.engine.run import Run, compute
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.control_events import Override, SettingsChange
from kelvarn.model.edit import with_fields
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.words.why import terms, why
from tests.conftest import one_lag, trial

PI = Pid(terms="PI", kp_per_K=0.05, ti_s=80.0, setpoint_weight=0.6)
PID = Pid(terms="PID", kp_per_K=0.06, ti_s=90.0, td_s=8.0, setpoint_weight=0.6)


def run_of(law: Controller, *events: object, rig: Rig | None = None, **more: object) -> Run:
    return compute(rig or one_lag(dead_time_s=5.0), law, with_fields(trial(2500.0), events=events, **more))


def at(run: Run, time_s: float) -> int:
    return run.sample_at(time_s)


@pytest.mark.parametrize("law", [PI, PID, with_fields(PID, anti_windup="none"), with_fields(PI, anti_windup="hold")])
@pytest.mark.parametrize("drive", [0.0, 0.35, 1.0])
def test_from_hand_it_goes_on_without_a_jump(law: Pid, drive: float) -> None:
    run = run_of(law, Override(name="Hand", at_s=1000.0, lasts_s=200.0, drive=drive))
    inside = (run.time_s >= 1000) & (run.time_s < 1200)
    assert (run.drive[inside] == drive).all()
    assert (run.guard_code[inside] == 7).all()
    assert (run.guard_code[~inside] == 0).all()
    end = at(run, 1200.0)
    # One step of integral and of proportional term, and no more.
    gap = abs(float(run.setpoint_degC[end] - run.measured_degC[end]))
    moves = law.kp_per_K * abs(float(run.measured_degC[end] - run.measured_degC[end - 1]))
    most = law.kp_per_K / law.ti_s * gap + 12 * moves + 1e-9
    assert abs(float(run.drive[end]) - drive) <= most
    assert float(run.measured_degC[-1]) == pytest.approx(60.0, abs=0.05)
    assert "held at" in why(run, end - 5)
    assert "by hand" in why(run, end - 5)
    assert "by hand" not in why(run, end)


def test_before_the_hands_nothing_differs_and_the_last_one_holds() -> None:
    plain = run_of(PI)
    run = run_of(
        PI, Override(name="A", at_s=800.0, drive=0.2), Override(name="B", at_s=900.5, lasts_s=100.0, drive=0.7)
    )
    assert (run.drive[: at(run, 800.0)] == plain.drive[: at(run, 800.0)]).all()
    for time_s, drive in ((800.0, 0.2), (900.0, 0.2), (901.0, 0.7), (1000.0, 0.7), (1001.0, 0.2), (2500.0, 0.2)):
        assert run.drive[at(run, time_s)] == drive, time_s
    assert (
        measure(run).values["time_at_limit_s"]
        == measure(run_of(PI, Override(name="A", at_s=800.0, drive=0.2))).values["time_at_limit_s"]
    )


def test_what_is_at_its_limit_while_held_by_hand_does_not_count() -> None:
    held = run_of(PI, Override(name="A", at_s=0.0, lasts_s=600.0, drive=0.0))
    assert (held.asked[: at(held, 600.0)] > 1).any()  # it asks for more than there is, and is not given it
    limited = measure(held).values["time_at_limit_s"]
    free = (held.law_code >= 21) & (held.law_code <= 26) & (held.guard_code == 0)
    assert limited == pytest.approx(float(free[:-1].sum()) * held.rig.probe.interval_s)


def test_on_off_and_heat_and_cool_are_held_too() -> None:
    run = run_of(OnOff(), Override(name="A", at_s=900.0, lasts_s=300.0, drive=0.4))
    inside = (run.time_s >= 900) & (run.time_s < 1200)
    assert (run.drive[inside] == 0.4).all()
    assert set(np.unique(run.drive[~inside])) <= {0.0, 1.0}
    heater = one_lag().drive
    both = with_fields(one_lag(), drives=(heater, with_fields(heater, name="Cooler", acts="cools")))
    law = with_fields(PI, low=-1.0, dead_band=0.1, cooling_ratio=1.5)
    for drive in (-0.4, 0.0, 0.3):
        run = run_of(law, Override(name="A", at_s=900.0, lasts_s=300.0, drive=drive), rig=both)
        end = at(run, 1200.0)
        gap = abs(float(run.setpoint_degC[end] - run.measured_degC[end]))
        most = 1.5 * (law.kp_per_K / law.ti_s * gap + 2 * law.kp_per_K * 0.6) + 1e-9
        jump = abs(float(run.drive[end]) - drive)
        assert jump <= most, drive
    with pytest.raises(ValueError, match="both heat and cool"):
        Project(
            name="x", rig=one_lag(), candidates=(Candidate(name="PI", controller=PI),),
            trials=(with_fields(trial(100.0), events=(Override(name="A", at_s=1.0, drive=-0.2),)),),
        )  # fmt: skip


@pytest.mark.parametrize("law", [PI, PID])
@pytest.mark.parametrize("noise", [0.0, 0.2])
def test_other_settings_come_without_a_jump_and_act(law: Pid, noise: float) -> None:
    rig = one_lag(dead_time_s=5.0)
    rig = with_fields(rig, probes=(with_fields(rig.probe, noise_K=noise),))
    change = SettingsChange(name="More", at_s=300.0, gain_factor=3.0, ti_factor=0.5, td_factor=1.5)
    run, plain = run_of(law, change, rig=rig), run_of(law, rig=rig)
    k = at(run, 300.0)
    assert (run.drive[:k] == plain.drive[:k]).all()
    assert float(run.drive[k]) == pytest.approx(float(plain.drive[k]), abs=1e-9 if noise == 0 and law is PI else 0.2)
    # From then on it is the law with these settings.
    p = law.kp_per_K * 3 * (law.setpoint_weight * run.setpoint_degC - run.measured_degC)
    assert np.abs(run.p[k:] - p[k:]).max() < 1e-9
    step = run.i[k + 1 : -1] - run.i[k:-2]
    free = run.law_code[k:-2] == 20
    wanted = law.kp_per_K * 3 / (law.ti_s * 0.5) * (run.setpoint_degC - run.measured_degC)[k:-2]
    assert np.abs((step - wanted)[free]).max() < 1e-9
    distance = terms(run, run.time_s.size - 2)[0].drive
    gap = float(run.setpoint_degC[-2] - run.measured_degC[-2])
    assert distance == pytest.approx(3 * law.kp_per_K * gap, abs=1e-9)


def test_settings_change_back_at_the_end() -> None:
    change = SettingsChange(name="More", at_s=300.0, lasts_s=400.0, gain_factor=3.0)
    run = run_of(PI, change)
    late = at(run, 700.0)
    p = PI.kp_per_K * (PI.setpoint_weight * run.setpoint_degC - run.measured_degC)
    assert np.abs(run.p[late:] - p[late:]).max() < 1e-9
    assert np.abs(run.p[late - 1] - 3 * p[late - 1]) < 1e-9
    assert (run_of(OnOff(), change).drive == run_of(OnOff()).drive).all()
