"""The laws against sequences computed by hand, one sample at a time; and the same law inside the kernel."""

import numpy as np
import pytest

from kelvarn.engine.decision import Decision
from kelvarn.engine.laws import ask, curve, laws_of, on_off, pid, rows, took
from kelvarn.engine.on_trial import Stepper
from kelvarn.engine.run import compute
from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.edit import with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Near, Way
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Plan, SetpointChange
from tests.conftest import one_lag, trial

HEATS, COOLS, BOTH = Way(1), Way(-1), Way(1, both=True)


def decisions(controller: Controller, measured: list[float], setpoint: float = 60.0, h: float = 2.0, way: Way = HEATS):
    """What a law decides on a series of readings."""
    law = Stepper(controller, trial(10, setpoint).plan, h, way)
    return [law.step(y) for y in measured]


def drives(*args: object, **kwargs: object) -> list[float]:
    return [d.given for d in decisions(*args, **kwargs)]  # type: ignore[arg-type]


def test_on_off_switches_at_its_edges_and_keeps_inside() -> None:
    found = decisions(OnOff(below_K=1, above_K=2), [59.5, 59.0, 60.0, 61.9, 62.0, 60.0, 59.0])
    assert [d.given for d in found] == [0, 1, 1, 1, 0, 0, 1]
    assert [d.law_code for d in found] == [
        on_off.Code.KEEPS_OFF, on_off.Code.SWITCHES_ON, on_off.Code.KEEPS_ON, on_off.Code.KEEPS_ON,
        on_off.Code.SWITCHES_OFF, on_off.Code.KEEPS_OFF, on_off.Code.SWITCHES_ON,
    ]  # fmt: skip


def test_on_off_for_cooling_is_mirrored() -> None:
    assert drives(OnOff(below_K=1, above_K=2), [60.5, 61.0, 60.0, 58.1, 58.0], way=COOLS) == [0, 1, 1, 1, 0]


def test_restart_delay_counts_from_power_up_and_from_each_switching_off() -> None:
    found = decisions(OnOff(shortest_off_s=6), [50, 50, 50, 50, 70, 50, 50, 50, 50])
    assert [d.given for d in found] == [0, 0, 0, 1, 0, 0, 0, 1, 1]
    assert [d.delay_left_s for d in found[:3]] == [6, 4, 2]
    assert found[0].law_code == on_off.Code.RESTART_DELAY


def test_shortest_on_holds_it_on() -> None:
    found = decisions(OnOff(shortest_on_s=6), [50, 70, 70, 70, 70])
    assert [d.given for d in found] == [1, 1, 1, 0, 0]
    assert found[1].law_code == on_off.Code.SHORTEST_ON
    assert found[4].law_code == on_off.Code.STAYS_OFF


def test_confirm_delay_starts_over_when_the_condition_breaks() -> None:
    found = decisions(OnOff(confirm_s=4), [50, 50, 60, 50, 50, 50])
    assert [d.given for d in found] == [0, 0, 0, 0, 0, 1]
    assert found[1].law_code == on_off.Code.CONFIRMING
    assert found[1].delay_left_s == 2


def test_decision_interval_and_once() -> None:
    assert drives(OnOff(decide_every_s=6), [50, 70, 70, 70, 50, 50, 50]) == [1, 1, 1, 0, 0, 0, 1]
    found = decisions(OnOff(once=True), [50, 59.9, 60.0, 40.0])
    assert [d.given for d in found] == [1, 1, 0, 0]
    assert found[3].law_code == on_off.Code.DONE_ONCE


def test_p_by_hand() -> None:
    found = decisions(Pid(terms="P", kp_per_K=0.1, bias=0.2, setpoint_weight=0.3), [57, 59, 60, 61, 70])
    assert [d.given for d in found] == pytest.approx([0.5, 0.3, 0.2, 0.1, 0])
    assert found[4].law_code == pid.Code.AT_LOW
    assert found[4].asked == pytest.approx(-0.8)


