"""What leads: the temperature has most of the strip, tables no more room than their rows, and a key looks closer."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS, find_demo
from kelvarn.desktop.fields.notes import NotesEdit
from kelvarn.desktop.frame.window import RIG, TRIAL, MainWindow

from .conftest import close_window, open_window


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_the_temperature_leads_the_strip_and_the_foot_is_as_tall_as_its_rows(qtbot: QtBot, demo: str) -> None:
    window = open_window(qtbot, find_demo(demo).build())
    try:
        window.resize(1280, 800)
        window.go_to(TRIAL)
        QApplication.processEvents()
        strip, foot = window.trial.strip, window.trial.foot
        _, frame = strip.lane("temperature")
        assert frame.rect.height() >= 0.43 * strip.height()
        table = foot.table
        last = table.visualItemRect(table.item(table.rowCount() - 1, 0))
        assert 0 <= table.viewport().height() - last.bottom() < 40  # all rows in sight, and no empty ground
        widths = [table.columnWidth(k) for k in range(table.columnCount())]
        assert sum(widths) >= table.viewport().width() - len(widths)
        low, high = window.trial.parts.sizes()
        window.trial.parts.splitterMoved.emit(low, 1)  # once it is dragged it stays
        window.trial.parts.setSizes([low - 60, high + 60])
        foot.show_tab("all trials")
        assert window.trial.parts.sizes()[1] == pytest.approx(high + 60, abs=2)
    finally:
        close_window(window)


def test_a_key_looks_closer_at_the_setpoint_and_back(window: MainWindow) -> None:
    window.view.select("Careful PID")
    strip = window.control.strip
    before = strip.lane("temperature")[1].value
    window.menus.actions["Zoom to the setpoint, or back"].trigger()
    near = strip.lane("temperature")[1].value
    project = window.document.project
    band_K, setpoint = project.first_trial.band_K, project.first_trial.plan.last_degC
    run = window.runner.result_of("Careful PID").run  # type: ignore[union-attr]
    assert near.low < setpoint - band_K < setpoint + band_K < near.high
    assert near.high - near.low < 0.3 * (before.high - before.low)
    settled = run.judged_degC[run.time_s > 0.9 * run.duration_s]
    assert ((near.low < settled) & (settled < near.high)).all()
    window.menus.actions["Zoom to the setpoint, or back"].trigger()
    assert (strip.lane("temperature")[1].value.low, strip.lane("temperature")[1].value.high) == (
        before.low,
        before.high,
    )


def test_the_project_has_notes_and_ideas(window: MainWindow) -> None:
    window.go_to(RIG)
    for title, field in (("Notes", "notes"), ("Ideas to try", "ideas")):
        edit = next(e for e in window.rig.panel.findChildren(NotesEdit) if e.accessibleName() == title)
        edit.setFocus()
        QTest.keyClicks(edit, f"some {field}")
        QTest.keyClick(edit, Qt.Key.Key_Tab)  # left, and so taken
        assert getattr(window.document.project, field) == f"some {field}"
    window.document.undo()
    assert window.document.project.ideas == ""
