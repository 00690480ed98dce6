"""Start of the program: the application, its theme, compiling in the background, exceptions of every thread."""

import signal
import sys
import threading
import traceback
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from kelvarn.demos import DEMOS
from kelvarn.files.faults import FileError
from kelvarn.files.journal import left_behind
from kelvarn.model.project import Project

from . import theme
from .document import Document
from .runner import Runner
from .session import Session
from .window import MainWindow


def start(project: Project | None, file: Path | None, logs: list[Path] | None = None) -> int:
    """Open the window; returns the exit code when it is closed.

    Args:
        project, file: what it opens on, and the file that came from, if any; None: where work was left, else a demo.
        logs: files that are added to it as logs.
    """
    app = QApplication.instance() or QApplication(["kelvarn"])
    assert isinstance(app, QApplication)
    app.setApplicationName("kelvarn")
    app.setApplicationDisplayName("Kelvarn")
    session = Session(QSettings("kelvarn", "kelvarn"))
    left = session.left() if project is None else None
    saved_theme = session.get("theme")
    theme.use(theme.by_name(str(saved_theme)) if saved_theme else theme.system_theme())
    runner = Runner()
    runner.prepare()
    document = Document(project or DEMOS[0].build(), file) if left is None else Document(*left)
    window = MainWindow(document, runner, session)
    if left is not None:
        window.go_on()
    _catch_exceptions(window)
    _end_on_signals(app)
    window.show()
    if logs:
        QTimer.singleShot(0, lambda: window.files.take(logs))
    QTimer.singleShot(0, lambda: _offer_recovery(window))
    return app.exec()


def _offer_recovery(window: MainWindow) -> None:
    unsaved = left_behind()
    if unsaved is not None:
        window.files.offer_recovery(unsaved)


def _catch_exceptions(window: MainWindow) -> None:
    """A bug is said, with its details behind a fold; the unsaved work is kept first."""

    def report(kind: type[BaseException], error: BaseException, where: TracebackType | None) -> None:
        details = "".join(traceback.format_exception(kind, error, where))
        print(details, file=sys.stderr)
        if isinstance(error, FileError):
            window.boxes.complain(str(error))
            return
        window.document.autosave_now()
        window.boxes.complain(
            "Something went wrong inside Kelvarn; your work is kept. "
            "If it happens again, the details below help to mend it.",
            details,
        )

    sys.excepthook = report
    threading.excepthook = lambda hook: report(
        hook.exc_type, hook.exc_value or RuntimeError("unknown"), hook.exc_traceback
    )


def _end_on_signals(app: QApplication) -> None:
    """Ctrl+C in the terminal closes the window; Python needs to run now and then to notice."""
    signal.signal(signal.SIGINT, lambda *_: app.closeAllWindows())
    ticker = QTimer(app)
    ticker.timeout.connect(lambda: None)
    ticker.start(500)