def test_pi_by_hand_with_forward_integral() -> None:
    # Kp/Ti·h = 0.01; v_k = 0.1 e_k + 0.01 Σ_{j<k} e_j
    found = decisions(Pid(terms="PI", kp_per_K=0.1, ti_s=20), [58, 59, 60, 60.5])
    assert [d.asked for d in found] == pytest.approx([0.2, 0.12, 0.03, -0.02])
    assert [d.i for d in found] == pytest.approx([0, 0.02, 0.03, 0.03])


def test_d_by_hand_with_backward_difference_and_filter() -> None:
    # Td/N = 2 s, h = 2 s: D_k = D_{k-1}/2 − Kp Td (y_k − y_{k-1})/4 with Kp Td = 1.6
    found = decisions(Pid(kp_per_K=0.1, ti_s=1e6, td_s=16, low=0, high=1), [50, 51, 51, 53])
    assert [d.d for d in found] == pytest.approx([0, -0.4, -0.2, -0.9])


def test_weights_act_on_the_setpoint_only() -> None:
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=50), SetpointChange(at_s=2, to_degC=60)))
    law = Stepper(Pid(kp_per_K=0.01, ti_s=1e6, td_s=16, setpoint_weight=0.5, derivative_weight=1.0), plan, 2.0)
    at_rest = law.step(50)
    assert (at_rest.asked, at_rest.d) == (pytest.approx(0), 0)
    stepped = law.step(50)
    assert stepped.setpoint_degC == 60
    assert stepped.p + stepped.i == pytest.approx(0.05, abs=1e-4)  # Kp b Δr
    assert stepped.d == pytest.approx(0.01 * 16 * 10 / 4)


def test_the_start_does_not_depend_on_where_the_scale_has_its_zero() -> None:
    pi = Pid(terms="PI", kp_per_K=0.02, ti_s=100, setpoint_weight=0.3)
    warm = drives(pi, [20, 25, 30], 60)
    shifted = drives(pi, [120, 125, 130], 160)
    assert warm == pytest.approx(shifted)


def test_anti_windup_none_hold_and_back_calculation_by_hand() -> None:
    pi = Pid(terms="PI", kp_per_K=0.1, ti_s=20, tracking_s=10)
    ys = [40.0, 40.0, 40.0]  # e = 20: P = 2, asked beyond 1
    none = decisions(with_fields(pi, anti_windup="none"), ys)
    assert [d.i for d in none] == pytest.approx([0, 0.2, 0.4])
    assert none[0].law_code == pid.Code.AT_HIGH
    hold = decisions(with_fields(pi, anti_windup="hold"), [*ys, 61.0])
    assert [d.i for d in hold] == pytest.approx([0, 0, 0, 0])
    assert hold[0].law_code == pid.Code.HELD_HIGH
    back = decisions(pi, ys)
    # I += 0.2 + (2/10)(1 − v): 0 → 0.2 − 0.2 = 0; v stays 2
    assert [d.i for d in back] == pytest.approx([0, 0, 0])
    assert back[0].law_code == pid.Code.PULLED_HIGH
    low = decisions(with_fields(pi, anti_windup="hold"), [80.0, 59.0])
    assert low[0].law_code == pid.Code.HELD_LOW
    assert low[1].i == 0


def test_rate_limit_comes_after_the_clamp() -> None:
    found = decisions(Pid(terms="P", kp_per_K=1, rate_per_s=0.1), [0, 0, 0, 100, 100])
    assert [d.given for d in found] == pytest.approx([0.2, 0.4, 0.6, 0.4, 0.2])
    assert [found[0].law_code, found[3].law_code] == [pid.Code.RATE_UP, pid.Code.RATE_DOWN]


