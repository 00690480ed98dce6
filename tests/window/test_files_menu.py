"""Opening, saving, leaving and coming back: the project menu with its questions answered in every way."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS
from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.desktop.frame.window import RIG, MainWindow
from kelvarn.files.journal import Journal, left_behind
from kelvarn.files.project_file import load, save
from kelvarn.model.edit import put
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.units import Scale

Button = QMessageBox.StandardButton
Ask = Callable[..., list[str]]


@pytest.fixture
def answer(monkeypatch: pytest.MonkeyPatch) -> Ask:
    """Answer the questions to come, in order; gives the list of what was asked."""

    def prepare(*answers: Button) -> list[str]:
        left, asked = list(answers), []

        def run(box: QMessageBox) -> int:
            asked.append(box.text())
            return left.pop(0)

        monkeypatch.setattr(QMessageBox, "exec", run)
        return asked

    return prepare


@pytest.fixture
def said(window: MainWindow) -> Callable[[], str]:
    """What the window complains of; the box is closed."""

    def read() -> str:
        boxes = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMessageBox) and w.isVisible()]
        (box,) = boxes
        text = box.text()
        box.close()
        return text

    return read


def choose(monkeypatch: pytest.MonkeyPatch, path: Path | None) -> None:
    """What the file dialogs answer; None is cancelled."""
    name = "" if path is None else str(path)
    for dialog in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, dialog, lambda *_: (name, ""))


def change(window: MainWindow, text: str = "changed") -> None:
    window.document.set(("notes",), text, "notes")


def do(window: MainWindow, command: str) -> None:
    window.menus.actions[command].trigger()


def test_opening_asks_about_unsaved_work(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, answer: Ask
) -> None:
    theirs = tmp_path / "theirs.kelvarn"
    save(put(cure_cabinet(), ("name",), "Theirs"), theirs)
    choose(monkeypatch, theirs)
    change(window)
    asked = answer(Button.Cancel)
    do(window, "Open…")
    assert asked == ["“Cure cabinet” has unsaved changes."]
    assert window.document.project.notes == "changed"
    answer(Button.Discard)
    do(window, "Open…")
    assert window.document.project.name == "Theirs"
    assert window.document.path == theirs
    assert window.document.undo_name is None
    assert not window.document.dirty
    choose(monkeypatch, None)
    do(window, "Open…")
    assert window.document.path == theirs


def test_saving_first_when_asked_needs_a_place(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, answer: Ask
) -> None:
    change(window, "precious")
    choose(monkeypatch, None)  # the question where is cancelled: nothing may be lost
    answer(Button.Save)
    do(window, "New rig")
    assert window.document.project.notes == "precious"
    choose(monkeypatch, tmp_path / "kept")
    answer(Button.Save)
    do(window, "New rig")
    assert load(tmp_path / "kept.kelvarn").notes == "precious"
    assert window.document.project.name != "Cure cabinet"
    assert window.stations.index(window.station) == RIG


def test_a_file_that_another_program_changed_is_not_overwritten_unasked(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, answer: Ask
) -> None:
    path = tmp_path / "shared.kelvarn"
    choose(monkeypatch, path)
    do(window, "Save as…")
    save(put(window.document.project, ("notes",), "theirs"), path)
    change(window, "mine")
    asked = answer(Button.Cancel)
    do(window, "Save")
    assert len(asked) == 1
    assert asked[0].startswith("shared.kelvarn was changed by another program since it was opened.")
    assert load(path).notes == "theirs"
    assert window.document.dirty
    answer(Button.Save)
    do(window, "Save")
    assert load(path).notes == "mine"
    assert not window.document.dirty


def test_what_cannot_be_saved_or_opened_is_said_in_one_sentence(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, said: Callable[[], str]
) -> None:
    change(window)
    choose(monkeypatch, tmp_path / "none" / "x.kelvarn")
    do(window, "Save as…")
    text = said()
    assert "x.kelvarn" in text
    assert text.endswith(".")
    assert window.document.dirty
    (tmp_path / "bad.kelvarn").write_text("not a project")
    window.files.open(tmp_path / "bad.kelvarn")
    assert "bad.kelvarn" in said()
    assert window.document.project.notes == "changed"


def test_closing_asks_and_may_be_called_off(window: MainWindow, answer: Ask) -> None:
    change(window)
    asked = answer(Button.Cancel)
    assert not window.close()
    assert window.isVisible()
    assert asked == ["“Cure cabinet” has unsaved changes."]


def test_demos_and_the_new_rig_run_at_every_station(window: MainWindow, qtbot: QtBot) -> None:
    for demo in DEMOS:
        do(window, f"Open demo: {demo.title}")
        assert window.document.project == demo.build()
        assert not window.runner.faults
        names = {candidate.name for candidate in window.document.project.candidates}
        assert {key.candidate for key in window.runner.results} == names
    do(window, "New rig")
    assert not window.runner.faults
    assert window.document.path is None


def test_the_project_is_renamed_or_left(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    for text, ok, expected in (("  Oven  ", True, "Oven"), ("Other", False, "Oven"), ("   ", True, "Oven")):
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, t=text, o=ok, **__: (t, o))
        do(window, "Name of the project…")
        assert window.document.project.name == expected
    assert window.windowTitle() == "• Oven – Kelvarn"
    do(window, "Undo")
    assert window.document.project.name == "Cure cabinet"


@pytest.mark.parametrize(
    ("answer", "stays"),
    [("Bring it back", True), ("Throw it away", False), ("Ask again later", True), ("Escape", True)],
)
def test_recovered_work_is_taken_dropped_or_left_for_later(
    window: MainWindow, tmp_path: Path, answer: str, stays: bool
) -> None:
    crashed = Journal(tmp_path)
    crashed.keep(put(window.document.project, ("name",), "Oven"), tmp_path / "mine.kelvarn", None)
    crashed.let_go()
    found = left_behind(tmp_path)
    assert found is not None
    assert left_behind(tmp_path) is None  # while it is offered here, nobody else is offered it
    window.files.offer_recovery(found)
    (box,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMessageBox) and w.isVisible()]
    assert "Unsaved work on “Oven”" in box.text()
    if answer == "Escape":
        QTest.keyClick(box, Qt.Key.Key_Escape)
    else:
        next(button for button in box.buttons() if button.text() == answer).click()
    assert not box.isVisible()
    assert crashed.entry.exists() == stays
    taken = answer == "Bring it back"
    assert window.document.dirty == taken
    assert (window.document.path == tmp_path / "mine.kelvarn") == taken
    again = left_behind(tmp_path)
    assert (again is not None) == (stays and not taken)
    if again is not None:
        again.journal.clear()
    window.document.close()
    assert list(tmp_path.iterdir()) == []


def test_a_box_speaks_in_the_scale_that_is_shown(window: MainWindow, said: Callable[[], str]) -> None:
    window.view.set_scale(Scale.FAHRENHEIT)
    window.boxes.guarded(
        lambda: Plan(lowest_degC=50.0, highest_degC=20.0, changes=(SetpointChange(at_s=0, to_degC=30),))
    )()
    text = said()
    assert "122 °F" in text
    assert "°C" not in text


def test_about_says_version_and_licence(window: MainWindow, said: Callable[[], str]) -> None:
    do(window, "About Kelvarn")
    assert said().startswith("Kelvarn ")
