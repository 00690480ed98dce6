"""One window per project: who opens a file that another has open is shown that one; a dead one hinders nobody."""

import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtNetwork import QLocalServer
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.state.only_here import name_of
from kelvarn.files.project_file import save

from ..conftest import two_candidates

_HOLDER = """
import sys
from pathlib import Path
from PySide6.QtCore import QCoreApplication
from kelvarn.desktop.state.only_here import OnlyHere
app = QCoreApplication([])
claim = OnlyHere(app, lambda: print("asked", flush=True))
claim.claim(Path(sys.argv[1]))
print("claimed", flush=True)
app.exec()
"""
_ASKS = """
import sys
from pathlib import Path
from kelvarn.desktop.state.only_here import shown_elsewhere
print(shown_elsewhere(Path(sys.argv[1])))
"""


@pytest.fixture
def file(tmp_path: Path) -> Path:
    path = tmp_path / "shared by two.kelvarn"
    save(two_candidates(), path)
    return path


@pytest.fixture
def holder(file: Path) -> Iterator[subprocess.Popen[str]]:
    """Another process that has the file open."""
    with subprocess.Popen([sys.executable, "-c", _HOLDER, str(file)], stdout=subprocess.PIPE, text=True) as other:
        assert other.stdout is not None
        assert other.stdout.readline() == "claimed\n"
        yield other
        other.kill()
    QLocalServer.removeServer(name_of(file))  # the killed one left it


def test_the_command_shows_the_window_that_has_the_file(window: MainWindow, file: Path, qtbot: QtBot) -> None:
    window.files.open(file)
    window.showMinimized()
    link = file.with_name("another way to it.kelvarn")
    link.symlink_to(file)
    with subprocess.Popen([sys.executable, "-m", "kelvarn", str(link)], stdout=subprocess.PIPE, text=True) as second:
        qtbot.waitUntil(lambda: second.poll() is not None, timeout=60_000)
        assert second.returncode == 0
        assert second.stdout is not None
        assert "open in another window" in second.stdout.read()
    assert not window.windowState() & Qt.WindowState.WindowMinimized


def test_a_file_that_another_window_has_is_not_opened_twice(
    window: MainWindow, file: Path, holder: subprocess.Popen[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []
    monkeypatch.setattr(window.boxes, "complain", said.append)
    window.files.open(file)
    assert window.document.path is None
    assert said == ["shared by two.kelvarn is open in another window, which was brought to the front."]
    assert holder.stdout is not None
    assert holder.stdout.readline() == "asked\n"


def test_unsaved_work_is_not_asked_about_where_nothing_will_be_opened(
    window: MainWindow, file: Path, holder: subprocess.Popen[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []
    monkeypatch.setattr(window.boxes, "complain", said.append)
    window.document.set(("notes",), "not saved", "notes")
    window.files.leave_for(file)  # a question would fail the test: there is nobody who answers
    assert "open in another window" in said[0]
    assert window.document.project.notes == "not saved"


@pytest.mark.parametrize("end", [signal.SIGKILL, signal.SIGSTOP], ids=["killed", "hangs"])
def test_a_window_that_does_not_answer_keeps_nobody_out(
    window: MainWindow, file: Path, holder: subprocess.Popen[str], end: signal.Signals
) -> None:
    holder.send_signal(end)
    if end is signal.SIGKILL:
        holder.wait()
    window.files.open(file)
    assert window.document.path == file


def test_what_was_left_is_free_again(window: MainWindow, file: Path, qtbot: QtBot) -> None:
    def held() -> str:
        with subprocess.Popen([sys.executable, "-c", _ASKS, str(file)], stdout=subprocess.PIPE, text=True) as asks:
            qtbot.waitUntil(lambda: asks.poll() is not None, timeout=60_000)
            assert asks.stdout is not None
            return asks.stdout.read()

    window.files.open(file)
    assert held() == "True\n"
    window.files.open_demo(DEMOS[0])
    assert held() == "False\n"
