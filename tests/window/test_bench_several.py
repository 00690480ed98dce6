"""Several devices at the Bench: each with its link, looked at in turn; Esc stops all of them."""

import threading
from collections.abc import Iterator

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.window import BENCH, RIG
from kelvarn.handover.carry import Carried
from kelvarn.link.bench.session import Session
from kelvarn.link.practice.brain import PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import PracticeServer, TcpOutlet
from tests.window.conftest import close_window, open_window
from tests.window.test_bench import project


@pytest.fixture
def two() -> Iterator[list[TcpOutlet]]:
    """Two devices that are made alike."""
    made = project()
    carried = Carried(made, made.candidate("Try"), made.first_trial)
    ends, begun = threading.Event(), []
    for _ in range(2):
        rig, outlet = PracticeRig(carried, PythonBrain(carried), week_ms=0), TcpOutlet(0)
        thread = threading.Thread(target=PracticeServer(rig, outlet, 5.0).run, args=(lambda: not ends.is_set(),))
        thread.start()
        begun.append((rig, outlet, thread))
    yield [outlet for _, outlet, _ in begun]
    ends.set()
    for rig, outlet, thread in begun:
        thread.join()
        outlet.close()
        rig.close()


def test_two_devices_are_listened_to_named_where_they_may_be_one_and_stopped_together(
    two: list[TcpOutlet], qtbot: QtBot
) -> None:
    window = open_window(qtbot, project())
    window.go_to(BENCH)
    bench, panel = window.bench.bench, window.bench.link

    def opened(where: str) -> Session:
        panel.where.setText(where)
        qtbot.keyClick(panel.where, Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: bench.session is not None and bench.session.last is not None, timeout=60_000)
        assert bench.session is not None
        return bench.session

    one = opened(two[0].where)
    assert panel.others == []
    assert panel.conflict.text() == ""
    qtbot.mouseClick(panel.another, Qt.MouseButton.LeftButton)
    assert bench.session is None
    other = opened(two[1].where)
    assert bench.sessions == [one, other]
    qtbot.waitUntil(lambda: len(panel.others) == 2 and "both command out_" in panel.conflict.text(), timeout=60_000)
    assert all("answers" in each.accessibleName() for each in panel.others)
    count = one.history.count
    qtbot.waitUntil(lambda: one.history.count > count, timeout=60_000)  # it is listened to on, though not looked at
    bench.at.armed_at_s = 1e12
    qtbot.mouseClick(panel.others[0], Qt.MouseButton.LeftButton)
    assert bench.session is one
    assert all(each.armed_at_s is None for each in bench.all)
    other.watch_only = True
    qtbot.waitUntil(lambda: panel.conflict.text() == "", timeout=60_000)
    other.watch_only = False
    window.go_to(RIG)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: all(s.last is not None and s.last.stopped for s in (one, other)), timeout=60_000)
    window.go_to(BENCH)
    qtbot.mouseClick(panel.button, Qt.MouseButton.LeftButton)  # the one that is looked at is let go of
    assert bench.sessions == [other]
    close_window(window)
    assert bench.sessions == []
