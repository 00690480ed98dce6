"""Measures on made signals whose answers are known; marks; sentences."""

from collections.abc import Callable

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.engine.marks import judge
from kelvarn.engine.measures import measure
from kelvarn.engine.plan import setpoint_at
from kelvarn.engine.run import Run, compute
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.files.tables import measures_json
from kelvarn.model.edit import with_fields
from kelvarn.model.events import Load
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.studies.results import Results
from kelvarn.units import Scale
from kelvarn.words.why import why
from tests.conftest import one_lag, trial, with_course


def made(signal: Callable[[np.ndarray], np.ndarray], duration_s: float = 1000, **more: object) -> Run:
    """A run whose temperature is a made signal of time."""
    run = compute(one_lag(), OnOff(), trial(duration_s, **more))  # type: ignore[arg-type]
    values = signal(run.time_s)
    return with_course(run, values)


def test_rise_overshoot_and_settling_of_a_second_order_signal() -> None:
    zeta, w = 0.4, 0.05
    damped = w * np.sqrt(1 - zeta**2)

    def signal(t: np.ndarray) -> np.ndarray:
        return 20 + 40 * (1 - np.exp(-zeta * w * t) * (np.cos(damped * t) + zeta * w / damped * np.sin(damped * t)))

    run = made(signal, setpoint_degC=60, band_K=0.8)
    first = measure(run).first
    over = 40 * np.exp(-np.pi * zeta / np.sqrt(1 - zeta**2))
    assert first.values["overshoot_K"] == pytest.approx(over, rel=1e-3)
    assert first.values["overshoot_pct"] == pytest.approx(over / 0.4, rel=1e-3)
    assert first.peak_s == pytest.approx(np.pi / damped, abs=1)
    fine = np.linspace(0, 1000, 2_000_001)
    y = signal(fine)
    assert first.values["settling_s"] == pytest.approx(fine[np.abs(y - 60) > 0.8].max(), abs=0.05)
    rise = fine[np.argmax(y >= 56)] - fine[np.argmax(y >= 24)]
    assert first.values["rise_s"] == pytest.approx(rise, abs=0.05)


def test_cooling_down_overshoots_downwards() -> None:
    first = measure(made(lambda t: np.where(t < 50, 80.0, np.where(t < 100, 55.0, 60.0)))).first
    assert first.values["overshoot_K"] == pytest.approx(5)
    assert first.values["overshoot_pct"] == pytest.approx(25)


def test_swing_and_period_of_a_sine() -> None:
    first = measure(made(lambda t: 61 + 3 * np.sin(2 * np.pi * t / 37))).first
    assert first.values["swing_K"] == pytest.approx(6, abs=0.03)
    assert first.values["swing_period_s"] == pytest.approx(37, abs=0.05)
    assert first.values["settling_s"] is None
    assert "outside the band" in first.reasons["settling_s"]


def test_integrals_and_steady_error_of_a_constant() -> None:
    first = measure(made(lambda t: np.full_like(t, 58.0))).first
    assert first.values["iae_Ks"] == pytest.approx(2000)
    assert first.values["ise_K2s"] == pytest.approx(4000)
    assert first.values["itae_Ks2"] == pytest.approx(1e6)
    assert first.values["steady_error_K"] == pytest.approx(-2)
    assert first.values["swing_K"] == 0
    assert first.values["swing_period_s"] is None
    assert first.values["overshoot_K"] == 0


def test_settling_needs_to_stay_inside_long_enough() -> None:
    late = measure(made(lambda t: np.where(t < 960, 59.4, 60.0))).first  # inside for 4 %
    assert late.values["settling_s"] is None
    assert "too short" in late.reasons["settling_s"]
    early = measure(made(lambda t: np.where(t < 900, 50.0, 60.0))).first
    assert early.values["settling_s"] == pytest.approx(899.95, abs=0.06)
    always = measure(made(lambda t: np.full_like(t, 60.0))).first
    assert always.values["settling_s"] == 0
    assert always.values["rise_s"] is None


