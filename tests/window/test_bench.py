"""The Bench by mouse and keys, beside a practice rig that answers as a stranger's board would."""

import threading
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, Qt
from PySide6.QtWidgets import QInputDialog, QLineEdit
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.window import BENCH, RIG, MainWindow
from kelvarn.desktop.stations.bench.scene import live_lanes
from kelvarn.files.logs.reader import read_log
from kelvarn.handover.carry import Carried
from kelvarn.link.bench.first_hour import BEFORE_HEAT
from kelvarn.link.lines import Sample
from kelvarn.link.practice.brain import PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import PracticeServer, TcpOutlet
from kelvarn.model.edit import with_fields
from kelvarn.model.handed import Adjustable
from kelvarn.model.log import Log, LogReading
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from tests.core.test_bench import trip_rig
from tests.window.conftest import close_window, open_window


def project() -> Project:
    made = trip_rig()
    ti = Adjustable(candidate="Try", setting="TI_S", lowest=300.0, highest=3000.0, step=10.0)
    return with_fields(made.project, adjustable=(ti,), chosen="Try")


@pytest.fixture
def line() -> Iterator[TcpOutlet]:
    """Where a practice rig of the project answers."""
    made = project()
    carried = Carried(made, made.candidate("Try"), made.first_trial)
    rig, outlet, ends = PracticeRig(carried, PythonBrain(carried), week_ms=0), TcpOutlet(0), threading.Event()
    thread = threading.Thread(target=PracticeServer(rig, outlet, 5.0).run, args=(lambda: not ends.is_set(),))
    thread.start()
    yield outlet
    ends.set()
    thread.join()
    outlet.close()
    rig.close()


