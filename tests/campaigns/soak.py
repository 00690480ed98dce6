"""Days of use in one process: memory flat after the first hour, no slower, no handle left open.

    python -m tests.campaigns.soak [HOURS [SEED [STATE]]]

An hour of use is six turns of ten minutes each, a deed every fifty seconds and what belongs to a turn, done as quickly
as the machine does them: a project is opened, edited and undone, run, saved and loaded; a log is fitted; looks and
stations change; the Bench watches, records and stops a practice rig that runs many times as fast as the clock. Prints
a line an hour; ends with 1 where something was found.
"""

import gc
import os
import random
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QCoreApplication, QEvent, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from kelvarn.demos import DEMOS
from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import BENCH, CONTROL, MainWindow
from kelvarn.desktop.state.collector import collect_here, give_back
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.files.project_file import load
from kelvarn.handover.carry import Carried
from kelvarn.link.practice.brain import PythonBrain
from kelvarn.link.practice.rig import PracticeRig
from kelvarn.link.practice.serve import PracticeServer, TcpOutlet
from tests.campaigns.deeds import Deeds, answer_boxes
from tests.campaigns.hands import held_mb

_TURNS = 6  # of an hour
_DEEDS = 12  # of a turn
_FASTER = 60.0
_PATIENCE_S = 120.0
_MOST_GROWTH_MB, _MOST_SLOWER = 25.0, 1.5


class Soak:
    """One window that is used.

    Args:
        folder: where files are written.
        rng: what decides.
    """

    def __init__(self, folder: Path, rng: random.Random) -> None:
        self.folder, self.rng, self.found, self.last = folder, rng, [], ""
        runner = Runner()
        runner.prepare()
        self.window = MainWindow(Document(DEMOS[0].build()), runner)
        collect_here(self.window)
        self.window.show()
        self.until(lambda: not runner.preparing)

    def until(self, holds: Callable[[], object]) -> bool:
        """Let the window work until something holds."""
        end = time.monotonic() + _PATIENCE_S
        while not holds():
            QCoreApplication.processEvents()
            time.sleep(0.002)
            if time.monotonic() > end:
                self.found.append(f"waited in vain after {self.last}")
                return False
        return True

    def all_commands(self) -> None:
        """Every command once: what it loads at its first use is no growth later."""
        deeds = Deeds(self.window, self.rng)
        for action in deeds.commands:
            self.last = deeds.command(action)
        self.until(lambda: not self.window.runner.busy and not self.window.remarks.busy)

    def turn(self, count: int) -> None:
        """Ten minutes of use."""
        window, demo = self.window, DEMOS[count % len(DEMOS)]
        window.document.replace(demo.build(), None)
        before, deeds = window.document.project, Deeds(window, self.rng)
        for _ in range(_DEEDS):
            self.last = deeds.one()
        path = self.folder / "x.kelvarn"
        window.document.save(path)
        if load(path) != window.document.project:
            self.found.append(f"what was loaded is not what was saved, in turn {count}")
        undone = 0
        while window.document.undo_name is not None:
            window.document.undo()
            undone += 1
        if window.document.project != before and undone < 500:
            self.found.append(f"undo did not restore, in turn {count}")
        window.toggle_theme()
        for station in range(len(window.stations)):
            window.go_to(station)
            QCoreApplication.processEvents()
        window.guide.show("words")
        window.guide.viewer.hide()
        if count % _TURNS == 2:
            self.fit()
        if count % _TURNS == 4:
            self.bench()
        window.show_start()
        window.go_to(CONTROL)
        self.until(lambda: not window.runner.busy and not window.remarks.busy)
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def fit(self) -> None:
        """Open a log and fit it."""
        window = self.window
        window.document.replace(DEMOS[0].build(), None)
        window.guide.open_log("oven.csv")
        window.fit.set_view("fit")
        self.until(lambda: not window.runner.jobs.busy())

    def bench(self) -> None:
        """Watch a practice rig, record from it, stop it, let it go."""
        window, project = self.window, DEMOS[0].build()
        window.document.replace(project, None)
        carried = Carried(project, project.candidate(project.chosen or project.candidates[0].name), project.first_trial)
        rig, outlet, ends = PracticeRig(carried, PythonBrain(carried), week_ms=0), TcpOutlet(0), threading.Event()
        server = threading.Thread(target=PracticeServer(rig, outlet, _FASTER).run, args=(lambda: not ends.is_set(),))
        server.start()
        window.go_to(BENCH)
        station = window.bench
        station.bench.close_all()  # one that a deed has begun to listen to
        station.link.where.setText(outlet.where)
        station.link.button.click()
        if self.until(lambda: station.live is not None):
            station.tabs["live"].click()
            station.right.recording.button.click()
            self.until(lambda: station.live is not None and station.live.session.time_s > 300.0)
            station.right.stop.click()
            station.right.recording.button.click()
        station.link.button.click()
        self.until(lambda: station.live is None)
        ends.set()
        server.join()
        outlet.close()
        rig.close()


def handles() -> int:
    """Files, sockets and pipes that are open."""
    return len(list(Path("/proc/self/fd").iterdir()))


def main() -> int:
    """Run the campaign; the exit code."""
    hours = int(sys.argv[1]) if len(sys.argv) > 1 else 72
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    folder = Path(sys.argv[3] if len(sys.argv) > 3 else tempfile.mkdtemp())
    for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        os.environ[name] = str(folder)
    give_back()
    app = QApplication(["kelvarn"])
    theme.use(theme.PAPER)
    rng = random.Random(seed)
    answer_boxes(rng, folder)
    soak = Soak(folder, rng)
    qInstallMessageHandler(lambda _k, _w, text: None if text.startswith("This plugin") else soak.found.append(text))

    def of_python(kind: type[BaseException], error: BaseException, where: TracebackType | None) -> None:
        soak.found.append(f"{kind.__name__}: {error} after {soak.last}")
        traceback.print_exception(kind, error, where)

    sys.excepthook = of_python
    rows = []
    soak.all_commands()
    for hour in range(hours):
        begin = time.process_time()
        for turn in range(_TURNS):
            soak.turn(hour * _TURNS + turn)
        gc.collect()
        row = (held_mb(), handles(), threading.active_count(), time.process_time() - begin)
        rows.append(row)
        print(f"{hour + 1:3d} h: {row[0]:.0f} MB, {row[1]} handles, {row[2]} threads, {len(app.allWidgets())} widgets, "
              f"{row[3]:.0f} s of processor, {len(soak.found)} faults", flush=True)  # fmt: skip
    if len(rows) > 12:
        early, late = rows[1:7], rows[-6:]
        for name, place, most in (("memory, MB", 0, _MOST_GROWTH_MB), ("handles", 1, 0), ("threads", 2, 0)):
            grown = min(row[place] for row in late) - max(row[place] for row in early)
            if grown > most:
                soak.found.append(f"{name} grew by {grown:.0f}")
        if min(row[3] for row in late) > _MOST_SLOWER * max(row[3] for row in early):
            soak.found.append("it became slower")
    for fault in soak.found[:50]:
        print(fault)
    soak.window.document._saved = soak.window.document.project
    soak.window.close()
    return 1 if soak.found else 0


if __name__ == "__main__":
    sys.exit(main())
