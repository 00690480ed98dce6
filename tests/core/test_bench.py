"""Beside a device: who may order what, what ends by itself, the first hour, what is expected."""

import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from kelvarn.handover.carry import Carried
from kelvarn.link.bench.first_hour import BEFORE_HEAT, KEYS, FirstHour, needs_before_heat
from kelvarn.link.bench.history import MOST_ROWS, History
from kelvarn.link.bench.observer import Observer
from kelvarn.link.bench.provoking import Provocation, expected_answer, score
from kelvarn.link.bench.session import HAND, OWN, TEST, Session
from kelvarn.link.bench.tasks import HoldDuty, Profile, RelayTest, Steady, Sweep, cool_down, step_test
from kelvarn.link.bench.week import WeekError, changes_of, day_words, week_of
from kelvarn.link.lines import Sample, add_to, sample_of, without_sum
from kelvarn.link.practice.brain import PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import PracticeServer, TcpOutlet
from kelvarn.link.recording import Recorder, log_of_recording
from kelvarn.link.wire import link_address
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Trip
from kelvarn.model.log import Log
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.units import Scale
from tests.core.test_chips import cabinet
from tests.core.test_link import FACTS, sample

SPEED = 10.0


def trip_rig(**fields: object) -> Carried:
    """The cabinet with a trip, read twice a second as it is."""
    made = cabinet("double", converter=None)
    rig = made.project.rig
    probe = Probe(name=rig.probe.name, body=rig.probe.body, interval_s=0.5, resolution_K=0.0625)
    trip = Trip(name="Too hot", probe=probe.name, at_degC=75.0, latches=True)
    rig = with_fields(rig, probes=(probe,), guards=(trip,))
    project = with_fields(made.project, rig=rig, **fields)
    return Carried(project, made.candidate, made.trial)


@dataclass
class Bench:
    """A practice rig, and a session beside it."""

    rig: PracticeRig
    outlet: TcpOutlet
    session: Session

    def until(self, is_so: Callable[[], bool], within_s: float = 20.0, also: Callable[[], None] | None = None) -> None:
        end = time.monotonic() + within_s
        while not is_so():
            assert time.monotonic() < end, (self.session.said, self.session.last)
            self.session.poll()
            if also is not None:
                also()
            time.sleep(0.005)

    @property
    def last(self) -> Sample:
        assert self.session.last is not None
        return self.session.last


@pytest.fixture
def bench() -> Iterator[Bench]:
    carried = trip_rig()
    rig, outlet, ends = PracticeRig(carried, PythonBrain(carried), week_ms=0), TcpOutlet(0), threading.Event()
    thread = threading.Thread(target=PracticeServer(rig, outlet, SPEED).run, args=(lambda: not ends.is_set(),))
    thread.start()
    session = Session(carried, link_address(outlet.where), renew_s=0.1)
    session.begin()
    made = Bench(rig, outlet, session)
    try:
        made.until(lambda: session.last is not None and session.is_open)
        yield made
    finally:
        session.close()
        ends.set()
        thread.join()
        outlet.close()
        rig.close()


def test_nothing_is_ordered_by_opening_and_its_own_loop_goes_on(bench: Bench) -> None:
    bench.until(lambda: bench.session.history.count > 5)
    assert (bench.last.mode, bench.last.stopped, bench.last.given) == (OWN, False, 1.0)
    assert bench.session.may_order() == ""
    assert not bench.session.is_stale


def test_a_device_of_another_state_is_only_watched_but_may_be_stopped(bench: Bench) -> None:
    session = bench.session
    other = with_fields(session.carried.candidate, controller=Pid(kp_per_K=0.5, ti_s=900.0))
    project = with_fields(session.carried.project, candidates=(other,))
    session.carried = Carried(project, other, session.carried.trial)
    assert not session.is_ours
    for why in (session.order("mode hand"), session.hold("all", "50"), session.begin_task(HoldDuty(0.1, 5), 60)):
        assert "only watched" in why
    session.stop()
    bench.until(lambda: bench.last.stopped)
    assert bench.last.mode == OWN


def test_what_is_held_ends_when_kelvarn_falls_silent(bench: Bench) -> None:
    session = bench.session
    session.order("mode hand")
    bench.until(lambda: bench.last.mode == HAND)
    assert session.hold("all", "40") == ""
    bench.until(lambda: bench.last.given == 0.4)
    begun = bench.last.t_ms
    bench.until(lambda: bench.last.t_ms > begun + 12_000)  # it is renewed
    assert bench.last.given == 0.4
    session.orders._ends.set()  # a crash: nothing is said any more
    bench.until(lambda: bench.last.given == 0.0)
    assert bench.last.t_ms < begun + 22_000


def test_a_test_begins_is_recorded_ends_and_gives_back_what_was(bench: Bench, tmp_path: object) -> None:
    session = bench.session
    assert session.begin_task(HoldDuty(0.3, 8.0), 70.0) == ""
    assert "under way" in session.begin_task(HoldDuty(0.3, 8.0), 70.0)
    bench.until(lambda: bench.last.mode == TEST and bench.last.given == 0.3)
    bench.until(lambda: session.task is None)
    bench.until(lambda: bench.last.mode == OWN)
    assert [moment.text for moment in session.history.moments if "hold" in moment.text] == [
        "hold a duty begins", "hold a duty over: its time is over",
    ]  # fmt: skip
    reading = bench.last.reading_degC
    assert reading is not None
    assert session.begin_task(HoldDuty(0.3, 500.0), reading - 1.0) == ""  # beyond its limit at once
    bench.until(lambda: session.task is None)
    assert "at its limit" in session.said


