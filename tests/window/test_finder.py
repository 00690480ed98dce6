"""The find box: commands, parts, trials and settings, by their names and by the words that people know."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from kelvarn.desktop.frame.finder import Finder
from kelvarn.desktop.frame.window import MainWindow


def test_the_finder_is_steered_by_arrows_and_closed_by_escape(window: MainWindow) -> None:
    def finder() -> Finder:
        return next(w for w in QApplication.topLevelWidgets() if isinstance(w, Finder) and w.isVisible())

    window.find_command()
    box = finder()
    everything = box.list.count()
    assert everything > 30
    QTest.keyClick(box.line, Qt.Key.Key_Up)
    assert box.list.currentRow() == 0
    for _ in range(everything + 3):
        QTest.keyClick(box.line, Qt.Key.Key_Down)
    assert box.list.currentRow() == everything - 1
    QTest.keyClicks(box.line, "temperatures °f")
    assert box.list.count() == 1
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    assert window.line.scale_box.currentText() == "°F"
    for known, meant in (("bang-bang", "on/off"), ("night mode", "Light or dark"), ("monte carlo", "Try variants"),
                         ("thermal fuse", "cut-off"), ("pdf", "Report"), ("careful", "Careful PID: candidate"),
                         ("kp", "Gain Kp")):  # fmt: skip
        window.find_command()
        box = finder()
        QTest.keyClicks(box.line, known)
        assert any(meant.lower() in box.list.item(k).text().lower() for k in range(box.list.count())), known
        box.close()
    window.find_command()
    box = finder()
    QTest.keyClicks(box.line, "walls body")
    assert box.list.item(0).text() == "Walls: body · Rig"
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    assert window.station is window.rig
    assert window.rig.edits.selected == "Walls"
    window.find_command()
    QTest.keyClicks(finder().line, "no such command")
    QTest.keyClick(finder().line, Qt.Key.Key_Return)
    window.find_command()
    QTest.keyClick(finder(), Qt.Key.Key_Escape)
    assert not any(isinstance(w, Finder) and w.isVisible() for w in QApplication.topLevelWidgets())
