"""Start of the program: the application, its theme, compiling in the background, exceptions of every thread."""

import signal
import sys
import threading
import traceback
from functools import partial
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from kelvarn.desktop import language, theme
from kelvarn.desktop.frame import scaling
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.language import tell
from kelvarn.desktop.state.collector import collect_here, give_back
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.only_here import said_elsewhere, shown_elsewhere
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.state.session import Session
from kelvarn.files.faults import FileError
from kelvarn.files.journal import left_behind
from kelvarn.model.blank import blank_project
from kelvarn.model.project import Project

_ICON = Path(__file__).parent.parent / "pictures" / "kelvarn.svg"
_SAME = 1.05  # texts that are no more than this larger than usual are as usual


def start(project: Project | None, file: Path | None, logs: list[Path] | None = None) -> int:
    """Open the window; returns the exit code when it is closed.

    Args:
        project, file: what it opens on, and the file that came from, if any; None: where work was left, else what
            there is to begin with.
        logs: files that are added to it as logs.
    """
    give_back()
    app, session = _application()
    if file is not None and (said := said_elsewhere(file)):
        print(said)
        return 0
    left = session.left() if project is None else None
    if left is not None and shown_elsewhere(left[1]):
        left = None  # a second window beside the one that goes on with it
    nothing = project is None and left is None
    document = Document(*(left or (project or blank_project(), file)))
    window = _window(app, document, session, goes_on=left is not None)
    if nothing and not logs:
        window.show_start()
    if logs:
        QTimer.singleShot(0, partial(window.files.take, logs))
    if not window.nothing_open:  # there it is offered beside the rest
        QTimer.singleShot(0, partial(_offer_recovery, window))
    code = app.exec()
    while window.begins_anew:
        again, nothing = window.document.carried_on(), window.nothing_open
        app.shutdown()  # with all that is Qt's
        app, session = _application()
        window = _window(app, again(), session, goes_on=True)
        if nothing:
            window.show_start()
        code = app.exec()
    return code


def _application() -> tuple[QApplication, Session]:
    """The application, as large as the desktop's texts and the zoom that is kept ask for."""
    zoom = float(Session(QSettings("kelvarn", "kelvarn")).get("zoom") or 1.0)
    scaling.begin(zoom)
    app = QApplication(["kelvarn"])
    larger = scaling.of_system()
    if larger > _SAME:
        app.shutdown()
        scaling.begin(zoom * larger)
        app = QApplication(["kelvarn"])
    app.setApplicationName("kelvarn")
    app.setApplicationDisplayName("Kelvarn")
    app.setDesktopFileName("org.kelvarn.Kelvarn")
    app.setWindowIcon(QIcon(str(_ICON)))
    return app, Session(QSettings("kelvarn", "kelvarn"))


def _window(app: QApplication, document: Document, session: Session, *, goes_on: bool) -> MainWindow:
    """The window, shown; `goes_on`: where work was left."""
    collect_here(app)
    saved_theme = session.get("theme")
    theme.use(theme.by_name(str(saved_theme)) if saved_theme else theme.system_theme())
    language.use(str(session.get("language") or language.ENGLISH))
    runner = Runner()
    runner.prepare()
    window = MainWindow(document, runner, session)
    if goes_on:
        window.go_on()
    _catch_exceptions(window)
    _end_on_signals(app)
    window.show()
    return window


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
            tell(
                "Something went wrong inside Kelvarn; your work is kept. "
                "If it happens again, the details below help to mend it."
            ),
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
