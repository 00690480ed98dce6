"""Takes pictures of each station from the demos, 1280×800, in both themes for Control and Rig."""

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QEventLoop
from PySide6.QtWidgets import QApplication

from kelvarn.demos import DEMOS, find_demo
from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import BENCH, CONTROL, FIT, HANDOVER, RIG, TRIAL, MainWindow
from kelvarn.desktop.state.collector import collect_here
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.stations.rig.keys import key_of

_MAIN = DEMOS[0].name

# Name, demo, station, theme, part selected at Rig, whether Rig shows the step.
PICTURES = (
    ("rig", _MAIN, RIG, theme.PAPER, "Air", True),
    ("rig-kiln-night", "enamelling-kiln", RIG, theme.NIGHT, key_of("probe", 0), False),
    ("fit", _MAIN, FIT, theme.PAPER, "", True),
    ("fit-read", _MAIN, FIT, theme.PAPER, "", True),
    ("fit-changed-night", _MAIN, FIT, theme.NIGHT, "", True),
    ("control", _MAIN, CONTROL, theme.PAPER, "", True),
    ("control-map", _MAIN, CONTROL, theme.PAPER, "", True),
    ("control-why", _MAIN, CONTROL, theme.PAPER, "", True),
    ("control-curve", "heatsink-fan", CONTROL, theme.PAPER, "", True),
    ("control-bowl-night", "tempering-bowl", CONTROL, theme.NIGHT, "", True),
    ("trial", _MAIN, TRIAL, theme.PAPER, "", True),
    ("trial-fails", _MAIN, TRIAL, theme.PAPER, "", True),
    ("trial-shed-night", "lemon-shed", TRIAL, theme.NIGHT, "", False),
    ("bench", _MAIN, BENCH, theme.PAPER, "", True),
    ("bench-hour-night", "enamelling-kiln", BENCH, theme.NIGHT, "", True),
    ("handover", _MAIN, HANDOVER, theme.PAPER, "", True),
    ("handover-program", _MAIN, HANDOVER, theme.PAPER, "", True),
    ("handover-wiring-night", _MAIN, HANDOVER, theme.NIGHT, "", True),
)
_PRACTISED_S, _FASTER = 3000.0, 100.0  # of the live picture


def open_window(size: tuple[int, int] = (1280, 800)) -> MainWindow:
    """A window on the main demo, computed and shown, with the cursor a little after the door."""
    runner = Runner()
    runner.prepare()
    window = MainWindow(Document(DEMOS[0].build()), runner)
    collect_here(window)
    window.resize(*size)
    window.show()
    while runner.preparing:
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    look_after_the_door(window)
    return window


def look_after_the_door(window: MainWindow) -> None:
    """Pin the cursor where there is something to see in the main demo."""
    window.view.move_cursor(2 * 3600 + 180)
    window.view.pinned = True
    window.refresh()


def settle(window: MainWindow) -> None:
    """Until all that is asked for is computed and painted."""
    steps, jobs = window.rig.steps, window.runner.jobs
    while (
        window.runner.busy
        or window.remarks.busy
        or (window.rig.isVisible() and steps.known_for != steps.wanted)
        or jobs.busy("reserve")
    ):
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    QCoreApplication.processEvents()


def open_beside(window: MainWindow, name: str) -> None:
    """Fold out what a picture is of, and wait until it is known."""
    control = window.control
    if name == "control-map":
        window.view.select("Careful PID")
        control.charts.toggle_map()
        wait(lambda: control.charts.map.map is not None and control.charts.map.map.complete)
    elif name == "control-why":
        window.view.select("Eager PI")
        settle(window)
        control.toggle_why()
        wait(lambda: control.why_panel.found is not None)
        next(button for button in control.why_panel.shows if "wound up" in button.property("words")).click()
        wait(lambda: bool(control.overlays.shown))
    elif name.startswith("fit"):
        show_fit(window, name)
    elif name == "trial":
        window.view.select_trial("Two-stage cure")
        settle(window)
        window.trial.variants.toggle()
        wait(lambda: not window.trial.variants.busy)
        wait(lambda: bool(window.trial.studies.met))
    elif name in ("trial-fails", "trial-shed-night"):
        window.view.select_trial(window.document.project.first_trial.name)
        window.trial.foot.show_tab("if it fails")
        wait(lambda: window.trial.phrase().text.endswith("limit"))
    elif name.startswith("bench"):
        show_bench(window, name)
    elif name == "handover":
        wait(lambda: window.handover.verdicts.variants is not None and bool(window.handover.verdicts.failures))
    elif name == "handover-wiring-night":
        window.handover.set_target("wiring")
        wait(lambda: window.handover.verdicts.variants is not None and bool(window.handover.verdicts.failures))
    elif name == "handover-program":
        window.handover.set_target("board")
        window.handover.boards.setCurrentIndex(1)
        window.handover.boards.activated.emit(1)
        wait(lambda: isinstance(window.handover.program.files, dict))
        window.handover.program.prove()
        wait(lambda: not window.handover.program.proving)
        wait(lambda: window.handover.verdicts.variants is not None and bool(window.handover.verdicts.failures))
    elif name == "control-curve":
        window.view.select("Three steps")
        settle(window)


