"""Tab goes through each station and comes back; whatever it comes to has a name for those who cannot see it."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.frame.window import CONTROL, FIT, HANDOVER, RIG, TRIAL, MainWindow

from .conftest import close_window, open_window, wait_for_step


def walk(window: MainWindow, most: int = 300) -> list[QWidget]:
    """All that Tab comes to, until it is where it began."""
    seen: list[QWidget] = []
    for _ in range(most):
        QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Tab)
        now = QApplication.focusWidget()
        assert now is not None
        if seen and now is seen[0]:
            return seen
        assert not seen or now is not seen[-1], f"{type(now).__name__} “{now.accessibleName()}” traps Tab"
        seen.append(now)
    raise AssertionError(f"Tab does not come back within {most} steps")


def told(widget: QWidget) -> tuple[str, object]:
    """What is told of it: its name and its role."""
    found = QAccessible.queryAccessibleInterface(widget)
    return found.text(QAccessible.Text.Name), found.role()


@pytest.mark.parametrize("station", [RIG, FIT, CONTROL, TRIAL, HANDOVER])
@pytest.mark.parametrize("demo", ["cure-cabinet", "lemon-shed"])
def test_tab_goes_round_and_all_it_comes_to_is_named(qtbot: QtBot, demo: str, station: int) -> None:
    window = open_window(qtbot, find_demo(demo).build())
    try:
        window.go_to(station)
        QApplication.processEvents()
        window.station.setFocus()
        seen = walk(window)
        assert len(seen) >= 5
        assert [type(widget).__name__ for widget in seen if not told(widget)[0].strip()] == []
        assert [told(w)[0] for w in seen if told(w)[1] == QAccessible.Role.NoRole] == []
    finally:
        close_window(window)


def test_a_list_and_the_heat_path_are_read_and_gone_through_by_arrows(window: MainWindow, qtbot: QtBot) -> None:
    window.menus.actions["Start from a tuning rule…"].trigger()
    shown = window.control.settings.opened
    assert shown is not None
    table = shown.table
    assert not table.isVisible()  # there is nothing in it yet
    qtbot.waitUntil(lambda: table.rowCount() > 3, timeout=60_000)
    assert table.isVisible()
    corner = shown.mapTo(window, shown.rect().topLeft())
    assert corner.y() >= window.control.strip.mapTo(window, window.control.strip.rect().bottomLeft()).y()
    assert QApplication.focusWidget() is table
    table.setCurrentCell(0, 0)
    for row in (1, 2):
        QTest.keyClick(table, Qt.Key.Key_Down)
        assert table.currentRow() == row
    QTest.keyClick(table, Qt.Key.Key_Tab)
    assert QApplication.focusWidget() is not table
    table.setFocus()
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert not shown.isVisible()
    window.go_to(RIG)
    wait_for_step(qtbot, window)
    path = window.rig.heat_path
    said = set()
    for _ in range(len(window.document.project.rig.body_names) + 1):
        QTest.keyClick(path, Qt.Key.Key_Right)
        said.add(path.accessibleDescription())
    assert any(text.startswith("Walls") and "°C" in text for text in said)
    assert any("W/K" in text for text in said)
