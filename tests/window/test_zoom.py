"""Larger and smaller: a new application takes over, in a process of its own, since each has but one at a time."""

import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.scaling import STEPS, stepped

from .conftest import close_window, open_window

PROGRAM = """
import sys
from PySide6.QtCore import QTimer
from kelvarn.desktop.frame import app
from kelvarn.demos import find_demo

made, seen, orders = app._window, [], [{orders}]

def window(*arguments, **named):
    shown = made(*arguments, **named)
    document = shown.document
    if not seen:
        document.set(("candidates", 0, "notes"), "kept", "a note")
        shown.view.select(document.project.candidates[1].name)
        shown.go_to(3)
    seen.append((shown.devicePixelRatioF(), document.project.candidates[0].notes, document.undo_name, document.dirty,
                 shown.station.title, shown.view.candidate(document.project).name))
    order = orders.pop(0) if orders else None
    def go_on():
        if order is not None:
            shown.menus.actions[order].trigger()
        if not shown.begins_anew:
            document.close()
            document._saved = document.project
            shown.close()
    QTimer.singleShot(300, go_on)
    return shown

app._window = window
code = app.start(find_demo("cure-cabinet").build(), None)
for each in seen:
    print(*each, sep="|")
sys.exit(code)
"""


def test_a_step_is_the_next_one_and_stays_at_the_ends() -> None:
    assert [stepped(1.0, 1), stepped(1.0, -1), stepped(2.0, 1), stepped(0.8, -1)] == [1.1, 0.9, 2.0, 0.8]
    assert stepped(1.2, 1) == 1.25
    assert stepped(1.2, -1) == 1.1
    walked = [STEPS[0]]
    while walked[-1] != STEPS[-1]:
        walked.append(stepped(walked[-1], 1))
    assert tuple(walked) == STEPS


@pytest.mark.parametrize(
    ("orders", "ratios"),
    [
        (["Larger", "Larger", "Smaller"], ["1.0", "1.1", "1.25", "1.1"]),
        (["Smaller", "As large as the desktop has it"], ["1.0", "0.9", "1.0"]),
        (["As large as the desktop has it"], ["1.0"]),
    ],
)
def test_all_goes_along_into_another_size(orders: list[str], ratios: list[str], tmp_path: Path) -> None:
    shown = subprocess.run(
        [sys.executable, "-c", PROGRAM.format(orders=", ".join(map(repr, orders)))],
        capture_output=True, text=True, timeout=200, cwd=tmp_path,
    )  # fmt: skip
    assert shown.returncode == 0, shown.stderr
    assert "Error" not in shown.stderr
    rows = [line.split("|") for line in shown.stdout.splitlines()]
    assert [row[0] for row in rows] == ratios
    assert all(row[1:] == ["kept", "a note", "True", "Trial", "P"] for row in rows), rows


def test_on_a_desktop_that_runs_from_right_to_left_nothing_lies_over_the_name(qtbot: QtBot) -> None:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    app.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
    try:
        window = open_window(qtbot)
        assert (
            window.control.cards.mapTo(window, QPoint()).x() > window.control.settings.mapTo(window, QPoint()).x()
        )  # it does run so
        assert window.line.scale_box.x() > window.line.station_rect(4).right()
        close_window(window)
    finally:
        app.setLayoutDirection(Qt.LayoutDirection.LeftToRight)