def test_sag_and_recovery_after_an_event() -> None:
    knock = Load(name="Knock", at_s=400, lasts_s=10, body="Block", power_W=-1)
    run = made(lambda t: np.where((t >= 420) & (t < 500), 52.0, 60.0), events=(knock,))
    found = measure(run)
    window = found.event("Knock")
    assert (window.from_s, window.to_s) == (400, 1000)
    assert window.values["sag_K"] == 8
    assert window.values["recovery_s"] == pytest.approx(99.94, abs=0.07)
    assert found.first.to_s == 400
    assert found.first.values["iae_Ks"] == 0


def test_the_main_window_is_where_it_goes_furthest_over() -> None:
    plan = Plan(changes=tuple(SetpointChange(at_s=at, to_degC=to) for at, to in ((0, 20), (100, 60), (900, 30))))
    events = tuple(Load(name=f"Knock {at}", at_s=at, lasts_s=10, body="Block", power_W=-1) for at in (150, 160))
    for happens, expected in ((), (100, 900, 60)), (events, (100, 150, 60)):
        main = measure(compute(one_lag(), OnOff(), with_fields(trial(1000), plan=plan, events=happens))).main
        assert (main.from_s, main.to_s, main.setpoint_degC) == expected


def test_a_mark_on_a_ramp_is_judged_where_it_ramps() -> None:
    kiln = find_demo("enamelling-kiln").build()
    marks = tuple(Mark(measure=name, limit=20) for name in ("tracking_max_K", "overshoot_K"))
    result = Results().of(kiln.rig, kiln.candidates[1], with_fields(kiln.trials[0], marks=marks))
    assert result.measures.first.values["tracking_max_K"] is None
    assert [verdict.met for verdict in result.verdicts] == [True, True]
    assert result.verdicts[1].value == result.measures.windows[1].values["overshoot_K"]


def test_tracking_of_a_ramp_starts_at_the_first_reach() -> None:
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=20), SetpointChange(at_s=100, to_degC=60, ramp_K_per_s=0.1)))
    run = compute(one_lag(), OnOff(), with_fields(trial(1000), plan=plan))
    assert setpoint_at(plan, np.array([50.0, 100.0, 300.0, 500.0, 900.0]), 20.0).tolist() == pytest.approx(
        [20, 20, 40, 60, 60]
    )
    lagging = np.where(run.time_s < 150, run.setpoint_degC - 3, run.setpoint_degC + 0.2)
    lagging[run.time_s > 300] -= 1.4
    found = measure(with_course(run, lagging))
    assert found.windows[1].values["tracking_max_K"] == pytest.approx(1.2)
    assert found.windows[0].values["tracking_max_K"] is None


def test_a_ramp_between_almost_equal_setpoints_is_no_trouble() -> None:
    nearly = SetpointChange(at_s=5, to_degC=20 + 1e-14, ramp_K_per_s=1.0)
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=20), nearly, SetpointChange(at_s=9, to_degC=30)))
    assert setpoint_at(plan, np.array([4.0, 5.0, 8.0, 9.0]), 20.0).tolist() == pytest.approx([20, 20, 20, 30])


def test_a_setpoint_change_ends_the_window_before_it() -> None:
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=30), SetpointChange(at_s=500, to_degC=60)))
    run = compute(one_lag(), OnOff(), with_fields(trial(1000), plan=plan))
    found = measure(with_course(run, np.where(run.time_s <= 500, 30.0, 60.0)))
    assert found.windows[0].values["steady_error_K"] == 0  # the value at 500 s belongs to it, the setpoint does not
    assert [w.values["settling_s"] for w in found.windows] == [0, pytest.approx(500.0 + 29.5 / 30 - 500, abs=1e-6)]


def test_no_measure_is_ever_nan_and_each_missing_one_has_a_reason(cabinet: Project) -> None:
    for duration in (7200.5, 7202, 14400):
        test = with_fields(cabinet.trials[0], duration_s=duration, events=cabinet.trials[0].events[:1], marks=())
        for candidate in cabinet.candidates:
            found = measure(compute(cabinet.rig, candidate.controller, test))
            for part in (*found.windows, found):
                for key, value in part.values.items():
                    assert (value is None) == bool(part.reasons.get(key)), key
                    assert value is None or np.isfinite(value)


