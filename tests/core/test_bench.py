"""Beside a device: who may order what, what ends by itself, the first hour, what is expected."""

import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
import pytest

from kelvarn.handover.carry import Carried
from kelvarn.handover.points import Mode
from kelvarn.link.address import LinkAddress, link_address
from kelvarn.link.bench.first_hour import BEFORE_HEAT, KEYS, FirstHour, needs_before_heat
from kelvarn.link.bench.hour_steps import Outputs, StopWorks, WhichWay
from kelvarn.link.bench.live import overshoot_of
from kelvarn.link.bench.session import Session
from kelvarn.link.bench.sweep import Sweep
from kelvarn.link.bench.tasks import HoldDuty, limit_degC_of_test
from kelvarn.link.lines import Sample
from kelvarn.link.listener import LinkState, Listener
from kelvarn.link.practice.brain import PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import PracticeServer, TcpOutlet
from kelvarn.link.wire import TcpWire
from kelvarn.model.drives import Fan
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import Trip
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from tests.core.test_chips import cabinet
from tests.core.test_recording import sample

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

    def until(self, is_so: Callable[[], bool], within_s: float = 60.0, also: Callable[[], None] | None = None) -> None:
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
    assert (bench.last.mode, bench.last.stopped, bench.last.given) == (Mode.OWN, False, 1.0)
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
    assert bench.last.mode == Mode.OWN


def test_what_is_held_ends_when_kelvarn_falls_silent(bench: Bench) -> None:
    session = bench.session
    session.order("mode hand")
    bench.until(lambda: bench.last.mode == Mode.HAND)
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
    bench.until(lambda: bench.last.mode == Mode.TEST and bench.last.given == 0.3)
    bench.until(lambda: session.task is None)
    bench.until(lambda: bench.last.mode == Mode.OWN)
    assert [moment.text for moment in session.history.moments if "hold" in moment.text] == [
        "hold a duty begins", "hold a duty over: its time is over",
    ]  # fmt: skip
    reading = bench.last.reading_degC
    assert reading is not None
    assert session.begin_task(HoldDuty(0.3, 500.0), reading - 1.0) == ""  # beyond its limit at once
    bench.until(lambda: session.task is None)
    assert "at its limit" in session.said


