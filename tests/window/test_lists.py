"""Comparing two candidates, keeping runs, taking candidates from a file: by the menus, in the window."""

from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS, find_demo
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.stations.rig.keys import known_keys
from kelvarn.files.project_file import load, save
from kelvarn.model.edit import EditError, put
from kelvarn.model.kept_run import MOST_KEPT

from .conftest import click, close_window, open_window


def test_only_what_differs_is_listed(window: MainWindow, qtbot: QtBot) -> None:
    window.view.select("On/off ±1")
    qtbot.waitUntil(lambda: window.runner.result_of("On/off ±1") is not None, timeout=60_000)
    window.menus.actions["What differs between two…"].trigger()
    shown = window.control.lists.compare
    assert shown is not None

    def rows() -> dict[str, tuple[str, str]]:
        cells = [[shown.table.item(row, k) for k in range(3)] for row in range(shown.table.rowCount())]
        return {a.text(): (b.text(), c.text()) for a, b, c in cells if a and b and c}

    found = rows()
    assert found["Strategy"] == ("on/off", "PID")
    assert found["Overshoot"] == ("4.8 K", "0.44 K")
    assert found["Mark: Overshoot"] == ("not met", "met")
    assert all(one != other for one, other in found.values())
    assert shown.says.text().endswith("results differ")
    shown.boxes[1].setCurrentIndex(0)
    shown.boxes[1].activated.emit(0)
    assert rows() == {}
    assert shown.says.text() == "They do not differ."
    shown.close()


def test_a_kept_run_outlives_its_candidate_and_is_saved(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window.view.select("Careful PID")
    qtbot.waitUntil(lambda: window.runner.result_of("Careful PID") is not None, timeout=60_000)
    window.menus.actions["Keep this run"].trigger()
    window.menus.actions["Keep this run"].trigger()
    [first, second] = window.document.project.kept
    assert (first.name, second.name) == ("Careful PID", "Careful PID 2")
    result = window.runner.result_of("Careful PID")
    assert result is not None
    values = {figure.measure: figure.value for figure in first.figures}
    assert values["overshoot_K"] == result.measures.main.values["overshoot_K"]
    k = len(first.degC) // 3
    at = result.run.sample_at(k * first.every_s)
    assert first.degC[k] == pytest.approx(float(result.run.judged_degC[at]), abs=1e-3)
    window.document.apply(
        put(window.document.project, ("candidates", 1, "controller", "kp_per_K"), 1.0), "another gain"
    )
    names = [trace.name for trace in window.control.strip.lane("temperature")[0].traces]
    assert names[:2] == ["Careful PID (kept)", "Careful PID 2 (kept)"]
    save(window.document.project, tmp_path / "x.kelvarn")
    assert load(tmp_path / "x.kelvarn").kept == (first, second)
    window.menus.actions["Kept runs…"].trigger()
    shown = window.control.lists.kept_runs
    assert shown is not None
    click(shown.boxes[1])
    assert not window.document.project.kept[1].shown
    names = [trace.name for trace in window.control.strip.lane("temperature")[0].traces]
    assert "Careful PID 2 (kept)" not in names
    click(shown.takes[0])
    assert window.document.project.candidates[-1].controller == first.controller
    click(shown.deletes[0])
    assert [run.name for run in window.document.project.kept] == ["Careful PID 2"]
    shown.close()
    window.document.undo()
    assert len(window.document.project.kept) == 2
    moved = put(window.document.project, ("trials", 0, "plan", "changes", 0, "to_degC"), 50.0)
    window.document.apply(moved, "another setpoint")
    names = [trace.name for trace in window.control.strip.lane("temperature")[0].traces]
    assert "Careful PID: setpoint" in names
    window.menus.actions["What differs between two…"].trigger()
    compare = window.control.lists.compare
    assert compare is not None
    assert "Careful PID (kept)" in [compare.boxes[0].itemText(k) for k in range(compare.boxes[0].count())]
    compare.close()


def test_there_is_room_for_so_many_kept_runs(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.runner.result_of("Careful PID") is not None, timeout=60_000)
    for _ in range(MOST_KEPT):
        window.control.lists.keep_run()
    with pytest.raises(EditError, match="delete one first"):
        window.control.lists.keep_run()


def test_candidates_are_taken_from_another_project(window: MainWindow, tmp_path: Path) -> None:
    bowl, fan = find_demo("tempering-bowl").build(), find_demo("heatsink-fan").build()
    save(bowl, tmp_path / "bowl.kelvarn")
    save(fan, tmp_path / "fan.kelvarn")
    window.control.lists.take_from(tmp_path / "bowl.kelvarn")
    names = [candidate.name for candidate in window.document.project.candidates]
    assert names[2:] == [candidate.name for candidate in bowl.candidates]
    window.control.lists.take_from(tmp_path / "bowl.kelvarn")
    assert len({c.name for c in window.document.project.candidates}) == 2 + 2 * len(bowl.candidates)
    before = window.document.project
    with pytest.raises(EditError, match="does not fit this project"):
        window.control.lists.take_from(tmp_path / "fan.kelvarn")  # a curve that cools
    assert window.document.project == before


def test_nothing_becomes_a_window_of_its_own(qtbot: QtBot) -> None:
    shown: list[str] = []

    class Watch(QObject):
        def eventFilter(self, of: QObject, event: QEvent) -> bool:
            if event.type() == QEvent.Type.Show and isinstance(of, QWidget) and of.isWindow():
                shown.append(type(of).__name__)
            return False

    window = open_window(qtbot, find_demo("heatsink-fan").build(), at_once=False)
    watch = Watch()
    app = QApplication.instance()
    assert app is not None
    app.installEventFilter(watch)
    try:
        qtbot.waitUntil(lambda: len(window.remarks.found) == 2, timeout=60_000)
        window.control.settings._toggle_more()
        for demo in DEMOS:
            window.document.replace(demo.build(), None)
            for candidate in window.document.project.candidates:
                window.view.select(candidate.name)
            window.rig.wanted.emit()
            for key in known_keys(window.document.project.rig):
                window.rig.select(key)
            window.control.wanted.emit()
        assert shown == []
    finally:
        app.removeEventFilter(watch)
        close_window(window)