@pytest.mark.parametrize(
    "controller",
    [
        OnOff(shortest_on_s=9, shortest_off_s=14, confirm_s=4, decide_every_s=6),
        OnOff(once=True),
        Pid(terms="P", kp_per_K=0.2),
        Pid(terms="PI", kp_per_K=0.2, ti_s=60, anti_windup="hold", rate_per_s=0.05),
        Pid(kp_per_K=0.3, ti_s=90, td_s=12, setpoint_weight=0.6, derivative_weight=0.2, anti_windup="none"),
        Pid(kp_per_K=0.3, ti_s=90, td_s=12, low=0.1, high=0.8),
        Pid(terms="PI", kp_per_K=0.3, ti_s=90, zone_K=5, setpoint_rate_K_per_s=0.02, feed_per_K=0.01, memory_high=0.4),
        OnOff(notation="band", band_K=0.7),
        OnOff(notation="share", band_share=0.01, confirm_s=4),
        Fixed(drive=0.3),
    ],
)
@pytest.mark.parametrize("acts", ["heats", "cools"])
def test_kernel_and_stepper_are_one_law(cabinet: Project, controller: Controller, acts: str) -> None:
    drive = with_fields(cabinet.rig.drive, acts=acts)
    rig = with_fields(cabinet.rig, drives=(drive,))
    run = compute(rig, controller, with_fields(cabinet.trials[0], duration_s=7300, events=cabinet.trials[0].events[:1]))
    law = Stepper(controller, run.trial.plan, rig.probe.interval_s, rig.way)
    for k in range(run.time_s.size):
        decision = law.step(float(run.measured_degC[k]))
        said = (decision.setpoint_degC, decision.given, decision.p, decision.i, decision.d)
        kept = (run.setpoint_degC[k], run.drive[k], run.p[k], run.i[k], run.d[k])
        assert said == pytest.approx(kept, abs=1e-11)  # the compiled kernel multiplies and adds in one rounding
        assert decision.law_code == run.law_code[k]


def test_p_holds_the_offset_that_theory_gives() -> None:
    """One lag, gain 100 K: y = 20 + 100·Kp(r − y) at rest."""
    run = compute(one_lag(), Pid(terms="P", kp_per_K=0.05), trial(4000, 60))
    assert run.bodies_degC[0, -1] == pytest.approx((20 + 5 * 60) / 6, abs=0.01)
    assert np.ptp(run.bodies_degC[0, -100:]) < 0.01


def overridden(controller: Controller, measured: list[float], held: list[float | None], h: float = 2.0) -> list[float]:
    """What a law asks for while something stronger gives what it wants where that is a number."""
    law, out, found = laws_of(controller, HEATS, rows), Decision(), []
    for y, forced in zip(measured, held, strict=True):
        ask(law, 60.0, y, round(1000 * h) if found else 0, h, out)
        took(law, out.proposed if forced is None else forced, h, out)
        found.append(out.proposed)
    return found


def test_a_law_learns_what_was_really_given() -> None:
    # The memory is pulled towards what is given, as if that were its limit: it does not wind up meanwhile.
    pi = Pid(terms="PI", kp_per_K=0.02, ti_s=40, tracking_s=20)
    asked = overridden(pi, [55.0] * 400, [0.0] * 399 + [None])
    assert asked[-1] == pytest.approx(0.02 * 5 / 40 * 20, abs=1e-3)  # where pull and push are even
    # The rate limit counts from what was given.
    limited = overridden(Pid(terms="P", kp_per_K=1, rate_per_s=0.1), [0.0] * 4, [0.9, 0.9, None, None])
    assert limited[2:] == pytest.approx([1.0, 1.0])
    # A delay counts from when it was really switched off.
    on_off_asked = overridden(
        OnOff(shortest_off_s=6), [50.0] * 9, [None, None, None, None, 0.0, None, None, None, None]
    )
    assert on_off_asked == [0, 0, 0, 1, 1, 0, 0, 1, 1]


