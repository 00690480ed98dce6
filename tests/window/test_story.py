"""The story of the first slice, by mouse and keys in the real window."""

import json
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.fields.ruler import RulerScale
from kelvarn.desktop.frame.window import CONTROL, HANDOVER, RIG, MainWindow
from kelvarn.desktop.stations.rig.items import BodyItem
from kelvarn.files.project_file import load
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from tests.window.conftest import click, close_window, drag, open_window, type_into


def field(parent: QWidget, title: str) -> NumberEdit:
    """The number field of a title."""
    return next(edit for edit in parent.findChildren(NumberEdit) if edit.accessibleName() == title)


def handle(window: MainWindow, name: str) -> QPointF:
    """Middle of a handle."""
    return window.control.strip.rect_of(name).center()


def on_off(window: MainWindow) -> OnOff:
    found = window.document.project.candidates[0].controller
    assert isinstance(found, OnOff)
    return found


def pid(window: MainWindow) -> Pid:
    found = window.document.project.candidates[1].controller
    assert isinstance(found, Pid)
    return found


def test_first_sight_says_what_each_candidate_does(window: MainWindow) -> None:
    cards = window.control.cards
    assert [text for _, text, _ in cards.card("On/off ±1").figures()] == ["4.8 K", "6.3 K", "0/6"]
    assert [caption for caption, _, _ in cards.card("On/off ±1").figures()] == ["over", "swings", "marks"]
    assert [text for _, text, _ in cards.card("Careful PID").figures()] == ["0.44 K", "32 min", "5/6"]
    assert window.line.accessibleDescription() == (
        "Rig: 4 bodies, 250 W; Fit: no logs yet; Control: 5 of 6 marks met; "
        "Trial: 1 trial, no guards; Bench: not connected; Handover: Careful PID to hand over"
    )


def test_dragging_the_band_edge_moves_the_run_along(window: MainWindow) -> None:
    click(window.control.cards.card("On/off ±1"))
    before = window.runner.result_of("On/off ±1")
    start = handle(window, "the edge at which it switches off")
    axis = window.control.strip.lane("temperature")[1].value
    end = start + QPointF(0, 3 * axis.px_per_unit)
    swings = []
    window.runner.updated.connect(
        lambda: swings.append(window.runner.result_of("On/off ±1").measures.first.values["swing_K"])
    )
    drag(window.control.strip, start, end)
    assert on_off(window).above_K == pytest.approx(4.0, abs=0.2)
    assert len(set(swings)) > 3  # it followed while it was dragged
    after = window.runner.result_of("On/off ±1")
    assert after.measures.first.values["swing_K"] > before.measures.first.values["swing_K"] + 2
    assert window.document.undo_name == f"Switches off above the setpoint by 1.0 K → {on_off(window).above_K:.1f} K"
    window.document.undo()
    assert on_off(window).above_K == 1
    assert window.document.undo_name is None
    assert window.runner.result_of("On/off ±1").run is before.run


def test_dragging_setpoint_and_door(window: MainWindow) -> None:
    strip = window.control.strip
    start = handle(window, "the setpoint")
    drag(strip, start, start + QPointF(0, 10 * strip.lane("temperature")[1].value.px_per_unit))
    setpoint = window.document.project.trials[0].plan.changes[0].to_degC
    assert setpoint == pytest.approx(70, abs=1)
    assert window.runner.result_of("Careful PID").measures.first.setpoint_degC == setpoint
    start = handle(window, "“Door”")
    drag(strip, start, start + QPointF(-3600 * strip.time_axis().px_per_unit, 0))
    door = window.document.project.trials[0].events[0]
    assert door.at_s == pytest.approx(3600, abs=120)
    assert window.runner.result_of("Careful PID").measures.event("Door").from_s == door.at_s
    start = handle(window, "the end of “Door”")
    drag(strip, start, start + QPointF(600 * strip.time_axis().px_per_unit, 0))
    assert window.document.project.trials[0].events[0].lasts_s == pytest.approx(700, abs=60)
    for _ in range(3):
        window.document.undo()
    assert not window.document.dirty


def test_escape_gives_a_drag_up(window: MainWindow) -> None:
    strip = window.control.strip
    before = window.document.project
    start = handle(window, "the setpoint")
    drag(strip, start, start + QPointF(0, -60), release=False)
    assert window.document.project != before
    QTest.keyClick(strip, Qt.Key.Key_Escape)
    assert window.document.project == before
    assert window.document.undo_name is None
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=start.toPoint())


def test_turning_kp_on_its_ruler(window: MainWindow) -> None:
    ruler = next(r for r in window.control.settings.findChildren(RulerScale) if r.accessibleName() == "Gain Kp ruler")
    start = QPointF(ruler.x_of(0.16), 6)
    drag(ruler, start, start + QPointF(40, 0))
    turned = pid(window).kp_per_K
    assert 0.2 < turned < 0.8
    assert window.document.undo_name is not None
    assert window.document.undo_name.startswith("Gain Kp 16 % per K → ")
    assert field(window.control.settings, "Gain Kp").text().startswith(f"{turned * 100:.4g}")
    ruler.setFocus()
    QTest.keyClick(ruler, Qt.Key.Key_Left)
    assert pid(window).kp_per_K < turned
    window.document.undo()
    window.document.undo()
    assert pid(window).kp_per_K == 0.16


