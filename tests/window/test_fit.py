"""The Fit station by mouse and keys: a file dropped, its doubts, the fit, what has changed, the plan, calibration."""

import math
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QMessageBox, QTableWidgetItem
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.frame.window import FIT, MainWindow
from kelvarn.desktop.stations.fit.knowledge import RigReport
from kelvarn.fit.trust import FitReport
from kelvarn.fit.what_changed import Comparison
from kelvarn.model.blank import blank_project
from kelvarn.model.edit import with_fields
from kelvarn.model.log import MOST_SPANS, LogSpan

from .conftest import click, close_window, drag, open_window


def settled(qtbot: QtBot, made: MainWindow) -> None:
    """Until all logs are read and fitted, and what is shown is known."""

    def done() -> bool:
        known, project = made.fit.known, made.document.project
        return all(known.data(log) is not None for log in project.logs) and not known.busy and (
            made.fit.view != "plan" or made.fit.plan is not None
        )  # fmt: skip

    qtbot.waitUntil(done, timeout=60_000)
    QApplication.processEvents()
    qtbot.waitUntil(done, timeout=60_000)


def stranger(path: Path, gain: float = 120.0, lag: float = 2100.0, seed: int = 2) -> Path:
    """A CSV from a stranger's board: milliseconds that wrap, duty of 255, a header nobody documented."""
    t = np.arange(0, 9000, 5.0)
    y = 19 + 0.45 * gain * (1 - np.exp(-np.maximum(t - 346, 0) / lag))
    y = y + 0.1 * np.random.default_rng(seed).standard_normal(t.size)
    rows = ["T;val;out;msg"]
    for ti, yi in zip(t, y, strict=True):
        duty, said = (115 if ti >= 300 else 0), ("door" if 4000 < ti < 4010 else "OK")
        rows.append(f"{(4294960000 + int(1000 * ti)) % 2**32};{yi:.1f};{duty};{said}".replace(".", ","))
    path.write_text("\n".join(rows) + "\n")
    return path


def drop(made: MainWindow, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    left = Qt.MouseButton.LeftButton
    made.dropEvent(QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, left, Qt.KeyboardModifier.NoModifier))


@pytest.fixture
def empty(qtbot: QtBot) -> Iterator[MainWindow]:
    made = open_window(qtbot, blank_project())
    made.go_to(FIT)
    yield made
    close_window(made)


@pytest.fixture
def cabinet(qtbot: QtBot) -> Iterator[MainWindow]:
    made = open_window(qtbot, find_demo("cure-cabinet").build())
    made.go_to(FIT)
    settled(qtbot, made)
    yield made
    close_window(made)


def complaint() -> str:
    box = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMessageBox) and w.isVisible())
    text = box.text()
    box.close()
    return text


def test_a_file_from_a_strangers_board_becomes_a_model_that_control_works_on(
    qtbot: QtBot, empty: MainWindow, tmp_path: Path
) -> None:
    fit = empty.fit
    assert fit.phrase().text == "no logs yet"
    drop(empty, stranger(tmp_path / "tuesday.csv"))
    settled(qtbot, empty)
    assert fit.view == "read"
    assert [column.role for column in fit.log.reading.columns] == ["time", "temperature", "drive", "note"]
    assert fit.phrase().state == "look"
    assert "0…255" in fit.read_panel.ways
    click(fit.read_panel.ways["watts"])  # a wrong turn, and back
    settled(qtbot, empty)
    assert fit.log.reading.columns[2].form == "watts"
    empty.document.undo()
    settled(qtbot, empty)
    assert fit.log.reading.columns[2].form == "of_255"
    fit.refresh()
    click(fit.read_panel.use_button)
    settled(qtbot, empty)
    assert fit.view == "fit"
    found = fit.known.fitted
    assert isinstance(found, FitReport)
    assert found.fit.value("gain_K") == pytest.approx(120 * 0.45 / (115 / 255), rel=0.02)
    assert found.fit.value("lag_s") == pytest.approx(2100, rel=0.03)
    assert found.fit.value("dead_time_s") == pytest.approx(46, abs=4)
    assert "usable for a PI" in fit.verdict.text()
    click(fit.fit_panel.use_button)
    response = empty.document.project.rig.response
    assert response is not None
    assert response.gain_K == pytest.approx(found.fit.value("gain_K"))
    assert {tolerance.of for tolerance in response.tolerances} == {"gain_K", "lag_s", "dead_time_s"}
    assert empty.document.undo_name == "use the fitted model in the rig"
    empty.menus.actions["Control"].trigger()
    assert empty.runner.faults == {}
    assert empty.runner.result_of(empty.document.project.candidates[0].name) is not None


