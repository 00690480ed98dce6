"""The Trial station by hand: trials from the bank, plan and events, guards, failures, variants, tables, report."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from kelvarn.demos import find_demo
from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.frame.window import TRIAL, MainWindow
from kelvarn.desktop.stations.trial.days_field import DaysField
from kelvarn.desktop.stations.trial.foot import TABS, table_text
from kelvarn.desktop.stations.trial.panel import Selected
from kelvarn.desktop.stations.trial.reports import report_into
from kelvarn.desktop.stations.trial.variants_panel import SpreadBars
from kelvarn.model.edit import with_fields
from kelvarn.model.trial_edit import add_rule
from kelvarn.units import Quantity, Scale

from .conftest import click, close_window, drag, open_window, type_into

_SIDE, _TRIALS, _FAILS = TABS


@pytest.fixture
def trial(window: MainWindow) -> MainWindow:
    window.go_to(TRIAL)
    return window


@pytest.fixture
def shed(qtbot: QtBot) -> Iterator[MainWindow]:
    made = open_window(qtbot, find_demo("lemon-shed").build())
    made.view.select_trial("The probe fails in the night")
    made.go_to(TRIAL)
    yield made
    close_window(made)


def press(window: MainWindow, text: str) -> None:
    """Click a link of the panel."""
    click(next(b for b in window.trial.panel.findChildren(QPushButton) if b.text() == text))


def field(window: MainWindow, title: str) -> NumberField:
    return next(f for f in window.trial.panel.findChildren(NumberField) if f.edit.accessibleName() == title)


def fails(window: MainWindow, qtbot: QtBot) -> None:
    """Open the failure table, and wait for it."""
    click(window.trial.foot.chips[_FAILS])
    qtbot.waitUntil(lambda: window.trial.studies.table is not None, timeout=60_000)
    qtbot.waitUntil(lambda: window.trial.foot.table.rowCount() > 0, timeout=60_000)


def test_trials_come_from_the_bank_move_and_go_again(trial: MainWindow, qtbot: QtBot) -> None:
    cards = trial.trial.cards
    menu = cards.bank_menu()
    next(action for action in menu.actions() if action.data() == "Power cut").trigger()
    document = trial.document
    assert [each.name for each in document.project.trials] == ["Cold start, door, cold night", "Power cut"]
    assert trial.view.trial(document.project).name == "Power cut"
    assert "Power cut" in cards.card("Power cut").accessibleName()
    trial.menus.actions["Move the trial up"].trigger()
    assert document.project.trials[0].name == "Power cut"
    trial.menus.actions["Add marks: safe"].trigger()
    assert "trips" in [mark.measure for mark in document.project.trials[0].marks]
    click(cards.card("Cold start, door, cold night"))
    assert trial.view.trial(document.project).name == "Cold start, door, cold night"
    click(trial.trial.foot.chips[_TRIALS])
    qtbot.waitUntil(lambda: len(trial.trial.studies.met) == 4, timeout=60_000)
    table = trial.trial.foot.table
    assert [table.horizontalHeaderItem(k).text() for k in range(3)] == [
        "candidate", "Power cut", "Cold start, door, cold night",
    ]  # fmt: skip
    assert table.item(1, 2).text() == "5 of 6 ✕"
    while document.undo_name is not None:
        document.undo()
    assert len(document.project.trials) == 1


def test_events_and_setpoints_are_typed_at_the_side(trial: MainWindow) -> None:
    station, document = trial.trial, trial.document
    menu = station.panel.event_menu()
    next(action for action in menu.actions() if action.text() == "the power is cut").trigger()
    assert station.panel.selected == Selected("event", "Power cut")
    type_into(field(trial, "Again every").edit, "1h")
    type_into(field(trial, "Lasts").edit, "5 min")
    event = document.project.first_trial.events[-1]
    assert (event.again_s, event.lasts_s) == (3600, 300)
    result = trial.runner.result_of("Careful PID")
    assert result is not None
    assert "no power" in station.why_line.text() or result.measures.event("Power cut").values
    press(trial, "‹ the trial")
    press(trial, "+ setpoint")
    plan = document.project.first_trial.plan
    assert len(plan.changes) == 2
    press(trial, "+ part of the day")
    days = station.panel.findChildren(DaysField)
    click(days[0].chips["Sun"])
    assert "Sun" not in document.project.first_trial.plan.week[0].days
    press(trial, "+ named setpoint")
    assert document.project.first_trial.plan.setpoints[0].name == "Operation"
    press(trial, "Door 100 s")
    press(trial, "remove")
    assert "Door" not in [each.name for each in document.project.first_trial.events]
    assert station.panel.selected == Selected()


@pytest.mark.long
def test_may_it_be_left_alone_a_guard_turns_the_rows(trial: MainWindow, qtbot: QtBot) -> None:
    station, document = trial.trial, trial.document
    fails(trial, qtbot)
    assert station.foot.said.text().startswith("No: 8 of 18 single failures pass a limit")
    first = station.foot.table.item(0, 0)
    assert first.text().startswith("✕ ")
    qtbot.waitUntil(lambda: not station.foot.offer.isHidden(), timeout=120_000)
    click(station.foot.offer)
    [guard] = document.project.rig.guards
    assert guard.kind == "cut_off"
    assert station.panel.selected == Selected("rule", guard.name)
    qtbot.waitUntil(lambda: station.foot.said.text().startswith("None of the 19 failures tried"), timeout=60_000)
    assert station.foot.table.item(0, 0).text().startswith("✓ ")
    assert station.foot.offer.isHidden()
    assert station.phrase().state == "fine"
    assert station.studies.table is not None
    assert not station.studies.table.passed
    document.undo()
    assert document.project.rig.guards == ()


def test_a_failure_is_seen_on_the_strip_and_kept_as_a_trial(trial: MainWindow, qtbot: QtBot) -> None:
    station = trial.trial
    fails(trial, qtbot)
    row = next(k for k in range(18) if "stuck on" in station.foot.table.item(k, 0).text())
    station.foot.table.cellClicked.emit(row, 0)
    qtbot.waitUntil(lambda: station.failure.result is not None, timeout=60_000)
    outcome = station.failure.outcome
    assert outcome is not None
    assert outcome.passed is not None
    assert station.strip.time_axis().high == pytest.approx(outcome.trial.duration_s)
    assert station.why_line.text().startswith(f"if Mat is stuck on, {outcome.moment}: ")
    click(station.keep)
    kept = trial.document.project.trials[-1]
    assert kept.name == "Mat is stuck on"
    assert kept.events[-1].kind == "drive_fault"
    assert station.failure.result is None
    trial.document.undo()
    assert station.strip.time_axis().high == pytest.approx(14400)


def test_levels_are_dragged_on_the_strip(trial: MainWindow) -> None:
    document = trial.document
    changed, name = add_rule(document.project, "trip")
    document.apply(changed, "add a trip")
    document.set(("rig", "guards", 0, "at_degC"), 66.0, "lower")
    strip = trial.trial.strip
    lane, frame = strip.lane("temperature")
    handle = next(each for each in lane.handles if name in each.name)
    start = QPointF(frame.rect.left() + 0.2 * frame.rect.width(), frame.value.to_px(handle.value))
    drag(strip, start, start + QPointF(0, 2 * frame.value.px_per_unit))
    assert document.project.rig.guards[0].at_degC == pytest.approx(68, abs=0.6)
    assert document.undo_name is not None
    document.undo()
    assert document.project.rig.guards[0].at_degC == 66


def test_guards_and_permits_are_listed_changed_and_removed(shed: MainWindow) -> None:
    station = shed.trial
    names = [button.text() for button in station.safety.findChildren(QPushButton)]
    order = [each for each in names if each in ("Thermal cut-off", "Air stat", "Restart", "Probe fault", "Frost")]
    assert order == ["Thermal cut-off", "Air stat", "Restart", "Probe fault", "Frost"]
    click(next(b for b in station.safety.findChildren(QPushButton) if b.text() == "Frost"))
    assert station.panel.selected == Selected("rule", "Frost")
    type_into(field(shed, "After").edit, "5 min")
    assert next(each for each in shed.document.project.rig.guards if each.name == "Frost").delay_s == 300
    menu = station.safety.menu({})
    assert menu.actions() == []
    shed.menus.actions["Add permit: hours"].trigger()
    assert shed.document.project.rig.permits[-1].kind == "hours"
    press(shed, "remove")
    assert len(shed.document.project.rig.permits) == 2
    lane, _ = station.strip.lane("permits")
    assert {span.text for span in lane.spans} == {"Door shut", "Price"}
    lane, _ = station.strip.lane("guards")
    assert "Probe fault" in {span.text for span in lane.spans}
    shed.view.move_cursor(12 * 3600.0)
    assert "probe fault: Probe shows 80.0 °C" in station.why_line.text()


def test_variants_stream_in_and_the_worst_opens_as_a_rig(trial: MainWindow, qtbot: QtBot) -> None:
    station, document = trial.trial, trial.document
    rig = document.project.rig
    click(station.variants.start)
    qtbot.waitUntil(lambda: station.variants.found is not None, timeout=60_000)
    qtbot.waitUntil(lambda: not station.variants.busy, timeout=120_000)
    found = station.variants.found
    assert found is not None
    assert found.count == 500
    assert station.strip.lane("temperature")[0].ribbons
    click(station.foot.chips[_SIDE])
    headings = [station.foot.table.horizontalHeaderItem(k).text() for k in range(station.foot.table.columnCount())]
    assert headings[-1] == "variants that pass"
    in_kelvins = next(mark for mark in found.marks if mark.kind.quantity is Quantity.DIFFERENCE)
    for scale in (Scale.FAHRENHEIT, Scale.CELSIUS):
        trial.view.set_scale(scale)
        assert in_kelvins.limit_text(scale, short=True) in station.variants.findChildren(SpreadBars)[0].accessibleName()
    click(station.variants.worst)
    assert document.project.rig != rig
    assert station.variants.found is None
    document.undo()
    assert document.project.rig == rig
    click(station.variants.start)
    click(station.variants.start)  # stops
    assert not station.variants.busy


def test_tables_are_sorted_and_copied(trial: MainWindow) -> None:
    foot = trial.trial.foot
    foot.copy_as("Markdown")
    text = QGuiApplication.clipboard().text()
    assert text.startswith("| candidate | Overshoot | Settled |")
    assert "| On/off ±1 | 4.8 K ✕ |" in text
    foot.table.horizontalHeader().sectionClicked.emit(1)
    assert foot.table.item(0, 0).text() == "Careful PID ★"
    foot.table.horizontalHeader().sectionClicked.emit(1)
    assert foot.table.item(0, 0).text() == "On/off ±1"
    click_row = 1 if foot.table.item(1, 0).text() == "Careful PID ★" else 0
    foot.table.cellClicked.emit(1 - click_row, 0)
    assert trial.view.candidate(trial.document.project).name == "On/off ±1"
    assert table_text(("a", "b"), [("=1+1", 'x "y"')], "CSV") == '"a","b"\n"\'=1+1","x ""y"""'
    assert table_text(("a",), [("b|c",)], "Markdown").endswith("| b\\|c |")


