"""The guide: each page is followed to the letter in the real window, and F1 tells of what has the focus."""

import re
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.frame.guide.keys import keys_table
from kelvarn.desktop.frame.window import TRIAL, MainWindow
from kelvarn.desktop.stations.control.marks import MarkBar
from kelvarn.guide.pages import KEYS, LOGS, page, source

from .follow import Follower

DOCS = Path(__file__).parents[2] / "docs" / "guide"
DRIVEN = ("idea", "log", "alone", "board", "hour")


@pytest.mark.timeout(900)  # searches, a failure table, a proof: minutes beside other work
@pytest.mark.parametrize("key", DRIVEN)
def test_a_page_does_what_it_says(
    empty: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, key: str
) -> None:
    for name in LOGS:
        (tmp_path / name).write_bytes(source(name))
    monkeypatch.setattr("kelvarn.desktop.stations.bench.work.user_state_path", lambda _: tmp_path)
    reader = Follower(empty, qtbot, tmp_path, monkeypatch)
    steps = page(key).steps
    assert len(steps) >= 7
    for step in steps:
        reader.step(step)
    empty.bench.finish()


def test_the_pages_beside_the_source_are_those_of_the_program(window: MainWindow) -> None:
    keys = keys_table(window.menus)
    for key in KEYS:
        assert (DOCS / f"{key}.md").read_text(encoding="utf-8") == page(key, keys).text, "python docs/guide/make.py"
    for name in LOGS:
        assert (DOCS / name).read_bytes() == source(name)
    for key in KEYS:
        for to in re.findall(r"\]\(([^)]+)\)", page(key).text):
            assert (DOCS / to).exists(), f"{key}.md leads to {to}"


def press_f1(window: MainWindow, focus: QWidget) -> None:
    window.activateWindow()
    focus.setFocus()
    QTest.keyClick(focus, Qt.Key.Key_F1)


def test_f1_tells_of_the_field_the_mark_or_the_station_that_has_the_focus(window: MainWindow) -> None:
    viewer = window.guide.viewer
    gain = next(edit for edit in window.control.settings.findChildren(NumberEdit) if edit.accessibleName() == "Gain Kp")
    press_f1(window, gain)
    assert viewer.isVisible()
    assert viewer.title.text() == "Gain Kp"
    assert "From 0.0001 % per K to 1000000 % per K." in viewer.said.text()
    assert "More: faster, then overshoot." in viewer.said.text()
    assert viewer.key == "settings"
    assert viewer.text.textCursor().block().text() == "P, PI and PID"
    bar = window.control.findChildren(MarkBar)[0]
    press_f1(window, bar)
    assert (viewer.key, viewer.title.text()) == ("words", "Overshoot")
    window.go_to(TRIAL)
    press_f1(window, window.trial.strip)
    assert viewer.key == "alone"
    window.show_start()
    press_f1(window, window.start)
    assert viewer.key == "idea"
    viewer.close()


def test_links_of_a_page_lead_to_pages_and_open_its_logs(window: MainWindow) -> None:
    viewer = window.guide.viewer
    viewer.go_to("idea")
    viewer.text.anchorClicked.emit(QUrl("alone.md"))
    assert viewer.key == "alone"
    viewer.text.anchorClicked.emit(QUrl("oven.csv"))
    assert [log.name for log in window.document.project.logs] == ["oven"]
    viewer.text.anchorClicked.emit(QUrl("file:///etc/passwd"))
    assert viewer.key == "alone"
    assert "![" not in viewer.text.toMarkdown()
    viewer.close()


def test_pages_and_words_are_found(window: MainWindow) -> None:
    for typed, shown, at in (("leave it alone", "alone", ""), ("reserve guide", "words", "Reserve")):
        window.find_command()
        finder = next(w for w in QApplication.topLevelWidgets() if type(w).__name__ == "Finder" and w.isVisible())
        QTest.keyClicks(finder.line, typed)
        QTest.keyClick(finder.line, Qt.Key.Key_Return)
        assert window.guide.viewer.key == shown
        assert not at or window.guide.viewer.text.textCursor().block().text() == at
    window.guide.viewer.close()
