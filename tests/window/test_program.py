"""The program at Handover: made beside the window, shown, proved and written."""

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.window import HANDOVER, MainWindow
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.files.faults import FileError
from kelvarn.model.edit import put, with_fields
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project


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
    assert not any(button.isChecked() for button in station.findChildren(QCheckBox))
    said = lambda: [label.text() for label in station.findChildren(PlainLabel) if label.isVisible()]  # noqa: E731
    qtbot.waitUntil(lambda: "not proved yet" in said())
    qtbot.mouseClick(station.prove_button, Qt.MouseButton.LeftButton)
    assert program.proving
    qtbot.waitUntil(lambda: not program.proving, timeout=120_000)
    qtbot.waitUntil(lambda: any(text.startswith("No difference in ") for text in said()))
    station.write(tmp_path / "program")
    assert (tmp_path / "program" / "control.c").read_text(encoding="utf-8").count("void control_step(") == 1
    with pytest.raises(FileError, match="not empty"):
        station.write(tmp_path / "program")
    # Another setting: the files are others, and the proof is of another state.
    candidate = station.candidate.name
    window.document.apply(with_law(window.document.project, candidate), "Another setting")
    qtbot.waitUntil(lambda: program.is_old, timeout=60_000)
    qtbot.waitUntil(lambda: "of another state: prove it again" in said())
    station.numbers.setCurrentIndex(1)
    station.numbers.activated.emit(1)
    qtbot.waitUntil(lambda: isinstance(program.files, dict), timeout=60_000)
    assert isinstance(program.files, dict)
    assert "float real" in program.files["numbers.h"]


def with_law(project: Project, name: str) -> Project:
    """The project with another restart delay of a candidate's on/off, or gain of its PID."""
    place = [each.name for each in project.candidates].index(name)
    law = project.candidates[place].controller
    fields = {"kp_per_K": 0.077} if isinstance(law, Pid) else {"shortest_off_s": 77.0}
    return put(project, ("candidates", place, "controller"), with_fields(law, **fields))