def test_the_next_file_of_that_shape_is_read_the_same_way_and_checks(
    qtbot: QtBot, empty: MainWindow, tmp_path: Path
) -> None:
    drop(empty, stranger(tmp_path / "a.csv"))
    settled(qtbot, empty)
    empty.fit.refresh()
    click(empty.fit.read_panel.use_button)
    drop(empty, stranger(tmp_path / "b.csv", seed=5))
    settled(qtbot, empty)
    second = empty.document.project.logs[1]
    assert second.confirmed
    assert second.use == "check"
    assert empty.fit.view == "fit"
    found = empty.fit.known.fitted
    assert isinstance(found, FitReport)
    assert found.checks[0].rms_K < 0.15
    assert empty.fit.cards.cards[1].text.role == "moss"
    drop(empty, stranger(tmp_path / "c.csv", gain=80.0))
    settled(qtbot, empty)
    assert empty.fit.cards.cards[2].text.role == "ember"


def test_what_is_no_log_is_said_and_nothing_is_lost(qtbot: QtBot, empty: MainWindow, tmp_path: Path) -> None:
    bad = tmp_path / "picture.png"
    bad.write_bytes(bytes(range(256)) * 20)
    drop(empty, bad)
    assert "is no text" in complaint()
    assert empty.document.project.logs == ()
    good = stranger(tmp_path / "a.csv")
    drop(empty, good)
    drop(empty, good)
    assert "in the project already" in complaint()
    assert len(empty.document.project.logs) == 1
    QApplication.clipboard().setText("")
    empty.menus.actions["Paste a log"].trigger()
    assert "Nothing was copied" in complaint()
    QApplication.clipboard().setText(
        "t,temp_C,duty_%\n" + "\n".join(f"{k}.5,{20 + k},{100 * (k > 3)}" for k in range(30))
    )
    empty.menus.actions["Paste a log"].trigger()
    settled(qtbot, empty)
    assert [log.name for log in empty.document.project.logs] == ["a", "pasted"]
    empty.menus.actions["Kept run as a log…"].trigger()
    assert "No run is kept" in complaint()


def test_columns_are_changed_where_they_stand_and_bad_rows_are_shown(
    qtbot: QtBot, empty: MainWindow, tmp_path: Path
) -> None:
    path = stranger(tmp_path / "a.csv")
    lines = path.read_text().splitlines()
    lines[20] = lines[20].replace(lines[20].split(";")[1], "-")
    path.write_text("\n".join(lines))
    drop(empty, path)
    settled(qtbot, empty)
    view = empty.fit.reading
    assert "1 without a reading" in view.faults.text()
    click(view.show_bad)
    assert view.table.rowCount() == 1 + len(empty.fit.known.data(empty.fit.log).faults.first)
    assert view.table.item(2, 1).text() == "-" or view.table.item(1, 1).text() == "-"
    click(view.show_bad)
    assert view.table.rowCount() > 50
    box = view.heads[1].form
    box.setCurrentIndex(box.findData("degF"))
    box.activated.emit(box.currentIndex())
    settled(qtbot, empty)
    assert empty.fit.log.reading.columns[1].form == "degF"
    assert empty.fit._data().measured_degC[0] == pytest.approx((19 - 32) / 1.8, abs=1)
    box = empty.fit.reading.heads[3].role
    box.setCurrentIndex(box.findData("drive"))
    box.activated.emit(box.currentIndex())
    assert [column.role for column in empty.fit.log.reading.columns][2:] == ["left_out", "drive"]
    empty.document.undo()
    empty.document.undo()
    settled(qtbot, empty)
    assert empty.fit.log.reading.columns[1].form == "degC"


def test_one_span_too_many_is_refused_in_words(qtbot: QtBot, cabinet: MainWindow) -> None:
    fit = cabinet.fit
    assert fit.log is not None
    many = tuple(LogSpan(from_s=10.0 * k + 1, to_s=10.0 * k + 2) for k in range(MOST_SPANS))
    fit.work.edits.set(fit.log.name, "spans", left_out=many)
    cabinet.menus.actions["Leave out at the cursor"].trigger()
    [box] = [box for box in cabinet.findChildren(QMessageBox) if box.isVisible()]
    assert box.text() == "A log has at most 60 spans left out; let one count again first."
    box.close()
    assert cabinet.document.project.logs[0].left_out == many