def test_the_four_notations_of_on_off_are_one_law() -> None:
    readings = list(np.round(60 + 3 * np.sin(np.arange(200) / 7), 2))
    for way in (HEATS, COOLS):
        near, edges = Near(60.0, way), OnOff(below_K=1.2, above_K=1.2, shortest_off_s=4)
        asked = drives(edges, readings, way=way)
        assert set(asked) == {0, 1}
        for notation in ("band", "cuts", "share"):
            other = edges.written_as(notation, near)
            assert other.rulers != edges.rulers
            assert drives(other, readings, way=way) == asked
            back = other.written_as("edges", near)
            assert (back.below_K, back.above_K) == (pytest.approx(1.2), pytest.approx(1.2))
    cuts = OnOff(below_K=1, above_K=0.5).written_as("cuts", Near(60.0, COOLS))
    assert (cuts.cut_in_degC, cuts.cut_out_degC) == (61.0, 59.5)
    assert drives(cuts, [60.5, 61, 60, 59.5], setpoint=10.0, way=COOLS) == [0, 1, 1, 0]  # whatever the setpoint


def test_notations_that_cannot_say_it_are_refused_in_words() -> None:
    near = Near(60.0, HEATS)
    with pytest.raises(ValueError, match="same on both sides"):
        OnOff(below_K=1, above_K=0.5).written_as("band", near)
    with pytest.raises(ValueError, match="one side of the setpoint"):
        OnOff(notation="cuts", cut_in_degC=61, cut_out_degC=63).written_as("edges", near)
    with pytest.raises(ValueError, match="0 °C is no band"):
        OnOff().written_as("share", Near(0.0, HEATS))
    OnOff(notation="cuts", cut_in_degC=20, cut_out_degC=22).check(HEATS)
    with pytest.raises(ValueError, match="must cut in above cut-out"):
        OnOff(notation="cuts", cut_in_degC=20, cut_out_degC=22).check(COOLS)


def test_on_off_heats_and_cools_with_a_dead_band_between() -> None:
    law = OnOff(below_K=1, above_K=1, dead_band_K=4)  # heats at 59, off at 61; cools from 65, off at 63
    assert drives(law, [58, 60, 61, 64.9, 65, 64, 63, 62, 59], way=BOTH) == [1, 1, 0, 0, -1, -1, 0, 0, 1]
    assert drives(law, [58, 70, 70], way=BOTH) == [1, 0, -1]  # through off, so that delays count
    slow = OnOff(below_K=1, above_K=1, dead_band_K=4, shortest_off_s=4, shortest_on_s=6)
    assert drives(slow, [70, 70, 70, 60, 60, 60, 50, 50], way=BOTH) == [0, 0, -1, -1, -1, 0, 0, 1]


STEPS = (
    CurveStep(from_degC=40, drive=0.3, back_off_K=3),
    CurveStep(from_degC=50, drive=0.5, back_off_K=0),
    CurveStep(from_degC=60, drive=1.0, back_off_K=2),
)


def test_a_curve_by_steps_takes_and_leaves_each_step_at_its_own_temperature() -> None:
    law = Curve(steps=STEPS)
    readings = [39.9, 40, 37.1, 37, 36.9, 49.9, 50, 49.9, 65, 58, 57.9, 20]
    found = decisions(law, readings, way=COOLS)
    assert [d.given for d in found] == [0, 0.3, 0.3, 0.3, 0, 0.3, 0.5, 0.3, 1.0, 1.0, 0.5, 0]
    taken, left, kept = curve.Code.STEP_TAKEN, curve.Code.STEP_LEFT, curve.Code.STEP_KEPT
    assert [found[k].law_code for k in (1, 2, 4, 8, 9, 10)] == [taken, kept, left, taken, kept, left]
    # Mirrored: a drive that heats gives more the colder it is.
    mirrored = Curve(steps=tuple(with_fields(step, from_degC=100 - step.from_degC) for step in STEPS))
    assert drives(mirrored, [100 - y for y in readings]) == [d.given for d in found]