def test_stop_takes_no_round_trip_to_be_said_and_ends_all(bench: Bench) -> None:
    session = bench.session
    session.begin_task(HoldDuty(0.5, 500.0), 70.0)
    bench.until(lambda: bench.last.given == 0.5)
    begun = time.monotonic()
    session.stop()
    assert time.monotonic() - begun < 0.05
    assert session.task is None
    assert session.stop_done_s is None
    bench.until(lambda: bench.last.stopped and bench.last.given == 0.0)
    assert session.stop_done_s is not None
    assert session.stop_done_s - (session.stop_asked_s or 0.0) < 0.5
    assert bench.rig.levels == (0.0,)
    assert session.hold("all", "10") == "It is stopped."


def test_the_cable_pulled_in_the_middle_leaves_nothing_on(bench: Bench) -> None:
    session = bench.session
    session.begin_task(HoldDuty(0.5, 500.0), 70.0)
    bench.until(lambda: bench.last.given == 0.5)
    bench.outlet.pulled = True
    bench.outlet.drop_callers()
    bench.until(lambda: session.task is None)
    assert "link lost" in [moment.text for moment in session.history.moments]
    begun = bench.rig.time_s
    bench.until(lambda: bench.rig.time_s > begun + 12.0 and session.is_stale)
    assert session.hold("all", "10") != ""


def test_a_trip_that_the_device_does_not_obey_is_obeyed_here(bench: Bench) -> None:
    session = bench.session
    hot = sample(1, probes_degC={0: 80.0}, reading_degC=80.0, given=0.5)
    session._look_at_guards(hot, None)
    assert session.stop_asked_s is None
    session._look_at_guards(hot, hot)
    assert session.stop_asked_s is not None
    assert "stopped from here" in session.said
    bench.until(lambda: bench.last.stopped)


def test_much_that_brings_nothing_is_said(bench: Bench) -> None:
    session = bench.session
    for k in range(300):
        session.time_s = float(k)
        session._look_for_rise(sample(1, reading_degC=20.0, given=1.0))
    assert "no rise: its own thermostat? the plug?" in session.said


def test_the_first_hour_from_end_to_end(bench: Bench) -> None:
    session, found = bench.session, dict[str, str]()
    hour = FirstHour(session, {}, found.__setitem__)
    assert needs_before_heat(session, hour.done).startswith("Before anything heats")
    session.stop()
    bench.until(lambda: bench.last.stopped)

    def go(key: str, also: Callable[[], None] | None = None, within_s: float = 30.0) -> None:
        hour.choose(key)
        assert hour.why_not() == "", key
        hour.begin()

        def poll() -> None:
            hour.poll()
            if also is not None:
                also()

        bench.until(lambda: not hour.busy, within_s, poll)

    hour.choose("way")
    assert "Each output alone" in hour.why_not()
    go("answers")
    bench.rig.switch("offset_up", on=True)  # a warm hand
    go("probes", lambda: None)
    bench.rig.switch("offset_up", on=False)
    hour.choose("readings")
    hour.begin()
    hour.poll()
    hour.reference(20.0)
    assert "shows" in found["readings"]
    bench.rig.switch("stuck_off", on=True)  # the plug is out
    go("outputs", lambda: hour.yes(True))
    bench.rig.switch("stuck_off", on=False)
    assert bench.last.mode in (OWN, HAND)
    go("alarm")
    assert "Too hot" in found["alarm"]

    def esc() -> None:
        if hour.act is not None and hour.act.phase == "press" and session.stop_asked_s is None:
            session.stop()

    go("stop", esc)
    assert set(BEFORE_HEAT) <= set(hour.done)
    assert needs_before_heat(session, hour.done) == ""
    go("way", within_s=60.0)
    assert found["way"] == "more drive, warmer: as the rig says"
    bench.until(lambda: bench.last.stopped)
    assert tuple(found) == (*KEYS[:3], "outputs", "alarm", "stop", "way")


def test_the_first_hour_sees_what_is_wrong(bench: Bench) -> None:
    session, found = bench.session, dict[str, str]()
    hour = FirstHour(session, {"answers": "x", "probes": "x"}, found.__setitem__)
    hour.choose("outputs")
    hour.begin()  # the plug is in: it gets warmer
    bench.until(lambda: not hour.busy, 30.0, hour.poll)
    assert "unplugged?" in hour.said
    bench.until(lambda: bench.last.stopped)
    hour.done |= dict.fromkeys(BEFORE_HEAT, "x")
    bench.rig.switch("stuck_off", on=True)
    hour.choose("way")
    hour.begin()
    bench.until(lambda: session.task is not None, 30.0, hour.poll)
    session.end_task()
    bench.until(lambda: not hour.busy, 30.0, hour.poll)
    assert "Nothing moved" in hour.said
    assert found == {}


# What is worked out.


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
    sweep = Sweep(10.0)
    duties = []
    for k in range(40):
        duty = sweep.drive(sample(1), float(k))
        if duty is None:
            break
        duties.append(duty)
        if sweep.stood is None and duty <= 0.25:
            sweep.stands()
        elif sweep.stood is not None and duty >= 0.35:
            sweep.starts()
    assert (sweep.stood, sweep.started) == (pytest.approx(0.2), pytest.approx(0.4))
    assert sweep.ended == "it stands below 20 % and starts from 40 %"


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
    evenings = [kept for kept in found if kept.part == "evening"]
    assert len(evenings) == 7
    assert all(kept.inside == 0.0 for kept in evenings)
    assert "2026-11-23" in day_words(evenings[0].day)
    expected = replace(whole, inside=0.99)
    assert changes_of(found, expected)[0].startswith("inside 75% of the time")
    with pytest.raises(WeekError, match="not recorded at the Bench"):
        week_of(with_fields(log, raw=b"time_s,x\n1,2\n"), 0.5, 200.0)
