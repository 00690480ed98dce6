"""What is expected of a device, and what is read of what it did: futures, tests, answers, the week."""

from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.link.bench.history import MOST_ROWS, History
from kelvarn.link.bench.live import watts_of
from kelvarn.link.bench.observer import Observer
from kelvarn.link.bench.provoking import Provocation, expected_answer, score
from kelvarn.link.bench.tasks import Profile, RelayTest, Steady, cool_down, step_test
from kelvarn.link.bench.week import WeekError, changes_of, day_words, week_of
from kelvarn.link.lines import Sample, add_to, sample_of, without_sum
from kelvarn.link.practice.brain import PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.recording import Recorder, log_of_recording
from kelvarn.model.edit import with_fields
from kelvarn.model.log import Log
from kelvarn.units import Scale
from tests.core.test_bench import trip_rig
from tests.core.test_recording import FACTS, sample


def test_what_is_expected_from_now_on_is_what_comes() -> None:
    carried = trip_rig()
    rig = PracticeRig(carried, PythonBrain(carried, 5), week_ms=0)
    rig.hear(b"watch 1\n")
    observer, said, taken = None, b"", list[Sample]()
    future, at_s = None, 0.0
    while rig.time_s < 900.0:
        rig.tick()
        said += rig.spoken()
        *lines, said = said.split(b"\n")
        for line in lines:
            words = [] if line[:2] not in (b"w ", b"x ", b"r ", b"o ") else without_sum(line.decode()).split(" ")
            if not words:
                continue
            if words[0] == "w":
                taken.append(sample_of(words))
            else:
                add_to(taken[-1], words)
            if words[0] == "o":
                observer = observer or Observer(carried, taken[-1].reading_degC or 0.0)
                observer.take(taken[-1], (taken[-1].t_ms - taken[-2].t_ms) / 1000.0 if len(taken) > 1 else 0.0)
        if future is None and rig.time_s > 300.0 and observer is not None:
            future, at_s = observer.copy().future(600.0), taken[-1].t_ms / 1000.0
    assert future is not None
    assert observer is not None
    times = np.array([each.t_ms / 1000.0 for each in taken])
    measured = np.array([each.reading_degC for each in taken], dtype=float)
    later = (times > at_s) & (times < at_s + 590.0)
    came = np.interp(times[later], at_s + future.time_s, future.degC)
    assert np.abs(came - measured[later]).max() < 0.5
    assert abs(observer.model_degC - measured[-1]) < 0.5
    rig.close()


def test_hours_of_samples_take_no_more_room() -> None:
    history = History(1, 1)
    for k in range(3 * MOST_ROWS):
        history.add(sample(k % 1000), float(k))
    assert history.count <= MOST_ROWS
    assert history.samples == 3 * MOST_ROWS
    times = history.of("time_s")
    assert (np.diff(times) > 0).all()
    assert (times[0], times[-1]) == (0.0, 3.0 * MOST_ROWS - 1)


def run_task(task: object, gain_K: float = 60.0, lag_s: float = 200.0, interval_s: float = 2.0) -> list[float]:
    """What a task gives on a rig with one lag."""
    degC, given, t = 20.0, list[float](), 0.0
    while (drive := task.drive(sample(1, reading_degC=degC), t)) is not None:  # type: ignore[attr-defined]
        given.append(drive)
        degC += (20.0 + gain_K * drive - degC) * interval_s / lag_s
        t += interval_s
    return given


def test_tests_end_by_themselves() -> None:
    step = step_test(0.5, 36_000.0, 0.05)
    given = run_task(step)
    assert step.ended == "the reading is steady"
    assert 500.0 < 2.0 * len(given) < 3000.0
    assert sum(given) * 2.0 < step.most_heat_s
    cool = cool_down(600.0, 0.05)
    run_task(cool)
    assert cool.ended
    relay = RelayTest(45.0, 1.0, hysteresis_K=0.5, swings=3)
    switches = np.diff(run_task(relay))
    assert relay.ended == "it has swung 3 times"
    assert np.count_nonzero(switches) == 6
    profile = Profile(((0.0, 0.1), (10.0, 0.4)), 20.0)
    assert run_task(profile) == [0.1] * 5 + [0.4] * 5


