"""The program at Handover: made beside the window, shown, proved and written."""

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QPushButton
from pytestqt.qtbot import QtBot

from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.frame.window import HANDOVER, MainWindow
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.files.faults import FileError
from kelvarn.files.project_file import load
from kelvarn.handover.checks import Prover
from kelvarn.model.edit import put, with_fields
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project

from .conftest import type_into


@pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")
def test_a_program_is_shown_proved_and_written(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name, count in (("_RIGS", 2), ("_MOST_SAMPLES", 100), ("_CUTS", 3), ("_CUTS_WHILE_STORING", 3)):
        monkeypatch.setattr(f"kelvarn.handover.checks.{name}", count)
    monkeypatch.setattr("kelvarn.handover.checks._ODD_SAMPLES", 30)
    window.go_to(HANDOVER)
    station, program = window.handover, window.handover.program
    qtbot.mouseClick(station.target_buttons["board"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    assert "The only file to edit" in station.program_view.text.toPlainText()
    qtbot.mouseClick(station.program_view.tab_buttons["control.c"], Qt.MouseButton.LeftButton)
    assert "void control_step(" in station.program_view.text.toPlainText()
    assert not any(button.isChecked() for button in station.findChildren(QCheckBox) if button.isVisible())
    said = lambda: [label.text() for label in station.findChildren(PlainLabel) if label.isVisible()]  # noqa: E731
    qtbot.waitUntil(lambda: "not proved yet" in said(), timeout=60_000)
    qtbot.mouseClick(station.prove_button, Qt.MouseButton.LeftButton)
    assert program.proving
    qtbot.waitUntil(lambda: not program.proving, timeout=120_000)
    qtbot.waitUntil(lambda: any(text.startswith("No difference in ") for text in said()), timeout=60_000)
    station.write(tmp_path / "program")
    assert (tmp_path / "program" / "control.c").read_text(encoding="utf-8").count("void control_step(") == 1
    with pytest.raises(FileError, match="not empty"):
        station.write(tmp_path / "program")
    last = window.document.project.handed_over[-1]
    assert (last.candidate, last.board, last.numbers, last.files[0].name) == (
        station.candidate.name, "simulated", 64, "settings.h",
    )  # fmt: skip
    assert window.document.project.proofs[-1].checks[0].samples or window.document.project.proofs[-1].checks[0].left
    qtbot.waitUntil(lambda: any("nothing changed since it was written" in text for text in said()), timeout=60_000)
    # Another setting: the files are others, and the proof is of another state.
    candidate = station.candidate.name
    window.document.apply(with_law(window.document.project, candidate), "Another setting")
    qtbot.waitUntil(lambda: program.is_old, timeout=60_000)
    qtbot.waitUntil(lambda: any("of another state: prove it again" in text for text in said()), timeout=60_000)
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    assert set(program.changed) == {"settings.h"}
    (line,) = program.changed["settings.h"]
    assert isinstance(program.files, dict)
    assert "0.077" in program.files["settings.h"].splitlines()[line]
    assert any("1 line changed since it was written" in text for text in said())
    station.program_view.show_file("settings.h")
    (mark,) = station.program_view.text.extraSelections()
    assert "0.077" in mark.cursor.block().text()
    station.numbers.setCurrentIndex(1)
    station.numbers.activated.emit(1)
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    assert isinstance(program.files, dict)
    assert "float real" in program.files["numbers.h"]


@pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not installed: apt install gcc")
def test_a_difference_opens_on_the_strip(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(Prover, "checks", lambda self: (("edges", self._edges),))
    monkeypatch.setattr("kelvarn.handover.comparing.same", lambda one, other, within=0.0: one == other != 1.0)
    window.go_to(HANDOVER)
    station, program = window.handover, window.handover.program
    qtbot.mouseClick(station.target_buttons["board"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    qtbot.mouseClick(station.prove_button, Qt.MouseButton.LeftButton)
    see = lambda: [each for each in station.findChildren(QPushButton) if each.text().endswith(": see it")]  # noqa: E731
    qtbot.waitUntil(lambda: bool(see()), timeout=120_000)
    assert "decisions differ" in " ".join(each.text() for each in station.findChildren(PlainLabel))
    qtbot.mouseClick(see()[0], Qt.MouseButton.LeftButton)
    view = station.program_view.difference
    assert view.isVisible()
    assert not station.program_view.text.isVisible()
    assert " is 1.0 here and 1.0 there" in view.said.text()
    assert "control.c, line " in view.lines.text()
    assert view.strip.grab().width() > 200
    qtbot.mouseClick(station.program_view.tab_buttons["control.c"], Qt.MouseButton.LeftButton)
    assert not view.isVisible()
    window.document.save(tmp_path / "x.kelvarn")
    kept = load(tmp_path / "x.kelvarn").proofs[-1]
    assert (kept.checks[0].name, "is 1.0 here" in kept.checks[0].first) == ("edges", True)


def test_a_maker_board_has_its_pins_and_its_numbers(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window.go_to(HANDOVER)
    station, program = window.handover, window.handover.program
    qtbot.mouseClick(station.target_buttons["board"], Qt.MouseButton.LeftButton)
    station.boards.setCurrentIndex(1)
    station.boards.activated.emit(1)
    assert (program.real, station.numbers.isEnabled(), station.numbers.currentText()) == ("float", False, "32-bit")
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    assert isinstance(program.files, dict)
    assert "OUTPUT_1_PIN 9" in program.files["pins.h"]
    station.write(tmp_path / "sketch")
    assert (tmp_path / "sketch" / "sketch.ino").exists()
    station.boards.setCurrentIndex(4)
    station.boards.activated.emit(4)
    qtbot.waitUntil(lambda: isinstance(program.files, dict) and "control.py" in program.files, timeout=60_000)
    qtbot.mouseClick(station.program_view.tab_buttons["control.py"], Qt.MouseButton.LeftButton)
    assert "def control_step(" in station.program_view.text.toPlainText()


def with_law(project: Project, name: str) -> Project:
    """The project with another restart delay of a candidate's on/off, or gain of its PID."""
    place = [each.name for each in project.candidates].index(name)
    law = project.candidates[place].controller
    fields = {"kp_per_K": 0.077} if isinstance(law, Pid) else {"shortest_off_s": 77.0}
    return put(project, ("candidates", place, "controller"), with_fields(law, **fields))


def test_a_controller_that_was_bought_gets_its_numbers(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window.go_to(HANDOVER)
    station = window.handover
    qtbot.mouseClick(station.target_buttons["bought"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "marks met" in station.page.toPlainText(), timeout=60_000)
    before = station.page.toPlainText()
    edit = station.bought_fields.fields["time_step_s"].findChild(NumberEdit)
    assert isinstance(edit, NumberEdit)
    type_into(edit, "60 s")
    assert window.document.project.bought.time_step_s == 60.0
    qtbot.waitUntil(lambda: "720" in station.page.toPlainText(), timeout=60_000)
    assert station.page.toPlainText() != before
    station.write(tmp_path / "x.html")
    assert "type this" in (tmp_path / "x.html").read_text(encoding="utf-8")


def test_a_setting_stays_adjustable_and_units_get_a_folder_each(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window.go_to(HANDOVER)
    station, program = window.handover, window.handover.program
    qtbot.mouseClick(station.target_buttons["board"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(program.adjustable), timeout=60_000)
    panel = station.adjust_panel
    place = panel.settings.findText("KP_PER_K")
    assert place > 0
    panel.settings.setCurrentIndex(place)
    panel.settings.activated.emit(place)
    (chosen,) = window.document.project.adjustable
    assert chosen.lowest < 0.16 < chosen.highest
    qtbot.waitUntil(
        lambda: isinstance(program.files, dict) and "bool adjust(" in program.files["settings.h"], timeout=60_000
    )
    assert panel.settings.findText("KP_PER_K") < 0
    lowest = next(edit for edit in panel.findChildren(NumberEdit) if edit.accessibleName() == "Lowest")
    type_into(lowest, "0.2")
    qtbot.waitUntil(lambda: isinstance(program.files, str), timeout=60_000)
    assert "outside of the range" in str(program.files)
    assert not station.write_button.isEnabled()
    type_into(lowest, "0.1")
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    qtbot.mouseClick(panel.add_unit, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(panel.add_unit, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    station.write(tmp_path / "all")
    assert sorted(each.name for each in (tmp_path / "all").iterdir()) == ["unit-1", "unit-2"]
    off = next(each for each in panel.findChildren(QPushButton) if each.text() == "Take it off" and each.isVisible())
    qtbot.mouseClick(off, Qt.MouseButton.LeftButton)
    assert window.document.project.adjustable == ()