def test_a_curve_by_ramp_has_a_floor_and_stops_a_hysteresis_before_its_start() -> None:
    law = Curve(shape="ramp", start_degC=40, full_degC=60, floor=0.2, back_off_K=3)
    readings = [39, 40, 50, 60, 80, 39, 37, 36.9, 39]
    assert drives(law, readings, way=COOLS) == pytest.approx([0, 0.2, 0.6, 1, 1, 0.2, 0.2, 0, 0])
    assert drives(with_fields(law, levels=4), [45], way=COOLS) == [0.5]  # 0.4 rounded to quarters
    slow = with_fields(law, rate_per_s=0.05)
    assert drives(slow, [20, 80, 80, 20], way=COOLS) == pytest.approx([0, 0.1, 0.2, 0.1])


def test_curves_that_cannot_be_are_refused_in_words() -> None:
    with pytest.raises(ValueError, match="follow one another"):
        Curve(steps=(STEPS[0], STEPS[2], STEPS[1]))
    with pytest.raises(ValueError, match="more than the one before"):
        Curve(steps=(STEPS[0], with_fields(STEPS[1], drive=0.2)))
    with pytest.raises(ValueError, match="another temperature"):
        Curve(shape="ramp", start_degC=40, full_degC=40)
    with pytest.raises(ValueError, match="full must be at the higher one"):
        Curve(shape="ramp", start_degC=60, full_degC=40).check(COOLS)
    with pytest.raises(ValueError, match="more belongs to lower"):
        Curve(steps=STEPS).check(HEATS)


def test_the_memory_waits_outside_its_zone_and_stays_in_its_limits() -> None:
    # Kp/Ti·h = 0.01: outside the zone nothing is added, inside 0.01 e a sample.
    law = Pid(terms="PI", kp_per_K=0.1, ti_s=20, anti_windup="none", zone_K=2)
    assert [d.i for d in decisions(law, [50, 58, 58, 57.9, 59])] == pytest.approx([0, 0, 0.02, 0.04, 0.04])
    limited = with_fields(law, zone_K=None, memory_low=-0.05, memory_high=0.15)
    assert [d.i for d in decisions(limited, [50, 50, 50, 70, 70, 70, 70])] == pytest.approx(
        [0, 0.1, 0.15, 0.15, 0.05, -0.05, -0.05]
    )
    # The memory is counted from the setpoint: what its weight takes off at the start is memory below 0, and limited.
    weighted = with_fields(limited, setpoint_weight=0.5)
    found = decisions(weighted, [50, 50, 50, 50, 50])
    assert [d.p + d.i for d in found] == pytest.approx([0.5, 0.95, 1.05, 1.15, 1.15])


def test_the_setpoint_ramp_starts_at_the_reading() -> None:
    law = Pid(terms="P", kp_per_K=0.1, setpoint_rate_K_per_s=0.5)
    assert drives(law, [50, 50, 50, 52]) == pytest.approx([0, 0.1, 0.2, 0.1])
    assert [d.p for d in decisions(law, [70, 70, 70], way=COOLS)] == pytest.approx([0, 0.1, 0.2])


def test_feed_forward_goes_with_the_setpoint() -> None:
    law = Pid(terms="P", kp_per_K=0.1, feed_per_K=0.01, feed_from_degC=20)
    assert drives(law, [60, 59]) == pytest.approx([0.4, 0.5])
    cool = with_fields(law, feed_from_degC=80)
    assert drives(cool, [60], way=COOLS) == pytest.approx([0.2])


def test_cooling_has_a_gain_of_its_own_beyond_a_dead_band() -> None:
    law = Pid(terms="P", kp_per_K=0.1, low=-1, dead_band=0.2, cooling_ratio=2)
    # v = 0.1 e: ±0.1 is nothing; beyond it v − 0.1, or twice v + 0.1.
    assert drives(law, [57, 59.5, 61, 62, 64, 70], way=BOTH) == pytest.approx([0.2, 0, 0, -0.2, -0.6, -1])
    # The memory is pulled by what is missing, in its own measure.
    back = with_fields(law, terms="PI", ti_s=1e6, tracking_s=10)
    assert decisions(back, [75, 75], way=BOTH)[1].i == pytest.approx(0.2 * (-1 + 2.8) / 2, abs=1e-5)