def test_drive_measures(cabinet: Project) -> None:
    run = compute(cabinet.rig, cabinet.candidates[0].controller, cabinet.trials[0])
    values = measure(run).values
    delayed = 5  # the last sample moves no heat, nor do the four whose pulses are still under way for 8 s
    assert values["energy_J"] == pytest.approx(run.drive[:-delayed].sum() * 2 * 250)
    assert values["mean_drive"] == pytest.approx(run.drive[:-1].mean())
    assert values["switch_ons_per_h"] == run.switching[0].ons / 4
    assert values["travel"] == np.abs(np.diff(run.drive)).sum()
    assert values["time_at_limit_s"] is None
    ons = np.flatnonzero(np.diff(run.drive) > 0)
    assert run.switching[0].ons == pytest.approx(ons.size, abs=1)


def test_marks_are_met_missed_or_impossible(cabinet: Project) -> None:
    test = with_fields(
        cabinet.trials[0],
        marks=(
            Mark(measure="overshoot_K", limit=1.0),
            Mark(measure="overshoot_K", limit=1.0, direction="at_least"),
            Mark(measure="steady_error_K", limit=0.5, direction="within"),
            Mark(measure="relay_life_years", limit=1, direction="at_least"),
            Mark(measure="limit_margin_K", body="Heater mat", limit=5, direction="at_least"),
            Mark(measure="limit_margin_K", body="Air", limit=5, direction="at_least"),
        ),
    )
    found = judge(test, measure(compute(cabinet.rig, cabinet.candidates[1].controller, test)))
    assert [v.met for v in found] == [True, False, True, False, True, False]
    assert found[3].value is None
    assert found[3].reason == "no drive is a relay"
    assert found[5].reason == "the body has no rated limit"


def test_every_decision_has_a_sentence(cabinet: Project) -> None:
    on_off, pid = (c.controller for c in cabinet.candidates)
    run = compute(cabinet.rig, on_off, cabinet.trials[0])
    sentences = {why(run, k) for k in range(0, run.time_s.size, 7)}
    assert "19.1 °C is below 59.0 °C: stays on" in sentences
    assert any("is between 59.0 °C and 61.0 °C: stays off" in s for s in sentences)
    assert any("is above 61.0 °C: switches off" in s for s in {why(run, k) for k in range(run.time_s.size)})
    assert "°F" in why(run, 5, Scale.FAHRENHEIT)
    limited = why(compute(cabinet.rig, pid, cabinet.trials[0]), 10)
    assert "gives 100 %: integral pulled back" in limited
    delayed = why(compute(cabinet.rig, OnOff(shortest_off_s=90), cabinet.trials[0]), 24)
    assert delayed.startswith("restart delay, 42 s left")


def test_what_never_comes_to_its_setpoint_meets_no_mark_that_presumes_it() -> None:
    """What does not heat does not overshoot, and switches seldom; how hot it gets is told all the same."""
    marks = (
        Mark(measure="overshoot_K", limit=1), Mark(measure="switch_ons_per_h", limit=50),
        Mark(measure="hottest_degC", limit=80, body="Block"),
    )  # fmt: skip
    asked = trial(3000, 60.0, marks=marks)
    for law, met in ((Pid(terms="P", kp_per_K=1e-4), [False, False, True]), (Pid(terms="P", kp_per_K=2.0), [True] * 3)):
        verdicts = judge(asked, measure(compute(one_lag(), law, asked)))
        assert [each.met for each in verdicts] == met
        assert all("never reaches its setpoint" in each.text(Scale.CELSIUS) for each in verdicts if not each.met)
    near = with_fields(asked, marks=(*marks[:1], Mark(measure="steady_error_K", limit=3, direction="within")))
    offset = judge(near, measure(compute(one_lag(), Pid(terms="P", kp_per_K=0.2), near)))
    assert all(each.met for each in offset)  # a mark on the steady error says how near is there