def test_spans_are_dragged_left_out_and_taken_in_again(qtbot: QtBot, cabinet: MainWindow) -> None:
    fit = cabinet.fit
    before = fit.known.fitted
    strip = fit.strip
    start = strip.rect_of("the end of the span used").center()
    drag(strip, start, start + QPointF(-200, 0))
    used = cabinet.document.project.logs[0].used
    assert used is not None
    assert used.from_s == 0
    assert used.to_s < 5 * 3600 - 3600
    assert cabinet.document.undo_name == "span used"
    settled(qtbot, cabinet)
    assert fit.known.fitted is not before
    fit._move_cursor(6000.0)
    cabinet.menus.actions["Leave out at the cursor"].trigger()
    spans = cabinet.document.project.logs[0].left_out
    assert len(spans) == 2
    assert spans[1].from_s < 6000 < spans[1].to_s
    block = strip.rect_of("left out 2").center()
    drag(strip, block, block + QPointF(60, 0))
    assert cabinet.document.project.logs[0].left_out[1].from_s > spans[1].from_s
    menu = fit.menu()
    again = next(action for action in menu.actions() if action.text() == "Let span 2 count again")
    again.trigger()
    assert cabinet.document.project.logs[0].left_out == spans[:1]
    for _ in range(4):
        cabinet.document.undo()
    assert cabinet.document.project.logs[0].used is None
    settled(qtbot, cabinet)


def test_the_rig_itself_is_fitted_used_and_then_says_what_has_changed(qtbot: QtBot, cabinet: MainWindow) -> None:
    fit = cabinet.fit
    assert "slow wave" in "".join(fit.known.fitted.warnings())
    click(fit.fit_panel.chips["rig"])
    settled(qtbot, cabinet)
    found = fit.known.fitted
    assert isinstance(found, RigReport)
    assert found.fit.rms_K < 0.1
    assert fit.cards.cards[1].text.role == "moss"
    click(fit.fit_panel.use_button)
    settled(qtbot, cabinet)
    assert fit.known.fitted is found  # the same logs are not counted twice
    assert cabinet.document.project.rig.bodies[0].capacity_J_per_K == pytest.approx(found.fit.values[0].value)
    fit.select(2)
    click(fit.cards.views["changed"])
    settled(qtbot, cabinet)
    comparison = fit.known.comparison
    assert isinstance(comparison, Comparison)
    assert [change.what for change in comparison.changes] == ["loss"]
    assert "heat loss is 32 % higher than it was" in fit.verdict.text() or "31 %" in fit.verdict.text()
    assert fit.known.drift is not None


def test_a_held_value_stays_where_it_is(qtbot: QtBot, cabinet: MainWindow) -> None:
    fit = cabinet.fit
    click(fit.fit_panel.chips["rig"])
    settled(qtbot, cabinet)
    fit.fit_panel._fold()
    fit.fit_panel.free["Mat: power"].click()
    settled(qtbot, cabinet)
    found = fit.known.fitted
    assert isinstance(found, RigReport)
    assert "Mat: power" not in [p.text for p in found.fit.free]
    assert found.fit.rig.drive.power_W == 250


def test_a_recording_is_planned_as_wished(qtbot: QtBot, cabinet: MainWindow) -> None:
    fit = cabinet.fit
    click(fit.cards.views["plan"])
    settled(qtbot, cabinet)
    assert isinstance(fit.plan, tuple)
    before = fit.plan[1]
    assert before.enough
    limit = min(body.limit_degC for body in cabinet.document.project.rig.bodies if body.limit_degC is not None)
    assert before.end_degC < limit
    box = fit.plan_panel.boxes["share"]
    box.setCurrentIndex(0)
    box.activated.emit(0)
    settled(qtbot, cabinet)
    finer = fit.plan[1]
    assert finer.test.lasts_s >= before.test.lasts_s
    box = fit.plan_panel.boxes["from_warm"]
    box.setCurrentIndex(1)
    box.activated.emit(1)
    settled(qtbot, cabinet)
    assert fit.plan[1].test.start > 0
    assert "Record it like this" in fit.verdict.text()


