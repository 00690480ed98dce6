"""Wiring and parts at Handover, by mouse and keys."""

from datetime import date
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QPushButton
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.frame.window import HANDOVER, MainWindow
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.files.project_file import load, save
from kelvarn.handover.sheet import sheet_html
from kelvarn.units import Scale
from tests.window.conftest import click, close_window, open_window


def said(window: MainWindow) -> str:
    """What the panel of the part says."""
    QApplication.processEvents()  # what was there before goes
    labels = window.handover.wiring.part.findChildren(PlainLabel)
    return " ".join(label.text() for label in labels if not label.isHidden())


def press(window: MainWindow, qtbot: QtBot, text: str) -> None:
    QApplication.processEvents()
    button = next(
        each
        for each in window.handover.wiring.part.findChildren(QPushButton)
        if each.text() == text and not each.isHidden()
    )
    qtbot.waitUntil(lambda: button.height() > 8, timeout=60_000)  # it is laid out
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def type_into(window: MainWindow, qtbot: QtBot, title: str, text: str) -> None:
    QApplication.processEvents()
    fields = [each for each in window.handover.wiring.part.findChildren(NumberField) if not each.isHidden()]
    edit = next(each.edit for each in fields if each.edit.accessibleName().startswith(title))
    edit.setFocus()
    edit.selectAll()
    qtbot.keyClicks(edit, text)
    qtbot.keyClick(edit, Qt.Key.Key_Return)


def test_a_switch_is_changed_where_it_is_seen_warned_of_and_taken_back(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(qtbot, find_demo("cure-cabinet").build())
    window.go_to(HANDOVER)
    station = window.handover
    qtbot.mouseClick(station.target_buttons["wiring"], Qt.MouseButton.LeftButton)
    assert station.wiring.view.isVisible()
    assert not station.page.isVisible()
    assert "No thermal cut-off in its lead" in said(window)  # of the part that is warned of first
    press(window, qtbot, "change it")
    assert [each.drive for each in window.document.project.wiring.outputs] == ["Mat"]
    type_into(window, qtbot, "Opens fully at", "10")
    assert "opens fully only at 10 V" in said(window)
    assert "2 warnings" in station.wiring.parts.buttons["Mat"].accessibleDescription()
    assert "opens fully only at 10 V" in "".join(each.text for each in station.wiring.warned)
    type_into(window, qtbot, "Resistance when on", "0.04 ohm")
    assert window.document.project.wiring.outputs[0].on_ohm == pytest.approx(0.04)
    assert "W in the switch: " in said(window)
    press(window, qtbot, "as proposed again")
    assert window.document.project.wiring.outputs == ()
    assert "opens fully only" not in said(window)
    window.document.undo()
    assert window.document.project.wiring.outputs[0].opens_at_V == 10.0
    qtbot.mouseClick(station.wiring.parts.buttons["Supply"], Qt.MouseButton.LeftButton)
    type_into(window, qtbot, "Supply gives", "5 A")
    assert "all together take 10.4 A" in said(window)
    table = station.wiring.view.table
    rows = table.rowCount()
    qtbot.mouseClick(station.wiring.view.chips["terminals"], Qt.MouseButton.LeftButton)
    assert table.columnCount() == 4
    assert table.rowCount() != rows
    assert "pin 9 to input" in station.wiring.view.drawing.accessibleDescription()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "out"), ""))
    qtbot.mouseClick(station.write_button, Qt.MouseButton.LeftButton)
    assert {"wiring.svg", "parts.csv", "terminals.csv", "warnings.txt"} == {
        path.name for path in (tmp_path / "out").iterdir()
    }
    qtbot.mouseClick(station.target_buttons["sheet"], Qt.MouseButton.LeftButton)
    assert station.page.isVisible()
    assert Binding(window.document, station._view, ("wiring", "board")).text("maker32") == "32-bit maker board"
    close_window(window)


def test_a_reading_is_typed_and_what_the_device_would_do_is_said(qtbot: QtBot) -> None:
    window = open_window(qtbot, find_demo("cure-cabinet").build())
    window.go_to(HANDOVER)
    station = window.handover
    assert station.ask.isHidden()
    qtbot.mouseClick(station.target_buttons["board"], Qt.MouseButton.LeftButton)
    assert not station.ask.isHidden()
    qtbot.keyClicks(station.ask.edit, "20")
    assert station.ask.says.text().startswith("switched on: 100 %")
    station.ask.edit.clear()
    qtbot.keyClicks(station.ask.edit, "90")
    assert "switched on: 0 %; still so a minute later: 0 %" in station.ask.says.text()
    station.ask.edit.clear()
    qtbot.keyClicks(station.ask.edit, "warm")
    assert "warm" in station.ask.says.text()
    close_window(window)


def test_what_was_tried_by_hand_is_ticked_kept_and_on_the_sheet(qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window(qtbot, find_demo("cure-cabinet").build())
    window.go_to(HANDOVER)
    window.handover.set_target("wiring")
    ticks = window.handover.wiring.ticks
    qtbot.waitUntil(lambda: ticks["place"].height() > 8, timeout=60_000)
    click(ticks["place"], QPoint(8, ticks["place"].height() // 2))
    click(ticks["leads"], QPoint(8, ticks["leads"].height() // 2))
    assert window.document.project.wiring.seen_to == ("place", "leads")
    save(window.document.project, tmp_path / "a.kelvarn")
    assert load(tmp_path / "a.kelvarn").wiring.seen_to == ("place", "leads")
    project = window.document.project
    page = sheet_html(project, project.candidates[0].name, {}, {}, Scale.CELSIUS, date(2026, 1, 2))
    assert "☑ a dry place" in page
    assert "☐ mains only by who may" in page
    window.document.undo()
    assert window.document.project.wiring.seen_to == ("place",)
    assert not ticks["leads"].isChecked()
    click(ticks["place"], QPoint(8, ticks["place"].height() // 2))
    assert window.document.project.wiring.seen_to == ()
    close_window(window)