def test_rest_and_holding_drive(cabinet: Project) -> None:
    found = can_hold(cabinet.rig, 60.0)
    assert found is not None
    assert found.holding_drive is not None
    held = rest_degC(cabinet.rig, found.holding_drive)
    assert held is not None
    assert held[1] == pytest.approx(60.0)
    assert found.end_degC["Walls"] == pytest.approx(19 + 250 / 1.6)
    assert can_hold(with_fields(cabinet.rig, links=cabinet.rig.links[:3]), 60.0) is None


def test_pid_at_the_limit_is_timed() -> None:
    run = compute(one_lag(), Pid(terms="PI", kp_per_K=0.5, ti_s=100), trial(500, 60))
    limited = measure(run).values["time_at_limit_s"]
    assert limited == pytest.approx(float(np.count_nonzero((run.asked[:-1] > 1) | (run.asked[:-1] < 0))), abs=1)


def test_the_value_at_the_next_change_still_belongs_to_a_window() -> None:
    """A ramp of 1 K/s that peaks at the very instant of the change, and one that peaks between two samples."""
    for at_s in (500.0, 500.4):
        plan = Plan(changes=(SetpointChange(at_s=0, to_degC=60), SetpointChange(at_s=at_s, to_degC=20)))
        run = compute(one_lag(), OnOff(), with_fields(trial(1000), plan=plan))
        t = run.time_s
        first = measure(with_course(run, np.where(t <= 501, 20 + 0.1 * t, 20.0))).first
        assert first.to_s == at_s
        assert first.values["overshoot_K"] == pytest.approx(20 + 0.1 * at_s - 60)
        assert first.values["iae_Ks"] == pytest.approx(40 * 400 / 2 + 0.1 * (at_s - 400) ** 2 / 2)


def test_sag_is_from_where_it_stood_when_the_event_began() -> None:
    knock = Load(name="Knock", at_s=400, lasts_s=10, body="Block", power_W=-1)
    run = made(lambda t: np.where((t >= 420) & (t < 500), 52.0, 58.5), events=(knock,))
    assert measure(run).event("Knock").values["sag_K"] == 6.5


def test_on_off_has_no_limit_to_be_at(cabinet: Project) -> None:
    found = measure(compute(cabinet.rig, cabinet.candidates[0].controller, cabinet.first_trial))
    assert found.values["time_at_limit_s"] is None
    assert found.reasons["time_at_limit_s"] == "does not apply to on/off"


def test_starts_are_counted_of_every_kind_of_drive() -> None:
    fan = find_demo("heatsink-fan").build()
    found = measure(compute(fan.rig, OnOff(below_K=3, above_K=3), fan.first_trial))
    assert (found.values["switch_ons_per_h"] or 0) > 0
    assert found.values["shortest_on_s"] is not None


def test_json_speaks_of_the_window_that_marks_speak_of() -> None:
    kiln = find_demo("enamelling-kiln").build()
    found = measure(compute(kiln.rig, kiln.candidates[1].controller, kiln.first_trial))
    told = measures_json(found)
    assert told["overshoot_K"] == found.main.values["overshoot_K"]
    assert told["main_window"]["from_s"] == found.main.from_s
    assert found.main is not found.first


@pytest.mark.parametrize(("peak_after", "belongs"), [(499, 0), (500, 1), (998, 1)])
def test_a_peak_between_samples_belongs_to_the_window_it_is_in(peak_after: int, belongs: int) -> None:
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=60), SetpointChange(at_s=500, to_degC=70)))
    run = compute(one_lag(), OnOff(), with_fields(trial(999), plan=plan))
    course = np.where(run.time_s < 500, 60.0 - 0.01 * (500 - run.time_s), 70.0 - 0.01 * (999 - run.time_s))
    found = measure(with_course(run, course, peak_after))
    peak = course[peak_after : peak_after + 2].max() + 5.0
    assert found.windows[belongs].values["overshoot_K"] == pytest.approx(peak - (60, 70)[belongs])
