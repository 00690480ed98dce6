"""How the window reacts: a drag step with three candidates over 4 h, the start, idling."""

import os
import resource
import subprocess
import sys
import time
from typing import NamedTuple

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QCoreApplication, QEventLoop, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.state.collector import collect_here, give_back
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.strip.lane import Lane, LaneTrace, Shown, ValueAxis
from kelvarn.desktop.strip.strip import Strip
from kelvarn.files.journal import Journal
from kelvarn.model.edit import add_candidate, put, with_fields
from kelvarn.units import Quantity


def open_window() -> MainWindow:
    """The demo's two candidates that are not hidden and a third one, 1280×800."""
    give_back()
    theme.use(theme.PAPER)
    demo = cure_cabinet()
    demo = with_fields(demo, candidates=tuple(each for each in demo.candidates if not each.hidden))
    project, _ = add_candidate(demo, demo.candidates[-1])
    assert len(project.candidates) == 3
    project = put(project, ("candidates", 2, "controller", "kp_per_K"), 0.3)
    runner = Runner()
    runner.prepare()
    window = MainWindow(Document(project, None, Journal()), runner)
    collect_here(window)
    window.resize(1280, 800)
    window.show()
    while runner.preparing:
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    QApplication.processEvents()
    return window


class Took(NamedTuple):
    """ms that passed, and ms of processor time over all threads.

    Where much more passed than was computed, the machine was busy elsewhere.
    """

    ms: float
    cpu_ms: float


def drag_steps(window: MainWindow, kind: str, count: int = 100) -> list[Took]:
    """Steps of a drag: mouse event, edit, runs, measures, all of it painted."""
    strip = window.control.strip
    name = {"setpoint": "the setpoint", "event_move": "“Door”"}[kind]
    place = strip.rect_of(name)
    start = place.center()
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=start.toPoint())
    found = []
    for k in range(count):
        offset = 8 + (k * 7) % 41  # never twice the same in a row, so that nothing comes from the cache
        position = start + (QPointF(0, -offset) if kind == "setpoint" else QPointF(-offset, 0))
        before = window.document.project
        begin, cpu = time.perf_counter(), time.process_time()
        QTest.mouseMove(strip, position.toPoint())
        QApplication.processEvents()
        found.append(Took((time.perf_counter() - begin) * 1e3, (time.process_time() - cpu) * 1e3))
        assert window.document.project is not before
        window.runner.kept.clear()
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=start.toPoint())
    return found


def parts(window: MainWindow) -> dict[str, float]:
    """ms of what a drag step is made of: runs and measures of three candidates, painting the strip."""
    project = window.document.project
    computing, painting = [], []
    for _ in range(40):
        window.runner.kept.clear()
        begin = time.perf_counter()
        window.runner.kept.of_project(project, project.trials[0])
        window.refresh()
        computing.append(time.perf_counter() - begin)
        window.control.strip.repaint_all()
        begin = time.perf_counter()
        window.control.strip.repaint()
        painting.append(time.perf_counter() - begin)
    return {
        "request, measures and labels": float(np.median(computing)) * 1e3,
        "strip": float(np.median(painting)) * 1e3,
    }


def pan(points: int = 1_000_000, frames: int = 60) -> float:
    """ms of a frame while a strip of two lanes with so many points each is panned over half of its time, 1280×800."""
    strip = Strip()
    strip.resize(1280, 800)
    time_s = np.arange(float(points))
    rng = np.random.default_rng(1)
    warm = LaneTrace("logged", time_s, 50 + np.cumsum(rng.normal(0, 0.02, points)), 0, strong=True)
    drive = LaneTrace("drive", time_s, rng.uniform(0, 1, points), 1, filled=True)
    lanes = (
        Lane("t", "Temperature", ValueAxis(Quantity.TEMPERATURE), weight=3.0, traces=(warm,)),
        Lane("d", "Drive", ValueAxis(Quantity.DRIVE, fixed=(0.0, 1.0)), traces=(drive,)),
    )
    strip.show_lanes(Shown(lanes, float(points), time_s))
    strip.show()
    strip.set_cursor(points / 3, True)
    QCoreApplication.processEvents()  # nothing is painted before it is on the screen
    took = []
    for k in range(frames):
        begin = time.perf_counter()
        strip.zoom.span = (k * points / 200, k * points / 200 + points / 2)
        strip.repaint_all()
        strip.repaint()
        took.append(time.perf_counter() - begin)
    strip.close()
    return float(np.median(took)) * 1e3


def starts(rounds: int = 5) -> list[Took]:
    """From the command to a window on the screen with all results in it, caches warm."""
    code = (
        "import sys\n"
        "from kelvarn.desktop.frame import window as w\n"
        "def check(self, show=w.MainWindow._show_state):\n"
        "    show(self)\n"
        "    if not self.runner.preparing and self.runner.results and self.isVisible():\n"
        "        self.repaint(); import os; os._exit(0)\n"
        "w.MainWindow._show_state = check\n"
        "sys.argv = ['kelvarn', 'demo']\n"
        "from kelvarn.cli.app import main\nmain()\n"
    )
    found = []
    for _ in range(rounds):
        begin, cpu = time.perf_counter(), _cpu_of_children_s()
        subprocess.run([sys.executable, "-c", code], check=True)
        found.append(Took((time.perf_counter() - begin) * 1e3, (_cpu_of_children_s() - cpu) * 1e3))
    return found


def _cpu_of_children_s() -> float:
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def idle_share(window: MainWindow, seconds: float = 3.0) -> float:
    """Share of one core that the open window uses while nothing happens, once all is computed."""
    still = 0.0
    while still < 2.0:  # what is asked for once edits pause comes later
        at = time.perf_counter()
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 100)
        busy = window.runner.busy or window.runner.jobs.busy() or window.remarks.busy
        time.sleep(0.02)
        still = 0.0 if busy else still + time.perf_counter() - at
    begin, cpu = time.perf_counter(), time.process_time()
    loop_until = begin + seconds
    while time.perf_counter() < loop_until:
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents, 200)
        time.sleep(0.05)
    return (time.process_time() - cpu) / (time.perf_counter() - begin)


if __name__ == "__main__":
    app = QApplication([])
    shown = open_window()
    for what in ("setpoint", "event_move"):
        steps = drag_steps(shown, what)
        print(what, np.median([step.ms for step in steps]), max(steps))
    print(parts(shown))
    print("pan", pan())
    print("idle", idle_share(shown))
    print("start", starts())
    shown.document.close()
