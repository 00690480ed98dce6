"""What a screen reader is told: every node has a name, a role and its value; and a whole story by keyboard alone."""

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS, find_demo
from kelvarn.desktop.frame.finder import Finder
from kelvarn.desktop.frame.window import MainWindow

from .conftest import close_window, open_window
from .told import Node, node_of, tree

STORY = Path(__file__).parents[1] / "files" / "story_as_told.txt"
OPENS = (
    "Start from a tuning rule…", "Find the simplest that meets the marks", "Gain map", "Loop", "Curve picture",
    "Why and what would help", "Remarks",
)  # fmt: skip
"""Commands that open something more."""


@pytest.mark.parametrize("demo", [demo.name for demo in DEMOS])
def test_every_node_has_a_name_a_role_and_its_value(qtbot: QtBot, demo: str) -> None:
    window = open_window(qtbot, find_demo(demo).build())
    try:
        seen: list[Node] = []
        for index in range(len(window.stations)):
            window.go_to(index)
            QApplication.processEvents()
            seen += tree(window)
        for name in (each for each in OPENS if each in window.menus.actions):
            window.menus.actions[name].trigger()
            QApplication.processEvents()
            for top in QApplication.topLevelWidgets():
                seen += tree(top)
        window.guide.show("words")
        seen += tree(window.guide.viewer)
        window.show_start()
        QApplication.processEvents()
        seen += tree(window)
        assert len(seen) > 800
        assert sorted({f"{node.fault}: {node.role} {node.what} “{node.name}”" for node in seen if node.fault}) == []
        roles = {node.what: node.role for node in seen}
        assert (roles["Strip"], roles["RulerScale"], roles["MarkBar"]) == ("Chart", "Slider", "Button")
    finally:
        close_window(window)


def test_painted_widgets_say_what_stands_in_them(window: MainWindow) -> None:
    told = {(node.what, node.name): node for node in tree(window)}
    assert told["RulerScale", "Gain Kp ruler"].value == "16 % per K"
    assert told["StationLine", "Stations"].value == "Control"
    marks = [node for node in told.values() if node.what == "MarkBar"]
    assert {node.value for node in marks} == {"met", "not met"}
    cards = window.control.cards
    chosen = [
        bool(QAccessible.queryAccessibleInterface(cards.card(name)).state().checked)
        for name in ("On/off ±1", "Careful PID")
    ]
    assert sorted(chosen) == [False, True]


class Reader:
    """Somebody who sees nothing, and hears what has the focus."""

    def __init__(self, window: MainWindow, qtbot: QtBot) -> None:
        self.window, self.qtbot, self.heard = window, qtbot, []

    def hear(self) -> Node:
        """What has the focus."""
        focus = QApplication.focusWidget() or self.window
        found = QAccessible.queryAccessibleInterface(focus)
        node = node_of(found.focusChild() or found)
        value = f" = {node.value}" if node.value and node.value != node.name else ""
        line = f"{node.role}: {node.name}{value}"
        if not self.heard or self.heard[-1] != line:
            self.heard.append(line)
        return node

    def press(self, keys: str) -> Node:
        """Press keys, and hear."""
        self.window.activateWindow()
        QApplication.processEvents()
        QTest.keySequence(QApplication.focusWidget() or self.window, QKeySequence(keys))
        QApplication.processEvents()
        self.heard.append(f"[{keys}]")
        return self.hear()

    def tab_to(self, name: str) -> Node:
        """Tab until that is heard."""
        self.window.activateWindow()
        QApplication.processEvents()
        passed = []
        for _ in range(200):
            node = node_of(QAccessible.queryAccessibleInterface(QApplication.focusWidget() or self.window))
            if node.name.strip() == name:
                self.heard.append("[Tab …]")
                return self.hear()
            passed.append(node.name)
            QTest.keyClick(QApplication.focusWidget() or self.window, Qt.Key.Key_Tab)
        raise AssertionError(f"Tab does not come to {name}, but to {passed[:60]}")

    def find(self, name: str) -> None:
        """Ctrl+K, a name, Return."""
        self.window.menus.actions["Find a command…"].trigger()
        finder = next(w for w in QApplication.topLevelWidgets() if isinstance(w, Finder) and w.isVisible())
        QTest.keyClicks(finder.line, name)
        QTest.keyClick(finder.line, Qt.Key.Key_Return)
        QApplication.processEvents()
        self.heard.append(f"[Ctrl+K {name}]")
        self.hear()


@pytest.mark.timeout(600)
def test_new_rig_simplest_failure_table_and_handover_by_keyboard_alone(
    empty: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    reader = Reader(empty, qtbot)
    reader.tab_to("A box or cabinet with a heater")
    reader.press("Return")
    reader.tab_to("How strong is the heater?")
    QTest.keyClicks(QApplication.focusWidget(), "250 W")
    reader.tab_to("How warm?")
    reader.press("Return")
    qtbot.waitUntil(lambda: not empty.nothing_open, timeout=120_000)
    reader.press("Ctrl+3")
    reader.find("Find the simplest that meets the marks")
    shown = empty.control.settings.opened
    assert shown is not None
    qtbot.waitUntil(lambda: shown.table.rowCount() >= 4, timeout=240_000)
    reader.tab_to(shown.table.accessibleName())
    row = next(k for k in range(shown.table.rowCount()) if "★" in shown.table.item(k, 0).text())
    while shown.table.currentRow() != row:
        reader.press("Down" if shown.table.currentRow() < row else "Up")
    reader.press("Return")
    assert len(empty.document.project.candidates) == 3
    reader.find("Choose for the device")
    assert empty.document.project.chosen == empty.document.project.candidates[-1].name
    reader.press("Ctrl+4")
    reader.tab_to("side by side")
    reader.press("Right")
    reader.press("Right")
    qtbot.waitUntil(lambda: empty.trial.phrase().text.endswith(("limit", "limits")), timeout=240_000)
    reader.tab_to("Table: if it fails")
    reader.press("Down")
    reader.press("Ctrl+6")
    reader.tab_to("Sheet to print")
    for _ in range(2):
        reader.press("Down")
    qtbot.waitUntil(lambda: isinstance(empty.handover.program.files, dict), timeout=120_000)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "board"), ""))
    reader.tab_to(empty.handover.write_button.text())
    reader.press("Space")
    assert (tmp_path / "board" / "control.c").is_file()
    told = "\n".join(reader.heard) + "\n"
    assert told == STORY.read_text(encoding="utf-8")