@pytest.mark.long
def test_the_report_is_written_from_the_window(trial: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    path = tmp_path / "report.html"
    report_into(trial.control.context, trial.trial.foot.said.say, path)
    qtbot.waitUntil(path.exists, timeout=120_000)
    assert "Careful PID" in path.read_text(encoding="utf-8")
    assert trial.trial.foot.said.text() == "The report is in report.html."


def test_the_trial_station_works_by_keys(trial: MainWindow) -> None:
    card = trial.trial.cards.card("Cold start, door, cold night")
    trial.menus.actions["Copy the trial"].trigger()
    card.setFocus()
    QTest.keyClick(card, Qt.Key.Key_Return)
    assert trial.view.trial(trial.document.project).name == "Cold start, door, cold night"
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(trial, Qt.Key.Key_L, both)
    assert trial.trial.foot.tab == _FAILS
    keys = [action.shortcut().toString() for action in trial.menus.actions.values() if action.shortcut().toString()]
    assert sorted(keys) == sorted(set(keys))  # one that means two things does neither


def test_a_plan_that_waits_is_drawn_where_it_went(trial: MainWindow) -> None:
    demo = find_demo("cure-cabinet").build()
    project = with_fields(trial.document.project, trials=(demo.trials[1],))
    trial.document.apply(project, "two stages")
    lane, _ = trial.trial.strip.lane("temperature")
    corner = next(each for each in lane.handles if each.shape == "corner" and "setpoint 2" in each.name)
    result = trial.runner.result_of("Careful PID")
    assert result is not None
    arrives = float(result.run.time_s[result.run.setpoint_degC >= 60 - 1e-9][0])
    assert corner.at_s == pytest.approx(arrives, abs=3)
    assert corner.value == 60
    band = lane.bands[0]
    assert float(band.value.max()) == 60


def test_parts_of_the_day_are_dragged_at_their_edges(shed: MainWindow) -> None:
    strip, document = shed.trial.strip, shed.document
    lane, frame = strip.lane("hours")
    assert {span.text for span in lane.spans} == {"3.5", "5"}
    handle = next(each for each in lane.handles if each.name == "the beginning of part 1")
    assert handle.text == "20:00"
    start = strip.rect_of(handle.name).center()
    drag(strip, start, start + QPointF(3600 * frame.time.px_per_unit, 0))
    assert document.project.trials[1].plan.week[0].from_s == pytest.approx(21 * 3600, abs=900)
    document.undo()
    assert document.project.trials[1].plan.week[0].from_s == 20 * 3600