@pytest.fixture
def window(line: TcpOutlet, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[MainWindow]:
    """The window at the Bench, with the device open."""
    monkeypatch.setattr("kelvarn.desktop.stations.bench.work.user_state_path", lambda _: tmp_path)
    made = open_window(qtbot, project())
    made.go_to(BENCH)
    made.bench.link.where.setText(line.where)
    qtbot.keyClick(made.bench.link.where, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: made.bench.live is not None, timeout=60_000)
    yield made
    close_window(made)


def last(window: MainWindow) -> Sample:
    session = window.bench.bench.session
    assert session is not None
    assert session.last is not None
    return session.last


def wait_until_heard(window: MainWindow, qtbot: QtBot) -> None:
    """Until something may be held: on a busy machine nothing is heard for a while now and then."""
    session = window.bench.bench.session
    assert session is not None
    qtbot.waitUntil(lambda: session.may_heat() == "", timeout=60_000)


def test_nothing_acts_by_opening_and_what_opening_does_is_said_before(qtbot: QtBot) -> None:
    made = open_window(qtbot, project())
    made.go_to(BENCH)
    panel = made.bench.link
    panel.where.setText("serial:/dev/ttyUSB9")
    qtbot.waitUntil(panel.warns.isVisible, timeout=60_000)
    assert "restarts many boards" in panel.warns.text()
    assert "can kill" in panel.warns.text()
    qtbot.mouseClick(panel.button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "is not there" in panel.state.text(), timeout=60_000)
    qtbot.mouseClick(panel.button, Qt.MouseButton.LeftButton)
    panel.where.setText("nonsense")
    qtbot.keyClick(panel.where, Qt.Key.Key_Return)
    assert "is no link" in panel.state.text()
    close_window(made)


def test_measured_over_expected_is_live_and_esc_stops_from_anywhere(window: MainWindow, qtbot: QtBot) -> None:
    station = window.bench
    qtbot.mouseClick(station.tabs["live"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(
        lambda: station.bench.at.expected is not None and station.bench.at.future is not None, timeout=60_000
    )
    live = station.live
    assert live is not None
    shown = live_lanes(live)
    assert [lane.key for lane in shown.lanes] == ["live", "difference", "drive", "events"]
    names = [trace.name for trace in shown.lanes[0].traces]
    assert {"measured", "expected", "expected from now"} <= set(names)
    assert "The device: " in station._why.text()
    assert station.phrase().text.startswith("heating")
    window.go_to(RIG)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: last(window).stopped and last(window).given == 0.0, timeout=60_000)
    window.go_to(BENCH)
    qtbot.waitUntil(lambda: "after it was said" in station.right.stop_state.text(), timeout=60_000)
    assert station.right.again.isVisible()
    qtbot.mouseClick(station.right.again, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not last(window).stopped, timeout=60_000)


def test_nothing_heats_by_hand_before_the_first_hour_saw_what_ends_it(window: MainWindow, qtbot: QtBot) -> None:
    station = window.bench
    qtbot.mouseClick(station.tabs["live"], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(station.who.buttons["hand"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: last(window).mode == 1 and station.right.hand.isVisible(), timeout=60_000)
    station.right.hand._set(30)
    assert "Before anything heats over a link" in station._why.text()
    assert station.right.hand.slider.value() == 0
    station.bench.done.update(dict.fromkeys(BEFORE_HEAT, "x"))
    wait_until_heard(window, qtbot)
    station.right.hand._set(30)
    qtbot.waitUntil(lambda: last(window).given == 0.3, timeout=60_000)
    qtbot.mouseClick(station.who.buttons["watch"], Qt.MouseButton.LeftButton)
    station.right.hand._set(60)
    assert "only watched" in station._why.text()
    qtbot.mouseClick(station.right.stop, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: last(window).stopped, timeout=60_000)
    qtbot.mouseClick(station.who.buttons["own"], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(station.right.arm, Qt.MouseButton.LeftButton)
    assert "begins in" in station.right.stop_state.text() or station.bench.counts_s is not None
    station.bench.at.armed_at_s = 0.0
    qtbot.waitUntil(lambda: not last(window).stopped and last(window).mode == 0, timeout=60_000)


def test_a_setting_is_edited_here_sent_and_read_back(window: MainWindow, qtbot: QtBot) -> None:
    station = window.bench
    qtbot.mouseClick(station.tabs["live"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "ti_s" in station.device._values, timeout=60_000)
    edit: QLineEdit = station.device._values["ti_s"]
    for text, said in (("9000", "can be from 300 to 3000"), ("x", "is no number")):
        edit.setText(text)
        edit.editingFinished.emit()
        assert said in station._why.text()
    edit.setText("900")
    edit.editingFinished.emit()
    assert station.device.send.text() == "Send 1 change"
    qtbot.mouseClick(station.device.send, Qt.MouseButton.LeftButton)
    session = station.bench.session
    assert session is not None
    qtbot.waitUntil(lambda: session.listener.values["ti_s"].value == 900.0, timeout=60_000)
    assert station.bench.at.edits == {}
    session.watch_only, station.bench.at.edits["ti_s"] = True, 800.0
    moments = len(session.history.moments)
    assert "Nobody may" in station.bench.send()
    assert station.bench.at.edits == {"ti_s": 800.0}  # what was refused is neither lost nor said to be done
    assert len(session.history.moments) == moments
    station.bench.at.armed_at_s = 0.0
    station.bench.poll()
    assert station.bench.at.armed_at_s is None
    assert "Nobody may" in session.said


def test_a_recording_becomes_a_log_and_what_happens_is_in_it(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    station = window.bench
    qtbot.mouseClick(station.tabs["live"], Qt.MouseButton.LeftButton)
    recording = station.right.recording
    qtbot.mouseClick(recording.button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "safe on disk" in recording.state.text(), timeout=60_000)
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_: ("door opened", True))
    qtbot.mouseClick(station.happens, Qt.MouseButton.LeftButton)
    session = station.bench.session
    assert session is not None
    assert session.recorder is not None
    qtbot.waitUntil(lambda: session.recorder is not None and session.recorder.rows > 5, timeout=60_000)
    qtbot.mouseClick(recording.button, Qt.MouseButton.LeftButton)
    log = window.document.project.logs[-1]
    assert "door opened" in [note.text for note in log.moments]
    assert read_log(log).measured_degC.size > 5
    qtbot.mouseClick(recording.button, Qt.MouseButton.LeftButton)
    session.recorder.path.unlink()
    qtbot.mouseClick(recording.button, Qt.MouseButton.LeftButton)
    assert "is a log" not in station._why.text()
    assert window.document.project.logs[-1] == log


def test_a_step_of_the_first_hour_is_ticked_and_kept(window: MainWindow, qtbot: QtBot) -> None:
    station = window.bench
    qtbot.mouseClick(station.steps.buttons["answers"], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(station.hour.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "answers" in station.bench.done, timeout=60_000)
    kept = window.document.project.first_hour
    assert [step.step for step in kept] == ["answers"]
    assert kept[0].found.startswith("settings alike")
    qtbot.mouseClick(station.steps.buttons["alarm"], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(station.hour.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "alarm" in station.bench.done, timeout=60_000)
    assert station.hour.table.rowCount() > 3
    # Another project state: nothing counts as done.
    session = station.bench.session
    assert session is not None
    where = str(session.listener.address)
    qtbot.mouseClick(station.link.button, Qt.MouseButton.LeftButton)
    assert station.phrase().text == "not connected"
    law = Pid(kp_per_K=0.3, ti_s=500.0)
    candidate = with_fields(window.document.project.candidate("Try"), controller=law)
    window.document.apply(with_fields(window.document.project, candidates=(candidate,), adjustable=()), "x")
    station.link.where.setText(where)
    qtbot.keyClick(station.link.where, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: station.bench.session is not None and station.bench.session.is_open, timeout=60_000)
    assert station.bench.done == {}
    assert station.bench.session is not None
    assert "another state" in station.bench.session.may_order()


def test_a_test_begins_with_a_recording_and_may_be_ended(window: MainWindow, qtbot: QtBot) -> None:
    station = window.bench
    tests = station.right.tests
    qtbot.mouseClick(station.tabs["live"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(tests.isVisible, timeout=60_000)
    assert [key for key, button in tests.buttons.items() if button.isVisible()] == ["step", "relay", "cool", "plan"]
    qtbot.mouseClick(tests.buttons["plan"], Qt.MouseButton.LeftButton)
    assert "Before anything heats" in station._why.text()
    station.bench.done.update(dict.fromkeys(BEFORE_HEAT, "x"))
    tests.limit.setValue(30.0)
    qtbot.mouseClick(tests.buttons["plan"], Qt.MouseButton.LeftButton)
    assert "raise where it ends" in station._why.text()
    tests.limit.setValue(74.0)
    session = station.bench.session
    assert session is not None
    wait_until_heard(window, qtbot)
    qtbot.mouseClick(tests.buttons["step"], Qt.MouseButton.LeftButton)
    assert session.recorder is not None
    qtbot.waitUntil(lambda: last(window).mode == 2 and last(window).given == 0.3, timeout=60_000)
    qtbot.waitUntil(tests.end.isVisible, timeout=60_000)
    qtbot.mouseClick(tests.end, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: last(window).mode == 0, timeout=60_000)


def test_a_provocation_is_drawn_before_it_comes(window: MainWindow, qtbot: QtBot) -> None:
    station = window.bench
    qtbot.mouseClick(station.tabs["live"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "" in station.right.tests.provocations, timeout=60_000)
    session = station.bench.session
    qtbot.waitUntil(lambda: session is not None and session.observer is not None, timeout=60_000)
    wait_until_heard(window, qtbot)
    qtbot.mouseClick(station.right.tests.provocations[""], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: last(window).nudged and station.bench.at.provoked is not None, timeout=60_000)
    assert last(window).setpoint_degC == 55.0
    assert station.live is not None
    names = [trace.name for trace in live_lanes(station.live).lanes[0].traces]
    assert "expected, setpoint by -5 K" in names
    qtbot.waitUntil(lambda: "expected" in station.right.tests.score.text(), timeout=60_000)


def test_nothing_is_armed_where_nobody_may_or_before_the_first_hour(window: MainWindow) -> None:
    bench = window.bench.bench
    assert bench.session is not None
    assert "Before anything heats" in bench.arm()
    bench.session.watch_only = True
    assert "only watched" in bench.arm()
    assert bench.counts_s is None


def test_a_week_is_shown_by_the_day_beside_what_was_expected(qtbot: QtBot) -> None:
    begins = datetime(2026, 11, 23, 4, 0)
    rows = ["time_s,at,setpoint_degC,measured_degC,drive"]
    rows += [f"{60 * k},{(begins + timedelta(minutes=k)).isoformat()},40,{39.9 if k < 600 else 36},0.5"
             for k in range(1440)]  # fmt: skip
    log = Log(name="a day", file="day.csv", reading=LogReading(first_row=1, columns=()), raw="\n".join(rows).encode())
    made = open_window(qtbot, with_fields(project(), logs=(log,)))
    made.go_to(BENCH)
    qtbot.mouseClick(made.bench.tabs["week"], Qt.MouseButton.LeftButton)
    table = made.bench.week.table
    qtbot.waitUntil(lambda: table.rowCount() > 3, timeout=60_000)
    cells = [[table.item(row, column).text() for column in range(4)] for row in range(table.rowCount())]  # type: ignore[union-attr]
    assert cells[0][0] == "all days"
    assert cells[1][1] == "expected"
    by_part = {cell[1]: cell[3] for cell in cells[2:] if "23" in cell[0]}
    assert (by_part["morning"], by_part["evening"]) == ("100%", "0%")
    assert "expected" in made.bench.week.said.text()
    close_window(made)


def test_a_device_may_tell_of_its_settings_late(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    panel, session = window.bench.device, window.bench.bench.session
    assert session is not None
    qtbot.waitUntil(lambda: "ti_s" in panel._values, timeout=60_000)
    with monkeypatch.context() as patched:
        patched.setattr(type(session), "settings", property(lambda _session: ()))
        for _ in range(2):
            panel.refresh()
            QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        assert panel._values == {}
    panel.refresh()
    assert panel._values.keys() == {point.name for point in session.settings}
    assert panel.send.parentWidget() is not None