def test_numbers_take_units_and_refuse_bananas(window: MainWindow) -> None:
    edit = field(window.control.settings, "Integral time Ti")
    type_into(edit, "1h30")
    assert pid(window).ti_s == 5400
    type_into(edit, "20")  # minutes, as the field showed "90 min"
    assert pid(window).ti_s == 1200
    complaints: list[str] = []
    edit.complaint.connect(complaints.append)
    for text, sentence in (
        ("12 bananas", "“bananas” is not a unit of duration; use s, min, h, d."),
        ("-3 s", "At least 0.1 s."),
        ("400 d", "At most 277 h 47 min."),
        ("", "Type a number: duration."),
    ):
        type_into(edit, text)
        assert pid(window).ti_s == 1200
        assert complaints[-1].startswith(sentence)
        assert edit.property("wrong")
    QTest.keyClick(edit, Qt.Key.Key_Escape)
    assert edit.text() == "20 min"
    QTest.keyClick(edit, Qt.Key.Key_Up)
    assert pid(window).ti_s == 1260
    QTest.keyClick(edit, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert pid(window).ti_s == 660


def test_candidates_are_added_renamed_chosen_hidden_and_deleted(window: MainWindow, qtbot: QtBot) -> None:
    window.menus.actions["Duplicate"].trigger()
    assert [c.name for c in window.document.project.candidates][-1] == "Careful PID 2"
    assert window.control.candidate_actions.selected.name == "Careful PID 2"
    card = window.control.cards.card("Careful PID 2")
    QTest.mouseDClick(card, Qt.MouseButton.LeftButton, pos=QPoint(80, 15))
    line = card.findChildren(QWidget)[-1]
    type_into(line, "Careful PID")
    assert line.property("wrong")
    assert "There are two called “Careful PID”" in line.toolTip()
    type_into(line, "Bold")
    assert window.control.candidate_actions.selected.name == "Bold"
    chip = next(b for b in window.control.settings.findChildren(QPushButton) if b.text() == "PI")
    click(chip)
    assert window.document.project.candidate("Bold").strategy == "PI"
    window.menus.actions["Choose for the device"].trigger()
    assert window.document.project.chosen == "Bold"
    window.menus.actions["Hide or show"].trigger()
    assert window.document.project.candidate("Bold").hidden
    window.menus.actions["Delete"].trigger()
    assert [c.name for c in window.document.project.candidates] == ["On/off ±1", "Careful PID"]
    assert window.document.project.chosen is None
    names = []
    while window.document.undo_name is not None:
        names.append(window.document.undo_name)
        window.document.undo()
    assert names == [
        "delete Bold",
        "hide Bold",
        "choose Bold",
        "Bold: PI",
        "rename Careful PID 2",
        "duplicate Careful PID",
    ]
    assert not window.document.dirty


def test_rig_values_change_the_run_and_the_heat_path_follows_the_cursor(window: MainWindow) -> None:
    window.go_to(RIG)
    click(window.rig.heat_path.viewport(), window.rig.heat_path.part("Heater mat").rect.center().toPoint())
    assert window.rig.edits.selected == "Heater mat"
    before = window.runner.result_of("Careful PID")
    type_into(field(window.rig.panel, "Power"), "400 W")
    assert window.document.project.rig.drive.power_W == 400
    assert window.runner.result_of("Careful PID").run is not before.run
    assert "12 % drive" in window.rig.verdict
    click(window.rig.trial_button)
    air = window.rig.heat_path.part("Air")
    assert isinstance(air, BodyItem)
    shown = []
    for at in (0.0, 600.0, 7000.0):
        window.view.move_cursor(at)
        shown.append(air.temperature)
    run = window.runner.result_of("Careful PID").run
    assert shown == [f"{run.bodies_degC[1, int(t / 2)]:.1f} °C" for t in (0, 600, 7000)]


def test_save_close_open_again_and_take_the_sheet_away(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    type_into(field(window.control.settings, "Setpoint"), "131 °F")
    assert window.document.dirty
    target = tmp_path / "mine"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    window.menus.actions["Save"].trigger()
    saved = tmp_path / "mine.kelvarn"
    assert load(saved) == window.document.project
    assert not window.document.dirty
    stamp = saved.stat().st_mtime_ns
    window.menus.actions["Save"].trigger()
    assert saved.stat().st_mtime_ns == stamp
    again = open_window(qtbot, load(saved))
    assert again.document.project == window.document.project
    assert again.document.project.trials[0].plan.changes[0].to_degC == pytest.approx(55)
    again.go_to(HANDOVER)
    for key, name in (("sheet", "sheet.html"), ("json", "settings.json"), ("user", "page.html"), ("user", "page.pdf")):
        click(again.handover.target_buttons[key])
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, n=name: (str(tmp_path / n), ""))
        click(again.handover.write_button)
    assert "16 % per K" in (tmp_path / "sheet.html").read_text()
    assert "; set to 55.0 °C." in (tmp_path / "page.html").read_text()
    assert (tmp_path / "page.pdf").read_bytes().startswith(b"%PDF")
    assert json.loads((tmp_path / "settings.json").read_text())["settings"]["kp_per_K"] == 0.16
    again.hide()
    window.go_to(CONTROL)
    window.hide()
    close_window(again)