def test_steady_is_not_said_of_what_still_creeps() -> None:
    steady = Steady(0.02)
    said = [t for t in range(0, 4000, 2) if steady.at(float(t), 20.0 + 40.0 * (1 - np.exp(-t / 600.0)))]
    assert said
    assert 1200 < said[0] < 3600  # two lags at least, since less than a twentieth is left of it


def test_an_answer_is_scored_beside_the_one_that_was_expected() -> None:
    carried = trip_rig()
    observer = Observer(carried, 60.0)
    observer.take(sample(1, reading_degC=60.0, probes_degC={0: 60.0}, given=0.3), 0.0)
    without, with_it = observer.future(1800.0), observer.future(1800.0, nudge_K=-5.0, for_s=600.0)
    assert without is not None
    assert with_it is not None
    provoked = Provocation("setpoint by -5 K", 100.0, with_it, without)
    expected = expected_answer(provoked, 0.5)
    assert -5.5 < expected.off_K < -1.0
    assert expected.back_s is not None
    assert expected.back_s > 600.0
    time_s = np.arange(0.0, 2000.0, 0.5)
    same = np.interp(time_s - 100.0, with_it.time_s, with_it.degC)
    said = score(provoked, time_s, same, 0.5, Scale.CELSIUS)
    found, wanted = said.removeprefix("setpoint by -5 K: ").split("; expected ")
    assert found.split(",")[0] == wanted.split(",")[0]
    worse = score(provoked, time_s, same - 3.0 * (time_s > 400.0), 0.5, Scale.CELSIUS)
    assert "not back yet" in worse
    assert "expected" in score(provoked, time_s[:10], same[:10], 0.5, Scale.CELSIUS)


def recorded(days: int, tmp_path: Path, off_K: float = 0.0) -> Log:
    begins, at = datetime(2026, 11, 23), [datetime(2026, 11, 23)]
    recorder = Recorder(tmp_path / "week.csv", FACTS, clock=lambda: 0.0, now=lambda: at[0])
    for k in range(days * 288):
        at[0] = begins + timedelta(minutes=5 * k)
        evening = at[0].hour >= 18
        degC = 60.0 + (3.0 + off_K if evening else 0.1 * (-1) ** k)
        recorder.add(sample(k % 60000, reading_degC=degC, setpoint_degC=60.0, given=float(k % 2), asked=0.5), 300.0 * k)
    recorder.close()
    return log_of_recording(tmp_path / "week.csv", [])


def test_a_week_is_told_by_the_day_and_its_parts(tmp_path: Path) -> None:
    log = recorded(7, tmp_path)
    found = week_of(log, 0.5, 200.0)
    whole = found[0]
    assert (whole.day, round(whole.hours)) == (None, 168)
    assert whole.inside == pytest.approx(0.75, abs=0.01)
    assert whole.worst_K == pytest.approx(3.0)
    assert whole.energy_Wh == pytest.approx(168 * 100.0, rel=0.01)
    assert whole.ons_per_h == pytest.approx(6.0, rel=0.02)
    assert week_of(log, 2.0, 200.0)[0].inside == pytest.approx(0.75, abs=0.01)
    evenings = [kept for kept in found if kept.part == "evening"]
    assert len(evenings) == 7
    assert all(kept.inside == 0.0 for kept in evenings)
    assert "2026-11-23" in day_words(evenings[0].day)
    expected = replace(whole, inside=0.99)
    assert changes_of(found, expected)[0].startswith("inside 75% of the time")
    lines = log.raw.decode().splitlines()
    hole = [lines[0], *(line for k, line in enumerate(lines[1:]) if not 300 <= k < 900)]  # two days are missing
    whole = week_of(with_fields(log, raw="\n".join(hole).encode()), 0.5, 200.0)[0]
    assert (round(whole.hours), round(whole.energy_Wh / 100.0)) == (118, 118)
    assert [watts_of(find_demo("tempering-bowl").build().rig, way) for way in (1, -1, None)] == [140.0, 110.0, 250.0]
    assert watts_of(find_demo("heatsink-fan").build().rig) == 0.0
    with pytest.raises(WeekError, match="not recorded at the Bench"):
        week_of(with_fields(log, raw=b"time_s,x\n1,2\n"), 0.5, 200.0)