def test_stop_waits_for_nothing_and_ends_all(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    session = bench.session
    session.begin_task(HoldDuty(0.5, 500.0), 70.0)
    bench.until(lambda: bench.last.given == 0.5)
    say, may_be_said = session.orders.stop, threading.Event()
    monkeypatch.setattr(session.orders, "stop", lambda: may_be_said.wait(30.0) and say())
    session.stop()  # were it said here, it would stand still, and then not be said at all
    assert session.task is None
    assert session.stop_done_s is None
    may_be_said.set()
    bench.until(lambda: bench.last.stopped and bench.last.given == 0.0)
    assert session.stop_done_s is not None
    assert bench.rig.levels == (0.0,)
    assert session.hold("all", "10") == "It is stopped."


def test_the_cable_pulled_in_the_middle_leaves_nothing_on(bench: Bench) -> None:
    session = bench.session
    session.begin_task(HoldDuty(0.5, 500.0), 70.0)
    bench.until(lambda: bench.last.given == 0.5)
    bench.outlet.pulled = True
    bench.until(lambda: session.task is None)
    assert "link lost" in [moment.text for moment in session.history.moments]
    begun = bench.rig.time_s
    bench.until(lambda: bench.rig.time_s > begun + 12.0 and session.is_stale)
    assert session.hold("all", "10") != ""


def test_what_was_being_opened_while_it_was_closed_is_let_go_of(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("kelvarn.link.listener._ENDS_S", 0.05)
    may_open, wires, told = threading.Event(), list[TcpWire](), list[LinkState]()

    def opens(address: LinkAddress) -> TcpWire:
        assert may_open.wait(60.0)
        wires.append(TcpWire(address))
        return wires[0]

    listener = Listener(link_address(bench.outlet.where), lambda _: None, lambda state, _: told.append(state), opens)
    listener.begin()
    bench.until(lambda: told == [LinkState.OPENING])
    listener.close()
    may_open.set()
    bench.until(lambda: bool(wires) and wires[0]._socket.fileno() < 0)
    bench.until(lambda: listener.device is None)
    assert told == [LinkState.OPENING, LinkState.CLOSED]


def test_a_trip_that_the_device_does_not_obey_is_obeyed_here(bench: Bench) -> None:
    session = bench.session
    hot = sample(1, probes_degC={0: 80.0}, reading_degC=80.0, given=0.5)
    for _ in range(2):  # the second time as the first: that it was stopped once is no reason to let it heat
        asked_s = session.stop_asked_s
        session._look_at_guards(hot)
        assert session.stop_asked_s == asked_s
        session.time_s += 0.5
        session._look_at_guards(hot)
        assert session.stop_asked_s != asked_s
        assert "stopped from here" in session.said
        bench.until(lambda: bench.last.stopped and session.stop_done_s is not None)
        bench.until(lambda: session._beyond_since == {})


def test_a_trip_that_may_wait_is_waited_for_and_then_obeyed_here(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    session, hot = bench.session, sample(1, probes_degC={0: 80.0}, reading_degC=80.0, given=0.5)
    rig = session.carried.project.rig
    late = with_fields(rig, guards=tuple(with_fields(each, delay_s=30.0) for each in rig.guards))
    session.carried = replace(session.carried, project=with_fields(session.carried.project, rig=late))
    monkeypatch.setattr(Session, "is_ours", True)  # its program was made without the delay
    for k in range(62):
        assert session.stop_asked_s is None, k
        session.time_s = 0.5 * k
        session._look_at_guards(hot)
    assert session.stop_asked_s is not None


def test_an_output_that_would_not_show_whether_it_heats_is_not_passed_over(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    step = Outputs(FirstHour(bench.session, {}, dict[str, str]().__setitem__))
    step.begin()
    for would_show in (False, True):
        step.phase = "wait"
        monkeypatch.setattr(step, "_on_time_s", lambda _most_K, shows=would_show: (5.0, shows))
        step.poll(replace(bench.last, mode=Mode.HAND, stopped=False))
        assert step.phase == "on"
    found: list[str] = []
    monkeypatch.setattr(step, "finish", found.append)
    step.yes(is_so=True)
    assert "says little" in found[0]


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
    assert bench.last.mode in (Mode.OWN, Mode.HAND)
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


def test_a_nudge_that_goes_the_other_way_is_no_way(bench: Bench) -> None:
    found: dict[str, str] = {}
    hour = FirstHour(bench.session, {}, found.__setitem__)
    for moved, good in ((-5.0, False), (5.0, True)):
        step = WhichWay(hour)
        step.begin()
        step.phase, step.base = "nudge", [40.0]
        hour.said = ""
        step.poll(replace(bench.last, reading_degC=40.0 + moved))
        assert ("other way" in hour.said) is not good
        assert ("way" in found or bool(found)) is good


def test_what_is_held_on_without_a_word_is_no_stop(bench: Bench) -> None:
    found: dict[str, str] = {}
    hour = FirstHour(bench.session, {}, found.__setitem__)
    step = StopWorks(hour)
    step.begin()
    step.phase, step.since_s = "silent", bench.session.time_s - 5.0
    step.poll(replace(bench.last, held=False, given=0.4))
    assert "do not heat with this device" in hour.said
    assert found == {}


def test_a_change_is_ours_or_was_made_there(bench: Bench) -> None:
    session, edits = bench.session, bench.last.edits
    session.sent()
    session._take(replace(bench.last, edits=edits + 1))
    assert session.changed_there == ""
    session._take(replace(bench.last, edits=edits + 2))
    assert "not from here" in session.changed_there


def test_a_test_ends_below_every_trip_and_at_what_is_asked(bench: Bench) -> None:
    rig = bench.session.carried.project.rig
    assert limit_degC_of_test(rig, 50.0) == 50.0
    assert limit_degC_of_test(rig, 90.0) == 74.0
    assert limit_degC_of_test(with_fields(rig, guards=()), 90.0) == 90.0


def test_a_sweep_holds_the_fan_and_nothing_else(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    session, held = bench.session, list[tuple[object, ...]]()
    monkeypatch.setattr(session.orders, "hold", lambda *said: held.append(said[:2]))
    session.task, session._task_begun_s = Sweep(Fan(), 1, "out_fan", 0.5), session.time_s
    session._go_on_with_task(replace(bench.last, mode=Mode.TEST))
    session.task = None
    assert held == [("out_fan", "100.00")]


def test_an_overshoot_is_past_the_setpoint_from_where_it_came() -> None:
    up = np.array([20.0, 55.0, 60.0, 62.0, 60.5, 60.0])
    assert overshoot_of(up, np.full(6, 60.0), 1.0) == pytest.approx(2.0)
    assert overshoot_of(80.0 - up, np.full(6, 20.0), 1.0) == pytest.approx(2.0)
    assert overshoot_of(up[:4], np.full(4, 60.0), 1.0) is None  # the peak may still come
    assert overshoot_of(up[:2], np.full(2, 60.0), 1.0) is None
