"""Random deeds in the window over all demos: no exception, no message of Qt, undo restores, memory stays.

    python -m tests.campaigns.hands [COUNT [SEED [SECONDS_AT_ONCE]]]

After each round of 250 deeds everything is undone, which must give what it began with, and what is saved must be equal
when it is loaded. Prints a line a round; ends with 1 where something was found.
"""

import ctypes
import gc
import os
import random
import resource
import sys
import tempfile
import traceback
from pathlib import Path
from types import TracebackType

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QCoreApplication, QEvent, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from kelvarn.demos import DEMOS
from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.state.collector import collect_here
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import MOST_SECONDS_AT_ONCE, Runner
from kelvarn.files.project_file import load
from tests.campaigns.deeds import Deeds, answer_boxes

_ROUND = 250
_MOST_GROWTH_MB = 50.0


def held_mb() -> float:
    """What is really held: without what the C library keeps for the next time."""
    gc.collect()
    ctypes.CDLL(None).malloc_trim(0)
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6


def main() -> int:
    """Run the campaign; the exit code."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    # As shipped, unless told; 0 computes all of it beside the window, as a slow machine does.
    at_once_s = float(sys.argv[3]) if len(sys.argv) > 3 else MOST_SECONDS_AT_ONCE
    state = Path(tempfile.mkdtemp())
    os.environ["XDG_STATE_HOME"] = str(state)
    found: list[str] = []
    last = ""
    app = QApplication(["kelvarn"])
    theme.use(theme.PAPER)

    def of_qt(_kind: object, _where: object, text: str) -> None:
        if not text.startswith("This plugin"):
            found.append(f"Qt: {text} after {last}")
            print(f"Qt: {text}", flush=True)

    def of_python(kind: type[BaseException], error: BaseException, where: TracebackType | None) -> None:
        found.append(f"{kind.__name__}: {error} after {last}")
        traceback.print_exception(kind, error, where)

    answer_boxes(random.Random(seed), state)
    qInstallMessageHandler(of_qt)
    sys.excepthook = of_python
    runner = Runner(at_once_s)
    runner.prepare()
    window = MainWindow(Document(DEMOS[0].build()), runner)
    collect_here(window)
    window.show()
    while runner.preparing:
        app.processEvents()
    done, begun_mb = 0, 0.0
    while done < count:
        demo = DEMOS[(done // _ROUND) % len(DEMOS)]
        window.document.replace(demo.build(), None)
        before = window.document.project
        deeds = Deeds(window, random.Random(seed * 1_000_003 + done))
        for _ in range(min(_ROUND, count - done)):
            last = deeds.one()
            done += 1
        window.document.save(state / "x.kelvarn")
        if load(state / "x.kelvarn") != window.document.project:
            found.append(f"what was loaded is not what was saved, at {done}")
        undone = 0
        while window.document.undo_name is not None:
            window.document.undo()
            undone += 1
        if undone < 500 and window.document.project != before:
            found.append(f"undo did not restore, at {done}")
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        now = held_mb()
        if done <= len(DEMOS) * _ROUND:  # each demo has been open once by then, and what is made once is there
            begun_mb = max(begun_mb, now)
        print(f"{done:6d} deeds, {demo.name}, {undone} undone, {now:.0f} MB, {len(found)} faults", flush=True)
    if now - begun_mb > _MOST_GROWTH_MB:
        found.append(f"memory grew from {begun_mb:.0f} to {now:.0f} MB")
    for fault in found[:50]:
        print(fault)
    window.document._saved = window.document.project
    window.close()
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
