"""Whether a fit is the drive's doing: logs in which it is not get no verdict, and honest ones do."""

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.fit.observed import FitError, observed
from kelvarn.fit.response import fit_response
from kelvarn.fit.reuse import use_response
from kelvarn.fit.trust import FitReport, report
from kelvarn.model.edit import EditError
from kelvarn.model.log_data import Floats, LogData

H, LAG, GAIN, REST = 10.0, 600.0, 90.0, 19.0


def steps(seed: int, levels: tuple[float, ...] = (0.0, 0.2, 0.5, 0.8, 1.0), rows: int = 500) -> Floats:
    """A drive set by hand every now and then, from off."""
    r = np.random.default_rng(seed)
    drive = np.zeros(rows)
    at = 40
    while at < rows:
        drive[at:] = r.choice([level for level in levels if level != drive[at - 1]])
        at += int(r.uniform(40, 120))
    return drive


def heated(drive: Floats, seed: int, dead: int = 3, start: float = REST, noise: float = 0.05) -> Floats:
    """What one lag makes of it, row by row, as a probe shows it."""
    now, shown = start, []
    share = 1 - np.exp(-H / LAG)
    for k in range(drive.size):
        shown.append(now)
        now += share * (REST + GAIN * drive[max(k - dead, 0)] - now)
    return np.array(shown) + noise * np.random.default_rng(seed).standard_normal(drive.size)


def judged(degC: Floats, drive: Floats, way: int = 1) -> FitReport:
    return report([observed("log", LogData(H * np.arange(drive.size), degC, drive))], way=way)


def useful(found: FitReport) -> bool:
    return found.verdict().startswith("usable for") and "first look" not in found.verdict()


@pytest.mark.long
@pytest.mark.parametrize("seed", range(4))
def test_an_honest_log_is_usable(seed: int) -> None:
    drive = steps(seed)
    assert useful(judged(heated(drive, seed), drive))
    assert useful(judged(heated(-drive, seed), drive, way=-1))
    begun_warm = judged(heated(drive, seed, start=55.0), drive)
    assert useful(begun_warm)
    assert begun_warm.fit.value("gain_K") == pytest.approx(GAIN, rel=0.02)


def test_a_sign_that_the_drive_cannot_have_is_no_model() -> None:
    drive = steps(1)
    said = judged(heated(drive, 1), 1 - drive).verdict()
    assert said.startswith("not usable for tuning: the temperature falls as the drive rises")
    assert "inverted" in said
    untold = judged(heated(drive, 1), 1 - drive, way=0).verdict()
    assert untold.startswith("not usable for tuning unless the drive cools")
    assert "Where it cools: usable for" in untold
    assert "rises as the drive rises, but this drive cools" in judged(heated(drive, 1), drive, way=-1).verdict()


def test_a_controller_read_backwards_is_no_model() -> None:
    r = np.random.default_rng(2)
    now, other, rows = 60.0, 0.0, []
    for _ in range(600):  # P control under something else that moves
        shown = now + 0.05 * r.standard_normal()
        drive = min(max(0.05 * (70 - shown), 0.0), 1.0)
        rows.append((shown, drive))
        other += 0.6 * r.standard_normal()
        now += (1 - np.exp(-H / LAG)) * (REST + other + GAIN * drive - now)
    degC, given = np.array(rows).T
    assert not useful(judged(degC, given))


@pytest.mark.parametrize("seed", range(4))
def test_a_drive_that_has_nothing_to_do_with_it_is_no_model(seed: int) -> None:
    settling = heated(np.full(500, 0.0), seed, start=REST + 50)  # cools down by itself, explained by a free start
    drive = np.roll(steps(seed + 20), seed)
    assert not useful(judged(settling, drive, way=1))
    assert not useful(judged(settling, drive, way=0))


@pytest.mark.parametrize("rows", [12, 15, 20])
def test_a_temperature_that_leads_its_drive_is_no_model(rows: int) -> None:
    drive = np.zeros(500)
    for at, level in ((100, 0.6), (220, 0.1), (330, 0.9), (430, 0.3)):
        drive[at:] = level
    degC = heated(drive, 3)
    said = judged(degC[rows:], drive[:-rows]).verdict()
    assert "moves before the drive does" in said


def test_a_heater_that_saturates_is_good_for_a_first_look_at_most() -> None:
    drive = steps(5, rows=900)
    found = judged(heated(np.minimum(drive, 0.45), 5), drive)
    assert found.causes.bends
    assert found.causes.bend < 0.7
    assert "a large drive does less for its size" in found.verdict()


def test_weather_is_not_taken_for_the_drives_doing() -> None:
    t = H * np.arange(500)
    for period in (1500.0, 3000.0, 6000.0):
        degC = REST + 8 * np.sin(2 * np.pi * t / period) + 0.05 * np.random.default_rng(4).standard_normal(500)
        try:
            assert not useful(judged(degC, steps(11)))
        except FitError:
            continue


def test_a_fit_never_turns_heating_into_cooling() -> None:
    project = find_demo("cure-cabinet").build()
    drive = steps(1)
    found = judged(heated(drive, 1), 1 - drive)
    for asked in (found, judged(heated(drive, 1), 1 - drive, way=0)):  # whatever was asked of the fit, the rig decides
        with pytest.raises(EditError, match="the temperature falls as the drive rises, but this drive heats"):
            use_response(project, asked)
    assert use_response(project, judged(heated(drive, 1), drive)).rig.heats


@pytest.mark.long
@pytest.mark.parametrize(("step", "noise"), [(0.25, 0.0), (0.25, 0.02), (0.1, 0.02), (0.5, 0.5)])
def test_intervals_hold_where_noise_is_finer_than_the_step(step: float, noise: float) -> None:
    held = 0
    for seed in range(20):
        r = np.random.default_rng(seed)
        gain, rest = r.uniform(60, 120), r.uniform(18, 20)
        t = np.arange(0, 3000, 5.0)
        exact = rest + 0.4 * gain * (1 - np.exp(-np.maximum(t - 220, 0) / r.uniform(400, 700)))
        degC = np.round((exact + noise * r.standard_normal(t.size)) / step) * step
        log = observed("log", LogData(t, degC, np.where(t >= 200, 0.4, 0.0)))
        assert log.step_K == pytest.approx(step, rel=0.01)
        value = fit_response([log]).values["gain_K"]
        held += value.low <= gain <= value.high
        assert value.half < 0.05 * gain
    assert held >= 17


@pytest.mark.long
@pytest.mark.parametrize("step", [0.0, 0.1, 0.25])
def test_a_course_that_breaks_off_is_called_clipped_and_a_whole_one_is_not(step: float) -> None:
    drive = np.where(np.arange(500) >= 40, 0.7, 0.0)
    for noise in (0.0, 0.15):
        degC = heated(drive, 6, noise=noise)
        degC = np.round(degC / step) * step if step else degC
        for course, says in ((degC, False), (np.minimum(degC, 65.0), True)):
            warned = judged(course, drive).warnings()
            assert any("may read nothing above" in text for text in warned) == says, (noise, warned)