def show_bench(window: MainWindow, name: str) -> None:
    """A device that is not there: an hour of it live; or the first steps of the first hour."""
    station, bench = window.bench, window.bench.bench
    is_live = name == "bench"
    bench.practise(_FASTER if is_live else 5.0)
    wait(lambda: bench.session is not None and bench.session.last is not None)
    session, hour = bench.session, bench.at.first_hour
    assert session is not None
    assert hour is not None
    if is_live:
        station.show_tab("live")
        wait(lambda: session.time_s > _PRACTISED_S and bench.at.future is not None and bench.at.expected is not None)
        bench.provoke("Door")
        wait(lambda: bench.at.provoked is not None)
    else:
        station.show_tab("first hour")
        bench.stop()
        wait(lambda: session.last is not None and session.last.stopped)
        for key in ("answers", "alarm"):
            station._choose_step(key)
            hour.begin()
            wait(lambda: not hour.busy)
    station.refresh()


def show_fit(window: MainWindow, name: str) -> None:
    """The rig fitted to its log; how that log was read; what changed of the fitted rig since."""
    fit = window.fit
    known = lambda: fit.known.fitted is not None and not fit.known.busy  # noqa: E731
    wait(known)
    fit.set_view("read" if name == "fit-read" else "fit")
    if name == "fit":
        fit.fit_panel.chips["rig"].click()
    elif name == "fit-changed-night":
        fit.work.use_in_rig()
        fit.select(2)
        fit.set_view("changed")
        wait(lambda: fit.known.comparison is not None and fit.known.drift is not None)
    wait(known)


def fold(window: MainWindow, name: str) -> None:
    """Fold in again what was folded out."""
    if name == "control-map":
        window.control.charts.toggle_map()
    elif name == "fit-changed-night":
        window.document.undo()
    elif name == "control-why":
        window.control.toggle_why()
        window.view.select("Careful PID")
    elif name.startswith("bench"):
        window.bench.bench.close()
        window.bench.bench.end_practice()


def wait(there: Callable[[], bool]) -> None:
    """Until something is there."""
    while not there():
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    for _ in range(5):
        QCoreApplication.processEvents()


def main() -> None:
    """Take all pictures into a folder: the first argument, else where this script lies."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent
    os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()  # nothing of the user's is in a picture
    app = QApplication(["kelvarn"])
    theme.use(theme.PAPER)
    window = open_window()
    shown = _MAIN
    for name, demo, station, look, part, step in PICTURES:
        if demo != shown:
            window.document.replace(find_demo(demo).build(), None)
            shown = demo
            if demo == _MAIN:
                look_after_the_door(window)
        window.use_theme(look)
        window.go_to(station)
        settle(window)
        open_beside(window, name)
        if station == RIG:
            window.rig.show_step(step)
            window.rig.select(part)
            settle(window)
        app.processEvents()
        window.grab().save(str(folder / f"{name}.png"))
        print(folder / f"{name}.png")
        fold(window, name)
    window.use_theme(theme.PAPER)
    window.show_start()
    wait(lambda: all(card.paint_picture is not None for card in window.start.demos.values()))
    window.grab().save(str(folder / "start.png"))
    print(folder / "start.png")
    window.document.close()
    window.document._saved = window.document.project  # nobody is asked whether to save what was shown
    window.close()


if __name__ == "__main__":
    main()
