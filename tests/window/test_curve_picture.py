"""The curve picture by mouse and keys: from a hunting fan to a quiet one."""

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.stations.control.curve_picture import CurvePicture
from kelvarn.model.curve import Curve
from kelvarn.model.on_off import OnOff

from .conftest import click, close_window, open_window


@pytest.fixture
def fan(qtbot: QtBot) -> Iterator[MainWindow]:
    made = open_window(qtbot, find_demo("heatsink-fan").build())
    made.view.select("Three steps")
    qtbot.waitUntil(lambda: made.control.beside.isVisible(), timeout=60_000)
    yield made
    close_window(made)


def law(window: MainWindow) -> Curve:
    found = window.control.candidate_actions.selected.controller
    assert isinstance(found, Curve)
    return found


def pull(picture: CurvePicture, place: int, degC: float, percent: float, keys: Qt.KeyboardModifier) -> None:
    """Drag a corner by the mouse."""
    handle = picture.handles[place]
    start = handle.mapTo(picture.plot, QPointF(handle.rect().center()))
    end = picture.plot.place(degC, percent)
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=handle.rect().center())
    for share in (0.5, 1.0):
        at = handle.mapFrom(picture.plot, start + share * (end - start))
        move = QMouseEvent(QEvent.Type.MouseMove, at, handle.mapToGlobal(at), Qt.MouseButton.NoButton,
                           Qt.MouseButton.LeftButton, keys)  # fmt: skip
        QApplication.sendEvent(handle, move)
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton)


def test_a_step_that_hunts_is_made_quiet_by_its_return_edge(fan: MainWindow, qtbot: QtBot) -> None:
    picture = fan.control.curve
    qtbot.waitUntil(lambda: "hunts" in picture.says.text(), timeout=60_000)
    pull(picture, 1, 50.0, 50.0, Qt.KeyboardModifier.ShiftModifier)
    assert law(fan).steps[1].back_off_K == pytest.approx(3.0, abs=0.3)
    pull(picture, 2, 66.0, 100.0, Qt.KeyboardModifier.NoModifier)
    assert law(fan).steps[2].from_degC == pytest.approx(66, abs=0.3)
    qtbot.waitUntil(lambda: not picture.says.text(), timeout=60_000)
    result = fan.runner.result_of("Three steps")
    assert result is not None
    assert (result.measures.values["steps_per_h"] or 0) <= 12
    fan.document.undo()
    fan.document.undo()
    assert law(fan).steps[1].back_off_K == 0


def test_corners_go_by_keys_and_stay_where_they_can_be(fan: MainWindow) -> None:
    handle = fan.control.curve.handles[0]
    handle.setFocus()
    QTest.keyClick(handle, Qt.Key.Key_Right)
    QTest.keyClick(handle, Qt.Key.Key_Up)
    QTest.keyClick(handle, Qt.Key.Key_Up)
    QTest.keyClick(handle, Qt.Key.Key_Return)
    assert (law(fan).steps[0].from_degC, law(fan).steps[0].drive) == (pytest.approx(47.1), pytest.approx(0.32))
    fan.document.undo()  # all of it
    assert (law(fan).steps[0].from_degC, law(fan).steps[0].drive) == (47, 0.3)
    QTest.keyClick(handle, Qt.Key.Key_Right)
    QTest.keyClick(handle, Qt.Key.Key_Escape)
    assert law(fan).steps[0].from_degC == 47
    pull(fan.control.curve, 0, 58.0, 30.0, Qt.KeyboardModifier.NoModifier)  # beyond the next step
    assert law(fan).steps[0].from_degC < 53


def test_the_picture_folds_out_for_on_off_and_its_edge_is_dragged(window: MainWindow) -> None:
    assert not window.control.beside.isVisible()
    window.view.select("On/off ±1")
    window.menus.actions["Curve picture"].trigger()
    assert window.control.beside.isVisible()
    pull(window.control.curve, 0, 57.0, 100.0, Qt.KeyboardModifier.NoModifier)
    found = window.control.candidate_actions.selected.controller
    assert isinstance(found, OnOff)
    assert found.below_K == pytest.approx(3.0, abs=0.2)
    window.menus.actions["Curve picture"].trigger()
    assert not window.control.beside.isVisible()


def test_steps_are_added_typed_and_removed(fan: MainWindow) -> None:
    settings = fan.control.settings
    table = settings.steps
    assert table is not None
    click(table.add_step)
    assert len(law(fan).steps) == 4
    assert law(fan).steps[2].drive == pytest.approx(0.75)
    edit = settings.steps.edits[0]
    edit.setFocus()
    edit.selectAll()
    QTest.keyClicks(edit, "60")
    QTest.keyClick(edit, Qt.Key.Key_Return)
    assert law(fan).steps[0].from_degC == 47  # refused in words, beside the field
    assert "follow one another" in settings.steps.fault
    fan.document.undo()
    assert len(law(fan).steps) == 3
