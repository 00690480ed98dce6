"""A real window offscreen, and hands to drive it with."""

import math
from collections.abc import Callable, Iterator

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.desktop import theme
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.state.collector import collect_here
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.model.blank import blank_project
from kelvarn.model.project import Project

from ..conftest import two_candidates

_ASKING = (
    (QFileDialog, ("exec", "getOpenFileName", "getOpenFileNames", "getSaveFileName", "getExistingDirectory")),
    (QInputDialog, ("exec", "getText", "getItem", "getInt", "getDouble", "getMultiLineText")),
    (QMessageBox, ("exec", "about", "critical", "information", "question", "warning")),
    (QDialog, ("exec",)),
)  # fmt: skip
"""What waits for somebody: there is nobody in a test."""


@pytest.fixture(autouse=True)
def _nobody_answers(qapp: QApplication, monkeypatch: pytest.MonkeyPatch) -> None:
    """A box that would wait fails the test that did not say what is answered, whoever comes first."""

    def waits(kind: type[QDialog], name: str) -> Callable[..., None]:
        def asked(*args: object, **_: object) -> None:
            raise AssertionError(f"{kind.__name__}.{name} waits for an answer: {args[1:4]}")

        return asked

    for kind, names in _ASKING:
        for name in names:
            monkeypatch.setattr(kind, name, waits(kind, name))


@pytest.fixture(autouse=True)
def _no_window_stays(qapp: QApplication) -> Iterator[None]:
    """A window that a test leaves open, since it failed, is its own fault and not that of all that come after it."""
    yield
    left = [each for each in QApplication.topLevelWidgets() if each.isVisible()]
    for each in left:
        if isinstance(each, MainWindow):
            each.document.close()
            each.document._saved = each.document.project
        each.close()
        each.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert left == [], left


def open_window(qtbot: QtBot, project: Project | None = None, *, at_once: bool = True) -> MainWindow:
    """A shown window whose kernel is ready.

    Args:
        qtbot, project: what waits, and what it opens on.
        at_once: it computes at once on however slow a machine; else beside the window, where nothing computed is asked.
    """
    theme.use(theme.PAPER)
    runner = Runner(most_seconds_at_once=math.inf if at_once else 0.0)
    runner.prepare()
    made = MainWindow(Document(project or two_candidates()), runner)
    collect_here(made)
    made.show()
    qtbot.waitUntil(lambda: not runner.preparing, timeout=120_000)
    return made


def close_window(made: MainWindow) -> None:
    """Close it without a question, and see that nothing of it stays."""
    made.document.close()
    made.document._saved = made.document.project
    assert made.close()
    made.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    left = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
    assert left == [], left


@pytest.fixture
def window(qtbot: QtBot) -> Iterator[MainWindow]:
    """The cure cabinet with on/off and PID in a window, at Control."""
    made = open_window(qtbot)
    yield made
    close_window(made)


@pytest.fixture
def empty(qtbot: QtBot) -> Iterator[MainWindow]:
    """A window with nothing open."""
    made = open_window(qtbot, blank_project())
    made.show_start()
    QApplication.processEvents()
    yield made
    close_window(made)


def wait_for_step(qtbot: QtBot, made: MainWindow) -> None:
    """Until the open-loop step of the rig as it stands is known."""
    steps = made.rig.steps
    qtbot.waitUntil(lambda: steps.known_for is not None and steps.known_for == steps.wanted, timeout=60_000)


def drag(widget: QWidget, start: QPointF, end: QPointF, steps: int = 6, *, release: bool = True) -> None:
    """Press, move and release the left button."""
    QTest.mouseMove(widget, start.toPoint())
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start.toPoint())
    for k in range(1, steps + 1):
        QTest.mouseMove(widget, (start + (end - start) * (k / steps)).toPoint())
    if release:
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end.toPoint())


def click(widget: QWidget, at: QPoint | None = None) -> None:
    """Click in the middle, or somewhere."""
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or widget.rect().center())


def type_into(widget: QWidget, text: str) -> None:
    """Replace what a line holds and press Return."""
    widget.setFocus()
    QTest.keyClick(widget, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(widget, Qt.Key.Key_Delete)
    QTest.keyClicks(widget, text)
    QTest.keyClick(widget, Qt.Key.Key_Return)