def test_a_probe_is_calibrated_from_pairs_and_a_thermistor_from_points(cabinet: MainWindow) -> None:
    fit = cabinet.fit
    click(fit.cards.views["calibrate"])
    view = fit.calibrate
    for row, (shown, true) in enumerate((("0.6 °C", "0"), ("21.9", "21.2"), ("178 °F", "79.4"))):
        view.pairs.setItem(row, 1, QTableWidgetItem(shown))
        view.pairs.setItem(row, 2, QTableWidgetItem(true))
    assert view.found is not None
    assert view.pairs.item(0, 3).text() == "0.0 °C"
    click(view.use_button)
    correction = cabinet.document.project.rig.probe.correction
    assert correction is not None
    assert correction.true_low_degC == pytest.approx(0)
    assert correction.true_high_degC == pytest.approx(79.4)
    view.pairs.setItem(1, 1, QTableWidgetItem("warm"))
    assert "warm" in view.says.text()
    assert not view.use_button.isEnabled()
    view.pairs.setItem(1, 1, QTableWidgetItem("21.9"))
    assert view.use_button.isEnabled()
    for row, (degC, ohm) in enumerate((("0", "33621"), ("25", "10000"), ("80", "1270"))):
        view.points.setItem(row, 0, QTableWidgetItem(degC))
        view.points.setItem(row, 1, QTableWidgetItem(ohm))
    assert view.ntc is not None
    click(view.ntc_button)
    assert cabinet.document.project.rig.probe.converter.beta_K == pytest.approx(view.ntc.beta_K)
    view.pairs.setItem(5, 0, QTableWidgetItem("512"))
    assert math.isclose(float(view.pairs.item(5, 1).text().split()[0]), 25, abs_tol=2)


def test_logs_are_named_noted_laid_over_and_removed(
    qtbot: QtBot, cabinet: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    fit = cabinet.fit
    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **kw: ("kettle on", True))
    cabinet.menus.actions["Note at the cursor…"].trigger()
    assert any(note.text == "kettle on" for note in cabinet.document.project.logs[0].moments)
    texts = [action.text() for action in fit.menu().actions()]
    assert "Remove the note “kettle on”" in texts
    next(action for action in fit.menu().actions() if action.text().startswith("Rename")).trigger()
    assert cabinet.document.project.logs[0].name == "kettle on"
    settled(qtbot, cabinet)
    next(action for action in fit.menu().actions() if "step from warm" in action.text()).trigger()
    lane = fit.strip.lane("log")[0]
    assert "step from warm" in [trace.name for trace in lane.traces]
    cabinet.menus.actions["Trial as in this log"].trigger()
    assert cabinet.document.project.trials[-1].name == "As in kettle on"
    next(action for action in fit.menu().actions() if action.text() == "Leave it aside").trigger()
    settled(qtbot, cabinet)
    assert fit.known.fitted is None
    cabinet.menus.actions["Remove the log"].trigger()
    assert len(cabinet.document.project.logs) == 2


def test_another_project_has_nothing_of_the_last_one(qtbot: QtBot, cabinet: MainWindow) -> None:
    assert "rms on 2 logs" in cabinet.fit.phrase().text
    cabinet.fit.select(2)
    cabinet.go_to(0)
    cabinet.document.replace(find_demo("wax-pot").build(), None)
    assert cabinet.fit.phrase().text == "1 log"
    assert cabinet.fit.log.name == "an evening on and off"
    cabinet.go_to(FIT)
    settled(qtbot, cabinet)
    assert "on 1 log" in cabinet.fit.phrase().text


def test_logs_are_reached_by_keys_and_read_aloud(qtbot: QtBot, cabinet: MainWindow) -> None:
    card = cabinet.fit.cards.cards[1]
    card.setFocus()
    QTest.keyClick(card, Qt.Key.Key_Return)
    assert cabinet.fit.log.name == "step from warm"
    assert card.accessibleName() == "Log step from warm"
    assert "rms" in card.accessibleDescription()
    assert "measured" in cabinet.fit.strip.accessibleDescription()
    settled(qtbot, cabinet)


def test_a_project_with_logs_is_saved_opened_and_brought_back(
    qtbot: QtBot, cabinet: MainWindow, tmp_path: Path
) -> None:
    project = cabinet.document.project
    cabinet.document.save(tmp_path / "x.kelvarn")
    log = with_fields(project.logs[0], left_out=(LogSpan(from_s=10, to_s=90),))
    cabinet.document.apply(with_fields(project, logs=(log, *project.logs[1:])), "edit")
    cabinet.document.autosave_now()
    from kelvarn.files.journal import left_behind

    assert left_behind() is None  # this window holds it
    cabinet.document._journal.let_go()
    found = left_behind()
    assert found is not None
    assert found.project == cabinet.document.project
    found.journal.clear()
    assert list(found.journal.entry.parent.glob("*.log")) == []
    cabinet.document.open(tmp_path / "x.kelvarn")
    assert cabinet.document.project == project
    settled(qtbot, cabinet)
