"""Fits of made logs, whose truth is known: values, intervals, what cannot be told, what has changed, what to record."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from kelvarn.engine.answer import follow
from kelvarn.fit.design import Kind
from kelvarn.fit.least_squares import covariance
from kelvarn.fit.observed import FitError, noise_K, observed, resolution_K
from kelvarn.fit.response import ResponseFit, apply_to, fit_response
from kelvarn.fit.trust import preferred, report, seen_share, steady_from_s, two_points
from kelvarn.model.log import LogSpan
from kelvarn.model.log_data import Floats, LogData
from kelvarn.units import Quantity, round_up_s, show

from .made_logs import NOISE, STEP, of, shown, step_log

# The answer, against an independent integration


@pytest.mark.parametrize("held", [True, False])
@pytest.mark.parametrize(("lag", "lag2"), [(40.0, 0.0), (40.0, 7.0), (20.0, 20.0), (0.0, 0.0)])
def test_answer_is_that_of_a_stiff_integration(lag: float, lag2: float, *, held: bool) -> None:
    r = np.random.default_rng(3)
    at = np.cumsum(r.uniform(1, 9, 25))
    value = r.uniform(-1, 1, 25)
    dead, t = 3.7, np.sort(r.uniform(0, 150, 60))
    found = np.empty(60)
    follow(at, value, int(held), lag, lag2, dead, t, found)

    def course(s: float) -> float:
        s -= dead
        k = int(np.searchsorted(at, s, side="right")) - 1
        if k < 0:
            return float(value[0])
        return float(value[k]) if held else float(np.interp(s, at, value))

    def slope(s: float, x: Floats) -> list[float]:
        first = course(s) if lag == 0 else (course(s) - x[0]) / lag
        return [first, (x[0] - x[1]) / lag2 if lag2 else 0.0]

    x, now, expected = np.zeros(2), float(t[0]), []
    edges = np.sort(np.concatenate([t, at + dead]))
    wanted = set(t.tolist())
    for end in edges[edges >= t[0]]:
        if end > now:
            x = solve_ivp(slope, (now, end - 1e-9), x, rtol=1e-9, atol=1e-11).y[:, -1]
            now = float(end)
        if float(end) in wanted:
            expected.append(x[1] if lag2 else x[0])
    assert found == pytest.approx(np.array(expected), abs=2e-5)


# Values and intervals


@pytest.mark.parametrize("seed", range(6))
def test_a_step_that_saw_nine_tenths_gives_its_values(seed: int) -> None:
    fit = fit_response([of(step_log(seed))])
    assert fit.value("gain_K") == pytest.approx(100, rel=0.02)
    assert fit.value("lag_s") == pytest.approx(900, rel=0.03)
    assert fit.value("dead_time_s") == pytest.approx(30, abs=1.5)
    assert fit.rms_K == pytest.approx(math.hypot(NOISE, STEP / math.sqrt(12)), rel=0.1)
    assert fit.explained > 0.999


@pytest.mark.long
def test_intervals_cover_the_truth_about_as_often_as_they_say() -> None:
    truth = {"gain_K": 100.0, "lag_s": 900.0, "dead_time_s": 30.0}
    inside = dict.fromkeys(truth, 0)
    for seed in range(40):
        fit = fit_response([of(step_log(seed, every=6.0))])
        for name, value in truth.items():
            inside[name] += fit.values[name].low <= value <= fit.values[name].high
    assert all(34 <= count <= 40 for count in inside.values()), inside


@pytest.mark.long
def test_aic_prefers_the_order_that_it_is() -> None:
    one = [preferred(_both(step_log(seed))) for seed in range(6)]
    two = [preferred(_both(step_log(seed, lag2=60.0))) for seed in range(6)]
    assert one.count("one_lag") >= 5
    assert two.count("two_lags") >= 5


def _both(data: LogData) -> dict[Kind, ResponseFit]:
    kinds: tuple[Kind, ...] = ("one_lag", "two_lags")
    return {kind: fit_response([of(data)], kind) for kind in kinds}


def test_an_integrating_one_is_found_and_preferred() -> None:
    t = np.arange(0, 1500, 2.0)
    u = np.where((t > 100) & (t < 700), 0.5, 0.0)
    y = 20 + 0.1 * np.interp(t - 20, t, np.cumsum(u) * 2.0, left=0)
    found = report([of(LogData(t, shown(y, 1), u))])
    assert found.fit.kind == "integrating"
    assert found.seen is None
    assert found.fit.value("rise_K_per_s") == pytest.approx(0.1, rel=0.01)
    assert found.fit.value("dead_time_s") == pytest.approx(20, abs=3)


@pytest.mark.parametrize("seed", [1, 2])
def test_relay_swings_and_a_cooling_drive_are_fitted_too(seed: int) -> None:
    t = np.arange(0, 6000, 2.0)
    u = ((t // 240) % 2 == 1).astype(float)
    y = np.empty(t.size)
    follow(t, u, 1, 500.0, 0.0, 12.0, t, y)
    fit = fit_response([of(LogData(t, shown(60 - 40 * y, seed), u))])
    assert fit.value("gain_K") == pytest.approx(-40, rel=0.02)
    assert fit.value("lag_s") == pytest.approx(500, rel=0.03)
    assert fit.value("dead_time_s") == pytest.approx(12, abs=2)
    assert fit.model().gain_K == pytest.approx(40, rel=0.02)


def test_several_logs_share_their_values_and_each_has_its_rest() -> None:
    logs = [observed("cold", step_log(1)), observed("warm", step_log(2, rest=31.0, drive=0.3))]
    fit = fit_response(logs)
    alone = fit_response(logs[:1])
    assert fit.values["gain_K"].half < alone.values["gain_K"].half
    assert [log.rest_degC.value for log in fit.logs] == pytest.approx([19, 31], abs=0.1)


def test_surroundings_that_were_recorded_are_accounted_for() -> None:
    data = step_log(3)
    room = 19 + 4 * data.time_s / data.time_s[-1]
    extra = np.empty(data.time_s.size)
    follow(data.time_s, room - 19, 0, 900.0, 0.0, 0.0, data.time_s, extra)
    warmer = LogData(data.time_s, data.measured_degC + extra, data.drive, shown(room, 9))
    with_room, without = (
        fit_response([of(warmer)]),
        fit_response([of(LogData(data.time_s, warmer.measured_degC, data.drive))]),
    )
    assert with_room.value("gain_K") == pytest.approx(100, rel=0.02)
    assert abs(without.value("gain_K") - 100) > 3


def test_outliers_count_less_where_asked() -> None:
    data = step_log(4)
    spoilt = data.measured_degC.copy()
    spoilt[spoilt.size // 2 :: 17] += 12.0  # warm rows alone: the plain gain is pulled up
    logs = [of(LogData(data.time_s, spoilt, data.drive))]
    plain, robust = fit_response(logs), fit_response(logs, robust=True)
    assert abs(plain.value("gain_K") - 100) > 1.0
    assert abs(robust.value("gain_K") - 100) < 0.25 * abs(plain.value("gain_K") - 100)


def test_a_log_that_begins_at_rest_at_half_the_drive_is_taken_for_that() -> None:
    data = step_log(3, drive=0.3)
    assert data.drive is not None
    warm = LogData(data.time_s, data.measured_degC + 40.0, data.drive + 0.4)
    fit = fit_response([of(warm)])
    assert fit.rests
    assert fit.value("gain_K") == pytest.approx(100, rel=0.02)
    assert fit.logs[0].rest_degC.value == pytest.approx(19.0, abs=1.0)


def test_a_stretch_left_out_does_not_spoil_the_rest() -> None:
    data = step_log(5)
    spoilt = data.measured_degC.copy()
    inside = (data.time_s > 1000) & (data.time_s < 1150)
    spoilt[inside] -= 20.0
    made = LogData(data.time_s, spoilt, data.drive)
    out = observed("x", made, left_out=(LogSpan(from_s=990, to_s=1160),))
    assert fit_response([out]).value("gain_K") == pytest.approx(100, rel=0.02)
    assert fit_response([of(made)]).rms_K > 3 * fit_response([out]).rms_K
    used = observed("x", data, LogSpan(from_s=60, to_s=900))
    assert used.t[0] >= 60
    assert used.t[-1] <= 900


def test_slow_residuals_widen_the_intervals() -> None:
    data = step_log(6)
    wave = LogData(data.time_s, data.measured_degC + 0.8 * np.sin(data.time_s / 150), data.drive)
    plain, waved = fit_response([of(data)]), fit_response([of(wave)])
    assert plain.inflation < 2
    assert waved.inflation > 10
    assert waved.values["gain_K"].half > 5 * plain.values["gain_K"].half


def test_two_points_and_where_it_stands_still() -> None:
    log = of(step_log(7, seen=0.999))
    quick = two_points(log)
    assert quick is not None
    assert quick.gain_K == pytest.approx(100, rel=0.03)
    assert quick.lag_s == pytest.approx(900, rel=0.05)
    still = steady_from_s(log)
    assert still is not None
    assert 2500 < still < 6000
    short = of(step_log(7, seen=0.7))
    assert two_points(short) is None
    assert steady_from_s(short) is None


def test_noise_and_resolution_are_read_off_the_rows() -> None:
    y = step_log(8).measured_degC
    assert noise_K(y) == pytest.approx(math.hypot(NOISE, STEP / math.sqrt(12)), rel=0.1)
    assert resolution_K(y) == pytest.approx(STEP)


# Trust


def test_a_short_log_says_how_much_longer_it_should_run() -> None:
    found = report([of(step_log(1, seen=0.62))])
    assert found.seen == pytest.approx(0.62, abs=0.02)
    assert "saw 62 % of the final value: the gain is a guess" in found.warnings()[0]
    more = 900 * math.log(0.38 / 0.05)
    assert f"let it run {show(round_up_s(more), Quantity.DURATION)} longer" in found.warnings()[0]
    assert seen_share(fit_response([of(step_log(1))])) == pytest.approx(0.9, abs=0.01)


def test_a_fit_is_checked_on_a_log_that_it_has_not_seen() -> None:
    good = report([of(step_log(1))], checks=[observed("warm", step_log(2, rest=40.0))])
    assert good.checks[0].rms_K < 0.13
    assert "holds on “warm” too" in good.verdict()
    bad = report([of(step_log(1))], checks=[observed("other", step_log(2, gain=70.0))])
    assert any("“other” it misses" in text for text in bad.warnings())
    assert apply_to(bad.fit, of(step_log(1))).rms_K < 0.13


def test_readings_that_are_clipped_or_have_a_gap_are_warned_about() -> None:
    data = step_log(1, seen=0.97)
    clipped = LogData(data.time_s, np.minimum(data.measured_degC, 58.0), data.drive)
    assert any(
        "stays at exactly 58.0 °C" in text and "nothing above that" in text for text in report([of(clipped)]).warnings()
    )
    assert not any("exactly" in text for text in report([of(data)]).warnings())
    keep = (data.time_s < 800) | (data.time_s > 1100)
    assert data.drive is not None
    gap = LogData(data.time_s[keep], data.measured_degC[keep], data.drive[keep])
    assert any("has a gap of" in text for text in report([of(gap)]).warnings())


def test_two_lags_are_said_to_explain_it_better() -> None:
    found = report([of(step_log(1, lag2=90.0))], "one_lag")
    assert found.prefers == "two_lags"
    assert any("Two lags explain it better" in text for text in found.warnings())


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (LogData(np.arange(50.0), np.full(50, 20.0) + np.arange(50) * 0.1), "record its duty"),
        (LogData(np.arange(50.0), 20 + np.arange(50) * 0.1, np.full(50, 0.45)), "the drive stays at 45 %"),
        (LogData(np.arange(50.0), np.full(50, 21.0), np.r_[np.zeros(10), np.ones(40)]), "the temperature stays"),
        (LogData(np.arange(5.0), np.arange(5.0), np.r_[0, 0, 1, 1, 1.0]), "5 rows"),
        (LogData(np.arange(60.0), np.random.default_rng(1).normal(20, 1, 60), np.r_[np.zeros(40), np.ones(20)]), ""),
    ],
)
def test_what_tells_nothing_is_refused_with_what_to_record(data: LogData, says: str) -> None:
    with pytest.raises(FitError) as caught:
        report([observed("x", data)])
    assert says in str(caught.value)
    assert "\n" not in str(caught.value)


def test_a_log_shorter_than_the_dead_time_is_refused() -> None:
    data = step_log(2, dead=600.0, lag=300.0)
    inside = data.time_s < 500
    short = LogData(
        data.time_s[inside], data.measured_degC[inside], data.drive[inside] if data.drive is not None else None
    )
    with pytest.raises(FitError, match=r"does not answer the drive|stays at"):
        report([of(short)])


def test_residuals_that_follow_one_another_count_for_less() -> None:
    rng, rho = np.random.default_rng(5), 0.8
    left = np.zeros(20_000)
    for k, kick in enumerate(rng.standard_normal(left.size)):
        left[k] = rho * left[k - 1] + kick
    _, widened, follows = covariance(np.ones((left.size, 1)), left, [left.size])
    assert widened == pytest.approx((1 + rho) / (1 - rho), rel=0.15)
    assert follows == pytest.approx(rho, abs=0.02)
    plain = rng.standard_normal(20_000)
    cov, none, _ = covariance(np.ones((plain.size, 1)), plain, [plain.size])
    assert none == pytest.approx(1, abs=0.05)
    assert math.sqrt(cov[0, 0]) == pytest.approx(1 / math.sqrt(plain.size), rel=0.05)
